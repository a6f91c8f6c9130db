//! `auto`: reciprocal counting, edges over the time that they took, at a constant step.

use super::readings::{By, Made, Reading, Sink};
use super::step::{self, Step};
use crate::time::Nanos;

/// The running form of reciprocal counting.
#[derive(Debug, Clone)]
pub struct Auto {
    every: Nanos,
    zero_after: Option<Nanos>,
    step: Step,
    /// The next time at which it reads.
    next: Nanos,
    /// The last edge of the last reading that had any, from which the next one counts; `None` while stopped.
    anchor: Option<Nanos>,
    last: Nanos,
    /// Edges since the anchor; those down count against those up.
    count: i64,
    /// Whether there was any.
    any: bool,
    /// The last reading.
    reading: Option<f64>,
}

impl Auto {
    /// A reading at every multiple of `every`, which is above zero; `tick` is the step of the edges' times.
    pub fn new(every: Nanos, zero_after: Option<Nanos>, tick: Nanos) -> Self {
        let (anchor, last, next) = (None, Nanos(0), Nanos(0));
        Self { every, zero_after, step: Step::new(tick), next, anchor, last, count: 0, any: false, reading: None }
    }

    /// An edge; `amount` is -1 for one that goes back.
    #[inline]
    pub fn edge(&mut self, at: Nanos, amount: i64, sink: &mut impl Sink) {
        // An edge exactly at the time of a reading belongs to it.
        if self.next < at {
            self.pass(at, sink);
        }
        self.step.take(at);
        self.last = at;
        if self.anchor.is_none() {
            self.anchor = Some(at);
            return;
        }
        self.count += amount;
        self.any = true;
    }

    /// An edge that only tells the step of the times; readings that are due before it come first.
    #[inline]
    pub fn other_edge(&mut self, at: Nanos, sink: &mut impl Sink) {
        if self.next < at {
            self.pass(at, sink);
        }
        self.step.take(at);
    }

    /// The last time at which it read.
    pub fn read_until(&self) -> Nanos {
        self.next.saturating_sub(self.every)
    }

    /// The step of the edges' times.
    pub fn step(&self) -> &Step {
        &self.step
    }

    /// Many edges that all go one way: [`edge`](Self::edge) for each of them.
    pub fn edges(&mut self, times: &[Nanos], amount: i64, sink: &mut impl Sink) {
        let mut rest = times;
        while let [first, ..] = *rest {
            self.edge(first, amount, sink);
            // Those up to the next reading only count.
            let within = rest.partition_point(|&time| time <= self.next).max(1);
            let (counted, later) = rest.split_at_checked(within).unwrap_or((rest, &[]));
            if let [_, rest @ ..] = counted
                && !self.step.is_finest()
            {
                rest.iter().for_each(|&edge| self.step.take(edge));
            }
            if let [_, .., last] = *counted {
                self.last = last;
                self.count += amount * (counted.len() as i64 - 1);
                self.any = true;
            }
            rest = later;
        }
    }

    /// Gives all readings that are due before `until`.
    pub fn pass(&mut self, until: Nanos, sink: &mut impl Sink) {
        while self.next < until {
            if self.anchor.is_none() {
                // Nothing comes of these; they are passed over at once.
                let times = (until - self.next).0.div_ceil(self.every.0);
                if self.reading.is_some() {
                    sink.repeat(times);
                }
                self.next = Nanos(self.next.0.saturating_add(times.saturating_mul(self.every.0)));
                return;
            }
            self.read(self.next, sink);
            self.next = Nanos(self.next.0.saturating_add(self.every.0));
        }
    }

    fn read(&mut self, at: Nanos, sink: &mut impl Sink) {
        let Some(anchor) = self.anchor else { return };
        if self.any && self.last > anchor {
            let interval = (self.last - anchor).seconds();
            let hertz = self.count as f64 / interval;
            let made = Made { at, edges: self.count, from: anchor, until: self.last, by: By::Timed };
            let resolution_hertz = step::resolution(hertz, self.step.get().seconds(), interval);
            self.anchor = Some(self.last);
            (self.count, self.any) = (0, false);
            return self.give(Reading { hertz, resolution_hertz, made }, sink);
        }
        let idle = at.saturating_sub(self.last);
        if self.zero_after.is_some_and(|zero_after| idle >= zero_after) {
            return self.stop(at, sink);
        }
        let Some(reading) = self.reading else { return };
        let most = 1.0 / idle.seconds();
        if most >= reading.abs() {
            return sink.repeat(1);
        }
        let made = Made { at, edges: 0, from: self.last, until: at, by: By::Fallen };
        // A bound has no resolution.
        self.give(Reading { hertz: most.copysign(reading), resolution_hertz: 0.0, made }, sink);
    }

    /// Stops: no interval spans it, and a reading there is becomes 0.
    pub fn stop(&mut self, at: Nanos, sink: &mut impl Sink) {
        self.anchor = None;
        (self.count, self.any) = (0, false);
        if self.reading == Some(0.0) {
            // A lone edge while it stands gives no other reading of 0.
            return sink.repeat(1);
        }
        if self.reading.is_some() {
            let made = Made { at, edges: 0, from: self.last, until: at, by: By::Stopped };
            self.give(Reading { hertz: 0.0, resolution_hertz: 0.0, made }, sink);
        }
    }

    fn give(&mut self, reading: Reading, sink: &mut impl Sink) {
        self.reading = Some(reading.hertz);
        sink.reading(reading);
    }
}
