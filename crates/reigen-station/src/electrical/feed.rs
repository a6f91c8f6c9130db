//! What feeds the sensors: each within its range, and all together within what the supply gives.

use super::WiringFinding;
use super::circuit::{Circuit, Draw, Input};
use super::solved::{SolvedCircuit, Summary};
use super::states;
use crate::wiring::Wiring;
use crate::wiring::card::Card;
use crate::wiring::parts::RESISTOR_TOLERANCE;
use crate::wiring::sensor::{Drive, OutputKind, Sensor};
use indexmap::IndexMap;
use reigen_core::finding::{Finding, Severity};
use reigen_core::units::{Amperes, Volts};
use std::collections::{HashMap, HashSet};

/// A circuit with what was worked out of it.
pub(super) type CircuitSummary<'a, 'b> = (&'b Circuit<'a>, &'b Summary);

/// Checks the voltage that comes to one sensor.
pub(super) fn check(circuit: &Circuit<'_>, solved: Option<&SolvedCircuit<'_, '_>>, found: &mut Vec<WiringFinding>) {
    let (Some(sensor), Some(feed)) = (circuit.sensor.as_deref(), circuit.feed()) else { return };
    let fed_by_input = circuit.inputs().is_some_and(|(_, group)| group.reads_current() && group.takes(sensor.output));
    let Some([least, most]) = sensor.supply.filter(|_| !fed_by_input && !feed.alternating) else { return };
    let wire = circuit.wired.wire_resistance();
    // What flows in the wires that feed the sensor: its own current, and its signal where that is a current.
    let signal = sensor.signal.filter(|signal| signal.is_current).map_or(0.0, |signal| signal.high);
    let own = (sensor.current.0 + signal) * 2.0 * wire;
    let mut arrives = [feed.range.least - own, feed.range.most];
    if let Some(solved) = solved.filter(|_| wire > 0.0 && sensor.output != OutputKind::TwoWire) {
        for worked in [&solved.least.conducting, &solved.least.resting] {
            if !worked.floats {
                arrives = [arrives[0].min(worked.feed.least), arrives[1].max(worked.feed.most)];
            }
        }
    }
    let [low, high] = arrives.map(Volts);
    if low.0 < least.0 - states::TOLERANCE {
        let message = format!("as little as {low} at a sensor that needs {least} or more");
        let sum = match wire > 0.0 {
            true => format!("{} from the supply − the drop of the cable = {low}", Volts(feed.range.least)),
            false => format!("{feed} may fall to {low}"),
        };
        let remedy = format!(
            "feed it with {} or more, or use a thicker or shorter cable",
            least + Volts(feed.range.least) - low
        );
        found.push(WiringFinding::plain(Finding::error("supply-low", circuit.name, message, &remedy).with_sum(sum)));
    }
    if high.0 > most.0 + states::TOLERANCE {
        let message = format!("up to {high} at a sensor rated for {most}");
        let sum = format!("{feed} may rise to {high}");
        let remedy = format!("feed it with {least} to {most}");
        found.push(WiringFinding::plain(Finding::error("supply-high", circuit.name, message, &remedy).with_sum(sum)));
    }
}

/// Checks each card's own supply against its plate, and its sensor supply against all that it feeds.
pub(super) fn check_cards(wiring: &Wiring, circuits: &[CircuitSummary<'_, '_>], found: &mut Vec<WiringFinding>) {
    for card in &wiring.cards {
        check_plate(card, found);
        check_sum(card, circuits, found);
    }
}

/// A controller on another supply than its plate says.
fn check_plate(card: &Card, found: &mut Vec<WiringFinding>) {
    let Some(plate) = card.plate else { return };
    let supply = card.supply;
    if plate.alternating != supply.alternating {
        let message = format!("fed with {supply}, and its plate says {plate}");
        let remedy = format!("feed the controller with {plate}");
        found.push(WiringFinding::plain(Finding::error("ac-dc", &card.name, message, &remedy)));
        return;
    }
    for (wrong, code, words, volts) in [
        (supply.range.least < plate.range.least - states::TOLERANCE, "supply-low", "as little as", supply.range.least),
        (supply.range.most > plate.range.most + states::TOLERANCE, "supply-high", "up to", supply.range.most),
    ] {
        if wrong {
            let message = format!("{words} {} at a controller whose plate says {plate}", Volts(volts));
            let sum = format!("{supply} may be {}; the plate allows {}", supply.range.volts(), plate.range.volts());
            let remedy = format!("feed the controller with {}", plate.range.volts());
            found.push(WiringFinding::plain(Finding::error(code, &card.name, message, &remedy).with_sum(sum)));
        }
    }
}

fn check_sum(card: &Card, circuits: &[CircuitSummary<'_, '_>], found: &mut Vec<WiringFinding>) {
    let Some(most) = card.sensor_supply.and_then(|supply| supply.current) else { return };
    for (draw, severity) in [(Draw::Least, Severity::Error), (Draw::Greatest, Severity::Note)] {
        let parts = currents(card, circuits, draw);
        let sum: Amperes = parts.iter().fold(Amperes(0.0), |sum, (_, current)| sum + *current);
        if sum.0 <= most.0 * (1.0 + states::TOLERANCE) {
            continue;
        }
        let words: Vec<String> = parts
            .iter()
            .filter(|(_, current)| current.0 > 0.0)
            .map(|(name, current)| format!("{current} for {name}"))
            .collect();
        let may = if draw == Draw::Greatest { "may draw" } else { "draw" };
        let message = format!("the sensors {may} {sum} from a supply rated for {most}");
        let remedy = format!("feed {} or more of it from another supply", sum - most);
        let sum = format!("{} = {sum}", words.join(" + "));
        let mut finding = Finding::error("supply-overload", &card.name, message, &remedy).with_sum(sum);
        finding.severity = severity;
        found.push(WiringFinding::plain(finding));
        return;
    }
}

/// What the sensors of a card draw at least, against what its supply gives.
pub(super) struct SupplyLoad {
    sum: Amperes,
    most: Amperes,
}

/// What each card's sensors draw, where its supply states what it gives.
pub(super) fn drawn<'a>(wiring: &'a Wiring, circuits: &[CircuitSummary<'a, '_>]) -> HashMap<&'a str, SupplyLoad> {
    let limited = wiring.cards.iter().filter_map(|card| Some((card, card.sensor_supply?.current?)));
    limited
        .map(|(card, most)| {
            let sum = currents(card, circuits, Draw::Least).into_iter().fold(Amperes(0.0), |sum, (_, each)| sum + each);
            (card.name.as_str(), SupplyLoad { sum, most })
        })
        .collect()
}

