//! Blinking: so many flashes for each rising edge.

use crate::block::{BitSource, Block, Inputs, Outputs, keeps_state};
use crate::column::BitColumn;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// How an output flashes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Flashes {
    /// How often.
    pub times: u64,
    /// How long it is on.
    pub on: Nanos,
    /// How long it is off after that.
    pub off: Nanos,
    /// Whether it goes on for as long as the bit is on, and ends with it, in place of so many flashes.
    pub while_on: bool,
}

impl Flashes {
    /// How long one flash and its gap take.
    fn period(&self) -> u64 {
        self.on.0.saturating_add(self.off.0)
    }

    /// How many changes they are.
    fn changes(&self) -> u64 {
        if self.while_on { u64::MAX } else { self.times.saturating_mul(2) }
    }
}

/// The running form: edges are ignored until the last flash and its gap are over.
pub struct Blink {
    of: BitSource,
    flashes: Flashes,
    state: State,
}

/// What a blinking output must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// The edge that it flashes for.
    since: Option<Nanos>,
    /// How many changes have been given for it.
    given: u64,
    /// Edges that came while it flashed.
    ignored: u64,
}

impl Blink {
    /// Flashes for each rising edge of a bit, whose source must have settled each instant.
    pub fn new(of: BitSource, flashes: Flashes) -> Self {
        Self { of, flashes, state: State::default() }
    }

    /// When the next change of the flashes comes.
    fn next_change(&self) -> Option<Nanos> {
        let State { since, given, .. } = self.state;
        let since = since.filter(|_| given < self.flashes.changes())?;
        let within = if given.is_multiple_of(2) { 0 } else { self.flashes.on.0 };
        let flashes = (given / 2).saturating_mul(self.flashes.period());
        Some(since + Nanos(flashes) + Nanos(within))
    }

    /// Gives the changes before a time.
    fn give_before(&mut self, time: Nanos, output: &mut Vec<Nanos>) {
        while let Some(change) = self.next_change().filter(|change| *change < time) {
            output.push(change);
            self.state.given += 1;
        }
    }
}

impl Blink {
    /// Flashes for as long as the bit is on.
    fn work_while_on(&mut self, of: &BitColumn, window: Window, output: &mut BitColumn) {
        let Some(mut level) = of.level else { return };
        if output.level.is_none() {
            output.start(of.since, level);
            if level {
                // The first change, to on, is where it starts.
                (self.state.since, self.state.given) = (Some(of.since), 1);
            }
        }
        for &toggle in &of.toggles {
            self.give_before(toggle, &mut output.toggles);
            level = !level;
            if !level && !self.state.given.is_multiple_of(2) {
                output.toggles.push(toggle);
            }
            (self.state.since, self.state.given) = (level.then_some(toggle), 0);
        }
        self.give_before(window.until, &mut output.toggles);
    }
}

impl Block for Blink {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let (of, [output]) = (inputs.bit(self.of), outputs.bits) else { return };
        let Some(level) = of.level else { return };
        if self.flashes.while_on {
            return self.work_while_on(of, window, output);
        }
        if output.level.is_none() {
            output.start(of.since, false);
        }
        for &edge in of.toggles.iter().skip(usize::from(level)).step_by(2) {
            self.give_before(edge, &mut output.toggles);
            let busy = self
                .state
                .since
                .is_some_and(|since| edge < since + Nanos(self.flashes.times.saturating_mul(self.flashes.period())));
            if !busy {
                self.state.since = Some(edge);
                self.state.given = 0;
            } else {
                self.state.ignored += 1;
            }
        }
        self.give_before(window.until, &mut output.toggles);
    }

    fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        let most = match (quiet, self.state.since) {
            (true, None) => return 0,
            (true, Some(_)) => self.flashes.changes().saturating_sub(self.state.given),
            (false, _) => u64::MAX,
        };
        // At least one edge starts the next flashes, and that is one of the lines' own.
        (length.0 / self.flashes.period().max(1)).saturating_mul(2).min(most)
    }

    fn start_counting(&mut self, _from: Nanos) {
        self.state.ignored = 0;
    }

    fn ignored(&self) -> u64 {
        self.state.ignored
    }

    fn next_due(&self) -> Option<Nanos> {
        self.next_change()
    }
}

keeps_state!(Blink, State);
