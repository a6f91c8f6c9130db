//! What is served: how a run stands at a moment.

use serde::Serialize;
use std::collections::BTreeMap;

/// Who knows how a run stands.
pub trait Shown: Send + Sync {
    /// How it stands now.
    fn snapshot(&self) -> Snapshot;
}

/// Who sets outputs by hand.
pub trait SetPoints: Send + Sync {
    /// Switches an output on or off; `None` lets it go.
    ///
    /// # Errors
    /// Where there is no such output.
    fn set(&self, point: &str, value: Option<bool>) -> Result<(), SetError>;
}

/// Why a point cannot be set.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SetError {
    /// The station has no such point.
    #[error("the station has no point `{0}`")]
    Unknown(String),
    /// It is no output.
    #[error("`{0}` is no output: only outputs can be set")]
    NoOutput(String),
    /// The run takes nothing more.
    #[error("the run is over, or too busy: try again")]
    NotTaken,
}

/// How a run stands.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct Snapshot {
    /// What the station is called.
    pub title: String,
    /// How long it has run, in nanoseconds.
    pub time_ns: u64,
    /// Whether it writes its outputs to the devices.
    pub drives: bool,
    /// What is wrong, the worst first.
    pub problems: Vec<Problem>,
    /// The connections to devices, by name.
    pub links: BTreeMap<String, LinkShown>,
    /// The points, by name.
    pub points: BTreeMap<String, PointShown>,
}

/// Something that is wrong.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Problem {
    /// How bad it is.
    pub severity: Severity,
    /// What it is, in a sentence.
    pub text: String,
}

/// How bad something is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// It does not work.
    Error,
    /// It may mislead.
    Warning,
}

/// A connection to a device.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LinkShown {
    /// Whether the device answers.
    pub online: bool,
    /// How often it was asked.
    pub passes: u64,
    /// How often that was late.
    pub passes_late: u64,
    /// How often it was lost.
    pub downs: u64,
}

/// A point.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct PointShown {
    /// What it is; `None` before it is known.
    pub value: Option<Value>,
    /// Its unit; empty for none.
    pub unit: String,
    /// Whether it stands on an old value, since its device does not answer.
    pub stale: bool,
    /// Since when it is that, in nanoseconds of the run.
    pub since_ns: u64,
    /// Whether it can be set by hand here.
    pub settable: bool,
    /// What it is set to by hand, where it is.
    pub set: Option<bool>,
}

/// What a point is.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[serde(untagged)]
pub enum Value {
    /// A bit.
    Bit(bool),
    /// A count.
    Count(i64),
    /// A reading.
    Reading(f64),
}
