//! `latch` (SR and RS of IEC 61131-3) and `toggle`: states that stay.

use crate::column::Walk;
use crate::engine::{BitSource, Block, Inputs, Outputs};
use crate::time::{Nanos, Window};

/// The running form of a latch.
pub struct Latch {
    set: BitSource,
    reset: BitSource,
    set_wins: bool,
}

impl Latch {
    /// A latch whose sources must have settled each instant: SR where setting wins, else RS.
    pub fn new(set: BitSource, reset: BitSource, set_wins: bool) -> Self {
        Self { set, reset, set_wins }
    }

    /// SR: S OR (NOT R AND Q). RS: NOT R AND (S OR Q).
    fn next(&self, set: bool, reset: bool, on: bool) -> bool {
        if self.set_wins { set | (!reset & on) } else { !reset & (set | on) }
    }
}

/// The next instant at which one of two walks changes.
fn next_time(one: &Walk<'_>, other: Option<&Walk<'_>>) -> Option<Nanos> {
    [one.next_time(), other.and_then(Walk::next_time)].into_iter().flatten().min()
}

impl Block for Latch {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let Some(start) = inputs.start([self.set, self.reset]) else { return };
        let walks = (Walk::new(inputs.bit(self.set)), Walk::new(inputs.bit(self.reset)));
        let ((Some(mut set), Some(mut reset)), [output]) = (walks, outputs.bits) else { return };
        loop {
            let time = next_time(&set, Some(&reset));
            if output.level.is_none() && time.is_none_or(|time| time > start) {
                output.start(start, self.next(set.level(), reset.level(), false));
            }
            let Some(time) = time else { return };
            set.pass(time);
            reset.pass(time);
            let Some(on) = output.last_level() else { continue };
            if self.next(set.level(), reset.level(), on) != on {
                output.toggles.push(time);
            }
        }
    }
}

/// The running form of a toggle.
pub struct Toggle {
    by: BitSource,
    reset: Option<BitSource>,
}

impl Toggle {
    /// A toggle that flips on each rising edge of `by`, and is off while `reset` is on.
    pub fn new(by: BitSource, reset: Option<BitSource>) -> Self {
        Self { by, reset }
    }
}

impl Block for Toggle {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let Some(start) = inputs.start([Some(self.by), self.reset].into_iter().flatten()) else { return };
        let (Some(mut by), [output]) = (Walk::new(inputs.bit(self.by)), outputs.bits) else { return };
        let mut reset = self.reset.and_then(|reset| Walk::new(inputs.bit(reset)));
        if output.level.is_none() {
            output.start(start, false);
        }
        while let Some(time) = next_time(&by, reset.as_ref()) {
            if let Some(reset) = &mut reset {
                reset.pass(time);
            }
            let level = by.level();
            let toggles = by.pass(time);
            let rises = if level { toggles / 2 } else { toggles.div_ceil(2) };
            let held = reset.as_ref().is_some_and(Walk::level);
            let on = output.last_level() == Some(true);
            let next = !held && (on ^ (rises % 2 == 1));
            if time >= start && next != on {
                output.toggles.push(time);
            }
        }
    }
}
