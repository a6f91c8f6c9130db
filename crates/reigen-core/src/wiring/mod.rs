//! The electrical check: will this sensor work on this input? Before power goes on.
//!
//! [`sensor`] and [`card`] are the electrical data of the station file, [`connection`] how a point is wired; [`check`]
//! puts them together and gives findings, each with the sum that it rests on, and the [`terminals`] to wire from.

pub mod card;
pub mod chain;
pub mod connection;
pub mod list;
pub mod parts;
pub mod range;
pub mod schematic;
pub mod sensor;
pub mod supply;
pub mod terminals;

mod analog;
mod change;
mod circuit;
mod feed;
mod levels;
mod modes;
mod network;
mod outputs;
mod polarity;
mod pulls;
mod remedies;
mod safety;
mod solved;
mod speed;
mod states;
#[cfg(test)]
mod tests;
mod timing;

use crate::finding::Finding;
use crate::spanned::Spanned;
use crate::station::builder::Builder;
use crate::station::error::MOST_TOLD;
use crate::station::{Described, Station, StationErrorKind};
use card::{Card, InputGroup, OutputGroup};
use circuit::{Circuit, State};
use connection::Wired;
use feed::Summarised;
use list::WireRow;
use rayon::prelude::*;
use remedies::Offered;
use sensor::Sensor;
use solved::{Solved, Summary};
use std::collections::{HashMap, HashSet};
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
    pub unread: Vec<Unread>,
}

/// What is wired to a terminal that no point reads.
#[derive(Debug)]
pub struct Unread {
    /// Its name.
    pub name: String,
    /// How it is wired.
    pub wired: Wired,
    /// What stands beside it in the list to wire from.
    pub described: Described,
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
    /// The terminals, with the level in each state.
    pub terminals: Vec<TerminalRow>,
    /// The list to wire from: every wire.
    pub wires: Vec<WireRow>,
}

/// A finding, and what remedies need to know of it.
#[derive(Debug, Clone)]
struct Found {
    finding: Finding,
    /// The state of the sensor in which it is, where it is of one.
    state: Option<State>,
    /// The voltage that is too high and the bound, where a divider can mend it.
    excess: Option<(f64, f64)>,
}

impl Found {
    fn plain(finding: Finding) -> Self {
        Self { finding, state: None, excess: None }
    }

    fn at(finding: Finding, state: State) -> Self {
        Self { finding, state: Some(state), excess: None }
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
    /// Whether two places are in one group of terminals.
    fn is_in_group_of(&self, other: &Place<'_>) -> bool {
        self.card.name == other.card.name && self.group.name() == other.group.name()
    }

    /// The terminal with its card.
    fn full_name(&self) -> String {
        format!("{}.{}", self.card.name, self.terminal)
    }

    /// What tells one terminal from all others.
    fn key(&self) -> (&'a str, &'a str) {
        (&self.card.name, self.terminal)
    }
}

impl Group<'_> {
    fn name(&self) -> &str {
        match self {
            Self::Input(group) => &group.name,
            Self::Output(group) => &group.name,
        }
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
    points.chain(station.wiring.unread.iter().map(|unread| (unread.name.as_str(), &unread.wired)))
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
        if let Some(terminal) = &wired.terminal {
            check_terminal(wiring, &named, terminal, builder);
        }
    }
    for chain in station.points.iter().filter_map(|point| point.kind.chain()) {
        chain.signals().for_each(|(_, terminal)| check_terminal(wiring, &named, terminal, builder));
    }
}

