//! The time that parts bursts of edges from held levels, where a line has both.

use super::bounce::BounceMeter;
use super::edges::Edges;
use crate::cast;
use crate::time::Nanos;

/// Contacts bounce for less than this.
const LONGEST_BURST: u64 = 100_000_000;
/// A burst that changes nothing is an interference or a dropout, and shorter than this.
const LONGEST_RETURN: u64 = 5_000_000;
/// A level between bursts is held so many times longer than a burst lasts.
const MARGIN: u64 = 2;
/// The same for bursts that change nothing, which might be real pulses.
const MARGIN_OF_RETURNS: u64 = 8;
/// So many partings are tried.
const MOST_TRIED: usize = 64;

/// What a line's levels part into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Parting {
    /// A level that holds so long ends a burst.
    pub quiet: Nanos,
    /// Whether the line changes for good at all; else it rests but for short pulses.
    pub changes: bool,
}

/// How a line's levels part into bursts and holds; `None` where they do not.
///
/// Each length that parts the levels into a shorter and a longer group (by a factor of 2 or more) is tried: the bursts that
/// it gives must be as short as contacts bounce, the levels between them much longer, and enough of them must change
/// something. Of those that fit, the longest is taken. Where none does, the line may be at rest but for short pulses.
pub fn part(edges: Edges<'_>) -> Option<Parting> {
    let mut lengths: Vec<u64> = edges.holds().map(|hold| hold.length).collect();
    lengths.sort_unstable();
    lengths.dedup();
    let parted = |pair: &[u64]| match pair {
        [shorter, longer] if *shorter <= LONGEST_BURST / 2 && *longer / 2 >= (*shorter).max(1) => {
            Some(Nanos(cast::u64_from_f64(((*shorter).max(1) as f64 * *longer as f64).sqrt())))
        }
        _ => None,
    };
    let candidates: Vec<Nanos> = lengths.windows(2).rev().filter_map(parted).take(MOST_TRIED).collect();
    let mut only_returns = None;
    for quiet in candidates {
        let trial = Trial::new(edges, quiet);
        if trial.has_changes() {
            return Some(Parting { quiet: trial.quiet, changes: true });
        }
        if only_returns.is_none() && trial.only_returns() {
            only_returns = Some(Parting { quiet: trial.quiet, changes: false });
        }
    }
    only_returns.or_else(|| {
        let [from, until] = edges.times else { return None };
        let length = (*until - *from).0;
        // One short pulse alone, and nothing else.
        (length <= LONGEST_RETURN).then_some(Parting { quiet: Nanos(length + 1), changes: false })
    })
}

/// The bursts of a line, by the level that ends them.
pub fn meter(edges: Edges<'_>, quiet: Nanos) -> BounceMeter {
    let mut bounce = BounceMeter::new(edges.starts_high, quiet);
    bounce.take(edges.times);
    bounce.finish();
    bounce
}

/// What a parting comes to, as far as it must be known to tell whether it fits.
#[derive(Debug, Clone, Copy)]
struct Trial {
    quiet: Nanos,
    changes: u64,
    returns: u64,
    /// The longest burst that changes something, and the longest that does not.
    longest: [u64; 2],
    shortest_hold: u64,
}

impl Trial {
    fn new(edges: Edges<'_>, quiet: Nanos) -> Self {
        let mut trial = Self { quiet, changes: 0, returns: 0, longest: [0; 2], shortest_hold: u64::MAX };
        let Some(&first) = edges.times.first() else { return trial };
        let (mut from, mut last, mut count) = (first, first, 0u64);
        for &edge in edges.times {
            let held = edge - last;
            if count > 0 && held >= quiet {
                trial.close(count, (last - from).0);
                trial.shortest_hold = trial.shortest_hold.min(held.0);
                (from, count) = (edge, 0);
            }
            last = edge;
            count += 1;
        }
        trial.close(count, (last - from).0);
        trial
    }

    fn close(&mut self, edges: u64, length: u64) {
        let [change, back] = &mut self.longest;
        match edges % 2 {
            1 => (self.changes, *change) = (self.changes + 1, (*change).max(length)),
            _ => (self.returns, *back) = (self.returns + 1, (*back).max(length)),
        }
    }

    fn holds_longer(&self) -> bool {
        let [change, back] = self.longest;
        change <= LONGEST_BURST
            && back <= LONGEST_RETURN
            && self.shortest_hold >= change.saturating_mul(MARGIN)
            && self.shortest_hold >= back.saturating_mul(MARGIN_OF_RETURNS)
    }

    fn has_changes(&self) -> bool {
        self.changes >= 2 && self.returns <= self.changes * 4 + 8 && self.holds_longer()
    }

    fn only_returns(&self) -> bool {
        self.changes == 0 && self.holds_longer()
    }
}
