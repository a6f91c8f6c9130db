//! What stands at a terminal in each state of its sensor, over all corners of the circuit.

use super::circuit::{Branch, Draw, Input, Model, State};
use super::network::{Element, End, Solution};
use crate::wiring::card::{Common, InputGroup, Threshold};
use crate::wiring::range::Range;
use reigen_core::units::{Volts, engineering};

/// What a sum may miss by its last bits and by the shortest wire.
pub(super) const TOLERANCE: f64 = 1e-6;

/// A converter and a pin without stated thresholds switch by these shares of their supply (JESD8C).
const CMOS: (f64, f64) = (0.7, 0.3);

/// What a terminal bears and where it switches.
#[derive(Debug, Clone, Copy)]
pub(super) struct Rules {
    pub(super) on_above: Threshold,
    pub(super) off_below: Threshold,
    pub(super) least: Volts,
    pub(super) most: Threshold,
}

impl Rules {
    pub(super) fn of(group: &InputGroup) -> Self {
        Self { on_above: group.on_above, off_below: group.off_below, least: group.least, most: group.most }
    }

    /// The rules of a level converter's input.
    const CONVERTER: Rules = Rules {
        on_above: Threshold::OfSupply(CMOS.0),
        off_below: Threshold::OfSupply(CMOS.1),
        least: Volts(-0.3),
        most: Threshold::OfSupply(1.0),
    };
}

/// What a voltage at the terminal is held against.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Bound {
    /// The threshold of the level that should be read.
    Level,
    /// The greatest voltage borne.
    Above,
    /// The least voltage borne.
    Below,
}

/// Which bounds hold at a terminal in a state.
#[derive(Debug, Clone, Copy)]
struct Bounds {
    rules: Rules,
    /// Whether the input is read against plus.
    from_plus: bool,
    /// Whether the upper level should be read.
    upper: bool,
}

impl Bounds {
    /// The bound at a voltage of the supply, and how far a voltage lies on its wrong side.
    fn missed(&self, bound: Bound, volts: f64, supply: f64) -> (f64, f64) {
        let across = self.across(volts, supply);
        let Rules { on_above, off_below, least, most } = self.rules;
        match (bound, self.upper) {
            (Bound::Level, true) => (on_above.at(supply), on_above.at(supply) - across),
            (Bound::Level, false) => (off_below.at(supply), across - off_below.at(supply)),
            (Bound::Above, _) => (most.at(supply), volts - most.at(supply)),
            (Bound::Below, _) => (least.0, least.0 - volts),
        }
    }

    fn across(&self, volts: f64, supply: f64) -> f64 {
        if self.from_plus { supply - volts } else { volts }
    }
}

/// A corner at which something is worst, and by how much it misses there.
#[derive(Debug, Clone)]
pub(super) struct Worst {
    kind: Bound,
    /// How far it lies on the wrong side, in volts; below zero it does not.
    pub(super) by: f64,
    /// The voltage at the terminal there.
    pub(super) volts: f64,
    /// The bound there.
    pub(super) bound: f64,
    /// The values of all quantities there.
    pub(super) values: Vec<f64>,
}

impl Worst {
    fn new(kind: Bound) -> Self {
        Self { kind, by: f64::NEG_INFINITY, volts: 0.0, bound: 0.0, values: Vec::new() }
    }

    fn take(&mut self, bounds: &Bounds, volts: f64, supply: f64, values: &[f64]) {
        let (bound, by) = bounds.missed(self.kind, volts, supply);
        if by > self.by {
            (self.by, self.volts, self.bound) = (by, volts, bound);
            self.values.clear();
            self.values.extend_from_slice(values);
        }
    }

    /// Whether the bound is passed, beyond what a sum may miss.
    pub(super) fn fails(&self) -> bool {
        self.by > TOLERANCE * self.bound.abs().max(1.0)
    }
}

/// A circuit worked in one state of its sensor.
#[derive(Debug, Clone)]
pub(super) struct SolvedState {
    pub(super) state: State,
    /// Whether it ends at the terminal; else at the input of a level converter.
    pub(super) at_terminal: bool,
    pub(super) model: Model,
    bounds: Bounds,
    /// Whether no resistor holds the terminal.
    pub(super) floats: bool,
    /// What stands at the terminal; of a wire with a converter, at its input.
    pub(super) volts: Range,
    /// How far the level is from being certainly read as it should.
    pub(super) level: Worst,
    /// Whether the level is certainly the upper or the lower one, whatever it should be.
    pub(super) certain: [bool; 2],
    /// How far the voltage is above what is borne.
    pub(super) above: Worst,
    /// How far it is below.
    pub(super) below: Worst,
    /// What flows through the sensor's output.
    pub(super) output_current: Range,
    /// What flows in pulls at most, all together.
    pub(super) pull_current: f64,
    /// What comes to the sensor.
    pub(super) feed: Range,
    /// The greatest power in each resistor, and the voltage across it, by the number of its branch.
    power: Vec<(f64, f64)>,
}

