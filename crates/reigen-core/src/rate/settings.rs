//! What a rate is set to.

use super::marks::Marks;
use super::unit::Unit;
use crate::block::Shape;
use crate::time::Nanos;

/// How a rate is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Method {
    /// Edges counted in windows of a length.
    Gate {
        /// The length.
        window: Nanos,
    },
    /// The time of so many intervals, at each edge.
    Period {
        /// How many.
        average: u32,
    },
    /// Reciprocal counting at a constant step.
    Auto {
        /// The step.
        every: Nanos,
    },
}

impl Method {
    /// Its word in the station file.
    pub fn word(self) -> &'static str {
        match self {
            Method::Gate { .. } => "gate",
            Method::Period { .. } => "period",
            Method::Auto { .. } => "auto",
        }
    }
}

/// What a rate is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// How it is measured.
    pub method: Method,
    /// From when on it counts as stopped.
    pub zero_after: Option<Nanos>,
    /// Its unit.
    pub unit: Unit,
    /// Pulses in one revolution.
    pub pulses_per_rev: Option<f64>,
    /// The places of a wheel with a deliberate gap.
    pub marks: Option<Marks>,
    /// Windows and readings at steps count from here: from the first scan, where there are scans.
    pub steps_from: Nanos,
    /// It should be steady: the share of its value that a reading may leave that.
    pub steady: Option<f64>,
}

impl Settings {
    /// The columns of a rate: `.stopped`, and with a gap `.revolution`; the value and `.resolution`.
    pub fn shape(&self) -> Shape {
        Shape { bits: 1 + usize::from(self.marks.is_some()), counts: 0, readings: 2 }
    }
}
