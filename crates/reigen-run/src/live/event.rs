//! What links tell.

use super::passes::PassAccount;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_station::station::set_by_hand::SetByHand;

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
    /// A link has reached its device, or has lost it.
    Reached {
        /// The number of the link.
        link: usize,
        /// When.
        at: Nanos,
        /// Why it is lost; `None` where it is reached.
        lost: Option<String>,
    },
    /// A device has refused a request, and answers others.
    Refused {
        /// The number of the link.
        link: usize,
        /// What was asked, and how it was refused.
        what: String,
        /// What to do about that.
        remedy: &'static str,
        /// The lines that are not told for that.
        lines: Vec<usize>,
    },
    /// A link has passed over its device.
    Passed {
        /// The number of the link.
        link: usize,
        /// All its passes so far.
        passes: PassAccount,
    },
    /// Somebody else drives the same device.
    DrivenTwice {
        /// The number of the link.
        link: usize,
        /// What tells so.
        what: String,
    },
    /// Changes never arrived, by the device's own count of them.
    Missed {
        /// The number of the link.
        link: usize,
        /// How many.
        count: u64,
    },
    /// A link had more to tell than could be worked, and waited.
    HeldUp {
        /// The number of the link.
        link: usize,
        /// How long.
        length: Nanos,
    },
    /// Nothing more will come of a link.
    Ended {
        /// The number of the link.
        link: usize,
    },
    /// Somebody has set an output by hand, or let it go.
    Set {
        /// The line, by its number among those of the run.
        line: usize,
        /// What is set.
        what: SetByHand,
        /// When.
        at: Nanos,
    },
    /// Nothing has happened; it is time to look at the clock, and at what waits for the disk.
    Wake,
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
