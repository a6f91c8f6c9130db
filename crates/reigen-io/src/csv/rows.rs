//! The rows of a CSV, cell by cell: the plain form.

use super::columns::{Column, Layout};
use super::record::Record;
use crate::error::{Fault, FaultKind, shown};
use crate::piece::Piece;
use reigen_core::quantity::Decimal;
use reigen_core::time::{MOST_FILE_TIME_NS, Nanos, Origin, seconds_text};

/// Where the reader stands among the rows.
pub(super) struct Rows {
    record: Record,
    /// The file's own first time, once there was one.
    pub(super) origin: Option<Origin>,
    /// The line, from 1.
    pub(super) line: u64,
    /// How many rows there were.
    rows: u64,
    now: Nanos,
}

/// How far the reader came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Done {
    /// The bytes that it has dealt with.
    pub(super) consumed: usize,
    /// Whether the file ends in the middle of a row.
    pub(super) cut_off: bool,
}

impl Rows {
    /// At the row after the header.
    pub(super) fn new(record: Record, line: u64) -> Self {
        Self { record, origin: None, line, rows: 0, now: Nanos(0) }
    }

    /// Reads all whole rows of `bytes` into `piece`; `at_end` says that no bytes come after them.
    pub(super) fn read(
        &mut self,
        layout: &Layout,
        bytes: &[u8],
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<Done, Fault> {
        let mut at = 0;
        loop {
            let rest = bytes.get(at..).unwrap_or_default();
            let Some(found) = self.record.read(rest, at_end) else {
                let consumed = if at_end { bytes.len() } else { at };
                return Ok(Done { consumed, cut_off: false });
            };
            let end = at + found.consumed;
            if end == bytes.len() && !at_end {
                // A quote or a line feed may still follow.
                return Ok(Done { consumed: at, cut_off: false });
            }
            if let Err(kind) = self.row(layout, piece) {
                // The last row of a file without a line end may be half of one.
                if at_end && end == bytes.len() && !bytes.ends_with(b"\n") {
                    return Ok(Done { consumed: end, cut_off: true });
                }
                return Err(Fault { line: self.line + found.lines_before, kind });
            }
            self.line += found.lines;
            at = end;
        }
    }

    fn row(&mut self, layout: &Layout, piece: &mut Piece) -> Result<(), FaultKind> {
        let (found, wanted) = (self.record.len(), layout.columns.len());
        if found != wanted {
            return Err(FaultKind::RowLength { found, wanted });
        }
        // The whole row is checked before any of it counts, since half of one may be cut off.
        let now = self.time(layout)?;
        for (number, column) in layout.columns.iter().enumerate() {
            self.check(layout, number, *column)?;
        }
        self.now = now;
        self.rows += 1;
        piece.last_time = Some(now);
        for (number, column) in layout.columns.iter().enumerate() {
            self.take(layout, number, *column, piece);
        }
        Ok(())
    }

    /// The row's time since the start.
    fn time(&mut self, layout: &Layout) -> Result<Nanos, FaultKind> {
        let cell = self.record.cell(0);
        let Some(rate) = layout.rate else {
            let power = match layout.columns.first() {
                Some(Column::Time(power)) => *power,
                _ => 0,
            };
            let file_time = file_time(cell, power)?;
            let origin = *self.origin.get_or_insert(Origin(file_time));
            return match origin.since_start(file_time) {
                Some(time) if time >= self.now => Ok(time),
                _ => {
                    let before = format!("{} s", seconds_text(origin.file_time_ns(self.now)));
                    Err(FaultKind::Backwards { found: shown(cell), before })
                }
            };
        };
        self.origin.get_or_insert(Origin(0));
        rate.time_of(self.rows).ok_or_else(|| FaultKind::TimeTooLarge(format!("of sample {}", self.rows)))
    }

    fn check(&self, layout: &Layout, number: usize, column: Column) -> Result<(), FaultKind> {
        let cell = self.record.cell(number);
        let name = || layout.names.get(number).cloned().unwrap_or_default();
        match column {
            Column::Levels { .. } if !matches!(cell, b"0" | b"1") => {
                Err(FaultKind::CellLevel { found: shown(cell), column: name() })
            }
            Column::Digitised { .. } if value(cell).is_none() => {
                Err(FaultKind::CellNumber { found: shown(cell), column: name() })
            }
            Column::Numbers { number } if layout.wants(number) && value(cell).is_none() => {
                Err(FaultKind::CellNumber { found: shown(cell), column: name() })
            }
            _ => Ok(()),
        }
    }

    fn take(&self, layout: &Layout, number: usize, column: Column, piece: &mut Piece) {
        let cell = self.record.cell(number);
        match column {
            Column::Levels { signal } => piece.set(signal, self.now, cell == b"1"),
            Column::Digitised { signal } => {
                let level = layout.thresholds.zip(value(cell)).and_then(|(both, value)| both.level(value));
                if let Some(high) = level {
                    piece.set(signal, self.now, high);
                }
            }
            Column::Numbers { number } if layout.wants(number) => {
                if let Some(value) = value(cell) {
                    piece.readings.push((number, self.now, value));
                }
            }
            _ => {}
        }
    }
}

/// A time cell in nanoseconds, exact to the rounding with halves up.
fn file_time(cell: &[u8], power: i32) -> Result<i64, FaultKind> {
    let number = Decimal::parse(cell).ok_or_else(|| FaultKind::NoTime(shown(cell)))?;
    let nanos = number.scaled(power).and_then(|(nanos, _)| i64::try_from(nanos).ok());
    nanos
        .filter(|nanos| nanos.abs() <= MOST_FILE_TIME_NS)
        .ok_or_else(|| FaultKind::TimeTooLarge(shown(cell)))
}

fn value(cell: &[u8]) -> Option<f64> {
    let text = std::str::from_utf8(cell).ok()?;
    text.parse().ok().filter(|value: &f64| value.is_finite())
}
