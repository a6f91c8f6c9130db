//! Rows of a time and numbers, in blocks: the fastest form, for files of numbers alone.
//!
//! The ends of a row's cells are found first, eight bytes at a time. So no cell waits for the one before it, and the
//! processor works several at once. Rows of a block go to the columns together.

use super::columns::{Column, Layout, TimeForm};
use super::marks::Marks;
use crate::piece::Piece;
use crate::rows::Rows;
use reigen_core::time::Nanos;

/// So many rows make a block.
const ROWS: usize = 64;
/// Rows of more cells than these are read one by one.
const MOST_CELLS: usize = 64;

/// A block in the making.
pub(super) struct Blocks<'a> {
    marks: &'a Marks,
    /// The power of ten of the time's unit, in nanoseconds.
    power: i32,
    /// For each cell after the time the number that it is; `None` where nobody wants it.
    cells: Vec<Option<usize>>,
    times: Vec<Nanos>,
    /// The values of each cell, row after row: whole numbers, and by what they are to be divided. A division takes as long as
    /// all else of a cell, and those of a block go on together.
    values: Vec<([f64; ROWS], [f64; ROWS])>,
    /// Where the cells of a row end.
    ends: [usize; MOST_CELLS],
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
            times: Vec::with_capacity(ROWS),
            values: vec![([0.0; ROWS], [1.0; ROWS]); cells.len()],
            cells,
            ends: [0; MOST_CELLS],
        })
    }

    /// Reads rows as long as they are plain; gives the bytes that they take.
    pub(super) fn take(&mut self, place: &mut Rows, bytes: &[u8], piece: &mut Piece) -> usize {
        let mut at = 0;
        loop {
            let mut now = place.now;
            while self.times.len() < ROWS
                && let Some((time, length)) = self.row(place, now, bytes.get(at..).unwrap_or_default())
            {
                self.times.push(time);
                (now, at) = (time, at + length);
            }
            let is_full = self.times.len() == ROWS;
            self.count(place, piece);
            if !is_full {
                return at;
            }
        }
    }

    /// Reads a row that is later than the last; gives its time and its length. Its values count only then.
    #[inline]
    fn row(&mut self, place: &Rows, now: Nanos, bytes: &[u8]) -> Option<(Nanos, usize)> {
        let length = self.find_ends(bytes)?;
        let (first, ends) = self.ends.get(..=self.cells.len())?.split_first()?;
        let (size, decimals, negative) = self.marks.cell(bytes, 0, *first)?;
        let file_time = Marks::nanos(size, decimals, negative, self.power)?;
        let time = place.origin?.since_start(file_time).filter(|time| *time > now)?;
        let rows = self.times.len();
        let mut start = first + 1;
        for ((cell, (wholes, powers)), end) in self.cells.iter().zip(&mut self.values).zip(ends) {
            if cell.is_some() {
                let (size, decimals, negative) = self.marks.cell(bytes, start, *end)?;
                (*wholes.get_mut(rows)?, *powers.get_mut(rows)?) = Marks::fraction(size, decimals, negative)?;
            }
            start = end + 1;
        }
        Some((time, length))
    }

    /// Finds the ends of the next row's cells; gives the row's length, or `None` where it has another shape.
    #[inline]
    fn find_ends(&mut self, bytes: &[u8]) -> Option<usize> {
        let last = self.cells.len();
        let mut found = 0;
        for (number, word) in bytes.as_chunks::<8>().0.iter().enumerate() {
            let mut ends = self.marks.ends(u64::from_le_bytes(*word));
            while ends != 0 {
                let at = number * 8 + (ends.trailing_zeros() / 8) as usize;
                *self.ends.get_mut(found)? = at;
                if found == last {
                    return self.marks.line_end(bytes, at);
                }
                if !self.marks.is_separator(*bytes.get(at)?) {
                    return None;
                }
                found += 1;
                ends &= ends - 1;
            }
        }
        None
    }

    /// The rows of the block count.
    fn count(&mut self, place: &mut Rows, piece: &mut Piece) {
        let rows = self.times.len();
        place.line += rows as u64;
        for time in &self.times {
            place.next_row(*time, piece);
        }
        for (cell, (values, powers)) in self.cells.iter().zip(&mut self.values) {
            let Some(number) = *cell else { continue };
            values.iter_mut().zip(powers).for_each(|(value, power)| *value /= *power);
            piece.read_many(number, &self.times, values.get(..rows).unwrap_or_default());
        }
        self.times.clear();
    }
}
