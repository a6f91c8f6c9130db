//! The rows of a CSV, cell by cell: the plain form.

use super::columns::{Column, Layout};
use super::record::{Record, blank, line_ends};
use crate::error::{Fault, FaultKind, shown};
use crate::piece::Piece;
use crate::pipeline::ParseProgress;
use crate::rows::Rows;
use reigen_core::time::{Nanos, Origin};

/// Reads rows, whatever they look like.
pub(super) struct RowReader<'a> {
    layout: &'a Layout,
    record: &'a mut Record,
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
    ) -> Result<ParseProgress, Fault> {
        let mut at = 0;
        loop {
            let rest = bytes.get(at..).unwrap_or_default();
            let Some(found) = self.record.read(rest, at_end) else {
                // What is left is the beginning of a row, or nothing but line ends.
                let consumed = if at_end { bytes.len() } else { at + self.pass_blank(place, rest) };
                return Ok(ParseProgress { consumed, cut_off: false });
            };
            let end = at + found.consumed;
            let unended = end == bytes.len() && !bytes.ends_with(b"\n");
            if unended && !at_end {
                return Ok(ParseProgress { consumed: at, cut_off: false });
            }
            if memchr::memchr(b'"', rest.get(..found.consumed).unwrap_or_default()).is_some() {
                place.quoted = true;
            }
            if let Err(kind) = self.row(place, piece) {
                // The last row of a file without a line end may be half of one.
                if unended {
                    place.line += found.lines_before;
                    return Ok(ParseProgress { consumed: end, cut_off: true });
                }
                return Err(Fault { line: place.line + found.lines_before, kind });
            }
            place.line += found.lines;
            at = end;
            if one_row {
                return Ok(ParseProgress { consumed: at, cut_off: false });
            }
        }
    }

    /// Passes over blank lines; a `\r` at the end stays, since it may be half of a line end.
    fn pass_blank(&self, place: &mut Rows, bytes: &[u8]) -> usize {
        let blank = match blank(bytes) {
            count if count == bytes.len() && bytes.ends_with(b"\r") => count - 1,
            count => count,
        };
        place.line += line_ends(bytes, blank);
        blank
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
            let after = layout.samples.as_ref().map_or(Nanos(0), |samples| samples.sample_of(number));
            self.take(number, *column, now + after, piece);
        }
        if let Some(samples) = &layout.samples {
            place.end_burst(samples.count, now + samples.after(samples.count - 1), piece);
        }
        Ok(())
    }

    /// The row's time since the start, or the number of its first sample where rows are samples.
    fn time(&self, place: &mut Rows) -> Result<Nanos, FaultKind> {
        let Some((column, _)) = self.layout.time else {
            place.origin.get_or_insert(Origin(0));
            return Ok(Nanos(place.rows));
        };
        let cell = self.record.cell(column);
        place.since_start(self.layout.file_time(cell)?, cell)
    }

    /// Whether a cell says what its column wants, or nothing.
    fn check(&self, number: usize, column: Column) -> Result<(), FaultKind> {
        let layout = self.layout;
        let cell = self.record.cell(number);
        let name = || layout.names.get(number).cloned().unwrap_or_default();
        let fits = match column {
            _ if cell.is_empty() => true,
            Column::Levels { words, .. } if words.level(cell).is_none() => {
                return Err(FaultKind::CellLevel {
                    found: shown(cell),
                    column: name(),
                    words: words.told().to_owned(),
                });
            }
            Column::Pair { pair, .. } => {
                let pair = layout.pairs.get(pair);
                let Some(pair) = pair.filter(|pair| pair.level(cell).is_none()) else { return Ok(()) };
                return Err(FaultKind::CellLevel { found: shown(cell), column: name(), words: pair.told() });
            }
            Column::Digitised { .. } => layout.dialect.value(cell).is_some(),
            Column::Numbers { number } if layout.head.wants(number) => layout.dialect.value(cell).is_some(),
            _ => true,
        };
        match fits {
            true => Ok(()),
            false if layout.dialect.swapped().value(cell).is_some() => Err(layout.other_mark(cell, &name())),
            false => Err(FaultKind::CellNumber { found: shown(cell), column: name() }),
        }
    }

    fn take(&self, number: usize, column: Column, now: Nanos, piece: &mut Piece) {
        let layout = self.layout;
        let cell = self.record.cell(number);
        match column {
            Column::Levels { signal, words } => {
                words.level(cell).into_iter().for_each(|high| piece.set(signal, now, high));
            }
            Column::Pair { signal, pair } if !cell.is_empty() => {
                let level = layout.pairs.get(pair).and_then(|pair| pair.level(cell));
                level.into_iter().for_each(|high| piece.set(signal, now, high));
            }
            Column::Digitised { signal } => {
                let value = layout.dialect.value(cell);
                let level = layout.thresholds.zip(value).and_then(|(both, value)| both.level(value));
                level.into_iter().for_each(|high| piece.set(signal, now, high));
            }
            Column::Numbers { number } if layout.head.wants(number) => {
                layout.dialect.value(cell).into_iter().for_each(|value| piece.read(number, now, value));
            }
            _ => {}
        }
    }
}
