//! `oneshot`: on for a while from each edge on.

use crate::column::BitColumn;
use crate::engine::{BitSource, Block, Inputs, Outputs};
use crate::time::{Nanos, Window};

/// The running form of a one-shot. An edge while it is on starts the time anew.
pub struct OneShot {
    of: BitSource,
    rising: bool,
    width: Nanos,
    due: Option<Nanos>,
}

impl OneShot {
    /// A one-shot of the rising or falling edges of a bit; pulses of width 0 have both.
    pub fn new(of: BitSource, rising: bool, width: Nanos) -> Self {
        Self { of, rising, width, due: None }
    }

    fn fire_before(&mut self, time: Nanos, output: &mut BitColumn) {
        if let Some(due) = self.due.filter(|due| *due < time) {
            output.toggles.push(due);
            self.due = None;
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
            if self.due.is_none() {
                output.toggles.push(edge);
            }
            self.due = Some(edge + self.width);
        }
        self.fire_before(window.until, output);
    }
}
