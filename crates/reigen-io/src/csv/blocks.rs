//! Rows of a time and numbers, in blocks: the fastest form, for files of numbers alone.
//!
//! First the ends of all cells of a block are found, 64 bytes at a time. So no cell waits for the one before it. Then each
//! column is worked out, and its values go to the piece together.

use super::columns::{Column, Layout, TimeForm};
use super::marks::Marks;
use crate::piece::Piece;
use crate::rows::Rows;
use reigen_core::time::Nanos;

/// So many rows make a block, at most.
const ROWS: usize = 64;
/// After a row of another shape the next block has so many.
const FEW_ROWS: usize = 4;
/// Rows of more cells than these are read one by one.
const MOST_CELLS: usize = 64;
/// So many bytes are searched for ends together.
const SEARCHED: usize = 64;
/// So many ends are noted without asking whether there are as many.
const NOTED: usize = 8;

/// A block in the making.
pub(super) struct Blocks<'a> {
    marks: &'a Marks,
    /// The power of ten of the time's unit, in nanoseconds.
    power: i32,
    /// For each cell after the time the number that it is; `None` where nobody wants it.
    cells: Vec<Option<usize>>,
    /// How many rows the next block is to have.
    rows: usize,
    /// Where cells end, row after row.
    ends: Vec<usize>,
    times: Vec<Nanos>,
    /// The values of each cell, row after row: whole numbers, and by what they are to be divided. A division takes as long as
    /// all else of a cell, and those of a block go on together.
    values: Vec<([f64; ROWS], [f64; ROWS])>,
}

impl<'a> Blocks<'a> {
    /// For rows of this layout; `None` where they hold something else than a time and numbers.
    pub(super) fn new(layout: &Layout, marks: &'a Marks) -> Option<Self> {
        let Some((0, TimeForm::Number(unit))) = layout.time else { return None };
        let cell = |column: &Column| match column {
            Column::Numbers { number } => Some(Some(*number).filter(|number| layout.head.wants(*number))),
            Column::Words => Some(None),
            _ => None,
        };
        let cells: Vec<Option<usize>> = layout.columns.get(1..)?.iter().map(cell).collect::<Option<_>>()?;
        let fits = (1..MOST_CELLS).contains(&cells.len());
        fits.then(|| Self {
            marks,
            power: unit.power(),
            rows: ROWS,
            // Each row may have two ends for its line, and the last search may find more than is wanted.
            ends: vec![0; ROWS * (cells.len() + 2) + SEARCHED + NOTED],
            times: Vec::with_capacity(ROWS),
            values: vec![([0.0; ROWS], [1.0; ROWS]); cells.len()],
            cells,
        })
    }

    /// Reads rows as long as they are plain; gives the bytes that they take.
    pub(super) fn take(&mut self, place: &mut Rows, bytes: &[u8], piece: &mut Piece) -> usize {
        let mut at = 0;
        loop {
            let rest = bytes.get(at..).unwrap_or_default();
            let stride = self.stride(rest);
            let found = self.find_ends(rest, self.rows * stride) / stride;
            let plain = self.plain_rows(rest, stride, found.min(self.rows));
            let timed = self.read_times(place, rest, stride, plain);
            let rows = self.read_values(rest, stride, timed);
            let length = rows.checked_sub(1).and_then(|last| self.ends.get(last * stride + stride - 1)).copied();
            self.count(place, rows, piece);
            at += length.map_or(0, |end| end + 1);
            let wanted = self.rows;
            self.rows = if rows == wanted { ROWS.min(2 * wanted) } else { FEW_ROWS };
            if rows < wanted {
                return at;
            }
        }
    }

    /// How many ends a row has: one more where its line ends in `\r\n`.
    fn stride(&self, bytes: &[u8]) -> usize {
        let two = memchr::memchr(b'\n', bytes).and_then(|at| bytes.get(at.checked_sub(1)?)) == Some(&b'\r');
        self.cells.len() + 1 + usize::from(two)
    }

