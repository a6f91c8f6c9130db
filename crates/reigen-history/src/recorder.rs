//! What looks on at a live run for its history.

use crate::batch::Batch;
use crate::writer::HistoryWriter;
use reigen_core::finding::Finding;
use reigen_core::time::Nanos;
use reigen_run::error::RunError;
use reigen_run::line_changes::LineChanges;
use reigen_run::live::changes::{PointChange, TakeChanges};
use reigen_run::observer::{Observer, WindowView};

/// Hands the lines of each window to the writer.
pub struct HistoryRecorder {
    writer: HistoryWriter,
    changes: LineChanges,
}

impl HistoryRecorder {
    /// Of so many lines of two levels, and any of numbers.
    pub fn new(writer: HistoryWriter, levels: usize) -> Self {
        Self { writer, changes: LineChanges::new(levels) }
    }
}

impl Observer for HistoryRecorder {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let changes = self.changes.of_window(view.lines);
        // What is known is told with the next change, and at the end.
        if !changes.is_empty() {
            self.writer.tell(Batch::Lines(changes, view.window.until.saturating_sub(Nanos(1))));
        }
        Ok(())
    }

    fn finish(&mut self, end: Nanos) -> Result<Vec<Finding>, RunError> {
        let stopped = self.writer.end(end).map(|why| {
            let message = format!("it could not be written any more: {why}; the run went on without it");
            Finding::error("history-stopped", "history", message, "check the room on the disk, and its speed")
        });
        Ok(stopped.into_iter().collect())
    }
}

/// Hands the changes of points to the writer.
pub struct HistoryPoints(pub HistoryWriter);

impl TakeChanges for HistoryPoints {
    fn take(&mut self, changes: &[PointChange], _until: Nanos) -> Result<(), RunError> {
        if !changes.is_empty() {
            self.0.tell(Batch::Points(changes.to_vec()));
        }
        Ok(())
    }
}