/// Works a state over all corners.
pub(super) fn work(input: &Input<'_, '_>, state: State, draw: Draw) -> SolvedState {
    let rules = if input.converter().is_some() { Rules::CONVERTER } else { Rules::of(input.group) };
    solve(input, input.model(state, draw), state, rules, input.converter().is_none())
}

/// Works an analog wire while the sensor gives a voltage or a current.
pub(super) fn work_analog(input: &Input<'_, '_>, value: f64, is_current: bool) -> SolvedState {
    solve(input, input.analog_model(value, is_current), State::Conducting, Rules::of(input.group), true)
}

/// Works what stands behind a converter.
pub(super) fn behind_converter(input: &Input<'_, '_>, state: State, draw: Draw) -> Option<SolvedState> {
    Some(solve(input, input.behind_converter(state, draw)?, state, Rules::of(input.group), true))
}

fn solve(input: &Input<'_, '_>, model: Model, state: State, rules: Rules, at_terminal: bool) -> SolvedState {
    let bounds = Bounds {
        rules,
        // A converter's input is read against 0 V.
        from_plus: at_terminal && input.group.common == Some(Common::Plus),
        upper: if at_terminal { input.wants_upper(state) } else { high(input, state) },
    };
    let floats = model.network.floating().contains(&true);
    let mut worked = SolvedState {
        state,
        at_terminal,
        floats,
        volts: Range::EMPTY,
        level: Worst::new(Bound::Level),
        certain: [true; 2],
        above: Worst::new(Bound::Above),
        below: Worst::new(Bound::Below),
        output_current: Range::EMPTY,
        pull_current: 0.0,
        feed: Range::EMPTY,
        power: vec![(0.0, 0.0); model.network.branches.len()],
        bounds,
        model,
    };
    if !floats {
        worked.at_corners();
    }
    worked
}

impl SolvedState {
    /// Looks at every corner.
    fn at_corners(&mut self) {
        let mut solution = Solution::default();
        // The model is only read; the figures beside it are written.
        let model = self.model.clone();
        let is_draw = |branch: &super::network::Branch<Branch>| {
            branch.role == Branch::Input && matches!(branch.element, Element::Source(_))
        };
        let draws = model.network.branches.iter().any(is_draw);
        model.at_corners(|values| {
            model.network.solve(values, &mut solution);
            let supply = solution.volts(End::Rail(model.group_supply), values);
            let volts = solution.volts(model.terminal, values);
            let bounds = self.bounds;
            // A current that an input draws cannot bring its terminal beyond the common that it flows to.
            let volts = match (draws, bounds.from_plus) {
                (true, true) => volts.min(supply),
                (true, false) => volts.max(0.0),
                (false, _) => volts,
            };
            self.volts.take(volts);
            for worst in [&mut self.level, &mut self.above, &mut self.below] {
                worst.take(&bounds, volts, supply, values);
            }
            let across = bounds.across(volts, supply);
            let [on, off] = [bounds.rules.on_above, bounds.rules.off_below].map(|threshold| threshold.at(supply));
            self.certain[0] &= across >= on - TOLERANCE * on.abs().max(1.0);
            self.certain[1] &= across <= off + TOLERANCE * off.abs().max(1.0);
            let [plus, zero] = model.sensor_rails.map(|rail| solution.volts(rail, values));
            self.feed.take(plus - zero);
            take_currents(self, &model, &solution, values);
        });
    }
}

/// Whether the line is high in a state of the sensor.
fn high(input: &Input<'_, '_>, state: State) -> bool {
    (input.side == crate::wiring::connection::Rail::Plus) == (state == State::Conducting)
}

/// Currents and powers at one corner.
fn take_currents(worked: &mut SolvedState, model: &Model, solution: &Solution, values: &[f64]) {
    let (mut output, mut pulls) = (0.0, 0.0);
    for (branch, power) in model.network.branches.iter().zip(&mut worked.power) {
        if matches!(branch.role, Branch::Cable | Branch::Own | Branch::Input) {
            continue;
        }
        let current = solution.current(branch, values).abs();
        let is_pull = match branch.role {
            Branch::Output => {
                output = current;
                continue;
            }
            Branch::Part(_) => goes_to_rail(branch.from, branch.to),
            _ => true,
        };
        if is_pull {
            pulls += current;
        }
        let across = (solution.volts(branch.from, values) - solution.volts(branch.to, values)).abs();
        if across * current > power.0 {
            *power = (across * current, across);
        }
    }
    worked.output_current.take(output);
    worked.pull_current = worked.pull_current.max(pulls);
}

