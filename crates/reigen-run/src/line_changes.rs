//! What lines do, change by change.

use reigen_core::change::{Change, Value};
use reigen_core::lines::LineColumns;

/// Tells the changes of lines, window after window: those of two levels come first, then those of numbers.
pub struct LineChanges {
    /// Of each line of two levels whether it has had a level.
    begun: Vec<bool>,
}

impl LineChanges {
    /// Of so many lines of two levels, and any of numbers.
    pub fn new(levels: usize) -> Self {
        Self { begun: vec![false; levels] }
    }

    /// The changes of a window, in the order of time; the first level of a line is one.
    pub fn of_window(&mut self, lines: &LineColumns) -> Vec<Change> {
        let mut changes = Vec::new();
        for (line, (column, begun)) in lines.bits().iter().zip(&mut self.begun).enumerate() {
            let Some(mut level) = column.level else { continue };
            if !std::mem::replace(begun, true) {
                changes.push(Change { time: column.since, line, value: Value::Level(level) });
            }
            for &time in &column.toggles {
                level = !level;
                changes.push(Change { time, line, value: Value::Level(level) });
            }
        }
        for (number, column) in lines.readings().iter().enumerate() {
            let line = self.begun.len() + number;
            let values = column.times.iter().zip(&column.values);
            changes.extend(values.map(|(&time, &value)| Change { time, line, value: Value::Number(value) }));
        }
        changes.sort_by_key(|change| change.time);
        changes
    }
}
