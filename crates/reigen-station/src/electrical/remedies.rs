//! Remedies: candidates for each finding, each tried in the circuit before it is told.

use super::change::Change;
use super::circuit::{Circuit, Draw, Input, State};
use super::polarity::needed_common;
use super::solved::SolvedCircuit;
use super::states;
use super::{Context, WiringFinding, analog};
use crate::sizing::series::Series;
use crate::wiring::card::Common;
use crate::wiring::connection::Rail;
use crate::wiring::parts::{MOST_PARTS, Part, PartKind};
use crate::wiring::place::{Group, Place};
use crate::wiring::range::Range;
use crate::wiring::sensor::Drive;
use crate::wiring::supply::Supply;
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::finding::{Finding, Remedy, Severity};
use reigen_core::time::Nanos;
use reigen_core::units::{Amperes, Ohms, Volts};
use std::cell::Cell;
use std::collections::HashMap;

/// Changes of one kind, of which one is told.
struct Kind<'a> {
    /// Tried list by list, until one of them has a change that holds.
    lists: Vec<Vec<Change<'a>>>,
    pick: Pick,
}

/// Which of the changes that hold is told.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Pick {
    /// The first: they stand in the order in which they are preferred.
    First,
    /// The middle one: values stand in their order, and it lies farthest from both limits.
    Middle,
}

impl<'a> Kind<'a> {
    fn first(changes: Vec<Change<'a>>) -> Self {
        Self { lists: vec![changes], pick: Pick::First }
    }

    /// Values in their order: each fourth, and all of them where none of those will do.
    fn values(changes: Vec<Change<'a>>) -> Self {
        let coarse = changes.iter().step_by(4).cloned().collect();
        Self { lists: vec![coarse, changes], pick: Pick::Middle }
    }
}

/// Finds what mends a finding: a free terminal first, then another feed, then what the card has, then parts.
///
/// A free terminal is offered to one circuit only: whoever follows all remedies must not wire two sensors to it.
pub(super) fn find<'a>(
    context: &Context<'a, '_>,
    circuit: &Circuit<'a>,
    found: &WiringFinding,
    offered: &mut OfferedTerminals<'a>,
) -> Vec<Remedy> {
    let trial = Trial::new(context, circuit, found);
    let kinds = candidates(context, circuit, found, offered);
    let changes: Vec<Change<'a>> = kinds.into_iter().filter_map(|kind| trial.best(kind)).collect();
    for change in &changes {
        if let Change::Terminal(place) = change {
            offered.insert(place.key(), circuit.name);
        }
    }
    changes.iter().map(|change| remedy(circuit, found, change)).collect()
}

/// The circuit that each free terminal has been offered to.
pub(super) type OfferedTerminals<'a> = HashMap<(&'a str, &'a str), &'a str>;

fn remedy<'a>(circuit: &Circuit<'a>, found: &WiringFinding, change: &Change<'a>) -> Remedy {
    let changed = change.applied(circuit);
    let volts = found.state.and_then(|state| volts_in(&changed, state));
    // What a person reads off a meter; a microvolt is more than enough.
    let rounded = |volts: f64| (volts * 1e6).round() / 1e6;
    Remedy {
        change: change.words(circuit),
        parts: change.parts(),
        least_v: volts.map(|volts| rounded(volts.least)),
        greatest_v: volts.map(|volts| rounded(volts.most)),
    }
}

/// What stands at the terminal in a state: of an analog sensor, at the high end of its signal while conducting.
fn volts_in(circuit: &Circuit<'_>, state: State) -> Option<Range> {
    match SolvedCircuit::new(circuit) {
        Some(solved) => solved.measured(state).map(|measured| measured.volts),
        None => analog::ends(circuit).map(|[low, high]| if state == State::Conducting { high } else { low }),
    }
}

/// So many changes are checked with everything for one finding: a wire of many parts has no end of them.
const MOST_TRIALS: usize = 120;

