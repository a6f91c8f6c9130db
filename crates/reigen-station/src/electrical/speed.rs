//! Slow edges: every resistance and capacitance of a wire against the shortest pulse that must come through.

use super::WiringFinding;
use super::circuit::{Branch, Draw, Input, Model, State};
use super::network::{Element, End, Network, Solution};
use super::solved::SolvedCircuit;
use super::timing::Pulses;
use reigen_core::finding::Finding;
use reigen_core::units::{Farads, Seconds, engineering};

/// Checks one input.
pub(super) fn check(solved: &SolvedCircuit<'_, '_>, pulses: &Pulses, found: &mut Vec<WiringFinding>) {
    let (input, circuit) = (&solved.input, solved.input.circuit);
    check_hysteresis(input, found);
    let Some(shortest) = pulses.shortest else { return };
    let slowest = [State::Conducting, State::Resting]
        .into_iter()
        .filter_map(|state| Some((state, delay(solved, state)?)))
        .max_by(|one, other| one.1.seconds.total_cmp(&other.1.seconds));
    let Some((state, delay)) = slowest.filter(|(_, delay)| delay.seconds > shortest.0 / 2.0 * (1.0 + 1e-9)) else {
        return;
    };
    let edge = if (state == State::Conducting) == (input.side == crate::wiring::connection::Rail::Plus) {
        "rising"
    } else {
        "falling"
    };
    let message = format!(
        "the {edge} edge takes up to {} at the terminal, more than half of the shortest pulse of {shortest}",
        Seconds(delay.seconds)
    );
    let sum = format!(
        "{} with {} against {}: delay {} > {shortest} / 2; {}",
        delay.capacitors,
        engineering(delay.ohms, "Ω"),
        Seconds(delay.constant),
        Seconds(delay.seconds),
        pulses.sum
    );
    let finding =
        Finding::error("edge-too-slow", circuit.name, message, "use a smaller resistance or capacitance in the wire");
    found.push(WiringFinding::at(finding.with_sum(sum), state));
}

/// An RC filter before an input that has no hysteresis.
fn check_hysteresis(input: &Input<'_, '_>, found: &mut Vec<WiringFinding>) {
    let parts = &input.circuit.wired.parts;
    let capacitor = parts.iter().find_map(|part| match part.kind {
        crate::wiring::parts::PartKind::Capacitor(value) => Some(value),
        _ => None,
    });
    let Some(capacitor) = capacitor.filter(|_| !input.group.schmitt && input.converter().is_none()) else { return };
    let message =
        "an RC filter makes slow edges, and this input has no hysteresis: it will flicker at its threshold".to_owned();
    let ohms = source_ohms(&input.model(State::Conducting, Draw::Least));
    let sum =
        format!("{capacitor} with {} before it: {} for an edge", engineering(ohms, "Ω"), Seconds(ohms * capacitor.0));
    let remedy =
        "use an input with a Schmitt trigger, or a Schmitt buffer behind the filter; or debounce instead of a filter";
    found.push(WiringFinding::at(
        Finding::error("rc-without-hysteresis", input.circuit.name, message, remedy).with_sum(sum),
        State::Conducting,
    ));
}

/// How long the terminal takes to its threshold.
struct Delay {
    seconds: f64,
    /// The time constant.
    constant: f64,
    /// The resistance that the greatest capacitor sees.
    ohms: f64,
    capacitors: String,
}

/// The delay of the edge into a state, by Elmore's time constant: Σ C·R over the capacitors, R from each to the terminal.
fn delay(solved: &SolvedCircuit<'_, '_>, into: State) -> Option<Delay> {
    let from = if into == State::Conducting { State::Resting } else { State::Conducting };
    let (input, before, after) = (&solved.input, solved.least.of(from), solved.least.of(into));
    if before.floats || after.floats || before.level.fails() || after.level.fails() || after.model.capacitors.is_empty()
    {
        return None;
    }
    let model = &after.model;
    let mut worst: Option<Delay> = None;
    let mut probes: Vec<(f64, Probe)> =
        model.capacitors.iter().map(|(node, farads, _)| (*farads, Probe::new(model, *node))).collect();
    let mut solution = Solution::default();
    let mut start = Start::new(&before.model, model);
    model.at_corners(|values| {
        let (mut constant, mut greatest) = (0.0, (0.0, 0.0));
        for (farads, probe) in &mut probes {
            let ohms = probe.ohms(model.terminal, values, &mut solution);
            constant += *farads * ohms;
            if *farads > greatest.0 {
                greatest = (*farads, ohms);
            }
        }
        // From the level that stands there before to the one that it goes to, past the threshold.
        model.network.solve(values, &mut solution);
        let end = solution.volts(model.terminal, values);
        let supply = solution.volts(End::Rail(model.group_supply), values);
        let start = start.at(values, &mut solution);
        let Some(seconds) =
            to_threshold(input, start, end, supply, input.wants_upper(into)).map(|constants| constants * constant)
        else {
            return;
        };
        if worst.as_ref().is_none_or(|worst| seconds > worst.seconds) {
            let told = model.capacitors.iter().map(|(_, farads, part)| match part {
                Some(_) => Farads(*farads).to_string(),
                None => format!("{} of the cable", Farads(*farads)),
            });
            let capacitors = told.collect::<Vec<_>>().join(" and ");
            worst = Some(Delay { seconds, constant, ohms: greatest.1, capacitors });
        }
    });
    worst
}

