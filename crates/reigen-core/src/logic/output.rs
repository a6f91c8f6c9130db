//! `output` and `logic`: on while a bit is, or while it is not.

use crate::block::{BitSource, Block, Inputs, Outputs, without_state};
use crate::time::Window;

/// The running form of an output.
pub struct Output {
    when: BitSource,
    invert: bool,
}

impl Output {
    /// An output that is on while `when` is, or is not; the source must have settled each instant.
    pub fn new(when: BitSource, invert: bool) -> Self {
        Self { when, invert }
    }
}

impl Block for Output {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let when = inputs.bit(self.when);
        let (Some(level), [output]) = (when.level, outputs.bits) else { return };
        if output.level.is_none() {
            output.start(when.since, level ^ self.invert);
        }
        output.toggles.extend_from_slice(&when.toggles);
    }
}

without_state!(Output);