    /// Finds so many ends of cells, or as many as there are; gives their number.
    ///
    /// Eight bytes and more follow the last of them.
    fn find_ends(&mut self, bytes: &[u8], wanted: usize) -> usize {
        let searched = bytes.get(..bytes.len().saturating_sub(8)).unwrap_or_default();
        let mut found = 0;
        for (number, bytes) in searched.as_chunks::<SEARCHED>().0.iter().enumerate() {
            let mut ends = self.marks.ends(bytes);
            let after = found + ends.count_ones() as usize;
            while found < after {
                let Some(noted) = self.ends.get_mut(found..found + NOTED) else { return found };
                for end in noted {
                    *end = number * SEARCHED + ends.trailing_zeros() as usize;
                    ends &= ends.wrapping_sub(1);
                }
                found += NOTED;
            }
            found = after;
            if found >= wanted {
                return wanted;
            }
        }
        found
    }

    /// How many of these rows have the shape of a row: separators between the cells, and a line end.
    fn plain_rows(&self, bytes: &[u8], stride: usize, rows: usize) -> usize {
        let is = |at: &usize, wanted: u8| bytes.get(*at) == Some(&wanted);
        let is_plain = |row: &[usize]| {
            let Some((parting, line_end)) = row.split_at_checked(self.cells.len()) else { return false };
            let parted = parting.iter().all(|at| bytes.get(*at).is_some_and(|byte| self.marks.is_separator(*byte)));
            let ended = match line_end {
                [end] => is(end, b'\n'),
                [end, next] => is(end, b'\r') && *next == end + 1 && is(next, b'\n'),
                _ => false,
            };
            parted && ended
        };
        self.ends.chunks_exact(stride).take(rows).take_while(|row| is_plain(row)).count()
    }

    /// Reads the times of so many rows, as long as they rise; gives how many do.
    fn read_times(&mut self, place: &Rows, bytes: &[u8], stride: usize, rows: usize) -> usize {
        let (mut start, mut now) = (0, place.now);
        let Some(origin) = place.origin else { return 0 };
        for row in self.ends.chunks_exact(stride).take(rows) {
            let (Some(end), Some(line_end)) = (row.first(), row.last()) else { break };
            let file_time = self.marks.nanos(bytes, start, *end, self.power);
            let Some(time) = file_time.and_then(|time| origin.since_start(time)).filter(|time| *time > now) else {
                break;
            };
            self.times.push(time);
            (now, start) = (time, line_end + 1);
        }
        self.times.len()
    }

    /// Reads the wanted values of so many rows; gives how many rows have them all.
    fn read_values(&mut self, bytes: &[u8], stride: usize, rows: usize) -> usize {
        let mut rows = rows;
        for (number, (cell, (wholes, powers))) in self.cells.iter().zip(&mut self.values).enumerate() {
            if cell.is_none() {
                continue;
            }
            let room = wholes.iter_mut().zip(powers);
            let mut read = 0;
            for (row, (whole, power)) in self.ends.chunks_exact(stride).zip(room).take(rows) {
                let Some([before, end]) = row.get(number..).and_then(<[usize]>::first_chunk) else { break };
                let Some(fraction) = self.marks.fraction(bytes, before + 1, *end) else { break };
                (*whole, *power) = fraction;
                read += 1;
            }
            rows = read;
        }
        rows
    }

    /// So many rows of the block count.
    fn count(&mut self, place: &mut Rows, rows: usize, piece: &mut Piece) {
        self.times.truncate(rows);
        place.line += rows as u64;
        for time in &self.times {
            place.next_row(*time, piece);
        }
        for (cell, (wholes, powers)) in self.cells.iter().zip(&self.values) {
            let Some(number) = *cell else { continue };
            let values = wholes.iter().zip(powers).map(|(whole, power)| whole / power);
            piece.read_many(number, &self.times, values.take(rows));
        }
        self.times.clear();
    }
}
