//! The columns of a recording's lines, filled by a reader and consumed window by window.

use crate::block::Lines;
use crate::column::{BitColumn, ReadingColumn};
use crate::time::{Nanos, Window};

/// The lines that a station uses, within one window.
///
/// A reader appends what it read; [`cut`](Self::cut) ends the window at any time up to which everything is
/// known, and what lies beyond stays for the next window.
#[derive(Debug, Clone, Default)]
pub struct LineColumns {
    bits: Vec<BitColumn>,
    readings: Vec<ReadingColumn>,
    held: Vec<PendingChanges>,
    /// Of each number line the values beyond the window.
    held_readings: Vec<Vec<(Nanos, f64)>>,
    from: Nanos,
    /// The time before which everything is known, once that is the recording's end.
    end: Option<Nanos>,
    /// When lines became unknown, and known again with a level, in no order; `None` where nobody wants that.
    unknown: Option<Vec<(Nanos, usize, Option<bool>)>>,
    /// Whether the window that was cut last ends there.
    last: bool,
}

/// What a reader has already said of one line beyond the window.
#[derive(Debug, Clone, Default)]
struct PendingChanges {
    start: Option<(Nanos, bool)>,
    toggles: Vec<Nanos>,
}

impl LineColumns {
    /// Columns for `bits` two-level lines and `readings` number lines.
    pub fn new(bits: usize, readings: usize) -> Self {
        Self {
            bits: vec![BitColumn::default(); bits],
            readings: vec![ReadingColumn::default(); readings],
            held: vec![PendingChanges::default(); bits],
            held_readings: vec![Vec::new(); readings],
            from: Nanos(0),
            end: None,
            unknown: None,
            last: false,
        }
    }

    /// The two-level lines within the window.
    pub fn bits(&self) -> &[BitColumn] {
        &self.bits
    }

    /// The number lines within the window.
    pub fn readings(&self) -> &[ReadingColumn] {
        &self.readings
    }

    /// Appends what line `line` did within one piece of a recording.
    pub fn append(&mut self, line: usize, joined: JoinedPiece<'_>) {
        let Some(column) = self.bits.get_mut(line) else { return };
        if let Some((since, level)) = joined.start {
            column.start(since, level);
        }
        column.toggles.extend_from_slice(joined.edges);
    }

    /// Keeps from now on when lines became unknown.
    pub fn keep_unknown(&mut self) {
        self.unknown = Some(Vec::new());
    }

    /// Appends that a line became unknown, or known again with a level.
    pub fn append_unknown(&mut self, line: usize, time: Nanos, level: Option<bool>) {
        if let Some(unknown) = &mut self.unknown {
            unknown.push((time, line, level));
        }
    }

    /// Takes out what is [kept](Self::keep_unknown) of the time before `until`.
    pub fn take_unknown(&mut self, until: Nanos) -> Vec<(Nanos, usize, Option<bool>)> {
        let Some(unknown) = &mut self.unknown else { return Vec::new() };
        let (before, after) = std::mem::take(unknown).into_iter().partition(|(time, ..)| *time < until);
        *unknown = after;
        before
    }

    /// Forgets what was before a time: the levels that lines have are known from there on.
    pub fn know_from(&mut self, from: Nanos) {
        self.bits.iter_mut().for_each(|column| column.since = column.since.max(from));
    }

