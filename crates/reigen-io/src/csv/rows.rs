//! The rows of a CSV, cell by cell: the plain form.

use super::columns::{Column, Layout};
use super::record::Record;
use crate::error::{Fault, FaultKind, shown};
use crate::piece::Piece;
use crate::pipeline::{Done, Place};
use reigen_core::quantity::Decimal;
use reigen_core::time::{MOST_FILE_TIME_NS, Nanos, Origin, seconds_short};

/// Where the reader stands among the rows.
#[derive(Debug, Clone)]
pub(crate) struct Rows {
    /// The file's own first time, once there was one.
    pub(super) origin: Option<Origin>,
    /// The line, from 1.
    pub(super) line: u64,
    /// How many rows there were.
    pub(super) rows: u64,
    pub(super) now: Nanos,
    /// The first time since the place began.
    first: Option<Nanos>,
    /// Whether times are numbers of rows.
    pub(super) by_rate: bool,
    /// Whether there was a quote: then a line's end may lie within a cell.
    pub(super) quoted: bool,
}

/// Reads rows, whatever they look like.
pub(super) struct RowReader<'a> {
    layout: &'a Layout,
    record: &'a mut Record,
}

impl Rows {
    /// At the row after the header.
    pub(super) fn new(line: u64, origin: Option<Origin>, by_rate: bool) -> Self {
        Self { origin, line, rows: 0, now: Nanos(0), first: None, by_rate, quoted: false }
    }

    /// Goes on to the next row, at a time that is not before the last.
    pub(super) fn next_row(&mut self, now: Nanos, piece: &mut Piece) {
        self.now = now;
        self.rows += 1;
        self.first.get_or_insert(now);
        piece.last_time = Some(now);
    }

    /// The time since the start of a file's own time; fails where it runs backwards.
    pub(super) fn since_start(&mut self, file_time: i64, cell: &[u8]) -> Result<Nanos, FaultKind> {
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

impl<'a> RowReader<'a> {
    /// A reader of rows of this layout.
    pub(super) fn new(layout: &'a Layout, record: &'a mut Record) -> Self {
        Self { layout, record }
    }

    /// Reads all whole rows of `bytes` into `piece`; `at_end` says that no bytes come after them.
    ///
    /// Where `one_row`, it reads only the first.
    pub(super) fn read(
        &mut self,
        place: &mut Rows,
        bytes: &[u8],
        at_end: bool,
        one_row: bool,
        piece: &mut Piece,
    ) -> Result<Done, Fault> {
        let mut at = 0;
        loop {
            let rest = bytes.get(at..).unwrap_or_default();
            let Some(found) = self.record.read(rest, at_end) else {
                // What is left is the beginning of a row, or nothing but line ends.
                let consumed = if at_end { bytes.len() } else { at };
                return Ok(Done { consumed, cut_off: false });
            };
            let end = at + found.consumed;
            let unended = end == bytes.len() && !bytes.ends_with(b"\n");
            if unended && !at_end {
                return Ok(Done { consumed: at, cut_off: false });
            }
            if memchr::memchr(b'"', rest.get(..found.consumed).unwrap_or_default()).is_some() {
                place.quoted = true;
            }
            if let Err(kind) = self.row(place, piece) {
                // The last row of a file without a line end may be half of one.
                if unended {
                    return Ok(Done { consumed: end, cut_off: true });
                }
                return Err(Fault { line: place.line + found.lines_before, kind });
            }
            place.line += found.lines;
            at = end;
            if one_row {
                return Ok(Done { consumed: at, cut_off: false });
            }
        }
    }

    fn row(&mut self, place: &mut Rows, piece: &mut Piece) -> Result<(), FaultKind> {
        let layout = self.layout;
        let (found, wanted) = (self.record.len(), layout.columns.len());
        if found != wanted {
            return Err(FaultKind::RowLength { found, wanted });
        }
        // The whole row is checked before any of it counts, since half of one may be cut off.
        let now = self.time(place)?;
        for (number, column) in layout.columns.iter().enumerate() {
            self.check(number, *column)?;
        }
        place.next_row(now, piece);
        for (number, column) in layout.columns.iter().enumerate() {
            self.take(number, *column, now, piece);
        }
        Ok(())
    }

    /// The row's time since the start, or its number where rows are samples.
    fn time(&self, place: &mut Rows) -> Result<Nanos, FaultKind> {
        if place.by_rate {
            place.origin.get_or_insert(Origin(0));
            return Ok(Nanos(place.rows));
        }
        let cell = self.record.cell(0);
        let file_time = file_time(cell, self.layout.time_power())?;
        place.since_start(file_time, cell)
    }

    fn check(&self, number: usize, column: Column) -> Result<(), FaultKind> {
        let layout = self.layout;
        let cell = self.record.cell(number);
        let name = || layout.names.get(number).cloned().unwrap_or_default();
        match column {
            Column::Levels { .. } if !matches!(cell, b"0" | b"1") => {
                Err(FaultKind::CellLevel { found: shown(cell), column: name() })
            }
            Column::Digitised { .. } if value(cell).is_none() => {
                Err(FaultKind::CellNumber { found: shown(cell), column: name() })
            }
            Column::Numbers { number } if layout.head.wants(number) && value(cell).is_none() => {
                Err(FaultKind::CellNumber { found: shown(cell), column: name() })
            }
            _ => Ok(()),
        }
    }

    fn take(&self, number: usize, column: Column, now: Nanos, piece: &mut Piece) {
        let layout = self.layout;
        let cell = self.record.cell(number);
        match column {
            Column::Levels { signal } => piece.set(signal, now, cell == b"1"),
            Column::Digitised { signal } => {
                let level = layout.thresholds.zip(value(cell)).and_then(|(both, value)| both.level(value));
                if let Some(high) = level {
                    piece.set(signal, now, high);
                }
            }
            Column::Numbers { number } if layout.head.wants(number) => {
                if let Some(value) = value(cell) {
                    piece.read(number, now, value);
                }
            }
            _ => {}
        }
    }
}

/// A time cell in nanoseconds, exact to the rounding with halves up.
pub(super) fn file_time(cell: &[u8], power: i32) -> Result<i64, FaultKind> {
    let number = Decimal::parse(cell).ok_or_else(|| FaultKind::NoTime(shown(cell)))?;
    let nanos = number.scaled(power).and_then(|(nanos, _)| i64::try_from(nanos).ok());
    nanos.filter(|nanos| nanos.abs() <= MOST_FILE_TIME_NS).ok_or_else(|| FaultKind::TimeTooLarge(shown(cell)))
}

pub(super) fn value(cell: &[u8]) -> Option<f64> {
    let text = std::str::from_utf8(cell).ok()?;
    text.parse().ok().filter(|value: &f64| value.is_finite())
}
