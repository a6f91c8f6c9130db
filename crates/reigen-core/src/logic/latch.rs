//! `latch` (SR and RS of IEC 61131-3) and `toggle`: states that stay.

use crate::block::{BitSource, Block, Inputs, Instants, Outputs, without_state};
use crate::time::Window;

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

impl Block for Latch {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [output] = outputs.bits else { return };
        let Some(mut instants) = Instants::new(&inputs, [self.set, self.reset], output.level.is_some()) else { return };
        while let Some(time) = instants.advance() {
            let before = output.last_level();
            let on = self.next(instants.level(0), instants.level(1), before == Some(true));
            match before {
                None => output.start(time, on),
                Some(before) if before != on => output.toggles.push(time),
                Some(_) => {}
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
        let [output] = outputs.bits else { return };
        let sources = [Some(self.by), self.reset].into_iter().flatten();
        let Some(mut instants) = Instants::new(&inputs, sources, output.level.is_some()) else { return };
        while let Some(time) = instants.advance() {
            if output.level.is_none() {
                output.start(time, false);
            }
            let held = self.reset.is_some() && instants.level(1);
            let on = output.last_level() == Some(true);
            let next = !held && (on ^ (instants.rises(0) % 2 == 1));
            if next != on {
                output.toggles.push(time);
            }
        }
    }
}

without_state!(Latch);
without_state!(Toggle);
