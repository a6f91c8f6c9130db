//! The lines of a run by their names.

use reigen_core::change::Value;
use reigen_core::lines::{LineKind, RecordedLine};
use std::collections::HashMap;

/// The lines of a run, by the names that devices call them.
#[derive(Debug, Clone, Default)]
pub struct LineTable(HashMap<String, (usize, bool)>);

impl LineTable {
    /// The table of these lines.
    pub fn new(lines: &[RecordedLine]) -> Self {
        let entry =
            |(number, line): (usize, &RecordedLine)| (line.name.clone(), (number, line.kind == LineKind::Level));
        Self(lines.iter().enumerate().map(entry).collect())
    }

    /// The line of a name: as it stands, or what stands behind a dot of it, as in a recording.
    fn find(&self, name: &str) -> Option<(usize, bool)> {
        let endings = name.match_indices('.').filter_map(|(dot, _)| name.get(dot + 1..));
        std::iter::once(name).chain(endings).find_map(|name| self.0.get(name).copied())
    }

    /// The number of a line, and what it takes; `None` for a line that the station does not name.
    ///
    /// # Errors
    /// In words, where a line of two levels is given a number.
    pub fn value(&self, name: &str, value: Value) -> Result<Option<(usize, Value)>, String> {
        let Some((line, is_level)) = self.find(name) else { return Ok(None) };
        match (value, is_level) {
            (Value::Number(number), true) => Err(format!("`{name}` has two levels, and {number} is none")),
            (Value::Level(high), false) => Ok(Some((line, Value::Number(f64::from(u8::from(high)))))),
            (value, _) => Ok(Some((line, value))),
        }
    }
}
