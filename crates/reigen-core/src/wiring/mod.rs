//! The electrical check: will this sensor work on this input? Before power goes on.
//!
//! [`sensor`] and [`card`] are the electrical data of the station file, [`connection`] how a point is wired; [`check`]
//! puts them together and gives findings, each with the sum that it rests on, and the [`terminals`] to wire from.

pub mod card;
pub mod connection;
mod levels;
mod modes;
mod network;
mod outputs;
mod polarity;
mod pulls;
pub mod sensor;
mod supply;
pub mod terminals;
#[cfg(test)]
mod tests;
mod timing;

use crate::finding::Finding;
use crate::station::builder::Builder;
use crate::station::{Station, StationErrorKind};
use card::{Card, InputGroup, OutputGroup};
use connection::Wired;
use sensor::Sensor;
use terminals::TerminalRow;

/// What a metre of control cable has between two wires: a round figure for data sheets' 80 to 120 pF.
pub const CABLE_FARADS_PER_METRE: f64 = 100e-12;

/// The electrical data of a station.
#[derive(Debug, Default)]
pub struct Wiring {
    /// Kinds of sensors.
    pub sensors: Vec<Sensor>,
    /// Cards, each with its groups of terminals.
    pub cards: Vec<Card>,
    /// What is wired to terminals that no point reads, by name.
    pub unread: Vec<(String, Wired)>,
}

/// Where a terminal is.
#[derive(Debug, Clone, Copy)]
pub struct Place<'a> {
    /// Its card.
    pub card: &'a Card,
    /// Its group there.
    pub group: Group<'a>,
    /// Its name on the card.
    pub terminal: &'a str,
}

/// A group of terminals that are alike.
#[derive(Debug, Clone, Copy)]
pub enum Group<'a> {
    /// Inputs.
    Input(&'a InputGroup),
    /// Outputs.
    Output(&'a OutputGroup),
}

/// What comes of the check.
#[derive(Debug)]
pub struct Checked {
    /// What is wrong or worth knowing, errors first.
    pub findings: Vec<Finding>,
    /// The terminals to wire from.
    pub terminals: Vec<TerminalRow>,
}

/// A point, or something unread, with its sensor and its terminal.
#[derive(Debug, Clone, Copy)]
struct Circuit<'a> {
    name: &'a str,
    wired: &'a Wired,
    sensor: Option<&'a Sensor>,
    place: Option<Place<'a>>,
}

impl<'a> Circuit<'a> {
    /// The input group that the terminal is in.
    fn inputs(&self) -> Option<(&'a Card, &'a InputGroup)> {
        match self.place? {
            Place { card, group: Group::Input(inputs), .. } => Some((card, inputs)),
            Place { .. } => None,
        }
    }
}

impl Wiring {
    /// The places that a terminal's name fits: `I0`, or `plc.I0` where several cards have one.
    fn places<'a>(&'a self, name: &'a str) -> impl Iterator<Item = Place<'a>> {
        self.terminals().filter(move |place| {
            let card = name.strip_prefix(place.card.name.as_str()).and_then(|rest| rest.strip_prefix('.'));
            place.terminal == name || card == Some(place.terminal)
        })
    }

    /// All terminals, in the order of the file.
    fn terminals(&self) -> impl Iterator<Item = Place<'_>> {
        self.cards.iter().flat_map(|card| {
            let inputs = card.inputs.iter().map(|group| (Group::Input(group), &group.terminals));
            let outputs = card.outputs.iter().map(|group| (Group::Output(group), &group.terminals));
            inputs
                .chain(outputs)
                .flat_map(move |(group, names)| names.iter().map(move |terminal| Place { card, group, terminal }))
        })
    }

    fn sensor(&self, name: &str) -> Option<&Sensor> {
        self.sensors.iter().find(|sensor| sensor.name == name)
    }
}

/// Everything that is wired, by name, in the order of the file.
fn wired(station: &Station) -> impl Iterator<Item = (&str, &Wired)> {
    let points = station.points.iter().filter_map(|point| Some((point.name.as_str(), point.kind.wired()?)));
    points.chain(station.wiring.unread.iter().map(|(name, wired)| (name.as_str(), wired)))
}

/// Refuses points that name a sensor or terminal that is not there.
pub(crate) fn check_names(station: &Station, builder: &mut Builder<'_>) {
    let wiring = &station.wiring;
    for (_, wired) in wired(station) {
        if let Some(sensor) = wired.sensor.as_ref().filter(|name| wiring.sensor(name.get_ref()).is_none()) {
            let known: Vec<String> = wiring.sensors.iter().map(|sensor| sensor.name.clone()).collect();
            builder.refuse(sensor.span(), StationErrorKind::unknown("sensor", sensor.get_ref(), known));
        }
        let Some(terminal) = &wired.terminal else { continue };
        match wiring.places(terminal.get_ref()).count() {
            0 => {
                let known = wiring.terminals().map(|place| place.terminal.to_owned()).collect();
                builder.refuse(terminal.span(), StationErrorKind::unknown("terminal", terminal.get_ref(), known));
            }
            1 => {}
            _ => {
                let fits = wiring.places(terminal.get_ref());
                let fits = fits.map(|place| format!("{}.{}", place.card.name, place.terminal)).collect();
                let kind = StationErrorKind::AmbiguousTerminal { name: terminal.get_ref().clone(), fits };
                builder.refuse(terminal.span(), kind);
            }
        }
    }
}

/// Checks a station's wiring.
pub fn check(station: &Station) -> Checked {
    let wiring = &station.wiring;
    let circuits: Vec<Circuit<'_>> = wired(station)
        .filter_map(|(name, wired)| {
            let sensor = wired.sensor.as_ref().and_then(|name| wiring.sensor(name.get_ref()));
            let place = wired.terminal.as_ref().and_then(|name| wiring.places(name.get_ref()).next());
            let circuit = Circuit { name, wired, sensor, place };
            (sensor.is_some() || place.is_some()).then_some(circuit)
        })
        .collect();
    let mut findings = station.findings();
    for circuit in &circuits {
        modes::check(circuit, &mut findings);
        let fits = polarity::check(circuit, &mut findings);
        if fits {
            levels::check(circuit, &mut findings);
        }
        supply::check(circuit, &mut findings);
        timing::check(circuit, station, &mut findings);
    }
    modes::check_shared(&circuits, &mut findings);
    pulls::check(wiring, &circuits, &mut findings);
    supply::check_sums(wiring, &circuits, &mut findings);
    outputs::check(wiring, &circuits, &mut findings);
    if circuits.is_empty() {
        findings.push(nothing_wired());
    }
    // The worst first; else in the order of the file.
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    let terminals = terminals::list(wiring, &circuits, &findings);
    Checked { findings, terminals }
}

fn nothing_wired() -> Finding {
    let message = "no point names a sensor or a terminal, so there is nothing to check".to_owned();
    Finding::note(
        "nothing-wired",
        "station",
        message,
        "add sensor = \"…\" and terminal = \"…\" to the points, and the tables they name",
    )
}
