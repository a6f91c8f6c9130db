//! The exact count of `lockout` as a function of its time, from the edges.
//!
//! What a lockout does from an edge that it follows at once depends on nothing before. So the line falls into stretches,
//! each from such an edge to the next one. Within a stretch the output changes at the edge's time a and, where it follows late,
//! at a + T, a + 2T, …; as T grows, edges move from behind such a time to before it, and never back. So each stretch has a next
//! time at which it goes another way; then it alone is worked anew, until it meets an edge where another one begins.

use super::curve::{Changes, Curve};
use crate::cast;
use crate::time::Nanos;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// How many steps of work are done before the rest of the curve is left open.
const MOST_STEPS: u64 = 20_000_000;

/// A stretch at one debounce time.
#[derive(Debug, Clone, Copy)]
struct Stretch {
    /// The edge where the next one begins; the number of edges where there is none.
    next: usize,
    /// How often the output goes on in it.
    rises: i64,
    /// The least longer time at which it goes another way.
    changes_at: u64,
}

struct Line<'a> {
    edges: &'a [Nanos],
    starts_on: bool,
    end: u64,
    steps: u64,
}

impl Line<'_> {
    /// The state after so many edges.
    fn on_after(&self, edges: usize) -> bool {
        self.starts_on ^ (edges % 2 == 1)
    }

    /// Works a stretch from an edge that is followed at once.
    fn stretch(&mut self, first: usize, time: u64) -> Stretch {
        let start = self.edges.get(first).map_or(0, |edge| edge.0);
        let mut output = self.on_after(first + 1);
        let (mut rises, mut changes_at, mut at) = (i64::from(output), u64::MAX, first + 1);
        for lockouts in 1u64.. {
            let release = start.saturating_add(lockouts.saturating_mul(time));
            while self.edges.get(at).is_some_and(|edge| edge.0 <= release) {
                at += 1;
                self.steps += 1;
            }
            self.steps += 1;
            if let Some(next) = self.edges.get(at) {
                changes_at = changes_at.min((next.0 - start).div_ceil(lockouts));
            }
            if release > self.end {
                // The recording ends in the lockout: what it would do then is not known.
                return Stretch { next: self.edges.len(), rises, changes_at };
            }
            changes_at = changes_at.min((self.end - start) / lockouts + 1);
            if self.on_after(at) == output {
                break;
            }
            output = !output;
            rises += i64::from(output);
        }
        Stretch { next: at, rises, changes_at }
    }
}

/// How many actuations come out at each time, for the edges of an input that starts so.
///
/// `end` is the recording's last time. Where the edges take turns in too many ways, the curve ends early: see
/// [`Curve::until`].
pub fn lockout_curve(edges: &[Nanos], starts_on: bool, end: Nanos) -> Curve {
    let mut line = Line { edges, starts_on, end: end.0, steps: 0 };
    let all = cast::i64_from_usize((0..edges.len()).filter(|&edge| line.on_after(edge + 1)).count());
    let mut stretches = Stretches::new(edges.len());
    // A debounce of 0 is none; the first with stretches is 1 ns.
    stretches.counts.add(1, -all);
    let mut until = end.0.max(1) + 1;
    if !edges.is_empty() {
        stretches.work_from(0, 1, &mut line);
    }
    while let Some(Reverse((time, first))) = stretches.due.pop() {
        if time >= until {
            break;
        }
        if line.steps > MOST_STEPS {
            until = time;
            break;
        }
        let is_current = stretches.at(first).is_some_and(|stretch| stretch.changes_at == time);
        if is_current {
            stretches.work_from(first, time, &mut line);
        }
    }
    let (steps, exact) = stretches.counts.curve(all);
    let known = steps.into_iter().take_while(|(time, _)| *time < until);
    let steps = known.map(|(time, count)| (Nanos(time), cast::u64_from_i64(count.max(0)))).collect();
    Curve { steps, until: Nanos(until), exact }
}

/// The stretches at the present time, by their first edge; each leads to the next.
struct Stretches {
    by_edge: Vec<Option<Stretch>>,
    /// When each changes; those that no longer stand are passed over.
    due: BinaryHeap<Reverse<(u64, usize)>>,
    counts: Changes,
}

impl Stretches {
    fn new(edges: usize) -> Self {
        Self { by_edge: vec![None; edges], due: BinaryHeap::new(), counts: Changes::default() }
    }

    fn at(&self, first: usize) -> Option<Stretch> {
        self.by_edge.get(first).copied().flatten()
    }

    /// Takes one away; gives where it led.
    fn remove(&mut self, first: usize, time: u64) -> Option<usize> {
        let old = self.by_edge.get_mut(first)?.take()?;
        self.counts.add(time, -old.rises);
        Some(old.next)
    }

    /// Works stretches from one on until one ends where another stands already.
    fn work_from(&mut self, mut first: usize, time: u64, line: &mut Line<'_>) {
        // The first of those that stood further on.
        let mut standing = self.remove(first, time).unwrap_or(line.edges.len());
        loop {
            let stretch = line.stretch(first, time);
            self.counts.add(time, stretch.rises);
            self.due.push(Reverse((stretch.changes_at, first)));
            if let Some(place) = self.by_edge.get_mut(first) {
                *place = Some(stretch);
            }
            // Those that are passed over begin nowhere any more.
            while standing < stretch.next {
                standing = self.remove(standing, time).unwrap_or(line.edges.len());
            }
            if standing == stretch.next {
                return;
            }
            first = stretch.next;
        }
    }
}
