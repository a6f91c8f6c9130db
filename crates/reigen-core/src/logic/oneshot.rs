//! `oneshot`: on for a while from each edge on.

use crate::block::{BitSource, Block, Inputs, Outputs, keeps_state};
use crate::column::BitColumn;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The running form of a one-shot. An edge while it is on starts the time anew.
pub struct OneShot {
    of: BitSource,
    rising: bool,
    width: Nanos,
    state: State,
}

/// What a one-shot must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// When the pulse ends.
    due: Option<Nanos>,
}

impl OneShot {
    /// A one-shot of the rising or falling edges of a bit; pulses of width 0 have both.
    pub fn new(of: BitSource, rising: bool, width: Nanos) -> Self {
        Self { of, rising, width, state: State::default() }
    }

    fn fire_before(&mut self, time: Nanos, output: &mut BitColumn) {
        if let Some(due) = self.state.due.filter(|due| *due < time) {
            output.toggles.push(due);
            self.state.due = None;
        }
    }
}

impl Block for OneShot {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let (of, [output]) = (inputs.bit(self.of), outputs.bits) else { return };
        let Some(level) = of.level else { return };
        if output.level.is_none() {
            output.start(of.since, false);
        }
        let skipped = usize::from(level == self.rising);
        for &edge in of.toggles.iter().skip(skipped).step_by(2) {
            self.fire_before(edge, output);
            if self.state.due.is_none() {
                output.toggles.push(edge);
            }
            self.state.due = Some(edge + self.width);
        }
        self.fire_before(window.until, output);
    }

    fn next_due(&self) -> Option<Nanos> {
        self.state.due
    }
}

keeps_state!(OneShot, State);
