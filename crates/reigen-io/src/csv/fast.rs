//! Rows of 0 and 1, a whole row at a time: the fast form.
//!
//! A row mostly has the shape of the one before: a time of as many characters, then the same levels. So its
//! length is known before it is seen, and all that is worked out is that its time did not run backwards. Where
//! levels differ, the row is taken apart; whatever has another shape goes to the plain form, a row at a time.

use super::columns::{Column, Layout};
use super::rows::{RowReader, Rows, file_time};
use crate::error::Fault;
use crate::piece::Piece;
use crate::pipeline::Done;
use reigen_core::time::Nanos;

/// The most characters of a time that the fast form takes.
const MOST_TIME: usize = 16;
/// Bytes that must follow a row's start for it to be looked at.
const SPARE: usize = 16;

/// Reads as [`RowReader::read`] does.
pub(super) fn read(
    place: &mut Rows,
    layout: &Layout,
    bytes: &[u8],
    at_end: bool,
    piece: &mut Piece,
) -> Result<Done, Fault> {
    let Some(signals) = signals(layout) else {
        return RowReader::new(place, layout).read(bytes, at_end, false, piece);
    };
    let mut at = 0;
    loop {
        let rest = bytes.get(at..).unwrap_or_default();
        let done = RowReader::new(place, layout).read(rest, at_end, true, piece)?;
        if done.cut_off || done.consumed == 0 || at + done.consumed == bytes.len() {
            return Ok(Done { consumed: at + done.consumed, cut_off: done.cut_off });
        }
        let row = rest.get(..done.consumed).unwrap_or_default();
        at += done.consumed;
        if let Some(mut shape) = Shape::of(row, layout, signals.len()) {
            at += shape.rows(place, layout, &signals, bytes.get(at..).unwrap_or_default(), piece);
        }
    }
}

/// The signals of the columns after the time; `None` where not all of them are levels.
fn signals(layout: &Layout) -> Option<Vec<usize>> {
    let levels = layout.columns.iter().filter(|column| !matches!(column, Column::Time(_)));
    levels
        .map(|column| match column {
            Column::Levels { signal } => Some(*signal),
            _ => None,
        })
        .collect()
}

/// What the rows look like at present.
struct Shape {
    /// The time's characters; none where rows are samples.
    time: usize,
    /// A mask over the time's bytes that are digits, the last byte of the time lowest.
    digits: u128,
    /// The bytes of the time that are none.
    others: u128,
    /// The last time, as text.
    last: u128,
    /// The levels of the last row, with what parts and ends them.
    levels: Vec<u8>,
}

impl Shape {
    /// The shape of a row; `None` where the fast form does not take such rows.
    fn of(row: &[u8], layout: &Layout, signals: usize) -> Option<Self> {
        let time = match layout.rate {
            Some(_) => 0,
            None => row.iter().position(|byte| *byte == b',')?,
        };
        let (text, levels) = row.split_at_checked(time)?;
        let parting = usize::from(layout.rate.is_none());
        let end = if levels.ends_with(b"\r\n") { 2 } else { 1 };
        let plain = levels.len() == parting + 2 * signals - 1 + end && levels.ends_with(b"\n");
        let cells_plain = levels.iter().skip(parting).step_by(2).take(signals).all(|byte| matches!(byte, b'0' | b'1'));
        let time_plain = time <= MOST_TIME && text.iter().all(|byte| byte.is_ascii_digit() || *byte == b'.');
        if !(plain && cells_plain && time_plain) || signals == 0 {
            return None;
        }
        let mut shape = Self { time, digits: 0, others: 0, last: 0, levels: levels.to_vec() };
        for byte in text {
            let is_digit = byte.is_ascii_digit();
            shape.digits = shape.digits << 8 | if is_digit { 0xff } else { 0 };
            shape.others = shape.others << 8 | if is_digit { 0 } else { u128::from(*byte) };
            shape.last = shape.last << 8 | u128::from(*byte);
        }
        Some(shape)
    }

    /// Reads rows as long as they have this shape; gives the bytes that they take.
    fn rows(&mut self, place: &mut Rows, layout: &Layout, signals: &[usize], bytes: &[u8], piece: &mut Piece) -> usize {
        let length = self.time + self.levels.len();
        let (mut at, mut rows) = (0, 0);
        while let Some(row) = bytes.get(at..at + length + SPARE) {
            let (time, levels) = row.split_at(self.time);
            let Some(text) = self.time_text(row) else { break };
            let levels = levels.get(..self.levels.len()).unwrap_or_default();
            if !same(levels, &self.levels) {
                let Some(now) = now(place, layout, time, rows) else { break };
                if !self.take(levels, signals, now, layout, piece) {
                    break;
                }
            }
            self.last = text;
            at += length;
            rows += 1;
        }
        self.leave(place, layout, rows, piece);
        at
    }

    /// The text of a row's time; `None` where it is of another shape, or before the last.
    #[inline]
    fn time_text(&self, row: &[u8]) -> Option<u128> {
        if self.time == 0 {
            return Some(0);
        }
        let text = u128::from_be_bytes(*row.first_chunk()?) >> (8 * (MOST_TIME - self.time));
        const ZEROS: u128 = u128::from_ne_bytes([b'0'; 16]);
        const SIX: u128 = u128::from_ne_bytes([6; 16]);
        const HIGH: u128 = u128::from_ne_bytes([0xf0; 16]);
        let digits = self.digits;
        let high = text & HIGH & digits == ZEROS & digits;
        let low = (text & digits).wrapping_add(SIX & digits) & HIGH & digits == ZEROS & digits;
        let others = text & !digits == self.others;
        (high && low && others && text >= self.last).then_some(text)
    }

    /// Takes a row apart whose levels differ; false where it is of another shape.
    fn take(&mut self, levels: &[u8], signals: &[usize], now: Nanos, layout: &Layout, piece: &mut Piece) -> bool {
        let parting = usize::from(layout.rate.is_none());
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

    /// Leaves the place after the last of `rows` rows.
    fn leave(&self, place: &mut Rows, layout: &Layout, rows: u64, piece: &mut Piece) {
        if rows == 0 {
            return;
        }
        let bytes = self.last.to_be_bytes();
        let text = bytes.get(MOST_TIME - self.time..).unwrap_or_default();
        if let Some(now) = now(place, layout, text, rows - 1) {
            place.line += rows;
            place.rows += rows - 1;
            place.next_row(now, piece);
        }
    }
}

/// The time since the start of a row `rows` after the next one.
fn now(place: &mut Rows, layout: &Layout, time: &[u8], rows: u64) -> Option<Nanos> {
    match layout.rate {
        Some(_) => Some(Nanos(place.rows + rows)),
        None => place.since_start(file_time(time, layout.time_power()).ok()?, time).ok(),
    }
}

/// Whether two stretches of the same length are the same, eight bytes at a time.
#[inline]
fn same(one: &[u8], other: &[u8]) -> bool {
    let length = one.len().min(other.len());
    if length < 8 {
        return one == other;
    }
    let word = |bytes: &[u8], at: usize| {
        bytes.get(at..).and_then(<[u8]>::first_chunk).map_or(0, |eight| u64::from_ne_bytes(*eight))
    };
    let mut different = word(one, length - 8) ^ word(other, length - 8);
    let mut at = 0;
    while at + 8 < length {
        different |= word(one, at) ^ word(other, at);
        at += 8;
    }
    different == 0
}
