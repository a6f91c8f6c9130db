//! `period`: the time of the last intervals, at each edge.

use super::readings::{By, Made, Reading, Sink};
use crate::time::Nanos;
use std::collections::VecDeque;

/// The running form of a period measurement.
#[derive(Debug, Clone)]
pub struct Period {
    average: usize,
    zero_after: Option<Nanos>,
    tick: Nanos,
    /// The edges that the next reading may need, the last one at the end.
    edges: VecDeque<Nanos>,
    reported: bool,
}

impl Period {
    /// Over so many intervals, at least one; `tick` is the step of the edges' times.
    pub fn new(average: usize, zero_after: Option<Nanos>, tick: Nanos) -> Self {
        Self { average, zero_after, tick, edges: VecDeque::with_capacity(average + 1), reported: false }
    }

    /// An edge.
    #[inline]
    pub fn edge(&mut self, at: Nanos, sink: &mut impl Sink) {
        self.pass(at, sink);
        if self.edges.len() > self.average {
            self.edges.pop_front();
        }
        self.edges.push_back(at);
        let Some(&first) = self.edges.front().filter(|_| self.edges.len() > self.average) else { return };
        // Edges of one instant have no interval.
        if first == at {
            return;
        }
        self.reported = true;
        let hertz = self.average as f64 / (at - first).seconds();
        let resolution_hertz = hertz * hertz * self.tick.seconds() / self.average as f64;
        let made = Made { at, edges: self.average as i64, from: first, until: at, by: By::Timed };
        sink.reading(Reading { hertz, resolution_hertz, made });
    }

    /// Stops where the last edge is too long ago before `now`; an edge exactly then would still be in time.
    #[inline]
    pub fn pass(&mut self, now: Nanos, sink: &mut impl Sink) {
        let (Some(zero_after), Some(&last)) = (self.zero_after, self.edges.back()) else { return };
        let due = Nanos(last.0.saturating_add(zero_after.0));
        if due >= now {
            return;
        }
        self.edges.clear();
        if self.reported {
            let made = Made { at: due, edges: 0, from: last, until: due, by: By::Stopped };
            sink.reading(Reading { hertz: 0.0, resolution_hertz: 0.0, made });
        }
    }
}
