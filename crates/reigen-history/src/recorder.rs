//! What looks on at a live run for its history.

use crate::batch::{Batch, WindowBatch};
use crate::writer::HistoryWriter;
use reigen_core::engine::Retained;
use reigen_core::finding::Finding;
use reigen_core::time::Nanos;
use reigen_run::error::RunError;
use reigen_run::line_changes::LineChanges;
use reigen_run::live::changes::{PointChange, PointChanges};
use reigen_run::observer::{Observer, WindowView};
use std::collections::HashMap;

/// In a quiet hour it is told so often how far the session goes.
const TELL_EVERY: Nanos = Nanos(1_000_000_000);

/// Hands what happens in each window to the writer.
pub struct HistoryRecorder {
    writer: HistoryWriter,
    lines: LineChanges,
    points: PointChanges<Vec<PointChange>>,
    /// The points that keep their state, and what they kept when that was last told.
    retaining: Vec<usize>,
    retained: HashMap<usize, (Nanos, Retained)>,
    told_until: Nanos,
}

/// What a history has of a station.
#[derive(Debug, Clone, Default)]
pub struct Kept {
    /// How many lines of two levels.
    pub levels: usize,
    /// How many points there are.
    pub points: usize,
    /// The points whose changes are kept.
    pub changing: Vec<usize>,
    /// The points that keep their state.
    pub retaining: Vec<usize>,
}

impl HistoryRecorder {
    /// Of what is kept of a station.
    pub fn new(writer: HistoryWriter, kept: Kept) -> Self {
        Self {
            writer,
            lines: LineChanges::new(kept.levels),
            points: PointChanges::new(kept.points, &kept.changing, Vec::new()),
            retaining: kept.retaining,
            retained: HashMap::new(),
            told_until: Nanos(0),
        }
    }

    /// What points keep, where that has changed.
    fn newly_retained(&mut self, view: &WindowView<'_>) -> Vec<(usize, Retained)> {
        let until = view.window.until;
        let mut retained = view.engine.retained(&self.retaining, until);
        retained.retain(|(point, state)| {
            let told = self.retained.get(point);
            let is_new = told.is_none_or(|(at, told)| told.later(until.saturating_sub(*at)) != *state);
            if is_new {
                self.retained.insert(*point, (until, state.clone()));
            }
            is_new
        });
        retained
    }
}

impl Observer for HistoryRecorder {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        self.points.take(view)?;
        let (lines, points) = (self.lines.of_window(view.lines), self.points.fetch());
        let retained = self.newly_retained(view);
        let until = view.window.until;
        let is_quiet = lines.is_empty() && points.is_empty() && retained.is_empty();
        if !is_quiet || until.saturating_sub(self.told_until) >= TELL_EVERY {
            self.told_until = until;
            self.writer.tell(Batch::Window(WindowBatch { lines, points, retained, until }));
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
