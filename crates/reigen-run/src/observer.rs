//! Who looks on while a station is worked.

use crate::error::RunError;
use reigen_core::engine::Engine;
use reigen_core::finding::Finding;
use reigen_core::lines::LineColumns;
use reigen_core::time::{Nanos, Window};
use std::collections::HashMap;

/// One window of the work.
pub struct WindowView<'a> {
    /// From when to when it goes.
    pub window: Window,
    /// The engine after it.
    pub engine: &'a mut Engine,
    /// What the lines did in it.
    pub lines: &'a LineColumns,
    /// For each name that the station gives a line, its number among the lines.
    pub line_numbers: &'a HashMap<String, usize>,
}

/// Who looks on while a station is worked.
pub trait Observer: Send {
    /// Takes a window that counts.
    ///
    /// # Errors
    /// Where it cannot go on, and the work is to end.
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError>;

    /// Takes a window before those that count.
    fn take_early(&mut self, view: &mut WindowView<'_>) {
        let _ = view;
    }

    /// The work is done; `end` is the last time that counts. Gives what it has to say.
    ///
    /// # Errors
    /// Where what it made cannot be finished.
    fn finish(&mut self, end: Nanos) -> Result<Vec<Finding>, RunError> {
        let _ = end;
        Ok(Vec::new())
    }
}

/// A closure looks on without trouble.
impl<F: FnMut(&mut WindowView<'_>) + Send> Observer for F {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        self(view);
        Ok(())
    }
}
