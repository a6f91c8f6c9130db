//! What a person says of a recording that the file does not say itself.

use reigen_core::quantity::SampleRate;

/// Options for reading a recording.
#[derive(Debug, Clone, Default)]
pub struct ReadOptions {
    /// The rate of a recording without times.
    pub sample_rate: Option<SampleRate>,
    /// The names of the bits of packed samples; with a rate, any file is read as such.
    pub lines: Option<Vec<String>>,
    /// How analog columns become levels; `None` leaves them numbers.
    pub thresholds: Option<Thresholds>,
    /// Reads with the plain form alone, which the fast one is held against.
    pub plain: bool,
    /// The bytes of a piece; `None` is what has been measured to be fast.
    pub piece_bytes: Option<usize>,
}

/// Two voltages, or other numbers, between which a level holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Thresholds {
    /// High strictly above this.
    pub high_above: f64,
    /// Low strictly below this.
    pub low_below: f64,
}

impl Thresholds {
    /// The level that a value makes; `None` where it leaves the level as it was.
    pub fn level(self, value: f64) -> Option<bool> {
        if value > self.high_above {
            Some(true)
        } else if value < self.low_below {
            Some(false)
        } else {
            None
        }
    }
}