impl SupplyLoad {
    /// Whether the supply bears a change of one circuit; what it did not bear before is told anyway.
    pub(super) fn allows(&self, before: &Circuit<'_>, after: &Circuit<'_>, card: &Card) -> bool {
        let of = |circuit: &Circuit<'_>| {
            let fed = circuit.place.is_some_and(|place| place.card.name == card.name)
                && circuit.wired.supply.is_none_or(|own| own.is_same(&card.feed()));
            let sensor = circuit.sensor.as_deref().filter(|_| fed);
            sensor.map_or(Amperes(0.0), |sensor| {
                let summary = Summary::new(circuit, SolvedCircuit::new(circuit).as_ref());
                sensor.current + output_current(circuit, &summary, sensor, card, Draw::Least)
            })
        };
        let changed = self.sum + of(after) - of(before);
        changed.0 <= self.most.0 * (1.0 + states::TOLERANCE) || changed.0 <= self.sum.0 * (1.0 + states::TOLERANCE)
    }
}

/// What each circuit that a card feeds draws: its own current once, and what it passes on.
fn currents<'a>(card: &Card, circuits: &[CircuitSummary<'a, '_>], draw: Draw) -> Vec<(&'a str, Amperes)> {
    let fed = circuits
        .iter()
        .filter(|(circuit, _)| circuit.place.is_some_and(|place| place.card.name == card.name))
        .filter(|(circuit, _)| circuit.wired.supply.is_none_or(|own| own.is_same(&card.feed())));
    let (mut devices, mut places) = (HashSet::new(), HashSet::new());
    let mut currents = Vec::new();
    for (circuit, summary) in fed {
        let Some(sensor) = circuit.sensor.as_deref() else { continue };
        // A sensor on several terminals draws its own current once; two points on one terminal are one output.
        let own = if devices.insert(circuit.device()) { sensor.current } else { Amperes(0.0) };
        let is_new = circuit.place.is_some_and(|place| places.insert(place.key()));
        let output = if is_new { output_current(circuit, summary, sensor, card, draw) } else { Amperes(0.0) };
        currents.push((circuit.name, own + output));
    }
    currents
}