/// What is tried against one finding.
struct Trial<'a, 'b> {
    context: &'b Context<'a, 'b>,
    circuit: &'b Circuit<'a>,
    code: &'static str,
    severity: Severity,
    state: Option<State>,
    /// How many more changes are checked with everything.
    left: Cell<usize>,
    before: Vec<(&'static str, Severity)>,
}

impl<'a, 'b> Trial<'a, 'b> {
    fn new(context: &'b Context<'a, 'b>, circuit: &'b Circuit<'a>, found: &WiringFinding) -> Self {
        let Finding { code, severity, .. } = found.finding;
        Self {
            context,
            circuit,
            code,
            severity,
            state: found.state,
            left: Cell::new(MOST_TRIALS),
            before: codes(context, circuit),
        }
    }

    /// The change of a kind that is told, where one holds.
    fn best(&self, kind: Kind<'a>) -> Option<Change<'a>> {
        kind.lists.into_iter().find_map(|list| {
            let mut good = list.into_iter().filter(|change| self.holds(change));
            match kind.pick {
                Pick::First => good.next(),
                Pick::Middle => {
                    let good: Vec<Change<'a>> = good.collect();
                    good.get(good.len() / 2).cloned()
                }
            }
        })
    }

    /// Whether the finding is gone with the change, and no other has come.
    fn holds(&self, change: &Change<'a>) -> bool {
        let changed = change.applied(self.circuit);
        if changed.wired.parts.len() > MOST_PARTS || self.is_left(&changed) {
            return false;
        }
        let Some(left) = self.left.get().checked_sub(1) else { return false };
        self.left.set(left);
        let after = codes(self.context, &changed);
        let gone = !after.iter().any(|(code, severity)| *code == self.code && *severity >= self.severity);
        gone && brings_nothing(&self.before, &after)
            && self.leaves_others_alone(change)
            && self.context.feeds_all(self.circuit, &changed)
    }

    /// Whether one look at the state of the finding shows that it is left: most candidates fail by that already.
    fn is_left(&self, changed: &Circuit<'_>) -> bool {
        let (Some(state), Some(input)) = (self.state, Input::new(changed)) else { return false };
        if input.rests_by_current(state) || input.converter().is_some() {
            return false;
        }
        let worked = || states::work(&input, state, Draw::Least);
        match self.code {
            "over-voltage" => worked().above.fails(),
            "never-on" | "both-pulls" => {
                let worked = worked();
                worked.floats || worked.level.fails()
            }
            "floating" => worked().floats,
            _ => false,
        }
    }

    /// Whether a change of a group, or a terminal that is left, brings nothing to others.
    fn leaves_others_alone(&self, change: &Change<'a>) -> bool {
        if let (Change::Terminal(_), Some(place)) = (change, self.circuit.place) {
            return !self.context.floats_when_left(place, self.circuit);
        }
        if !change.is_of_group() {
            return true;
        }
        let place = self.circuit.place;
        let others = self.context.circuits.iter().filter(|other| {
            let same = place.zip(other.place).is_some_and(|(place, other)| place.is_in_group_of(&other));
            same && other.name != self.circuit.name
        });
        others
            .into_iter()
            .all(|other| brings_nothing(&codes(self.context, other), &codes(self.context, &change.applied(other))))
    }
}

fn codes<'a>(context: &Context<'a, '_>, circuit: &Circuit<'a>) -> Vec<(&'static str, Severity)> {
    let mut found = Vec::new();
    context.check_one(circuit, &mut found);
    found.iter().map(|found| (found.finding.code, found.finding.severity)).collect()
}

/// Whether nothing was found that was not there before, at least as grave.
fn brings_nothing(before: &[(&str, Severity)], after: &[(&str, Severity)]) -> bool {
    after.iter().all(|(code, severity)| before.iter().any(|(known, grave)| known == code && grave >= severity))
}

/// The changes that could mend a finding, by kind and in the order in which kinds are told.
fn candidates<'a>(
    context: &Context<'a, '_>,
    circuit: &Circuit<'a>,
    found: &WiringFinding,
    offered: &OfferedTerminals<'a>,
) -> Vec<Kind<'a>> {
    let terminals =
        || Kind::first(context.free_terminals(circuit, offered).into_iter().map(Change::Terminal).collect());
    let mut all: Vec<Kind<'a>> = Vec::new();
    match found.finding.code {
        "over-voltage" => {
            all.push(terminals());
            all.push(Kind::first(feeds(context, circuit)));
            // One resistor is better than two.
            let mut parts = Kind::values(pulls(circuit, false));
            parts.lists.extend(dividers(found));
            parts.lists.extend(converters(circuit).into_iter().map(|change| vec![change]));
            all.push(parts);
        }
        "never-on" | "never-off" | "leakage" | "floating" | "both-pulls" | "least-current" | "contact-wetting"
        | "under-voltage" => {
            all.push(terminals());
            // Less voltage makes a leak harmless too, and the closed sensor unread.
            if found.finding.code == "never-on" {
                all.push(Kind::first(feeds(context, circuit)));
            }
            all.push(Kind::first(card_pulls(circuit)));
            all.push(Kind::first(removals(circuit)));
            if matches!(found.finding.code, "never-on" | "never-off" | "both-pulls") {
                all.push(Kind::first(asserted(circuit)));
            }
            all.push(Kind::values(pulls(circuit, pulls_up(circuit, found))));
        }
        "too-much-current" | "pull-too-strong" => {
            all.push(terminals());
            all.push(Kind::first(card_pulls(circuit)));
            all.push(Kind::values(values(circuit, true)));
        }
        "edge-too-slow" => {
            all.push(terminals());
            all.push(Kind::first(card_pulls(circuit)));
            all.push(Kind::values(values(circuit, false)));
            all.push(Kind::values(pulls(circuit, true)));
            all.push(Kind::values(pulls(circuit, false)));
        }
        "debounce-too-long" | "touch-hold-too-short" | "debounce-too-short" | "contact-not-debounced" => {
            all.push(Kind { lists: vec![debounces()], pick: Pick::Middle });
        }
        "contact-surge" => all.push(Kind::values(surge_resistors(circuit))),
        "polarity" | "common-open" => {
            all.push(terminals());
            all.push(Kind::first(commons(circuit)));
            all.push(Kind::first(asserted(circuit)));
        }
        "asserted-mismatch" => all.push(Kind::first(asserted(circuit))),
        "contact-mismatch" => {
            let both = [Contact::NormallyOpen, Contact::NormallyClosed].map(Change::Contact);
            all.push(Kind::first(both.to_vec()));
        }
        "supply-high" | "supply-low" => all.push(Kind::first(feeds(context, circuit))),
        "filter-too-slow"
        | "frequency-too-high"
        | "encoder-too-fast"
        | "wrong-mode"
        | "needs-amplifier"
        | "range-mismatch"
        | "terminal-twice"
        | "terminal-reserved"
        | "rc-without-hysteresis"
        | "scan-too-slow" => {
            all.push(terminals());
        }
        _ => {}
    }
    all
}

