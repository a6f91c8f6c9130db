//! The edges of one line, as all judgement of lines reads them.

use crate::time::Nanos;

/// A line's first edges: the level before them, and their times.
#[derive(Debug, Clone, Copy)]
pub struct Edges<'a> {
    /// Whether it starts high.
    pub starts_high: bool,
    /// The times, never falling.
    pub times: &'a [Nanos],
}

/// A level held between two edges.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hold {
    /// Which level.
    pub high: bool,
    /// When it began.
    pub since: Nanos,
    /// How long it was held, in nanoseconds.
    pub length: u64,
}

impl<'a> Edges<'a> {
    /// The rising edges.
    pub fn rising(self) -> impl Iterator<Item = Nanos> + Clone + 'a {
        self.times.iter().copied().skip(usize::from(self.starts_high)).step_by(2)
    }

    /// The falling edges.
    pub fn falling(self) -> impl Iterator<Item = Nanos> + Clone + 'a {
        self.times.iter().copied().skip(usize::from(!self.starts_high)).step_by(2)
    }

    /// The levels held between neighbouring edges: neither the one before the first edge nor the one after the last.
    pub fn holds(self) -> impl Iterator<Item = Hold> + Clone + 'a {
        let hold = move |(number, pair): (usize, &[Nanos])| match pair {
            [from, until] => {
                let high = self.starts_high == (number % 2 == 1);
                Hold { high, since: *from, length: (*until - *from).0 }
            }
            _ => Hold { high: false, since: Nanos(0), length: 0 },
        };
        self.times.windows(2).enumerate().map(hold)
    }

    /// How long one level was held, each time, in nanoseconds.
    pub fn widths(self, high: bool) -> Vec<u64> {
        self.holds().filter(|hold| hold.high == high).map(|hold| hold.length).collect()
    }

    /// Edges up to a time.
    pub fn up_to(self, end: Nanos) -> Self {
        self.first(self.times.partition_point(|&time| time <= end))
    }

    /// At most so many edges.
    pub fn first(self, most: usize) -> Self {
        Self { times: self.times.get(..most).unwrap_or(self.times), ..self }
    }

    /// The level after all edges up to and including a time.
    pub fn level_at(self, time: Nanos) -> bool {
        self.starts_high == (self.times.partition_point(|&edge| edge <= time).is_multiple_of(2))
    }

    /// How many edges lie in `[from, until)`.
    pub fn count_between(self, from: Nanos, until: Nanos) -> usize {
        self.times.partition_point(|&time| time < until) - self.times.partition_point(|&time| time < from)
    }

    /// The greatest step that all times of edges have in common, counted from the first; 0 below three edges.
    pub fn step(self) -> Nanos {
        let lengths = self.holds().map(|hold| hold.length);
        if self.times.len() < 3 {
            return Nanos(0);
        }
        let mut step = 0;
        for length in lengths {
            step = common_divisor(step, length);
            if step == 1 {
                break;
            }
        }
        Nanos(step)
    }
}

/// The greatest number that divides both.
pub fn common_divisor(mut one: u64, mut other: u64) -> u64 {
    while other != 0 {
        (one, other) = (other, one % other);
    }
    one
}
