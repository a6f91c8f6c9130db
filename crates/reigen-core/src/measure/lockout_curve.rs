//! The exact count of `lockout` as a function of its time, from the edges.
//!
//! What a lockout does from an edge that it follows at once depends on nothing before. So the line falls into stretches,
//! each from such an edge to the next one. Within a stretch the output changes at the edge's time a and, where it follows late,
//! at a + T, a + 2T, …; as T grows, edges move from behind such a time to before it, and never back. So each stretch has a next
//! time at which it goes another way; then it alone is worked anew, until it meets an edge where another one begins.

use super::curve::{Changes, Curve};
use crate::time::Nanos;
use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};

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
    let all = (0..edges.len()).filter(|&edge| line.on_after(edge + 1)).count() as i64;
    let mut counts = Changes::default();
    // Stretches by their first edge, and when each changes.
    let mut stretches: BTreeMap<usize, Stretch> = BTreeMap::new();
    let mut due: BinaryHeap<Reverse<(u64, usize)>> = BinaryHeap::new();
    // A debounce of 0 is none; the first with stretches is 1 ns.
    counts.add(1, -all);
    let mut until = end.0.max(1) + 1;
    if !edges.is_empty() {
        work_from(0, 1, &mut line, &mut stretches, &mut due, &mut counts);
    }
    while let Some(Reverse((time, first))) = due.pop() {
        if time >= until {
            break;
        }
        if line.steps > MOST_STEPS {
            until = time;
            break;
        }
        let is_current = stretches.get(&first).is_some_and(|stretch| stretch.changes_at == time);
        if is_current {
            work_from(first, time, &mut line, &mut stretches, &mut due, &mut counts);
        }
    }
    let (steps, exact) = counts.curve(all);
    let known = steps.into_iter().take_while(|(time, _)| *time < until);
    let steps = known.map(|(time, count)| (Nanos(time), count.max(0) as u64)).collect();
    Curve { steps, until: Nanos(until), exact }
}

/// Works stretches from one on until one ends where another stands already.
fn work_from(
    mut first: usize,
    time: u64,
    line: &mut Line<'_>,
    stretches: &mut BTreeMap<usize, Stretch>,
    due: &mut BinaryHeap<Reverse<(u64, usize)>>,
    counts: &mut Changes,
) {
    if let Some(old) = stretches.remove(&first) {
        counts.add(time, -old.rises);
    }
    loop {
        let stretch = line.stretch(first, time);
        counts.add(time, stretch.rises);
        stretches.insert(first, stretch);
        due.push(Reverse((stretch.changes_at, first)));
        // Those that are passed over begin nowhere any more.
        let passed: Vec<usize> = stretches.range(first + 1..stretch.next).map(|(&passed, _)| passed).collect();
        for passed in passed {
            if let Some(old) = stretches.remove(&passed) {
                counts.add(time, -old.rises);
            }
        }
        let ends = stretch.next >= line.edges.len();
        // One that stands there and is not due for a change itself stays as it is.
        let stands = stretches.get(&stretch.next).is_some();
        if ends || stands {
            return;
        }
        first = stretch.next;
    }
}