/// The supplies of the card and the usual ones, each once.
fn feeds<'a>(context: &Context<'a, '_>, circuit: &Circuit<'a>) -> Vec<Change<'a>> {
    let (Some(place), Some(now)) = (circuit.place, circuit.feed()) else { return Vec::new() };
    let mut known: Vec<Supply> = vec![place.card.feed(), place.card.supply];
    known.extend(circuit.group.as_ref().map(|group| group.supply));
    known.extend(context.cards().flat_map(|card| [card.feed(), card.supply]));
    known.extend([24.0, 12.0, 5.0, 3.3].map(|volts| Supply::direct(Volts(volts))));
    let mut each: Vec<Supply> = Vec::new();
    for supply in known {
        if !supply.alternating && !supply.is_same(&now) && !each.iter().any(|known| known.is_same(&supply)) {
            each.push(supply);
        }
    }
    // What is there already comes before what must be bought.
    each.into_iter().map(Change::Feed).collect()
}

fn card_pulls<'a>(circuit: &Circuit<'a>) -> Vec<Change<'a>> {
    let Some(group) = &circuit.group else { return Vec::new() };
    [(true, group.pull_up), (false, group.pull_down)]
        .into_iter()
        .filter_map(|(up, pull)| Some(Change::CardPull { up, on: !pull?.on }))
        .collect()
}

