//! A timer's elapsed time against a constant: it comes true at its very time, though the timer tells its time only where it begins and
//! ends.

use crate::block::{BitSource, Block, Inputs, NumberSource, Outputs, keeps_state};
use crate::cast;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// What the elapsed time is compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bound {
    /// On from this time on.
    pub from: Nanos,
    /// When that is seen: the same, or under a scan whole periods.
    pub seen_after: Nanos,
    /// On before it, in place of from it on.
    pub inverted: bool,
}

/// The running form.
pub struct Elapsed {
    /// Whether the timer's time runs, and what it told last, in seconds.
    running: BitSource,
    elapsed: NumberSource,
    bound: Bound,
    state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// Since when the time runs.
    since: Option<Nanos>,
    /// What has elapsed where it does not run; while it runs, what had elapsed when it began to.
    stands_at: Nanos,
    started: bool,
    /// Whether the bound is reached.
    reached: bool,
}

impl Elapsed {
    /// Compares the elapsed time of a timer.
    pub fn new(running: BitSource, elapsed: NumberSource, bound: Bound) -> Self {
        Self { running, elapsed, bound, state: State::default() }
    }

    /// When the running time reaches the bound, unless it has.
    fn due(&self) -> Option<Nanos> {
        let left = self.bound.seen_after.saturating_sub(self.state.stands_at);
        self.state.since.filter(|_| !self.state.reached).map(|since| since + left)
    }

    fn show(&mut self, at: Nanos, outputs: &mut Outputs<'_>) {
        let runs_for = self.state.since.map_or(Nanos(0), |since| at.saturating_sub(since));
        let elapsed = self.state.stands_at + runs_for;
        self.state.reached = elapsed >= self.bound.from;
        let on = self.state.reached != self.bound.inverted;
        outputs.bits.iter_mut().for_each(|column| column.set(at, on));
    }
}

impl Block for Elapsed {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        let running = inputs.bit(self.running);
        let (Some(level), Some(elapsed)) = (running.level, inputs.reading(self.elapsed)) else { return };
        if !self.state.started {
            self.state.started = true;
            self.state.since = level.then_some(running.since);
            self.show(running.since, &mut outputs);
        }
        let mut toggles = running.toggles.iter().copied().peekable();
        let mut steps = elapsed.times.iter().copied().zip(elapsed.values.iter().copied()).peekable();
        loop {
            let next = [toggles.peek().copied(), steps.peek().map(|(at, _)| *at)].into_iter().flatten().min();
            let at = next.unwrap_or(window.until);
            if let Some(due) = self.due().filter(|due| *due < at) {
                self.show(due, &mut outputs);
            }
            if next.is_none() {
                return;
            }
            while toggles.next_if_eq(&at).is_some() {
                self.state.since = if self.state.since.is_some() { None } else { Some(at) };
            }
            while let Some((_, seconds)) = steps.next_if(|(step, _)| *step == at) {
                self.state.stands_at = Nanos(cast::u64_from_f64((seconds * 1e9).round()));
            }
            self.show(at, &mut outputs);
        }
    }

    fn next_due(&self) -> Option<Nanos> {
        self.due()
    }
}

keeps_state!(Elapsed, State);
