//! A line takes a value: what a simulation makes, and writers write.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The value that a line takes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum Value {
    /// A level.
    Level(bool),
    /// A level that is not known.
    Unknown,
    /// A number.
    Number(f64),
}

/// A line takes a value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Change {
    /// When.
    pub time: Nanos,
    /// Which, by its number among the lines that are made or written.
    pub line: usize,
    /// What.
    pub value: Value,
}
