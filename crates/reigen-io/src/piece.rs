//! A piece of a recording in columns, before it is joined to the piece before it.

use reigen_core::time::Nanos;

/// What all signals did within one piece of a recording.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Piece {
    /// A column for each two-level signal.
    pub(crate) columns: Vec<PieceColumn>,
    /// Values of the number signals that are wanted: signal, time, value, in order.
    pub(crate) readings: Vec<(usize, Nanos, f64)>,
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
    /// The level after the last of them.
    pub(crate) level: Level,
    /// Unknown values.
    pub(crate) unknown: Unknown,
}

/// A level, as a piece knows it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u8)]
pub(crate) enum Level {
    Low = 0,
    High = 1,
    /// The piece has not named any yet.
    Unnamed = 2,
}

impl From<bool> for Level {
    #[inline]
    fn from(high: bool) -> Self {
        if high { Level::High } else { Level::Low }
    }
}

/// Stretches in which a signal was unknown (`x`, `z`).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Unknown {
    /// How many unknown values there were.
    pub(crate) values: u64,
    /// Time unknown after a level that the piece itself named.
    pub(crate) time: Nanos,
    /// Unknown since, before the piece named any level.
    pub(crate) leading: Option<Nanos>,
    /// Unknown since, up to now.
    pub(crate) open: Option<Nanos>,
}

impl Default for PieceColumn {
    fn default() -> Self {
        Self { changes: Vec::new(), level: Level::Unnamed, unknown: Unknown::default() }
    }
}

impl Piece {
    /// Forgets what it holds, but keeps the memory; makes room for `signals` two-level signals.
    pub(crate) fn reset(&mut self, signals: usize) {
        self.columns.resize_with(signals, PieceColumn::default);
        for column in &mut self.columns {
            column.changes.clear();
            column.level = Level::Unnamed;
            column.unknown = Unknown::default();
        }
        self.readings.clear();
        self.last_time = None;
        self.sample_base = 0;
    }

    /// A signal takes a level.
    #[inline]
    pub(crate) fn set(&mut self, signal: usize, time: Nanos, high: bool) {
        if let Some(column) = self.columns.get_mut(signal) {
            column.set(time, high);
        }
    }

    /// A signal becomes unknown.
    pub(crate) fn set_unknown(&mut self, signal: usize, time: Nanos) {
        let Some(PieceColumn { level, unknown, .. }) = self.columns.get_mut(signal) else { return };
        unknown.values += 1;
        unknown.open.get_or_insert(time);
        if *level == Level::Unnamed {
            unknown.leading.get_or_insert(time);
        }
    }
}

impl PieceColumn {
    /// The signal takes a level.
    #[inline]
    pub(crate) fn set(&mut self, time: Nanos, high: bool) {
        let level = Level::from(high);
        if self.unknown.open.is_some() {
            self.known_again(time);
        }
        if self.level != level {
            self.level = level;
            self.changes.push(time);
        }
    }

    #[cold]
    fn known_again(&mut self, time: Nanos) {
        let since = self.unknown.open.take();
        // A stretch before the piece's first level is added by the stitcher, who knows what came before.
        if let (Some(since), Level::Low | Level::High) = (since, self.level) {
            self.unknown.time += time - since;
        }
    }
}
