//! `latch` (SR and RS of IEC 61131-3) and `toggle`: states that stay.

use crate::block::{BitSource, Block, Inputs, Instants, Outputs, keeps_state};
use crate::time::Window;
use serde::{Deserialize, Serialize};

/// What a latch or a toggle must know of the past beside its own bit.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// Whether it is on before its bit has a level.
    begins_on: bool,
}

/// The running form of a latch.
pub struct Latch {
    set: BitSource,
    reset: BitSource,
    set_wins: bool,
    state: State,
}

impl Latch {
    /// A latch whose sources must have settled each instant: SR where setting wins, else RS.
    pub fn new(set: BitSource, reset: BitSource, set_wins: bool) -> Self {
        Self { set, reset, set_wins, state: State::default() }
    }

    /// Whether it is on, by the last level of its bit, or before it has one.
    pub fn retained(&self, level: Option<bool>) -> bool {
        level.unwrap_or(self.state.begins_on)
    }

    /// Begins on, or off.
    pub fn resume(&mut self, on: bool) {
        self.state.begins_on = on;
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
            let on = self.next(instants.level(0), instants.level(1), before.unwrap_or(self.state.begins_on));
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
    state: State,
}

impl Toggle {
    /// A toggle that flips on each rising edge of `by`, and is off while `reset` is on.
    pub fn new(by: BitSource, reset: Option<BitSource>) -> Self {
        Self { by, reset, state: State::default() }
    }

    /// Whether it is on, by the last level of its bit, or before it has one.
    pub fn retained(&self, level: Option<bool>) -> bool {
        level.unwrap_or(self.state.begins_on)
    }

    /// Begins on, or off.
    pub fn resume(&mut self, on: bool) {
        self.state.begins_on = on;
    }
}

impl Block for Toggle {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [output] = outputs.bits else { return };
        let sources = [Some(self.by), self.reset].into_iter().flatten();
        let Some(mut instants) = Instants::new(&inputs, sources, output.level.is_some()) else { return };
        while let Some(time) = instants.advance() {
            let held = self.reset.is_some() && instants.level(1);
            let on = output.last_level().unwrap_or(self.state.begins_on);
            // What stands after its first instant is its first level, and no edge.
            output.set(time, !held && (on ^ (instants.rises(0) % 2 == 1)));
        }
    }
}

keeps_state!(Latch, State);
keeps_state!(Toggle, State);