    /// Both kinds of lines within the window.
    pub fn all(&self) -> Lines<'_> {
        Lines { bits: &self.bits, readings: &self.readings, last: self.last }
    }

    /// Appends a value of a number line; of several in one instant the last is the one.
    #[inline]
    pub fn append_reading(&mut self, line: usize, time: Nanos, value: f64) {
        if let Some(column) = self.readings.get_mut(line) {
            column.set(time, value);
        }
    }

    /// Appends values of a number line, at times that rise.
    pub fn append_readings(&mut self, line: usize, times: &[Nanos], values: &[f64]) {
        let (Some(&time), Some(&value)) = (times.first(), values.first()) else { return };
        // The first may share its instant with what was there.
        self.append_reading(line, time, value);
        if let Some(column) = self.readings.get_mut(line) {
            column.times.extend_from_slice(times.get(1..).unwrap_or_default());
            column.values.extend_from_slice(values.get(1..).unwrap_or_default());
        }
    }

    /// Says that the recording ends before `until`.
    pub fn end_at(&mut self, until: Nanos) {
        self.end = Some(until);
    }

    /// Ends the window before `until`: later changes are held back for the next one.
    pub fn cut(&mut self, until: Nanos) -> Window {
        for (column, held) in self.bits.iter_mut().zip(&mut self.held) {
            let beyond = column.toggles.iter().rev().take_while(|&&time| time >= until).count();
            let keep = column.toggles.len() - beyond;
            held.toggles.extend(column.toggles.drain(keep..));
            if let (Some(level), true) = (column.level, column.since >= until) {
                held.start = Some((column.since, level));
                *column = BitColumn::default();
            }
        }
        for (column, held) in self.readings.iter_mut().zip(&mut self.held_readings) {
            let keep = column.times.partition_point(|&time| time < until);
            held.extend(column.times.drain(keep..).zip(column.values.drain(keep..)));
        }
        self.last = self.end == Some(until);
        Window { from: self.from, until }
    }

    /// Goes on from the window that [`cut`](Self::cut) ended: what it held back comes first.
    pub fn advance(&mut self, done: Window) {
        self.from = done.until;
        for (column, held) in self.bits.iter_mut().zip(&mut self.held) {
            column.advance();
            if let Some((since, level)) = held.start.take() {
                column.start(since, level);
            }
            column.toggles.append(&mut held.toggles);
        }
        for (column, held) in self.readings.iter_mut().zip(&mut self.held_readings) {
            column.advance();
            held.drain(..).for_each(|(time, value)| column.push(time, value));
        }
    }
}

/// A line as a recording has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecordedLine {
    /// Its whole name, with dots between scopes.
    pub name: String,
    /// The number of its signal; names of one signal share it.
    pub signal: usize,
    /// What it is.
    pub kind: LineKind,
    /// How often it was read, where somebody asked for it again and again; `None` where its times are its own.
    pub step: Option<Nanos>,
}

/// What a recorded line is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LineKind {
    /// It has two levels.
    Level,
    /// It has several bits.
    Vector {
        /// The number of bits.
        width: usize,
        /// Where its bits are, if they have no lines of their own beside it since they are many.
        unnamed: Option<VectorBits>,
    },
    /// It is a column of numbers.
    Number {
        /// What shows that it is, with its article: "a number (2.5 in row 3)".
        why: String,
    },
    /// It is a real number by its declaration.
    Real,
    /// It is a column of words.
    Words {
        /// What shows that it is, with its article.
        why: String,
    },
}

/// The bits of a vector: the signal of the leftmost, and the indices at both ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct VectorBits {
    /// The signal of the leftmost bit; the others follow it.
    pub first: usize,
    /// The index of the leftmost bit.
    pub left: i64,
    /// The index of the rightmost bit.
    pub right: i64,
}

impl VectorBits {
    /// The signal of the bit of an index.
    pub fn signal(&self, index: i64) -> Option<usize> {
        let (least, most) = (self.left.min(self.right), self.left.max(self.right));
        let place = (least..=most).contains(&index).then(|| self.left.abs_diff(index))?;
        Some(self.first + usize::try_from(place).ok()?)
    }
}

/// One piece of a recording, joined to what came before it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct JoinedPiece<'a> {
    /// The line's first level of all, where it is in this piece.
    pub start: Option<(Nanos, bool)>,
    /// The line's edges in this piece.
    pub edges: &'a [Nanos],
}

