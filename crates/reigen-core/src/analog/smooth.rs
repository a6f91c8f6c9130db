//! `smooth`: the mean over time of the last stretch, at a constant step.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// What a number is smoothed over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Smoothing {
    /// The stretch.
    pub over: Nanos,
    /// The step.
    pub every: Nanos,
    /// The steps count from here.
    pub from: Nanos,
}

/// A value from a time on; `None` while it is in fault.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
struct Step {
    at: Nanos,
    value: Option<f64>,
}

/// Walks along the steps and sums what it passes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
struct Sum {
    at: Nanos,
    /// The value over time since the start, less the first value, in value times nanoseconds.
    integral: f64,
    /// The time that was not in fault.
    time: u64,
}

impl Sum {
    fn pass(&mut self, until: Nanos, value: Option<f64>) {
        if let Some(value) = value {
            let length = until.saturating_sub(self.at).0;
            self.integral += value * length as f64;
            self.time += length;
        }
        self.at = until;
    }
}

/// The running form.
///
/// Two sums follow the steps, one at the present and one a stretch behind it; the mean is their difference. Both
/// count from the first value, so that a constant comes out as it is.
#[derive(Debug, Clone)]
pub struct Smoother {
    smoothing: Smoothing,
    state: State,
}

/// What smoothing must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    /// Values are counted from this one.
    zero: f64,
    /// The next time of a mean, once there is a value.
    next: Option<Nanos>,
    ahead: Sum,
    behind: Sum,
    /// The steps between the two; the first is the one that the later sum is in.
    steps: VecDeque<Step>,
    /// The mean has become the last value, and stays that until the next step.
    settled: bool,
}

impl Smoother {
    /// Means over a stretch, at every multiple of a step; both are above zero.
    pub fn new(smoothing: Smoothing) -> Self {
        Self { smoothing, state: State::default() }
    }

    /// When a mean is due though the value does not step.
    pub fn next_due(&self) -> Option<Nanos> {
        self.state.next.filter(|_| !self.state.settled)
    }

    /// What it must know of the past.
    pub fn save(&self) -> State {
        self.state.clone()
    }

    /// Goes on from a state.
    pub fn restore(&mut self, state: State) {
        self.state = state;
    }

    /// The value steps at a time; `None` where it goes into fault. Means that are due come [before](Self::due).
    pub fn step(&mut self, at: Nanos, value: Option<f64>) {
        match (self.state.next, self.state.steps.back()) {
            (None, _) => {
                let Smoothing { over, every, from } = self.smoothing;
                let steps = (at + over).saturating_sub(from).0.div_ceil(every.0);
                self.state.next = Some(from + Nanos(steps.saturating_mul(every.0)));
                self.state.zero = value.unwrap_or_default();
                (self.state.ahead.at, self.state.behind.at) = (at, at);
            }
            (Some(_), Some(last)) => self.state.ahead.pass(at, last.value),
            (Some(_), None) => {}
        }
        self.state.settled = false;
        self.state.steps.push_back(Step { at, value: value.map(|value| value - self.state.zero) });
    }

    /// At most so many means it gives over this length; `quiet` where no step comes.
    pub fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        let Smoothing { over, every, .. } = self.smoothing;
        match quiet {
            true if self.state.settled => 0,
            true => (length.0 / every.0).min(over.0 / every.0 + 2),
            false => length.0 / every.0,
        }
    }

    /// The next mean that is due at `now` or before it; without a value where all of the stretch was in fault.
    pub fn due(&mut self, now: Nanos) -> Option<(Nanos, Option<f64>)> {
        let at = self.state.next.filter(|next| *next <= now)?;
        let every = self.smoothing.every.0;
        if self.state.settled {
            let steps = (now.0 - at.0) / every + 1;
            self.state.next = Some(at + Nanos(steps.saturating_mul(every)));
            return None;
        }
        self.state.next = Some(Nanos(at.0.saturating_add(every)));
        self.state.ahead.pass(at, self.state.steps.back().and_then(|step| step.value));
        let from = at.saturating_sub(self.smoothing.over);
        while let Some(next) = self.state.steps.get(1).filter(|next| next.at <= from).copied() {
            let passed = self.state.steps.pop_front();
            self.state.behind.pass(next.at, passed.and_then(|step| step.value));
        }
        self.state.behind.pass(from, self.state.steps.front().and_then(|step| step.value));
        let time = self.state.ahead.time - self.state.behind.time;
        if let ([only], []) = self.state.steps.as_slices()
            && only.at <= from
        {
            self.state.settled = true;
            return Some((at, only.value.map(|value| value + self.state.zero)));
        }
        let mean = (self.state.ahead.integral - self.state.behind.integral) / time as f64 + self.state.zero;
        Some((at, (time > 0).then_some(mean)))
    }
}
