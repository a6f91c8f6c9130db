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
use crate::station::error::MOST_TOLD;
use crate::station::{Station, StationErrorKind};
use card::{Card, InputGroup, OutputGroup};
use connection::Wired;
use sensor::Sensor;
use std::collections::HashMap;
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

/// Sensors and terminals by their names.
struct Named<'a> {
    sensors: HashMap<&'a str, &'a Sensor>,
    terminals: HashMap<&'a str, Vec<Place<'a>>>,
}

impl<'a> Named<'a> {
    fn new(wiring: &'a Wiring) -> Self {
        let sensors = wiring.sensors.iter().rev().map(|sensor| (sensor.name.as_str(), sensor)).collect();
        let mut terminals: HashMap<&str, Vec<Place<'_>>> = HashMap::new();
        wiring.terminals().for_each(|place| terminals.entry(place.terminal).or_default().push(place));
        Self { sensors, terminals }
    }

    fn sensor(&self, name: &str) -> Option<&'a Sensor> {
        self.sensors.get(name).copied()
    }

    /// The places that a terminal's name fits: `I0`, or `plc.I0` where several cards have one.
    fn places<'b>(&'b self, name: &'b str) -> impl Iterator<Item = Place<'a>> + 'b {
        let on_card = name.match_indices('.').flat_map(move |(dot, _)| {
            let (card, terminal) = (name.get(..dot), name.get(dot + 1..).unwrap_or_default());
            let fits = self.terminals.get(terminal).into_iter().flatten();
            fits.filter(move |place| Some(place.card.name.as_str()) == card)
        });
        self.terminals.get(name).into_iter().flatten().chain(on_card).copied()
    }
}

impl<'a> Place<'a> {
    /// What tells one terminal from all others.
    fn key(&self) -> (&'a str, &'a str) {
        (&self.card.name, self.terminal)
    }
}

impl Wiring {
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
}

/// Everything that is wired, by name, in the order of the file.
fn wired(station: &Station) -> impl Iterator<Item = (&str, &Wired)> {
    let points = station.points.iter().filter_map(|point| Some((point.name.as_str(), point.kind.wired()?)));
    points.chain(station.wiring.unread.iter().map(|(name, wired)| (name.as_str(), wired)))
}

/// Refuses points that name a sensor or terminal that is not there.
pub(crate) fn check_names(station: &Station, builder: &mut Builder<'_>) {
    let wiring = &station.wiring;
    let named = Named::new(wiring);
    for (_, wired) in wired(station) {
        // What may be meant is looked for as long as it is told.
        let explained = builder.errors.len() < MOST_TOLD;
        if let Some(sensor) = wired.sensor.as_ref().filter(|name| named.sensor(name.get_ref()).is_none()) {
            let known = wiring.sensors.iter().filter(|_| explained).map(|sensor| sensor.name.clone()).collect();
            builder.refuse(sensor.span(), StationErrorKind::unknown("sensor", sensor.get_ref(), known));
        }
        let Some(terminal) = &wired.terminal else { continue };
        match named.places(terminal.get_ref()).count() {
            0 => {
                let known = wiring.terminals().filter(|_| explained).map(|place| place.terminal.to_owned()).collect();
                builder.refuse(terminal.span(), StationErrorKind::unknown("terminal", terminal.get_ref(), known));
            }
            1 => {}
            _ => {
                let fits = named.places(terminal.get_ref());
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
    let named = Named::new(wiring);
    let spoiled = timing::spoiled(station);
    let circuits: Vec<Circuit<'_>> = wired(station)
        .filter_map(|(name, wired)| {
            let sensor = wired.sensor.as_ref().and_then(|name| named.sensor(name.get_ref()));
            let place = wired.terminal.as_ref().and_then(|name| named.places(name.get_ref()).next());
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
        timing::check(circuit, station, &spoiled, &mut findings);
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