/// Whether a branch leads to a known voltage, as a pull does.
pub(super) fn goes_to_rail(from: End, to: End) -> bool {
    [from, to].iter().any(|end| matches!(end, End::Ground | End::Rail(_)))
}

impl SolvedState {
    /// The greatest power in each resistor, with the voltage across it.
    pub(super) fn powers(&self) -> impl Iterator<Item = (Branch, f64, f64)> {
        let branches = self.model.network.branches.iter().zip(&self.power);
        branches.filter(|(_, (watts, _))| *watts > 0.0).map(|(branch, (watts, across))| (branch.role, *watts, *across))
    }

    /// The corner in words: each quantity that counts there, and what comes of it.
    pub(super) fn sum(&self, corner: &Worst) -> String {
        let mut told: Vec<String> = Vec::new();
        for (number, quantity) in self.model.quantities.iter().enumerate() {
            let value = corner.values.get(number).copied().unwrap_or_default();
            if self.matters(corner, number) {
                told.push(format!("{} {}", quantity.label, engineering(value.abs(), quantity.unit)));
            }
        }
        let given = if told.is_empty() { String::new() } else { format!("{}: ", told.join(", ")) };
        let range = if self.volts.varies() { format!(" ({} in all)", self.volts.volts()) } else { String::new() };
        format!("worst case: {given}{} at the terminal{range}", Volts(clean(corner.volts)))
    }

    /// Whether a quantity moves the miss by a thousandth of the voltage when it changes by a tenth.
    fn matters(&self, corner: &Worst, number: usize) -> bool {
        let model = &self.model;
        let mut solution = Solution::default();
        let mut missed = |values: &[f64]| {
            model.network.solve(values, &mut solution);
            let supply = solution.volts(End::Rail(model.group_supply), values);
            self.bounds.missed(corner.kind, solution.volts(model.terminal, values), supply).1
        };
        let mut values = corner.values.clone();
        let before = missed(&values);
        if let Some(value) = values.get_mut(number) {
            *value *= 1.1;
        }
        (missed(&values) - before).abs() > 1e-3 * corner.volts.abs().max(0.01)
    }
}

/// A voltage without the last bits that a sum leaves.
fn clean(volts: f64) -> f64 {
    if volts.abs() < 1e-4 { 0.0 } else { volts }
}

/// What flows into an input at its threshold while the sensor rests.
pub(super) fn into_input(input: &Input<'_, '_>, state: State) -> Range {
    let model = input.clamped(state);
    let (mut solution, mut range) = (Solution::default(), Range::EMPTY);
    model.at_corners(|values| {
        model.network.solve(values, &mut solution);
        let clamp = model.network.branches.iter().find(|branch| branch.role == Branch::Clamp);
        let Some(into) = clamp.map(|branch| solution.current(branch, values)) else { return };
        // From plus, what flows out of the input is what keeps it on.
        range.take(if input.group.common == Some(Common::Plus) { -into } else { into });
    });
    range
}

/// What a person would measure at a terminal, and what the terminal reads of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct TerminalLevel {
    pub(super) volts: Range,
    /// High or low by the terminal's own thresholds; `None` where neither is certain.
    pub(super) high: Option<bool>,
}

/// What stands at the terminal in a state that is worked already; `None` where nothing defines it.
pub(super) fn measured(input: &Input<'_, '_>, worked: &SolvedState) -> Option<TerminalLevel> {
    let from_plus = input.group.common == Some(Common::Plus);
    if input.rests_by_current(worked.state) {
        let into = into_input(input, worked.state);
        let off = into.most <= input.off_current() * (1.0 + TOLERANCE);
        return Some(TerminalLevel { volts: rests_at(input, worked, off), high: off.then_some(from_plus) });
    }
    let upper = match worked.certain {
        [true, _] => Some(true),
        [_, true] => Some(false),
        _ => None,
    };
    (!worked.floats).then_some(TerminalLevel { volts: worked.volts, high: upper.map(|upper| upper != from_plus) })
}

/// Where an input stands that is off and whose resistance nobody knows: between its common and its threshold.
fn rests_at(input: &Input<'_, '_>, open: &SolvedState, is_off: bool) -> Range {
    let supply = input.group.supply.nominal.0;
    let off = input.group.off_below.at(supply);
    // Without the input the pulls alone tell how far it could rise.
    let reach = match (open.floats, input.group.common) {
        (true, _) if input.sensor.leakage.0 > 0.0 => off,
        (true, _) => 0.0,
        (false, Some(Common::Plus)) => input.group.supply.range.most - open.volts.least,
        (false, _) => open.volts.most,
    };
    let most = if is_off { reach.min(off) } else { reach.max(off) }.max(0.0);
    match input.group.common {
        Some(Common::Plus) => Range { least: supply - most, most: supply },
        _ => Range { least: 0.0, most },
    }
}
