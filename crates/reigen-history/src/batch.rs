//! What is written at once.

use reigen_core::change::Change;
use reigen_core::time::Nanos;
use reigen_run::live::changes::PointChange;

/// What the writer is told.
#[derive(Debug)]
pub(crate) enum Batch {
    /// Lines changed, in the order of time, and all is known up to a time.
    Lines(Vec<Change>, Nanos),
    /// Points changed.
    Points(Vec<PointChange>),
    /// The session is over; `None` where the history stopped before, and ends with what it has.
    End(Option<Nanos>),
}
