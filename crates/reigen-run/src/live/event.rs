//! What links tell.

use reigen_core::change::Value;
use reigen_core::time::Nanos;

/// What a link tells, or somebody who wants the run to end.
#[derive(Debug, Clone, PartialEq)]
pub enum LiveEvent {
    /// Lines took values.
    Values {
        /// The number of the link.
        link: usize,
        /// What each line took, in the order in which it came.
        values: Vec<LineValue>,
    },
    /// Something came that means nothing.
    Malformed {
        /// The number of the link.
        link: usize,
        /// How much of it.
        count: u64,
        /// What the first of it was, and why it means nothing.
        first: String,
    },
    /// Nothing more will come of a link.
    Ended {
        /// The number of the link.
        link: usize,
    },
    /// The run is to end now.
    Stop,
}

/// A line took a value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LineValue {
    /// The line, by its number among those of the run.
    pub line: usize,
    /// What it took.
    pub value: Value,
    /// When it came, on the run's clock.
    pub arrived: Nanos,
    /// When it was, by the device's own clock, in nanoseconds from any time; `None` where the device tells none.
    pub own_time_ns: Option<i64>,
}
