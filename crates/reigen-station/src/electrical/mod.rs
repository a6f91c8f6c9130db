//! The electrical check: will this sensor work on this input? Before power goes on.
//!
//! [`check`] puts together what [`wiring`](crate::wiring) states, and gives findings, each with the sum that it rests on, and the
//! [`terminals`] to wire from.

mod analog;
mod chain;
mod change;
mod circuit;
mod feed;
mod levels;
pub mod list;
mod modes;
mod network;
mod outputs;
mod polarity;
mod pulls;
mod remedies;
mod safety;
pub mod schematic;
mod solved;
mod speed;
mod states;
pub mod terminals;
#[cfg(test)]
mod tests;
mod timing;

use crate::station::Station;
use crate::wiring::card::Card;
use crate::wiring::names::NameIndex;
use crate::wiring::place::{Group, Place};
use circuit::{Circuit, State};
use feed::CircuitSummary;
use list::WireRow;
use rayon::prelude::*;
use reigen_core::finding::Finding;
use remedies::OfferedTerminals;
use solved::{SolvedCircuit, Summary};
use std::collections::{HashMap, HashSet};
use terminals::TerminalRow;

/// What comes of the check.
#[derive(Debug)]
pub struct WiringReport {
    /// What is wrong or worth knowing, errors first.
    pub findings: Vec<Finding>,
    /// The terminals, with the level in each state.
    pub terminals: Vec<TerminalRow>,
    /// The list to wire from: every wire.
    pub wires: Vec<WireRow>,
}

impl WiringReport {
    /// What of it is about some points: their findings, terminals and wires.
    pub fn of_points(mut self, names: &[String]) -> Self {
        let named = |name: &str| names.iter().any(|wanted| wanted == name);
        self.findings.retain(|finding| named(&finding.subject));
        self.terminals.retain(|row| row.point.as_deref().is_some_and(named));
        self.wires.retain(|row| row.points.iter().any(|point| named(point)));
        self
    }
}

/// A finding, and what remedies need to know of it.
#[derive(Debug, Clone)]
struct WiringFinding {
    finding: Finding,
    /// The state of the sensor in which it is, where it is of one.
    state: Option<State>,
    /// The voltage that is too high and the bound, where a divider can mend it.
    excess: Option<(f64, f64)>,
}

impl WiringFinding {
    fn plain(finding: Finding) -> Self {
        Self { finding, state: None, excess: None }
    }

    fn at(finding: Finding, state: State) -> Self {
        Self { finding, state: Some(state), excess: None }
    }
}

/// Checks a station's wiring.
pub fn check(station: &Station) -> WiringReport {
    let wiring = &station.wiring;
    let named = NameIndex::new(wiring);
    let circuits = circuits(station, &named);
    let context = Context::new(station, &circuits);
    // Each circuit by itself, side by side; then what needs all of them.
    let checked: Vec<(Vec<WiringFinding>, Summary)> =
        circuits.par_iter().map(|circuit| context.check_alone(circuit)).collect();
    let (mut alone, summaries): (Vec<Vec<WiringFinding>>, Vec<Summary>) = checked.into_iter().unzip();
    let summarised: Vec<CircuitSummary<'_, '_>> = circuits.iter().zip(&summaries).collect();
    let context = Context { drawn: feed::drawn(wiring, &summarised), ..context };
    // One after the other, in the order of the file: what one circuit is offered, no other one is.
    let mut offered = OfferedTerminals::new();
    for (found, circuit) in alone.iter_mut().zip(&circuits) {
        found.iter_mut().for_each(|found| tell_remedies(&context, circuit, found, &mut offered));
    }
    let mut found: Vec<WiringFinding> = station.findings().into_iter().map(WiringFinding::plain).collect();
    found.extend(alone.into_iter().flatten());
    modes::check_shared(&circuits, &mut found);
    feed::check_shared(&summarised, &mut found);
    pulls::check(wiring, &context.used, &mut found);
    feed::check_cards(wiring, &summarised, &mut found);
    outputs::check(wiring, &circuits, &mut found);
    safety::check(station, &mut found);
    chain::check(station, &named, &mut found);
    if circuits.is_empty() {
        found.push(WiringFinding::plain(nothing_wired()));
    }
    let mut findings: Vec<Finding> = found.into_iter().map(|found| found.finding).collect();
    for finding in &mut findings {
        finding.remedies.get_or_insert_default();
    }
    // The worst first; else in the order of the file.
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    let terminals = terminals::list(wiring, &summarised, &findings);
    WiringReport { findings, terminals, wires: list::list(station, &named, &summarised) }
}

/// Everything that has a sensor or a terminal.
fn circuits<'a>(station: &'a Station, named: &NameIndex<'a>) -> Vec<Circuit<'a>> {
    station
        .wired()
        .filter_map(|(name, wired)| {
            let sensor = wired.sensor.as_ref().and_then(|name| named.sensor(name.get_ref()));
            let place = wired.terminal.as_ref().and_then(|name| named.places(name.get_ref()).next());
            (sensor.is_some() || place.is_some()).then(|| Circuit::new(name, wired, sensor, place))
        })
        .collect()
}

/// Tries remedies for a finding, and tells those that hold.
fn tell_remedies<'a>(
    context: &Context<'a, '_>,
    circuit: &Circuit<'a>,
    found: &mut WiringFinding,
    offered: &mut OfferedTerminals<'a>,
) {
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
    spoiled: timing::BounceVictims<'a>,
    /// What the sensors of each card draw at least, with what its supply gives.
    drawn: HashMap<&'a str, feed::SupplyLoad>,
}

impl<'a, 'b> Context<'a, 'b> {
    fn new(station: &'a Station, circuits: &'b [Circuit<'a>]) -> Self {
        let chains = station.points.iter().filter_map(|point| point.kind.chain());
        let named = NameIndex::new(&station.wiring);
        let chained: Vec<Place<'a>> = chains
            .flat_map(|chain| chain.signals())
            .filter_map(|(_, terminal)| named.places(terminal.get_ref()).next())
            .collect();
        let used =
            circuits.iter().filter_map(|circuit| circuit.place).chain(chained).map(|place| place.key()).collect();
        Self { station, circuits, used, spoiled: timing::spoiled(station), drawn: HashMap::new() }
    }

    /// Everything that can be told of one circuit alone, and what the lists need of it.
    fn check_alone(&self, circuit: &Circuit<'a>) -> (Vec<WiringFinding>, Summary) {
        let mut found = Vec::new();
        let solved = SolvedCircuit::new(circuit);
        self.check_solved(circuit, solved.as_ref(), &mut found);
        (found, Summary::new(circuit, solved.as_ref()))
    }

    /// Everything that can be told of one circuit alone.
    fn check_one(&self, circuit: &Circuit<'a>, found: &mut Vec<WiringFinding>) {
        self.check_solved(circuit, SolvedCircuit::new(circuit).as_ref(), found);
    }

    fn check_solved(
        &self,
        circuit: &Circuit<'a>,
        solved: Option<&SolvedCircuit<'_, '_>>,
        found: &mut Vec<WiringFinding>,
    ) {
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
