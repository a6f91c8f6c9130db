//! Where lines come from: a recording, or whatever else fills columns.

use crate::error::RunError;
use reigen_core::engine::Retained;
use reigen_core::finding::Finding;
use reigen_core::lines::{LineColumns, RecordedLine};
use reigen_core::time::{Nanos, Origin};
use reigen_io::recording::Recording;
use std::ops::ControlFlow;

/// How far the lines of a source are known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Advance {
    /// Everything before this time is known.
    pub known_until: Nanos,
}

/// What takes each advance of a source. It cuts and advances the columns itself, and breaks off where it wants no more.
pub type TakeAdvance<'a> = dyn FnMut(&mut LineColumns, Advance) -> ControlFlow<()> + Send + 'a;

/// What fills the columns of a station's lines.
///
/// The clock is the source's own: a recording has it from its file, a device from the machine.
pub trait LineSource {
    /// What it is called in messages.
    fn name(&self) -> &str;

    /// The lines that it has.
    fn lines(&self) -> &[RecordedLine];

    /// The step of its times, 1 ns or more.
    fn tick(&self) -> Nanos;

    /// The source's own time at which time 0 is.
    fn origin(&self) -> Origin {
        Origin(0)
    }

    /// What points kept when its lines began, by their names.
    fn resumed(&self) -> &[(String, Retained)] {
        &[]
    }

    /// Says which signals are wanted, of two levels and of numbers; gives empty columns for them, in this order.
    fn select(&mut self, bits: &[usize], numbers: &[usize]) -> LineColumns {
        LineColumns::new(bits.len(), numbers.len())
    }

    /// Says which stretch counts, its ends included, before it is read.
    fn count_within(&mut self, from: Nanos, to: Option<Nanos>) {
        let _ = (from, to);
    }

    /// Fills the columns, and hands over each advance, until the lines end or `take` breaks off.
    ///
    /// # Errors
    /// Where the lines cannot be read on.
    fn drive(&mut self, columns: &mut LineColumns, take: &mut TakeAdvance<'_>) -> Result<(), RunError>;

    /// The last time that is known.
    fn last_time(&self) -> Nanos;

    /// How many lines of two levels it has.
    fn two_level_lines(&self) -> usize {
        self.lines().len()
    }

    /// Edges of all its lines within the stretch that counts.
    fn edges(&self) -> u64 {
        0
    }

    /// What looks wrong with its lines; `names` are what the station calls the ones that are wanted.
    fn findings(&self, names: &[String]) -> Vec<Finding> {
        let _ = names;
        Vec::new()
    }
}

impl LineSource for Recording {
    fn name(&self) -> &str {
        Recording::name(self)
    }

    fn lines(&self) -> &[RecordedLine] {
        Recording::lines(self)
    }

    fn tick(&self) -> Nanos {
        Recording::tick(self)
    }

    fn origin(&self) -> Origin {
        Recording::origin(self)
    }

    fn resumed(&self) -> &[(String, Retained)] {
        Recording::resumed(self)
    }

    fn select(&mut self, bits: &[usize], numbers: &[usize]) -> LineColumns {
        Recording::select(self, bits, numbers)
    }

    fn count_within(&mut self, from: Nanos, to: Option<Nanos>) {
        Recording::count_within(self, from, to);
    }

    fn drive(&mut self, columns: &mut LineColumns, take: &mut TakeAdvance<'_>) -> Result<(), RunError> {
        Ok(self.read(columns, &mut |columns, known_until| take(columns, Advance { known_until }).is_continue())?)
    }

    fn last_time(&self) -> Nanos {
        Recording::last_time(self)
    }

    fn two_level_lines(&self) -> usize {
        Recording::two_level_lines(self)
    }

    fn edges(&self) -> u64 {
        Recording::edges(self)
    }

    fn findings(&self, names: &[String]) -> Vec<Finding> {
        Recording::findings(self, names)
    }
}