/// Joins a piece of a line to the level `known` before it.
///
/// `changes` are the times at which the piece first names a level and then changes it, and `last_level` is
/// the level after the last of them. The first is an edge only where it differs from the level before; where
/// there was none, it is the start. All levels at the recording's first time make up the starting level.
pub fn join(known: Option<bool>, changes: &[Nanos], last_level: bool) -> JoinedPiece<'_> {
    let [first, rest @ ..] = changes else { return JoinedPiece { start: None, edges: &[] } };
    if *first == Nanos(0) {
        let at_start = changes.iter().take_while(|time| time.0 == 0).count();
        let edges = changes.get(at_start..).unwrap_or_default();
        return JoinedPiece { start: Some((Nanos(0), last_level ^ (edges.len() % 2 == 1))), edges };
    }
    let first_level = last_level ^ (rest.len() % 2 == 1);
    match known {
        None => JoinedPiece { start: Some((*first, first_level)), edges: rest },
        Some(level) if level == first_level => JoinedPiece { start: None, edges: rest },
        Some(_) => JoinedPiece { start: None, edges: changes },
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_piece_joins_what_was_known_before_it() {
        let times = |times: &[u64]| times.iter().map(|&time| Nanos(time)).collect::<Vec<_>>();
        // Known before, changes and last level; then the start and the edges.
        type Case<'a> = (Option<bool>, &'a [u64], bool, Option<(u64, bool)>, &'a [u64]);
        let cases: &[Case<'_>] = &[
            (None, &[], true, None, &[]),
            (None, &[5, 7], true, Some((5, false)), &[7]),
            (Some(false), &[5, 7], true, None, &[7]),
            (Some(true), &[5, 7], true, None, &[5, 7]),
            (Some(true), &[5], false, None, &[5]),
            (None, &[0, 0, 4], false, Some((0, true)), &[4]),
            (Some(true), &[0], false, Some((0, false)), &[]),
        ];
        for (known, changes, last, start, edges) in cases {
            let changes = times(changes);
            let joined = join(*known, &changes, *last);
            let start = start.map(|(since, level)| (Nanos(since), level));
            assert_eq!((joined.start, joined.edges), (start, times(edges).as_slice()), "{known:?} {changes:?}");
        }
    }

    #[test]
    fn values_beyond_a_window_wait_and_the_last_of_an_instant_is_the_one() {
        let mut lines = LineColumns::new(0, 1);
        lines.append_readings(0, &[Nanos(2), Nanos(6)], &[1.0, 2.0]);
        lines.append_readings(0, &[Nanos(6), Nanos(9)], &[3.0, 4.0]);
        lines.end_at(Nanos(10));
        let mut seen = Vec::new();
        for until in [3, 7, 10] {
            let window = lines.cut(Nanos(until));
            let column = &lines.readings()[0];
            seen.push((column.before, column.values.clone(), lines.all().last));
            lines.advance(window);
        }
        assert_eq!(seen, [(None, vec![1.0], false), (Some(1.0), vec![3.0], false), (Some(3.0), vec![4.0], true)]);
    }

    #[test]
    fn what_lies_beyond_a_window_waits_for_the_next() {
        let mut lines = LineColumns::new(2, 0);
        lines
            .append(0, JoinedPiece { start: Some((Nanos(0), true)), edges: &[Nanos(3), Nanos(5), Nanos(5), Nanos(9)] });
        lines.append(1, JoinedPiece { start: Some((Nanos(6), false)), edges: &[Nanos(8)] });
        let mut seen = Vec::new();
        for until in [5, 7, 20] {
            let window = lines.cut(Nanos(until));
            seen.push(lines.bits().iter().map(|bit| (bit.level, bit.toggles.len())).collect::<Vec<_>>());
            lines.advance(window);
        }
        let first = [(Some(true), 1), (None, 0)];
        let second = [(Some(false), 2), (Some(false), 0)];
        let third = [(Some(false), 1), (Some(false), 1)];
        assert_eq!(seen, [first, second, third]);
    }
}
