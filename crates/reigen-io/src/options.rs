//! What a person says of a recording that the file does not say itself.

use reigen_core::quantity::SampleRate;
use std::fmt;

/// Options for reading a recording.
#[derive(Debug, Clone, Default)]
pub struct ReadOptions {
    /// The rate of a recording without times.
    pub sample_rate: Option<SampleRate>,
    /// The names of the bits of packed samples; with a rate, any file is read as such.
    pub lines: Option<Vec<String>>,
    /// How analog columns become levels; `None` leaves them numbers.
    pub thresholds: Option<Thresholds>,
    /// The separator of a CSV; `None` detects it from the content.
    pub separator: Option<u8>,
    /// The decimal mark of a CSV, `.` or `,`; `None` detects it from the content.
    pub decimal: Option<u8>,
    /// The words for high in columns of two words of a CSV, such as `closed`.
    pub high: Vec<String>,
    /// The name of the time column of a CSV.
    pub time: Option<String>,
    /// The unit of the times in it, where its name does not say.
    pub time_unit: Option<TimeUnit>,
    /// Which session of a history is read; `None` for the last.
    pub session: Option<i64>,
    /// Reads with the plain form alone, which the fast one is held against.
    pub plain: bool,
    /// The bytes of a piece; `None` is what has been measured to be fast.
    pub piece_bytes: Option<usize>,
}

/// A unit of time that a recording may count in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeUnit {
    /// s
    Seconds,
    /// ms
    Milliseconds,
    /// µs
    Microseconds,
    /// ns
    Nanoseconds,
}

impl TimeUnit {
    /// The unit of a symbol or a word, in small letters.
    pub fn of(word: &str) -> Option<Self> {
        Some(match word {
            "s" | "sec" | "second" | "seconds" => Self::Seconds,
            "ms" | "millisecond" | "milliseconds" => Self::Milliseconds,
            "us" | "µs" | "μs" | "microsecond" | "microseconds" => Self::Microseconds,
            "ns" | "nanosecond" | "nanoseconds" => Self::Nanoseconds,
            _ => return None,
        })
    }

    /// The power of ten that makes nanoseconds of it.
    pub fn power(self) -> i32 {
        match self {
            Self::Seconds => 9,
            Self::Milliseconds => 6,
            Self::Microseconds => 3,
            Self::Nanoseconds => 0,
        }
    }
}

impl fmt::Display for TimeUnit {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(match self {
            Self::Seconds => "s",
            Self::Milliseconds => "ms",
            Self::Microseconds => "us",
            Self::Nanoseconds => "ns",
        })
    }
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
