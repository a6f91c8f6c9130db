//! Rows with numbers in them, cell by cell without quotes: the fast form.
//!
//! A cell of up to seven digits and a point is worked as one word of eight bytes. Whatever is longer goes digit by
//! digit; whatever is no plain number goes to the plain form, a row at a time.

use super::blocks::Blocks;
use super::columns::{Column, Layout, TimeForm};
use super::dialect::LevelWords;
use super::marks::Marks;
use super::rows::RowReader;
use crate::date::{Moments, dated};
use crate::error::Fault;
use crate::piece::Piece;
use crate::pipeline::ParseProgress;
use crate::rows::Rows;
use reigen_core::time::Nanos;

/// Reads as [`RowReader::read`] does.
pub(super) fn read(
    reader: &mut RowReader<'_>,
    place: &mut Rows,
    layout: &Layout,
    bytes: &[u8],
    at_end: bool,
    piece: &mut Piece,
) -> Result<ParseProgress, Fault> {
    let mut at = 0;
    let mut row = Row::new(layout);
    let marks = Marks::new(layout.dialect);
    let mut blocks = Blocks::new(layout, &marks);
    loop {
        if let Some(blocks) = &mut blocks {
            at += blocks.take(place, bytes.get(at..).unwrap_or_default(), piece);
        }
        while let Some(length) = row.take(place, bytes.get(at..).unwrap_or_default(), piece) {
            at += length;
        }
        let rest = bytes.get(at..).unwrap_or_default();
        let done = reader.read(place, rest, at_end, true, piece)?;
        at += done.consumed;
        if done.cut_off || done.consumed == 0 || at == bytes.len() {
            return Ok(ParseProgress { consumed: at, cut_off: done.cut_off });
        }
    }
}

/// A row in the making: what its cells come to, before any of it counts.
struct Row<'a> {
    layout: &'a Layout,
    marks: Marks,
    moments: Moments,
    values: Vec<f64>,
}

impl<'a> Row<'a> {
    fn new(layout: &'a Layout) -> Self {
        let values = Vec::with_capacity(layout.columns.len());
        Self { layout, marks: Marks::new(layout.dialect), moments: Moments::default(), values }
    }

    /// Takes the next row; gives its length, or `None` where the plain form must look at it.
    #[inline]
    fn take(&mut self, place: &mut Rows, bytes: &[u8], piece: &mut Piece) -> Option<usize> {
        let mut at = 0;
        let mut now = Nanos(place.rows);
        self.values.clear();
        let last = self.layout.columns.len().checked_sub(1)?;
        for (number, column) in self.layout.columns.iter().enumerate() {
            let rest = bytes.get(at..)?;
            let length = match column {
                Column::Time => {
                    let (time, length) = self.time(rest)?;
                    now = place.since_start(time, rest.get(..length)?).ok()?;
                    length
                }
                Column::Levels { words: LevelWords::Digits, .. } => {
                    self.values.push(match rest.first()? {
                        b'0' => 0.0,
                        b'1' => 1.0,
                        _ => return None,
                    });
                    1
                }
                Column::Levels { words, .. } => {
                    let length = self.unquoted(rest)?;
                    self.values.push(f64::from(u8::from(words.level(rest.get(..length)?)?)));
                    length
                }
                Column::Pair { pair, .. } => {
                    let length = self.unquoted(rest)?;
                    let cell = rest.get(..length).filter(|cell| !cell.is_empty())?;
                    self.values.push(f64::from(u8::from(self.layout.pairs.get(*pair)?.level(cell)?)));
                    length
                }
                Column::Digitised { .. } => self.number(rest)?,
                Column::Numbers { number } if self.layout.head.wants(*number) => self.number(rest)?,
                Column::Numbers { .. } | Column::Words => self.unquoted(rest)?,
            };
            at += length;
            match (*bytes.get(at)?, number == last) {
                // A blank line is no row.
                (b'\n', true) if at > 0 => at += 1,
                (b'\r', true) if at > 0 && bytes.get(at + 1) == Some(&b'\n') => at += 2,
                (byte, false) if byte == self.layout.dialect.separator => at += 1,
                _ => return None,
            }
        }
        self.count(place, now, piece);
        Some(at)
    }

    /// Reads a time; gives it in nanoseconds, and its length.
    #[inline]
    fn time(&mut self, bytes: &[u8]) -> Option<(i64, usize)> {
        match self.layout.time?.1 {
            TimeForm::Number(unit) => self.marks.file_time(bytes, unit.power()),
            TimeForm::Date { zoned } => {
                let length = self.unquoted(bytes)?;
                let cell = bytes.get(..length)?;
                Some((dated(self.moments.read(cell), zoned, cell).ok()?, length))
            }
        }
    }

    /// Reads a number; gives its length.
    #[inline]
    fn number(&mut self, bytes: &[u8]) -> Option<usize> {
        let (value, length) = self.marks.number(bytes)?;
        self.values.push(value);
        Some(length)
    }

    /// The length of a cell without quotes.
    fn unquoted(&self, bytes: &[u8]) -> Option<usize> {
        // A lone `\r` ends a row too, which is for the plain form to say.
        let length = memchr::memchr3(self.layout.dialect.separator, b'\n', b'\r', bytes)?;
        let cell = bytes.get(..length)?;
        let empty_between_spaces = length == 0 && self.layout.dialect.separator == b' ';
        (!cell.contains(&b'"') && !empty_between_spaces).then_some(length)
    }

    /// The row counts, now that all of it is read.
    #[inline]
    fn count(&self, place: &mut Rows, now: Nanos, piece: &mut Piece) {
        place.next_row(now, piece);
        place.line += 1;
        let mut values = self.values.iter();
        for column in &self.layout.columns {
            match column {
                Column::Time | Column::Words => {}
                Column::Levels { signal, .. } | Column::Pair { signal, .. } => {
                    piece.set(*signal, now, values.next() == Some(&1.0))
                }
                Column::Digitised { signal } => {
                    let level = self.layout.thresholds.zip(values.next()).and_then(|(both, value)| both.level(*value));
                    level.into_iter().for_each(|high| piece.set(*signal, now, high));
                }
                Column::Numbers { number } if self.layout.head.wants(*number) => {
                    values.next().into_iter().for_each(|value| piece.read(*number, now, *value));
                }
                Column::Numbers { .. } => {}
            }
        }
    }
}
