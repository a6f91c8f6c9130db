//! Rows of 0 and 1, a whole row at a time: the fast form.
//!
//! A row mostly has the shape of the one before: a time of as many characters, then the same levels. So its
//! length is known before it is seen, and all that is worked out is that its time did not run backwards. Where
//! levels differ, the row is taken apart; whatever has another shape goes to the plain form, a row at a time.

use super::columns::{Column, Layout, TimeForm};
use super::dialect::LevelWords;
use super::numbers;
use super::rows::RowReader;
use crate::error::Fault;
use crate::piece::Piece;
use crate::pipeline::ParseProgress;
use crate::rows::Rows;
use crate::word::{DIGIT, Range, Word};
use reigen_core::cast;
use reigen_core::time::Nanos;

/// The most characters of a time that the fast form takes.
const MOST_TIME: usize = 16;

/// Reads as [`RowReader::read`] does.
pub(super) fn read(
    reader: &mut RowReader<'_>,
    place: &mut Rows,
    layout: &Layout,
    bytes: &[u8],
    at_end: bool,
    piece: &mut Piece,
) -> Result<ParseProgress, Fault> {
    if layout.samples.is_some() {
        return reader.read(place, bytes, at_end, false, piece);
    }
    let Some(signals) = signals(layout) else {
        return numbers::read(reader, place, layout, bytes, at_end, piece);
    };
    let mut at = 0;
    loop {
        let rest = bytes.get(at..).unwrap_or_default();
        let done = reader.read(place, rest, at_end, true, piece)?;
        if done.cut_off || done.consumed == 0 || at + done.consumed == bytes.len() {
            return Ok(ParseProgress { consumed: at + done.consumed, cut_off: done.cut_off });
        }
        let row = rest.get(..done.consumed).unwrap_or_default();
        at += done.consumed;
        if let Some(mut shape) = Shape::of(row, layout, signals.len()) {
            at += shape.rows(place, layout, &signals, bytes.get(at..).unwrap_or_default(), piece);
        }
    }
}

/// The signals of the columns after the time; `None` where not all of them are levels in digits, or the time is
/// no number in the first column.
fn signals(layout: &Layout) -> Option<Vec<usize>> {
    let levels = match layout.time {
        None => layout.columns.as_slice(),
        Some((0, TimeForm::Number(_))) => layout.columns.get(1..)?,
        Some(_) => return None,
    };
    levels
        .iter()
        .map(|column| match column {
            Column::Levels { signal, words: LevelWords::Digits } => Some(*signal),
            _ => None,
        })
        .collect()
}

/// What the rows look like at present.
struct Shape {
    /// The time's characters; none where rows are samples.
    time: usize,
    /// What its first and its last eight bytes must be; where it has fewer, both are the first.
    first: Word,
    last: Word,
    /// Where the last eight begin, and the bits of the time among the first.
    last_at: usize,
    mask: u64,
    /// The last time's first and last eight bytes, to be compared as text.
    shown: (u64, u64),
    /// The levels of the last row, with what parts and ends them.
    levels: Vec<u8>,
}

impl Shape {
    /// The shape of a row; `None` where the fast form does not take such rows.
    fn of(row: &[u8], layout: &Layout, signals: usize) -> Option<Self> {
        let time = match layout.head.rate {
            Some(_) => 0,
            None => row.iter().position(|byte| *byte == layout.dialect.separator)?,
        };
        let (text, levels) = row.split_at_checked(time)?;
        let parting = usize::from(layout.head.rate.is_none());
        let end = if levels.ends_with(b"\r\n") { 2 } else { 1 };
        let plain = levels.len() == parting + 2 * signals - 1 + end && levels.ends_with(b"\n");
        let cells_plain = levels.iter().skip(parting).step_by(2).take(signals).all(|byte| matches!(byte, b'0' | b'1'));
        let time_plain =
            time <= MOST_TIME && text.iter().all(|byte| byte.is_ascii_digit() || *byte == layout.dialect.decimal);
        if !(plain && cells_plain && time_plain) || signals == 0 || row.len() < 8 {
            return None;
        }
        let ranges: Vec<Range> =
            text.iter().map(|byte| if byte.is_ascii_digit() { DIGIT } else { (*byte, 1) }).collect();
        let last_at = time.saturating_sub(8);
        let mut shape = Self {
            time,
            first: Word::of(&ranges),
            last: Word::of(ranges.get(last_at..).unwrap_or_default()),
            last_at,
            mask: 1u64.checked_shl(8 * cast::u32_from_usize(time)).map_or(u64::MAX, |one| one - 1),
            shown: (0, 0),
            levels: levels.to_vec(),
        };
        shape.shown = shape.time_text(row)?;
        Some(shape)
    }

