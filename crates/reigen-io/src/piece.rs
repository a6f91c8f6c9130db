//! A piece of a recording in columns, before it is joined to the piece before it.

use reigen_core::column::ReadingColumn;
use reigen_core::time::Nanos;

/// What all signals did within one piece of a recording.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Piece {
    /// A column for each two-level signal.
    pub(crate) columns: Vec<PieceColumn>,
    /// A column for each number signal, as far as they are wanted.
    pub(crate) numbers: Vec<ReadingColumn>,
    /// The last time mark in the piece; `None` if there is none.
    pub(crate) last_time: Option<Nanos>,
    /// Where times are numbers of samples: the number of the sample that they count from.
    pub(crate) sample_base: u64,
}

/// What one two-level signal did within a piece.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct PieceColumn {
    /// The times at which the piece first names a level and then changes it.
    pub(crate) changes: Vec<Nanos>,
    /// 0 or 1, the level after the last of them, while the signal is known; else what makes it special.
    state: u8,
    /// The level after the last change, if the piece has named any.
    level: Option<bool>,
    /// Unknown values; most have none.
    special: Option<Box<Special>>,
}

/// What a signal has beside its levels.
#[derive(Debug, Clone, Default, PartialEq)]
struct Special {
    unknown: Unknown,
    /// When it became unknown, and known again within the piece with a level.
    marks: Vec<Mark>,
}

/// A signal becomes unknown, or known again with a level.
pub(crate) type Mark = (Nanos, Option<bool>);

/// The piece has not named any level yet, or the signal is unknown at present.
const SPECIAL: u8 = 2;

/// Stretches in which a signal was unknown (`x`, `z`).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Unknown {
    /// How many unknown values there were after a level that the piece itself named, and before it.
    pub(crate) values: u64,
    pub(crate) leading_values: u64,
    /// Time unknown after a level that the piece itself named.
    pub(crate) time: Nanos,
    /// Unknown since, before the piece named any level.
    pub(crate) leading: Option<Nanos>,
    /// Unknown since, up to now.
    pub(crate) open: Option<Nanos>,
}

impl Unknown {
    /// The same stretches, so much later.
    pub(crate) fn later_by(self, shift: Nanos) -> Self {
        let later = |time: Option<Nanos>| time.map(|time| time + shift);
        Self { leading: later(self.leading), open: later(self.open), ..self }
    }
}

impl Default for PieceColumn {
    fn default() -> Self {
        Self { changes: Vec::new(), state: SPECIAL, level: None, special: None }
    }
}

impl Piece {
    /// Forgets what it holds, but keeps the memory; makes room for `signals` two-level signals.
    pub(crate) fn reset(&mut self, signals: usize) {
        self.columns.resize_with(signals, PieceColumn::default);
        for column in &mut self.columns {
            column.changes.clear();
            (column.state, column.level, column.special) = (SPECIAL, None, None);
        }
        for column in &mut self.numbers {
            column.times.clear();
            column.values.clear();
        }
        self.last_time = None;
        self.sample_base = 0;
    }

    /// A signal takes a level.
    #[inline]
    pub(crate) fn set(&mut self, signal: usize, time: Nanos, high: bool) {
        if let Some(column) = self.columns.get_mut(signal) {
            column.set(time, u8::from(high));
        }
    }

    /// A number signal takes a value.
    #[inline]
    pub(crate) fn read(&mut self, number: usize, time: Nanos, value: f64) {
        if self.numbers.len() <= number {
            self.numbers.resize_with(number + 1, ReadingColumn::default);
        }
        if let Some(column) = self.numbers.get_mut(number) {
            column.set(time, value);
        }
    }

    /// A number signal takes values at rising times, all after its last.
    pub(crate) fn read_many(&mut self, number: usize, times: &[Nanos], values: impl Iterator<Item = f64>) {
        if self.numbers.len() <= number {
            self.numbers.resize_with(number + 1, ReadingColumn::default);
        }
        if let Some(column) = self.numbers.get_mut(number) {
            column.times.extend_from_slice(times);
            column.values.extend(values);
        }
    }

    /// A signal becomes unknown.
    pub(crate) fn set_unknown(&mut self, signal: usize, time: Nanos) {
        if let Some(column) = self.columns.get_mut(signal) {
            column.set_unknown(time);
        }
    }
}

impl PieceColumn {
    /// The level after the last change; `None` where the piece has named none.
    pub(crate) fn level(&self) -> Option<bool> {
        if self.state < SPECIAL { Some(self.state == 1) } else { self.level }
    }

    /// Its unknown values.
    pub(crate) fn unknown(&self) -> Unknown {
        self.special.as_ref().map_or_else(Unknown::default, |special| special.unknown)
    }

    /// When it became unknown, and known again within the piece with a level.
    pub(crate) fn marks(&self) -> &[Mark] {
        self.special.as_ref().map_or(&[], |special| &special.marks)
    }

    /// The signal takes the level 0 or 1.
    #[inline]
    pub(crate) fn set(&mut self, time: Nanos, level: u8) {
        if self.state ^ level == 1 {
            self.state = level;
            self.changes.push(time);
        } else if self.state >= SPECIAL {
            self.set_special(time, level);
        }
    }

    /// The signal, which has a level, takes the other one.
    #[inline]
    pub(crate) fn toggle(&mut self, time: Nanos) {
        self.state ^= 1;
        self.changes.push(time);
    }

    /// The signal takes a level for the first time in the piece, or after it was unknown.
    #[cold]
    fn set_special(&mut self, time: Nanos, level: u8) {
        let high = level == 1;
        // A stretch before the piece's first level is added by the stitcher, who knows what came before.
        if let Some(special) = &mut self.special
            && let Some(since) = special.unknown.open.take()
        {
            special.marks.push((time, Some(high)));
            if self.level.is_some() {
                special.unknown.time += time - since;
            }
        }
        if self.level != Some(high) {
            self.changes.push(time);
        }
        self.state = level;
    }

    fn set_unknown(&mut self, time: Nanos) {
        self.level = self.level();
        self.state = SPECIAL;
        let Special { unknown, marks } = self.special.get_or_insert_default().as_mut();
        marks.push((time, None));
        unknown.open.get_or_insert(time);
        match self.level {
            Some(_) => unknown.values += 1,
            None => {
                unknown.leading_values += 1;
                unknown.leading.get_or_insert(time);
            }
        }
    }
}