/// Refuses a terminal that is not there, or that several cards have.
fn check_terminal(wiring: &Wiring, named: &Named<'_>, terminal: &Spanned<String>, builder: &mut Builder<'_>) {
    let explained = builder.errors.len() < MOST_TOLD;
    {
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
    let circuits = circuits(station, &named);
    let context = Context::new(station, &circuits);
    // Each circuit by itself, side by side; then what needs all of them.
    let checked: Vec<(Vec<Found>, Summary)> = circuits.par_iter().map(|circuit| context.check_alone(circuit)).collect();
    let (mut alone, summaries): (Vec<Vec<Found>>, Vec<Summary>) = checked.into_iter().unzip();
    let summarised: Vec<Summarised<'_, '_>> = circuits.iter().zip(&summaries).collect();
    let context = Context { drawn: feed::drawn(wiring, &summarised), ..context };
    // One after the other, in the order of the file: what one circuit is offered, no other one is.
    let mut offered = Offered::new();
    for (found, circuit) in alone.iter_mut().zip(&circuits) {
        found.iter_mut().for_each(|found| tell_remedies(&context, circuit, found, &mut offered));
    }
    let mut found: Vec<Found> = station.findings().into_iter().map(Found::plain).collect();
    found.extend(alone.into_iter().flatten());
    modes::check_shared(&circuits, &mut found);
    feed::check_shared(&summarised, &mut found);
    pulls::check(wiring, &context.used, &mut found);
    feed::check_cards(wiring, &summarised, &mut found);
    outputs::check(wiring, &circuits, &mut found);
    safety::check(station, &mut found);
    chain::check(station, &named, &mut found);
    if circuits.is_empty() {
        found.push(Found::plain(nothing_wired()));
    }
    let mut findings: Vec<Finding> = found.into_iter().map(|found| found.finding).collect();
    for finding in &mut findings {
        finding.remedies.get_or_insert_default();
    }
    // The worst first; else in the order of the file.
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    let terminals = terminals::list(wiring, &summarised, &findings);
    Checked { findings, terminals, wires: list::list(station, &named, &summarised) }
}

/// Everything that has a sensor or a terminal.
fn circuits<'a>(station: &'a Station, named: &Named<'a>) -> Vec<Circuit<'a>> {
    wired(station)
        .filter_map(|(name, wired)| {
            let sensor = wired.sensor.as_ref().and_then(|name| named.sensor(name.get_ref()));
            let place = wired.terminal.as_ref().and_then(|name| named.places(name.get_ref()).next());
            (sensor.is_some() || place.is_some()).then(|| Circuit::new(name, wired, sensor, place))
        })
        .collect()
}

/// Tries remedies for a finding, and tells those that hold.
fn tell_remedies<'a>(context: &Context<'a, '_>, circuit: &Circuit<'a>, found: &mut Found, offered: &mut Offered<'a>) {
    let remedies = remedies::find(context, circuit, found, offered);
    if let Some(first) = remedies.first() {
        found.finding.remedy.clone_from(&first.change);
    }
    found.finding.remedies = Some(remedies);
}

/// What a circuit is checked in.
struct Context<'a, 'b> {
    station: &'a Station,
    circuits: &'b [Circuit<'a>],
    /// The terminals that something is wired to.
    used: HashSet<(&'a str, &'a str)>,
    /// What bounce would spoil.
    spoiled: timing::Spoiled<'a>,
    /// What the sensors of each card draw at least, with what its supply gives.
    drawn: HashMap<&'a str, feed::Drawn>,
}

impl<'a, 'b> Context<'a, 'b> {
    fn new(station: &'a Station, circuits: &'b [Circuit<'a>]) -> Self {
        let chains = station.points.iter().filter_map(|point| point.kind.chain());
        let named = Named::new(&station.wiring);
        let chained: Vec<Place<'a>> = chains
            .flat_map(|chain| chain.signals())
            .filter_map(|(_, terminal)| named.places(terminal.get_ref()).next())
            .collect();
        let used =
            circuits.iter().filter_map(|circuit| circuit.place).chain(chained).map(|place| place.key()).collect();
        Self { station, circuits, used, spoiled: timing::spoiled(station), drawn: HashMap::new() }
    }

    /// Everything that can be told of one circuit alone, and what the lists need of it.
    fn check_alone(&self, circuit: &Circuit<'a>) -> (Vec<Found>, Summary) {
        let mut found = Vec::new();
        let solved = Solved::new(circuit);
        self.check_solved(circuit, solved.as_ref(), &mut found);
        (found, Summary::new(circuit, solved.as_ref()))
    }

    /// Everything that can be told of one circuit alone.
    fn check_one(&self, circuit: &Circuit<'a>, found: &mut Vec<Found>) {
        self.check_solved(circuit, Solved::new(circuit).as_ref(), found);
    }

    fn check_solved(&self, circuit: &Circuit<'a>, solved: Option<&Solved<'_, '_>>, found: &mut Vec<Found>) {
        let pulses = timing::Pulses::of(circuit);
        modes::check(circuit, found);
        let fits = polarity::check(circuit, found);
        if let Some(solved) = solved.filter(|_| fits) {
            levels::check(solved, found);
            speed::check(solved, &pulses, found);
        }
        analog::check(circuit, found);
        feed::check(circuit, solved, found);
        timing::check(circuit, &pulses, self.station, &self.spoiled, found);
    }

    fn cards(&self) -> impl Iterator<Item = &'a Card> {
        self.station.wiring.cards.iter()
    }

    fn is_used(&self, card: &str, terminal: &str) -> bool {
        self.used.contains(&(card, terminal))
    }

    /// Whether a terminal would float once a circuit has left it.
    fn floats_when_left(&self, place: Place<'_>, circuit: &Circuit<'_>) -> bool {
        let Group::Input(group) = place.group else { return false };
        let stays = self
            .circuits
            .iter()
            .any(|other| other.name != circuit.name && other.place.is_some_and(|other| other.key() == place.key()));
        !stays && !group.is_tied(place.terminal) && pulls::floats_open(group)
    }

    /// Whether the supply still gives what all sensors draw, with one circuit changed.
    fn feeds_all(&self, before: &Circuit<'a>, after: &Circuit<'a>) -> bool {
        let Some(place) = after.place else { return true };
        self.drawn.get(place.card.name.as_str()).is_none_or(|drawn| drawn.allows(before, after, place.card))
    }
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
