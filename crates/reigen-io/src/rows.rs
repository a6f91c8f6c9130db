//! Where a reader stands among the rows of a text: CSV, JSON Lines.

use crate::error::{FaultKind, shown};
use crate::piece::Piece;
use crate::pipeline::Place;
use reigen_core::time::{Nanos, Origin, seconds_short};

/// Where the reader stands among the rows.
#[derive(Debug, Clone)]
pub(crate) struct Rows {
    /// The file's own first time, once there was one.
    pub(crate) origin: Option<Origin>,
    /// The line, from 1.
    pub(crate) line: u64,
    /// How many rows there were; where rows are samples, how many samples.
    pub(crate) rows: u64,
    pub(crate) now: Nanos,
    /// The first time since the place began.
    first: Option<Nanos>,
    /// Whether times are numbers of samples.
    pub(crate) by_rate: bool,
    /// Whether there was a quote: then a line's end may lie within a cell.
    pub(crate) quoted: bool,
}

impl Rows {
    /// At the first row, in this line.
    pub(crate) fn new(line: u64, origin: Option<Origin>, by_rate: bool) -> Self {
        Self { origin, line, rows: 0, now: Nanos(0), first: None, by_rate, quoted: false }
    }

    /// Goes on to the next row, at a time that is not before the last.
    pub(crate) fn next_row(&mut self, now: Nanos, piece: &mut Piece) {
        self.now = now;
        self.rows += 1;
        self.first.get_or_insert(now);
        piece.last_time = Some(now);
    }

    /// Goes on to the last of so many samples of the row that it has just come to.
    pub(crate) fn end_burst(&mut self, samples: usize, last: Nanos, piece: &mut Piece) {
        self.rows += samples as u64 - 1;
        self.now = last;
        piece.last_time = Some(last);
    }

    /// The time since the start of a file's own time; fails where it runs backwards.
    pub(crate) fn since_start(&mut self, file_time: i64, cell: &[u8]) -> Result<Nanos, FaultKind> {
        let origin = *self.origin.get_or_insert(Origin(file_time));
        origin.since_start(file_time).filter(|time| *time >= self.now).ok_or_else(|| FaultKind::Backwards {
            found: shown(cell),
            before: format!("{} s", seconds_short(origin.file_time_ns(self.now))),
        })
    }
}

impl Place for Rows {
    fn origin(&self) -> Option<Origin> {
        self.origin
    }

    fn know_origin(&mut self, origin: Origin) {
        self.origin = Some(origin);
    }

    fn line(&self) -> u64 {
        self.line
    }

    fn leads_to(&self, over: &Self) -> bool {
        !self.quoted && (self.by_rate || over.first.is_none_or(|first| first >= self.now))
    }

    fn go_on(&mut self, over: &Self, piece: &mut Piece) {
        piece.sample_base = self.rows;
        self.rows += over.rows;
        if over.first.is_some() {
            self.now = over.now;
        }
        self.line += over.line;
        self.quoted = over.quoted;
    }
}