    /// Reads rows as long as they have this shape; gives the bytes that they take.
    fn rows(&mut self, place: &mut Rows, layout: &Layout, signals: &[usize], bytes: &[u8], piece: &mut Piece) -> usize {
        let length = self.time + self.levels.len();
        let mut rows = 0;
        loop {
            let rest = bytes.get(rows * length..).unwrap_or_default();
            let (unchanged, shown) = self.unchanged(rest);
            self.shown = shown;
            rows += unchanged;
            // The next row has other levels, or another shape.
            let Some(row) = rest.get(unchanged * length..).and_then(|rest| rest.get(..length)) else { break };
            let Some(text) = self.time_text(row).filter(|text| *text >= self.shown) else { break };
            let (time, levels) = row.split_at(self.time);
            let Some(now) = now(place, layout, time, rows) else { break };
            if !self.take(levels, signals, now, layout, piece) {
                break;
            }
            self.shown = text;
            rows += 1;
        }
        let last = rows.checked_sub(1).and_then(|last| bytes.get(last * length..last * length + self.time));
        // That the last time is one, and not before the others, is known.
        if let Some(now) = last.and_then(|time| now(place, layout, time, rows - 1)) {
            place.line += rows as u64;
            place.rows += rows as u64 - 1;
            place.next_row(now, piece);
        }
        length * rows
    }

    /// How many rows follow that have this shape and the same levels, and the last time among them.
    ///
    /// This is the loop in which the time of a run goes; it writes nothing.
    #[inline(never)]
    fn unchanged(&self, bytes: &[u8]) -> (usize, (u64, u64)) {
        let (levels, mut shown, mut rows) = (self.levels.as_slice(), self.shown, 0);
        for row in bytes.chunks_exact(self.time + levels.len()) {
            let Some(text) = self.time_text(row) else { break };
            let same = row.get(self.time..).is_some_and(|row| same(row, levels));
            if !same || text < shown {
                break;
            }
            shown = text;
            rows += 1;
        }
        (rows, shown)
    }

    /// The text of a row's time, in a form that compares as the time does; `None` where it is of another shape.
    #[inline(always)]
    fn time_text(&self, row: &[u8]) -> Option<(u64, u64)> {
        if self.time == 0 {
            return Some((0, 0));
        }
        let first = u64::from_le_bytes(*row.first_chunk()?) & self.mask;
        let last = u64::from_le_bytes(*row.get(self.last_at..)?.first_chunk()?) & self.mask;
        let fits = self.first.misfit(first) | self.last.misfit(last) == 0;
        fits.then_some((first.swap_bytes(), last.swap_bytes()))
    }

    /// Takes a row apart whose levels differ; false where it is of another shape.
    fn take(&mut self, levels: &[u8], signals: &[usize], now: Nanos, layout: &Layout, piece: &mut Piece) -> bool {
        let parting = usize::from(layout.head.rate.is_none());
        let same_but_levels = levels.iter().zip(&self.levels).enumerate().all(|(at, (new, old))| {
            let is_level = at >= parting && (at - parting) % 2 == 0 && (at - parting) / 2 < signals.len();
            if is_level { matches!(new, b'0' | b'1') } else { new == old }
        });
        if !same_but_levels {
            return false;
        }
        for (cell, &signal) in levels.iter().skip(parting).step_by(2).zip(signals) {
            piece.set(signal, now, *cell == b'1');
        }
        self.levels.copy_from_slice(levels);
        true
    }
}

/// The time since the start of a row `rows` after the next one.
fn now(place: &mut Rows, layout: &Layout, time: &[u8], rows: usize) -> Option<Nanos> {
    match layout.head.rate {
        Some(_) => Some(Nanos(place.rows + rows as u64)),
        None => place.since_start(layout.file_time(time).ok()?, time).ok(),
    }
}

/// Whether two stretches of the same length are the same, eight bytes at a time.
#[inline(always)]
fn same(one: &[u8], other: &[u8]) -> bool {
    let (Some(last), Some(other_last)) = (one.last_chunk::<8>(), other.last_chunk::<8>()) else {
        return one == other;
    };
    let mut different = u64::from_ne_bytes(*last) ^ u64::from_ne_bytes(*other_last);
    for (word, other) in one.as_chunks::<8>().0.iter().zip(other.as_chunks::<8>().0) {
        different |= u64::from_ne_bytes(*word) ^ u64::from_ne_bytes(*other);
    }
    different == 0
}
