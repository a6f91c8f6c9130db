//! What the engine was given, as a recording.

use crate::error::RunError;
use crate::line_changes::LineChanges;
use crate::observer::{Observer, WindowView};
use reigen_core::change::{Change, Value};
use reigen_core::engine::Retained;
use reigen_core::finding::Finding;
use reigen_core::lines::RecordedLine;
use reigen_core::time::{Nanos, Origin};
use reigen_io::output_file::OutputError;
use reigen_io::write::{Changes, Heading, Line};
use std::path::PathBuf;

/// Writes the lines of each window. The lines of two levels come first, then those of numbers, as the engine has them.
pub struct LineRecorder<'a> {
    out: Option<Box<dyn Changes + 'a>>,
    path: PathBuf,
    changes: LineChanges,
}

/// The heading of a recording of these lines: it begins at the run's start, from what points had kept.
pub fn heading(levels: &[RecordedLine], numbers: &[RecordedLine], resumed: Vec<(String, Retained)>) -> Heading {
    let line = |recorded: &RecordedLine, number| {
        let RecordedLine { name, step, .. } = recorded.clone();
        Line { name, aliases: Vec::new(), number, step }
    };
    let levels_first = levels.iter().map(|recorded| line(recorded, false));
    let lines = levels_first.chain(numbers.iter().map(|recorded| line(recorded, true))).collect();
    Heading { lines, scope: None, origin: Origin(0), step: Nanos(1), resumed }
}

impl<'a> LineRecorder<'a> {
    /// A recorder of so many lines of two levels, and of numbers, into a file at `path`. No line is known at the start.
    ///
    /// # Errors
    /// Where the file cannot be written.
    pub fn new(mut out: Box<dyn Changes + 'a>, lines: [usize; 2], path: PathBuf) -> Result<Self, RunError> {
        let [levels, numbers] = lines;
        for line in 0..levels + numbers {
            let change = Change { time: Nanos(0), line, value: Value::Unknown };
            out.take(change).map_err(|source| OutputError::Io { path: path.clone(), source })?;
        }
        Ok(Self { out: Some(out), path, changes: LineChanges::new(levels) })
    }

    fn explain(&self, source: std::io::Error) -> RunError {
        OutputError::Io { path: self.path.clone(), source }.into()
    }
}

impl Observer for LineRecorder<'_> {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let changes = self.changes.of_window(view.lines);
        let Some(out) = &mut self.out else { return Ok(()) };
        let written = changes.into_iter().try_for_each(|change| out.take(change));
        written.map_err(|source| self.explain(source))
    }

    fn finish(&mut self, end: Nanos) -> Result<Vec<Finding>, RunError> {
        match self.out.take().map(|out| out.finish(end)) {
            Some(Err(source)) => Err(self.explain(source)),
            _ => Ok(Vec::new()),
        }
    }
}
