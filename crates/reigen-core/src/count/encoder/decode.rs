//! From the levels of two channels to counts.

use serde::{Deserialize, Serialize};

/// Which edges count.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Decode {
    /// The rising edge of A counts up and its falling edge down, each while B is low.
    X1,
    /// Every edge of A.
    X2,
    /// Every edge of both.
    #[default]
    X4,
}

impl Decode {
    /// Counts in one cycle of a channel.
    pub fn counts(self) -> u32 {
        match self {
            Decode::X1 => 1,
            Decode::X2 => 2,
            Decode::X4 => 4,
        }
    }
}

/// What an instant comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// Neither channel stands otherwise than before, or the edge is none that counts.
    Nothing,
    /// One count; true for forward.
    Count(bool),
    /// Both channels stand otherwise than before.
    Illegal,
}

/// The levels of both channels, instant by instant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Decoder {
    a: bool,
    b: bool,
}

impl Decoder {
    /// A decoder at levels.
    pub fn new(a: bool, b: bool) -> Self {
        Self { a, b }
    }

    /// The levels after the last instant.
    pub fn levels(&self) -> (bool, bool) {
        (self.a, self.b)
    }

    /// Whether channels that take turns from here on, one edge an instant, go forward where nothing is reversed.
    pub fn turns_forward(&self, a_first: bool) -> bool {
        // A changes to what B is not, or B to what A is.
        (self.a == self.b) == a_first
    }

    /// Passes so many edges of each channel.
    pub fn pass(&mut self, edges: usize) {
        let odd = edges % 2 == 1;
        self.a ^= odd;
        self.b ^= odd;
    }

    /// Takes an instant in which the channels have changed, or not.
    ///
    /// Forward is A leading B: A changes to what B is not, B to what A is. `reverse` turns the directions around.
    #[inline]
    pub fn step(&mut self, decode: Decode, reverse: bool, a_changed: bool, b_changed: bool) -> Step {
        self.a ^= a_changed;
        self.b ^= b_changed;
        let counts = match (a_changed, b_changed) {
            (false, false) => return Step::Nothing,
            (true, true) => return Step::Illegal,
            (true, false) => decode != Decode::X1 || !self.b,
            (false, true) => decode == Decode::X4,
        };
        let forward = (self.a != self.b) == a_changed;
        if counts { Step::Count(forward != reverse) } else { Step::Nothing }
    }
}