/// What a sensor passes on from its feed: to the input where it gives plus, through its own pull-up where it does not.
fn output_current(circuit: &Circuit<'_>, summary: &Summary, sensor: &Sensor, card: &Card, draw: Draw) -> Amperes {
    if let Some(signal) = sensor.signal.filter(|signal| signal.is_current) {
        return Amperes(signal.high);
    }
    let Some((_, group)) = circuit.inputs() else { return Amperes(0.0) };
    let gives_plus = matches!(sensor.output.drive(), Drive::Plus | Drive::Both | Drive::Switch);
    let Some(input) = Input::new(circuit) else {
        let by_resistance = group.resistance.map(|resistance| Amperes(card.feed().range.most / resistance.0));
        return by_resistance.filter(|_| gives_plus).unwrap_or_default();
    };
    let [least, greatest] = summary.output_current.unwrap_or_default();
    let through = if draw == Draw::Least { least } else { greatest };
    let own_pull =
        sensor.pull_up.map_or(0.0, |pull_up| input.feed.range.most / (pull_up.0 * (1.0 - RESISTOR_TOLERANCE)));
    let from_plus = input.side == crate::wiring::connection::Rail::Plus && gives_plus;
    Amperes(if from_plus { through } else { own_pull })
}

/// Checks what a sensor's output carries where it drives several terminals.
pub(super) fn check_shared(circuits: &[CircuitSummary<'_, '_>], found: &mut Vec<WiringFinding>) {
    let mut lines: IndexMap<&str, Vec<&CircuitSummary<'_, '_>>> = IndexMap::new();
    for both in circuits.iter().filter(|(circuit, _)| circuit.sensor.is_some()) {
        if let Some(line) = both.0.wired.line() {
            lines.entry(line).or_default().push(both);
        }
    }
    lines.values().filter(|circuits| circuits.len() > 1).for_each(|circuits| check_line(circuits, found));
}

fn check_line(circuits: &[&CircuitSummary<'_, '_>], found: &mut Vec<WiringFinding>) {
    let Some((first, _)) = circuits.first() else { return };
    let Some(most) = first.sensor.as_deref().and_then(|sensor| sensor.most_current) else { return };
    let mut places = HashSet::new();
    let mut parts: Vec<(String, f64)> = Vec::new();
    for (circuit, summary) in circuits {
        let (Some(place), Some([current, _])) = (circuit.place, summary.output_current) else { continue };
        if places.insert(place.key()) {
            parts.push((place.full_name(), current));
        }
    }
    let sum: f64 = parts.iter().map(|(_, current)| current).sum();
    let over = |current: f64| current > most.0 * (1.0 + states::TOLERANCE);
    // One that is too much alone is told there.
    if parts.len() < 2 || !over(sum) || parts.iter().any(|(_, current)| over(*current)) {
        return;
    }
    let words: Vec<String> =
        parts.iter().map(|(place, current)| format!("{} for {place}", Amperes(*current))).collect();
    let message = format!("{} through an output rated for {most}: it drives several terminals", Amperes(sum));
    let remedy = "wire the sensor to one terminal, and use its point elsewhere";
    let finding = Finding::error("too-much-current", first.name, message, remedy);
    found.push(WiringFinding::plain(finding.with_sum(format!("{} = {}", words.join(" + "), Amperes(sum)))));
}
