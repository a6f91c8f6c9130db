//! Columns: what one signal does within one window.

use crate::time::Nanos;

/// A two-level signal within a window: its level at the start and the times at which it toggles.
///
/// ```text
/// level: Some(false)   toggles:  3   5   5   9
///                      ________|‾‾‾|‖______|‾‾‾‾   (two toggles at 5: a pulse of width 0)
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct BitColumn {
    /// The level before the first toggle of the window, or the first known level where the signal
    /// starts within it; `None` while none is known, and then there are no toggles.
    pub level: Option<bool>,
    /// The time at which the first level became known; zero while `level` is `None`.
    pub since: Nanos,
    /// The times at which the level changes, never falling; two may be the same.
    pub toggles: Vec<Nanos>,
}

impl BitColumn {
    /// Gives the signal its first level, at `since`.
    pub fn start(&mut self, since: Nanos, level: bool) {
        self.level = Some(level);
        self.since = since;
    }

    /// Goes to a level at a time, which is its first where it has none; the same level again is no toggle.
    #[inline]
    pub fn set(&mut self, at: Nanos, level: bool) {
        match self.last_level() {
            None => self.start(at, level),
            Some(before) if before != level => self.toggles.push(at),
            Some(_) => {}
        }
    }

    /// Goes to the level that stands after an instant: in that of its start it is the first level, and no edge.
    #[inline]
    pub fn settle(&mut self, at: Nanos, level: bool) {
        if self.level.is_some() && self.since == at && self.toggles.is_empty() {
            self.level = Some(level);
        } else {
            self.set(at, level);
        }
    }

    /// The level after the window's last toggle.
    pub fn last_level(&self) -> Option<bool> {
        self.level.map(|level| level ^ (self.toggles.len() % 2 == 1))
    }

    /// The level at a time within the window, after all toggles up to it.
    pub fn level_at(&self, time: Nanos) -> Option<bool> {
        let passed = self.toggles.partition_point(|toggle| *toggle <= time);
        self.level.map(|level| level ^ !passed.is_multiple_of(2))
    }

    /// The times at which the level rises.
    pub fn rising(&self) -> impl Iterator<Item = Nanos> + '_ {
        let first = usize::from(self.level == Some(true));
        self.toggles.get(first..).unwrap_or_default().iter().step_by(2).copied()
    }

    /// Goes on to the next window: the last level becomes the first, the toggles are forgotten.
    pub fn advance(&mut self) {
        self.level = self.last_level();
        self.toggles.clear();
    }
}

/// A number that steps, within a window: a value holds until the next.
#[derive(Debug, Clone, PartialEq)]
pub struct StepColumn<V> {
    /// The value before the window's first step; `None` before the first value of all.
    pub before: Option<V>,
    /// The times of the steps, rising.
    pub times: Vec<Nanos>,
    /// The values from those times on; as many as `times`.
    pub values: Vec<V>,
}

/// A stepped column of counts.
pub type CountColumn = StepColumn<i64>;
/// A stepped column of readings.
pub type ReadingColumn = StepColumn<f64>;

impl<V> Default for StepColumn<V> {
    fn default() -> Self {
        Self { before: None, times: Vec::new(), values: Vec::new() }
    }
}

impl<V: Copy> StepColumn<V> {
    /// Appends a step to `value` at `time`.
    pub fn push(&mut self, time: Nanos, value: V) {
        self.times.push(time);
        self.values.push(value);
    }

    /// Steps to `value` at `time`, in place of a step at that time.
    #[inline]
    pub fn set(&mut self, time: Nanos, value: V) {
        match self.values.last_mut().filter(|_| self.times.last() == Some(&time)) {
            Some(last) => *last = value,
            None => self.push(time, value),
        }
    }

    /// Steps to a value that is new; the same value again is no step.
    #[inline]
    pub fn change(&mut self, time: Nanos, value: V)
    where
        V: PartialEq,
    {
        if self.last() != Some(value) {
            self.set(time, value);
        }
    }

    /// The value at a time within the window, after all steps up to it.
    pub fn at(&self, time: Nanos) -> Option<V> {
        match self.times.partition_point(|step| *step <= time).checked_sub(1) {
            Some(last) => self.values.get(last).copied(),
            None => self.before,
        }
    }

    /// The value after the window's last step.
    pub fn last(&self) -> Option<V> {
        self.values.last().copied().or(self.before)
    }

    /// Goes on to the next window.
    pub fn advance(&mut self) {
        self.before = self.last();
        self.times.clear();
        self.values.clear();
    }
}
