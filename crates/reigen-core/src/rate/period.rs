//! `period`: the time of the last intervals, at each edge.

use super::readings::{By, Made, Reading, Sink};
use super::step::{self, Step};
use crate::time::Nanos;
use std::collections::VecDeque;

/// The running form of a period measurement.
#[derive(Debug, Clone)]
pub struct Period {
    average: usize,
    zero_after: Option<Nanos>,
    step: Step,
    /// The edges that the next reading may need, the last one at the end; each with the places of the wheel up to it.
    edges: VecDeque<(Nanos, i64)>,
    places: i64,
    /// Whether the last reading is not 0.
    turning: bool,
}

impl Period {
    /// Over so many intervals, at least one; `tick` is the step of the edges' times.
    pub fn new(average: usize, zero_after: Option<Nanos>, tick: Nanos) -> Self {
        let edges = VecDeque::with_capacity(average + 1);
        Self { average, zero_after, step: Step::new(tick), edges, places: 0, turning: false }
    }

    /// The step of the edges' times, to be told of edges that do not count.
    pub fn step(&mut self) -> &mut Step {
        &mut self.step
    }

    /// That step as it was learned.
    pub fn learned(&self) -> Nanos {
        self.step.get()
    }

    /// An edge, so many places of the wheel after the one before.
    #[inline]
    pub fn edge(&mut self, at: Nanos, places: i64, sink: &mut impl Sink) {
        self.pass(at, sink);
        self.step.take(at);
        if self.edges.len() > self.average {
            self.edges.pop_front();
        }
        self.places += places;
        self.edges.push_back((at, self.places));
        let Some(&(first, before)) = self.edges.front().filter(|_| self.edges.len() > self.average) else { return };
        // Edges of one instant have no interval.
        if first == at {
            return;
        }
        self.turning = true;
        let (edges, timed) = (self.places - before, (at - first).seconds());
        let hertz = edges as f64 / timed;
        let resolution_hertz = step::resolution(hertz, self.step.get().seconds(), timed);
        let made = Made { at, edges, from: first, until: at, by: By::Timed };
        sink.reading(Reading { hertz, resolution_hertz, made });
    }

    /// Stops where the last edge is too long ago before `now`; an edge exactly then would still be in time.
    #[inline]
    pub fn pass(&mut self, now: Nanos, sink: &mut impl Sink) {
        let (Some(zero_after), Some(last)) = (self.zero_after, self.edges.back().map(|(at, _)| *at)) else { return };
        let due = Nanos(last.0.saturating_add(zero_after.0));
        if due >= now {
            return;
        }
        self.edges.clear();
        // A lone edge while it stands gives no other reading of 0.
        if std::mem::take(&mut self.turning) {
            let made = Made { at: due, edges: 0, from: last, until: due, by: By::Stopped };
            sink.reading(Reading { hertz: 0.0, resolution_hertz: 0.0, made });
        }
    }
}