fn removals<'a>(circuit: &Circuit<'a>) -> Vec<Change<'a>> {
    let parts = circuit.wired.parts.iter().enumerate();
    let pulls = parts.filter(|(_, part)| matches!(part.kind, PartKind::PullUp(..) | PartKind::PullDown(_)));
    pulls.map(|(number, _)| Change::Remove(number)).collect()
}

/// Other values of the resistors in the wire: greater or smaller ones.
fn values<'a>(circuit: &Circuit<'a>, greater: bool) -> Vec<Change<'a>> {
    let mut changes = Vec::new();
    for (number, part) in circuit.wired.parts.iter().enumerate() {
        let Some(now) = part.resistance() else { continue };
        let fits = |ohms: &Ohms| if greater { ohms.0 > now.0 } else { ohms.0 < now.0 };
        changes.extend(coarse(47.0, 1e6).filter(fits).map(|ohms| Change::Value(number, ohms)));
    }
    changes
}

/// Whether the pull that could mend a level leads to plus.
fn pulls_up(circuit: &Circuit<'_>, found: &WiringFinding) -> bool {
    let Some(input) = Input::new(circuit) else { return false };
    let from_plus = input.group.common == Some(Common::Plus);
    let state = found.state.unwrap_or(State::Resting);
    let upper = input.wants_upper(state);
    match found.finding.code {
        // More current through what conducts: towards the other side.
        "least-current" | "contact-wetting" => input.side == Rail::Zero,
        _ => upper != from_plus,
    }
}

/// Pulls at the terminal, from coarse to fine where none of the coarse ones will do.
fn pulls<'a>(circuit: &Circuit<'a>, up: bool) -> Vec<Change<'a>> {
    let Some(input) = Input::new(circuit) else { return Vec::new() };
    let kind = |ohms: Ohms| if up { PartKind::PullUp(ohms, None) } else { PartKind::PullDown(ohms) };
    // What an output carries that states nothing is not known, and no advice may count on much of it.
    let unknown = input.sensor.most_current.is_none() && !input.sensor.output.is_mechanical();
    let volts = input.feed.range.most.max(input.group.supply.range.most);
    let least = if unknown { volts / USUAL_OUTPUT.0 } else { 0.0 };
    let values = coarse(47.0, 1e6).filter(|ohms| ohms.0 >= least);
    values.map(|ohms| Change::Parts(vec![Part::usual(kind(ohms))])).collect()
}

/// What a transistor output is counted on for where its data sheet states nothing.
const USUAL_OUTPUT: Amperes = Amperes(0.01);

/// A series resistor before the terminal and one to 0 V behind it that bring a voltage down to what is borne.
fn dividers<'a>(found: &WiringFinding) -> Vec<Vec<Change<'a>>> {
    let Some((volts, most)) = found.excess.filter(|(volts, most)| volts > most && *most > 0.0) else {
        return Vec::new();
    };
    let mut lists = Vec::new();
    for top in [10e3, 4.7e3, 2.2e3, 1e3, 22e3, 47e3] {
        let exact = top * most / (volts - most);
        // Above the plain divider's value too: what the sensor's own resistance takes, the lower resistor may keep.
        let bottoms = [2.7, 2.2, 1.8, 1.5, 1.3, 1.1, 1.0, 0.91, 0.82, 0.75, 0.68, 0.6, 0.5, 0.4];
        let bottoms = bottoms.map(|share| Series::E24.below(exact * share));
        let pairs = bottoms.into_iter().map(|bottom| {
            let parts = [PartKind::Series(Ohms(top)), PartKind::PullDown(Ohms(bottom))];
            Change::Parts(parts.map(Part::usual).to_vec())
        });
        lists.push(pairs.collect());
    }
    lists
}

