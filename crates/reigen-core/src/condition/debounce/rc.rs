//! `rc`: a resistor and a capacitor before a Schmitt input.

use super::{BurstRule, Debounce, Ledger, PendingEdges};
use crate::cast;
use crate::condition::debounce;
use crate::condition::schmitt::Levels;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// A first-order filter into a Schmitt input.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RcSettings {
    /// Time constant while the line is high, in nanoseconds.
    pub charge_ns: f64,
    /// Time constant while the line is low, in nanoseconds.
    pub discharge_ns: f64,
    /// The supply and both thresholds.
    pub levels: Levels,
    /// Whether the input is on while its line is high.
    pub on_while_high: bool,
}

impl RcSettings {
    /// The time from one rail to the threshold of the other level, for a line that has gone high or low.
    pub fn delay(&self, high: bool) -> Nanos {
        let delay = match high {
            true => self.charge_ns * self.levels.rise_constants(),
            false => self.discharge_ns * self.levels.fall_constants(),
        };
        Nanos(cast::u64_from_f64(libm::round(delay)))
    }
}

impl RcSettings {
    /// The filter at rest; pulses that it lets not through are named by what stands beside them.
    pub fn start(self) -> BurstRule {
        let apart = self.delay(true).max(self.delay(false));
        BurstRule::new(Box::new(Rc::new(self)), apart)
    }
}

/// The voltage at the capacitor follows the line; the output follows where it passes the threshold of the line's level.
///
/// v(t) = V∞ + (v₀ − V∞)·e^(−t/τ), so it passes V at t = τ·ln((V∞ − v₀) / (V∞ − V)); exact between edges. A burst ends when the
/// voltage is past the threshold of the line's level: where the output follows, its last edge is accepted and the
/// others are bounce; where the output has been there all the time, all of them are glitch.
#[derive(Debug)]
pub struct Rc {
    settings: RcSettings,
    state: State,
}

/// What a filter must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    /// The line's level after all edges so far.
    high: bool,
    output: bool,
    /// The time of the last edge, and the voltage then.
    last: Nanos,
    voltage: f64,
    open: bool,
    burst: PendingEdges,
}

impl Rc {
    /// A filter at rest; [`start`](Debounce::start) gives it its rail.
    pub fn new(settings: RcSettings) -> Self {
        Self { settings, state: State::default() }
    }

    /// The rail that the voltage goes to, the time constant, and the threshold of the line's level.
    fn course(&self) -> (f64, f64, f64) {
        let RcSettings { charge_ns, discharge_ns, levels, .. } = self.settings;
        match self.state.high {
            true => (levels.supply.0, charge_ns, levels.rise_at.0),
            false => (0.0, discharge_ns, levels.fall_at.0),
        }
    }

    /// How long after the last edge the voltage is past the threshold of the line's level, in nanoseconds.
    fn passes_after(&self) -> f64 {
        let (rail, constant, threshold) = self.course();
        let is_past = (self.state.voltage >= threshold) == self.state.high || self.state.voltage == threshold;
        if is_past { 0.0 } else { constant * libm::log((rail - self.state.voltage) / (rail - threshold)) }
    }

    /// The burst ends where the voltage passes the threshold, if that is before `edge`.
    fn settle_before(&mut self, edge: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        let after = self.passes_after();
        if self.state.open && after <= (edge - self.state.last).0 as f64 {
            self.settle(after, output, ledger);
        }
    }

    fn settle(&mut self, after: f64, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        let decided = self.state.last + Nanos(cast::u64_from_f64(libm::round(after)));
        let on = self.state.high == self.settings.on_while_high;
        let follows = on != self.state.output;
        if follows {
            self.state.output = on;
            output.push(decided);
        }
        self.state.burst.settle(follows, decided, ledger);
        self.state.open = false;
    }
}

impl Debounce for Rc {
    fn start(&mut self, on: bool) {
        self.state.output = on;
        self.state.high = on == self.settings.on_while_high;
        self.state.voltage = if self.state.high { self.settings.levels.supply.0 } else { 0.0 };
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        for &edge in edges {
            self.settle_before(edge, output, ledger);
            let (rail, constant, _) = self.course();
            let passed = (edge - self.state.last).0 as f64;
            self.state.voltage = rail + (self.state.voltage - rail) * libm::exp(-passed / constant);
            self.state.last = edge;
            self.state.high = !self.state.high;
            self.state.open = true;
            self.state.burst.take(edge, ledger);
        }
        let after = self.passes_after();
        if self.state.open && self.state.last + Nanos(cast::u64_from_f64(libm::round(after))) < until {
            self.settle(after, output, ledger);
        }
    }

    fn pending(&self) -> u64 {
        self.state.burst.count
    }

    fn undecided_since(&self) -> Option<Nanos> {
        self.state.open.then_some(self.state.burst.first)
    }

    fn start_counting(&mut self) {
        self.state.burst.clear();
    }

    fn next_due(&self) -> Option<Nanos> {
        let follows = (self.state.high == self.settings.on_while_high) != self.state.output;
        (self.state.open && follows)
            .then(|| self.state.last + Nanos(cast::u64_from_f64(libm::round(self.passes_after()))))
    }

    fn save(&self) -> debounce::State {
        debounce::State::Rc(self.state.clone())
    }

    fn restore(&mut self, state: debounce::State) {
        if let debounce::State::Rc(state) = state {
            self.state = state;
        }
    }
}