/// The voltage before the edge, at a corner of what follows it: what both networks share has the same value in both.
struct Start<'a> {
    model: &'a Model,
    /// For each quantity of the first network, its number in the second.
    shared: Vec<Option<usize>>,
    values: Vec<f64>,
}

impl<'a> Start<'a> {
    fn new(before: &'a Model, after: &Model) -> Self {
        let mut taken = vec![false; after.quantities.len()];
        let shared = before.quantities.iter().map(|quantity| {
            let same = after.quantities.iter().zip(&taken).position(|(other, taken)| !taken && other == quantity);
            if let Some(taken) = same.and_then(|number| taken.get_mut(number)) {
                *taken = true;
            }
            same
        });
        let shared = shared.collect();
        Self { model: before, shared, values: Vec::new() }
    }

    fn at(&mut self, values: &[f64], solution: &mut Solution) -> f64 {
        self.values.clear();
        // A drop or a leakage that only the first network has moves its level towards the other one: the least is worst.
        let own = self.model.quantities.iter().zip(&self.shared);
        self.values.extend(own.map(|(quantity, shared)| {
            shared.and_then(|number| values.get(number).copied()).unwrap_or(quantity.range.least)
        }));
        self.model.network.solve(&self.values, solution);
        solution.volts(self.model.terminal, &self.values)
    }
}

/// How many time constants an exponential takes from one voltage past the threshold towards another: ln((V∞ − v₀) / (V∞ − V)).
fn to_threshold(input: &Input<'_, '_>, start: f64, end: f64, supply: f64, upper: bool) -> Option<f64> {
    let bound = if upper { input.group.on_above.at(supply) } else { input.group.off_below.at(supply) };
    // A level behind a converter passes the converter's own threshold, which lies at the same share of its supply.
    let threshold = input.across(bound, supply);
    let (all, rest) = (end - start, end - threshold);
    (all * rest > 0.0 && all.abs() >= rest.abs()).then(|| libm::log(all / rest))
}

/// A network without its sources and with one ampere into a node: the voltage at the terminal is the resistance between.
struct Probe {
    network: Network<Branch>,
    values: Vec<f64>,
}

impl Probe {
    fn new(model: &Model, node: End) -> Self {
        let (nothing, ampere) = (model.quantities.len(), model.quantities.len() + 1);
        let mut network = model.network.clone();
        network.branches.retain(|branch| matches!(branch.element, Element::Resistor(_) | Element::Drop(_)));
        for branch in &mut network.branches {
            for end in [&mut branch.from, &mut branch.to] {
                // All rails are one place to what changes.
                if matches!(end, End::Rail(_)) {
                    *end = End::Ground;
                }
            }
            if let Element::Drop(lost) = &mut branch.element {
                *lost = nothing;
            }
        }
        network.add(End::Ground, node, Element::Source(ampere), Branch::Input);
        Self { network, values: Vec::new() }
    }

    fn ohms(&mut self, terminal: End, values: &[f64], solution: &mut Solution) -> f64 {
        self.values.clear();
        self.values.extend_from_slice(values);
        self.values.extend([0.0, 1.0]);
        self.network.solve(&self.values, solution);
        solution.volts(terminal, &self.values)
    }
}

/// The resistance behind the terminal, at nominal values.
fn source_ohms(model: &Model) -> f64 {
    let mut probe = Probe::new(model, model.terminal);
    match probe.network.floating().contains(&true) {
        true => f64::INFINITY,
        false => probe.ohms(model.terminal, &model.nominal(), &mut Solution::default()),
    }
}