/// A level converter from what feeds the sensor to what the terminal takes, where no resistors will do; with a pull before
/// it for an output that does not drive both levels.
fn converters<'a>(circuit: &Circuit<'a>) -> Vec<Change<'a>> {
    let Some(input) = Input::new(circuit).filter(|input| input.converter().is_none()) else { return Vec::new() };
    let feed = Supply::direct(input.feed.nominal);
    let converter = Part::usual(PartKind::Converter(feed, Supply::direct(input.group.supply.nominal)));
    let pulls = [10e3, 4.7e3, 2.2e3].map(|ohms| match input.side {
        Rail::Plus => PartKind::PullDown(Ohms(ohms)),
        Rail::Zero => PartKind::PullUp(Ohms(ohms), Some(feed)),
    });
    let with_pull = pulls.map(|pull| Change::Parts(vec![Part::usual(pull), converter]));
    [Change::Parts(vec![converter])].into_iter().chain(with_pull).collect()
}

/// Resistors at the sensor that bound the surge through a contact.
fn surge_resistors<'a>(circuit: &Circuit<'a>) -> Vec<Change<'a>> {
    if circuit.wired.parts.is_empty() {
        return Vec::new();
    }
    let part = |ohms| Part { at_sensor: true, ..Part::usual(PartKind::Series(ohms)) };
    coarse(47.0, 10e3).map(|ohms| Change::Parts(vec![part(ohms)])).collect()
}

/// The common on the side that the sensor needs.
fn commons<'a>(circuit: &Circuit<'a>) -> Vec<Change<'a>> {
    needed_common(circuit).map(Change::Common).into_iter().collect()
}

/// The other level, where the sensor can make it.
fn asserted<'a>(circuit: &Circuit<'a>) -> Vec<Change<'a>> {
    let Some(sensor) = &circuit.sensor else { return Vec::new() };
    let both = [Asserted::High, Asserted::Low].map(Change::Asserted);
    match sensor.output.drive() {
        Drive::Analog => Vec::new(),
        _ => both.to_vec(),
    }
}

/// Times that a person would write: 1, 2, 3, 5, 8 and 1.5 in each decade from a microsecond to ten seconds.
fn debounces<'a>() -> Vec<Change<'a>> {
    let decades = (3..10).map(|power| 10_u64.pow(power));
    let times = decades.flat_map(|decade| [10, 15, 20, 30, 50, 80].map(|tenths| Nanos(tenths * (decade / 10))));
    times.map(Change::Debounce).collect()
}

/// Values of E12 between two bounds.
fn coarse(least: f64, most: f64) -> impl Iterator<Item = Ohms> {
    let decade = Series::E12.decade();
    let decades = (-1..6).map(|power| 10f64.powi(power));
    let values = decades.flat_map(move |power| decade.clone().into_iter().map(move |value| f64::from(value) * power));
    values.map(|value| (value * 1e6).round() / 1e6).filter(move |value| (least..=most).contains(value)).map(Ohms)
}

impl<'a> Context<'a, '_> {
    /// Free terminals of the same card, one of each group; none that another circuit has been offered.
    fn free_terminals(&self, circuit: &Circuit<'a>, offered: &OfferedTerminals<'a>) -> Vec<Place<'a>> {
        let Some(place) = circuit.place else { return Vec::new() };
        let mut free: Vec<Place<'a>> = Vec::new();
        for group in &place.card.inputs {
            let fits = group.terminals.iter().find(|terminal| {
                !self.is_used(&place.card.name, terminal)
                    && !group.is_tied(terminal)
                    && place.card.duty(terminal).is_none()
                    && offered.get(&(place.card.name.as_str(), terminal.as_str())).is_none_or(|to| *to == circuit.name)
            });
            free.extend(fits.map(|terminal| Place { card: place.card, group: Group::Input(group), terminal }));
        }
        free
    }
}
