//! Readings as they come: their column and their resolution.

use crate::column::{BitColumn, ReadingColumn};
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// What a reading was made of: the edges from one time to another.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Basis {
    /// When it was reported.
    pub at: Nanos,
    /// How many edges, or intervals, it counts; those down count against those up.
    pub edges: i64,
    /// From when.
    #[serde(rename = "from_ns")]
    pub from: Nanos,
    /// Up to when.
    #[serde(rename = "until_ns")]
    pub until: Nanos,
    /// What it is made by.
    pub by: BasisKind,
}

/// How a reading came about.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum BasisKind {
    /// Edges counted in a window.
    #[default]
    Counted,
    /// Edges timed.
    Timed,
    /// No new edge: it cannot be faster than one edge since the last.
    Fallen,
    /// No edge for so long that it counts as stopped.
    Stopped,
}

/// A reading as a method gives it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Reading {
    /// In hertz; below zero for backwards.
    pub hertz: f64,
    /// What one count, or one tick, more would change, in hertz; of no meaning where `hertz` is 0.
    pub resolution_hertz: f64,
    /// What it was made of.
    pub made: Basis,
}

/// What takes the readings of a method.
pub trait Sink {
    /// A reading.
    fn reading(&mut self, reading: Reading);
    /// The last reading once more, so many times.
    fn repeat(&mut self, times: u64);
}

/// The columns that readings fill: the value, its resolution, and whether it is stopped.
#[derive(Debug)]
pub struct RateColumns<'a> {
    /// The value in its unit.
    pub value: &'a mut ReadingColumn,
    /// Its resolution, which a reading of 0 leaves as it was.
    pub resolution: &'a mut ReadingColumn,
    /// Whether the last reading is 0.
    pub stopped: &'a mut BitColumn,
}

impl Reading {
    /// Its resolution: a bound has none, and of readings of 0 only a counted one has.
    pub fn resolution(&self) -> Option<f64> {
        let has = match self.made.by {
            BasisKind::Counted => true,
            BasisKind::Timed => self.hertz != 0.0,
            BasisKind::Fallen | BasisKind::Stopped => false,
        };
        has.then_some(self.resolution_hertz)
    }
}

impl RateColumns<'_> {
    /// Shows a reading in units; one without a resolution leaves the one before.
    #[inline]
    pub fn show(&mut self, at: Nanos, value: f64, resolution: Option<f64>) {
        if self.value.last() != Some(value) {
            self.value.push(at, value);
        }
        if let Some(resolution) = resolution.filter(|resolution| self.resolution.last() != Some(*resolution)) {
            self.resolution.push(at, resolution);
        }
        if self.stopped.last_level() != Some(value == 0.0) {
            self.stopped.toggles.push(at);
        }
    }
}
