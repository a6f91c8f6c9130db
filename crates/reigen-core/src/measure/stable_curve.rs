//! The exact count of `stable` as a function of its time, from one pass over the edges.
//!
//! A level is held for a time; with a debounce T exactly the levels held for T or longer remain. Two that remain and
//! have none between them are neighbours: of different level they are a change of the output, of the same level what lay
//! between them was a glitch. Levels j < k are neighbours for T from just above the longest between them up to the
//! shorter of the two, and all such pairs are found with a stack of levels of which each is held shorter than the one below.

use super::curve::{Changes, Curve};
use crate::cast;
use crate::time::Nanos;

/// A level on the stack: how long it was held (the starting one for ever).
#[derive(Debug, Clone, Copy)]
struct HeldLevels {
    length: u64,
    on: bool,
}

/// Takes edges and gives the curve.
#[derive(Debug, Clone)]
pub struct StableCurve {
    on: bool,
    last: Option<Nanos>,
    stack: Vec<HeldLevels>,
    changes: Changes,
    changes_at_start: i64,
    glitches: Changes,
    glitches_at_start: i64,
}

impl StableCurve {
    /// A curve of an input that starts so.
    pub fn new(on: bool) -> Self {
        let start = HeldLevels { length: u64::MAX, on };
        Self {
            on,
            last: None,
            stack: vec![start],
            changes: Changes::default(),
            changes_at_start: 0,
            glitches: Changes::default(),
            glitches_at_start: 0,
        }
    }

    /// Takes the next edge.
    #[inline]
    pub fn take(&mut self, edge: Nanos) {
        if let Some(last) = self.last {
            self.hold((edge - last).0);
        }
        self.last = Some(edge);
        self.on = !self.on;
    }

    /// The present level was held so long.
    #[inline]
    fn hold(&mut self, length: u64) {
        let held = HeldLevels { length, on: self.on };
        // From this time on all levels between are gone.
        let mut from = 0;
        while let Some(below) = self.stack.last().copied() {
            self.neighbours(below, held, from);
            if below.length > length {
                break;
            }
            from = below.length + 1;
            self.stack.pop();
            if below.length == length {
                break;
            }
        }
        self.stack.push(held);
    }

    /// Two levels are neighbours from a time on until the shorter of them is gone.
    #[inline]
    fn neighbours(&mut self, one: HeldLevels, other: HeldLevels, from: u64) {
        let until = one.length.min(other.length).saturating_add(1);
        let (count, at_start) = match one.on == other.on {
            true => (&mut self.glitches, &mut self.glitches_at_start),
            false => (&mut self.changes, &mut self.changes_at_start),
        };
        // Most levels are neighbours from the start on.
        match from {
            0 => *at_start += 1,
            from => count.add(from, 1),
        }
        count.add(until, -1);
    }

    /// How many actuations come out at each time, and how many glitches are swallowed.
    ///
    /// `starts_on` is whether the input is on at first: it need not be on while the level taken is. `end` is the recording's
    /// last time.
    pub fn finish(mut self, starts_on: bool, end: Nanos) -> (Curve, Curve) {
        if let Some(last) = self.last {
            self.hold(end.saturating_sub(last).0);
        }
        // Of changes that take turns, the first is on where it starts off.
        let actuations = |changes: i64| (changes + i64::from(!starts_on)) / 2;
        let until = Nanos(end.0.max(1) + 1);
        let curve = |changes: Changes, at_start: i64, count: &dyn Fn(i64) -> i64| {
            let (steps, exact) = changes.curve(at_start);
            let steps =
                steps.into_iter().map(|(time, changes)| (Nanos(time), cast::u64_from_i64(count(changes).max(0))));
            let mut steps: Vec<(Nanos, u64)> = steps.take_while(|(time, _)| *time < until).collect();
            steps.dedup_by_key(|step| step.1);
            Curve { steps, until, exact }
        };
        let glitches = curve(self.glitches, self.glitches_at_start, &|glitches| glitches);
        (curve(self.changes, self.changes_at_start, &actuations), glitches)
    }
}
