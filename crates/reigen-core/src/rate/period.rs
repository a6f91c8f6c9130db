//! `period`: the time of the last intervals, at each edge.

use super::readings::{Basis, BasisKind, Reading, Sink};
use super::step::{self, Step};
use crate::time::Nanos;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// The running form of a period measurement.
#[derive(Debug, Clone)]
pub struct Period {
    average: usize,
    zero_after: Option<Nanos>,
    tick: Nanos,
    state: State,
}

/// What a period measurement must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
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
        let state = State { edges: VecDeque::with_capacity(average + 1), ..State::default() };
        Self { average, zero_after, tick, state }
    }

    /// An edge that only tells the step of the times.
    #[inline]
    pub fn other_edge(&mut self, edge: Nanos) {
        self.state.step.take(edge, self.tick);
    }

    /// That step as it was learned.
    pub fn learned(&self) -> Nanos {
        self.state.step.get(self.tick)
    }

    /// When it gives a reading though no edge comes.
    pub fn next_due(&self) -> Option<Nanos> {
        let (last, _) = self.state.edges.back().filter(|_| self.state.turning)?;
        Some(Nanos(last.0.saturating_add(self.zero_after?.0)))
    }

    /// What it must know of the past.
    pub fn save(&self) -> State {
        self.state.clone()
    }

    /// Goes on from a state.
    pub fn restore(&mut self, state: State) {
        self.state = state;
    }

    /// An edge, so many places of the wheel after the one before.
    #[inline]
    pub fn edge(&mut self, at: Nanos, places: i64, sink: &mut impl Sink) {
        self.pass(at, sink);
        self.state.step.take(at, self.tick);
        if self.state.edges.len() > self.average {
            self.state.edges.pop_front();
        }
        self.state.places += places;
        self.state.edges.push_back((at, self.state.places));
        let Some(&(first, before)) = self.state.edges.front().filter(|_| self.state.edges.len() > self.average) else {
            return;
        };
        // Edges of one instant have no interval.
        if first == at {
            return;
        }
        self.state.turning = true;
        let (edges, timed) = (self.state.places - before, (at - first).seconds());
        let hertz = edges as f64 / timed;
        let resolution_hertz = step::resolution(hertz, self.learned().seconds(), timed);
        let made = Basis { at, edges, from: first, until: at, by: BasisKind::Timed };
        sink.reading(Reading { hertz, resolution_hertz, made });
    }

    /// Stops where the last edge is too long ago before `now`; an edge exactly then would still be in time.
    #[inline]
    pub fn pass(&mut self, now: Nanos, sink: &mut impl Sink) {
        let (Some(zero_after), Some(last)) = (self.zero_after, self.state.edges.back().map(|(at, _)| *at)) else {
            return;
        };
        let due = Nanos(last.0.saturating_add(zero_after.0));
        if due >= now {
            return;
        }
        self.state.edges.clear();
        // A lone edge while it stands gives no other reading of 0.
        if std::mem::take(&mut self.state.turning) {
            let made = Basis { at: due, edges: 0, from: last, until: due, by: BasisKind::Stopped };
            sink.reading(Reading { hertz: 0.0, resolution_hertz: 0.0, made });
        }
    }
}
