//! What really happened in a simulated recording.

use indexmap::IndexMap;
use reigen_core::time::Nanos;
use serde::{Deserialize, Serialize};

/// The truth of a whole recording.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct TruthFile {
    /// The scenario's title.
    pub scenario: Option<String>,
    /// The seed it was made with.
    pub seed: u64,
    /// How long it is.
    pub duration_ns: u64,
    /// What each source did.
    pub sources: IndexMap<String, Truth>,
    /// What was wrong with wires.
    pub wires: IndexMap<String, WireTruth>,
}

/// What a source did.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Truth {
    /// A contact was actuated.
    Contact {
        /// Its line.
        line: String,
        /// From when to when.
        actuations: Vec<Actuation>,
    },
    /// A changeover contact was actuated.
    Changeover {
        /// The line that is closed while actuated.
        no: String,
        /// The line that is closed at rest.
        nc: String,
        /// From when to when.
        actuations: Vec<Actuation>,
    },
    /// Marks passed a sensor.
    Wheel {
        /// The sensor's line.
        line: String,
        /// How many marks came before the sensor, seen or not.
        passed: u64,
        /// How many of them the sensor did not see.
        missed: u64,
        /// When the first thousand of those came.
        missed_at_ns: Vec<Nanos>,
        /// Where the shaft stands at the end.
        revolutions: f64,
        /// Its speed wherever that bends, in revolutions a minute; straight between those times.
        speed_rpm: Vec<At>,
    },
    /// An encoder turned.
    Encoder {
        /// The line of channel A.
        a: String,
        /// The line of channel B.
        b: String,
        /// The line of the index.
        index: Option<String>,
        /// Where it stands at the end, in quarter cycles.
        position: i64,
        /// The same in revolutions.
        revolutions: f64,
        /// The shaft's speed wherever that bends, in revolutions a minute; straight between those times.
        speed_rpm: Vec<At>,
    },
    /// Switches were read over a chain of shift registers.
    Chain {
        /// The load line.
        load: String,
        /// The clock line.
        clock: String,
        /// The data line.
        data: String,
        /// How often the chain was polled.
        frames: u64,
        /// The first thousand words that differ from the one before.
        words: Vec<Word>,
        /// For each point when it was on, whether a poll saw it or not.
        points: IndexMap<String, Vec<Actuation>>,
    },
    /// A distance was measured by its echo.
    Echo {
        /// The trigger's line.
        trigger: String,
        /// The echo's line.
        echo: String,
        /// How often it was triggered.
        pings: u64,
        /// How many echoes were lost.
        lost: u64,
        /// The first thousand distances, in metres.
        distances_m: Vec<At>,
    },
    /// A number was measured.
    Analog {
        /// The line.
        line: String,
        /// The values without any fault, wherever their course bends; straight between those times.
        values: Vec<At>,
    },
    /// A running count was polled.
    Register {
        /// The line.
        line: String,
        /// What was counted from the first sample to the last.
        counts: u64,
        /// How often the device began anew.
        restarts: u64,
        /// The shaft's speed wherever that bends, in revolutions a minute; straight between those times.
        speed_rpm: Vec<At>,
    },
    /// Switches were logged as the bits of a number.
    Port {
        /// The line.
        line: String,
        /// The names of its bits, from the lowest.
        bits: Vec<String>,
        /// For each point when it was on.
        points: IndexMap<String, Vec<Actuation>>,
    },
    /// Nothing drives the line.
    Floating {
        /// The line.
        line: String,
    },
}

/// A value at a time.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct At {
    /// When.
    #[serde(rename = "at_ns")]
    pub at: Nanos,
    /// What.
    pub value: f64,
}

/// A word that a poll of a chain read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Word {
    /// When the registers took it.
    #[serde(rename = "at_ns")]
    pub at: Nanos,
    /// Its hexadecimal digits; bit 0 is D0 of the nearest chip, 1 is on.
    pub word: String,
}

/// One actuation.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Actuation {
    /// When it began: the first touch.
    #[serde(rename = "on_ns")]
    pub on: Nanos,
    /// When it ended: the first parting.
    #[serde(rename = "off_ns")]
    pub off: Nanos,
}

/// What was wrong with a wire.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct WireTruth {
    /// The line.
    pub line: String,
    /// How many short pulses were put on it that no source made.
    pub glitches: u64,
    /// When the first thousand of them came.
    pub glitches_at_ns: Vec<Nanos>,
}
