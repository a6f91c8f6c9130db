//! What is written at once.

use reigen_core::change::Change;
use reigen_core::engine::Retained;
use reigen_core::time::Nanos;
use reigen_run::live::changes::PointChange;
use reigen_run::signoff::StepResult;

/// What the writer is told.
#[derive(Debug)]
pub(crate) enum Batch {
    /// What happened in a window. It is written as one: no total is on the disk without the changes that made it.
    Window(WindowBatch),
    /// A point was tried, by somebody.
    Trial(StepResult, String),
    /// The session is over; `None` where the history stopped before, and ends with what it has.
    End(Option<Nanos>),
}

/// What happened in a window, in the order of time.
#[derive(Debug)]
pub(crate) struct WindowBatch {
    /// What lines took.
    pub(crate) lines: Vec<Change>,
    /// What points took.
    pub(crate) points: Vec<PointChange>,
    /// What points keep, where that has changed.
    pub(crate) retained: Vec<(usize, Retained)>,
    /// All before this time is known.
    pub(crate) until: Nanos,
}
