//! `auto`: reciprocal counting, edges over the time that they took, at a constant step.

use super::readings::{By, Made, Reading, Sink};
use super::step::{self, Step};
use crate::time::Nanos;

/// Later than all times.
const NEVER: Nanos = Nanos(u64::MAX);

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
    /// Up to this time the last reading holds without another edge.
    holds_until: Nanos,
}

/// How much lower a bound is at least than the one before it, as a divisor: a thousandth.
///
/// From a thousand steps on a bound comes at fewer times than the readings: a standstill of years then has some ten
/// thousands of them, however short the step is.
const FALL: u64 = 1000;

impl Auto {
    /// A reading at every multiple of `every`, which is above zero; `tick` is the step of the edges' times.
    pub fn new(every: Nanos, zero_after: Option<Nanos>, tick: Nanos) -> Self {
        let (anchor, last, next) = (None, Nanos(0), Nanos(0));
        Self {
            every,
            zero_after,
            step: Step::new(tick),
            next,
            anchor,
            last,
            count: 0,
            any: false,
            reading: None,
            holds_until: NEVER,
        }
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

    /// At most so many readings it gives over this length; `quiet` where no edge comes.
    pub fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        if quiet && self.anchor.is_none() {
            return 1;
        }
        let steps = length.0 / self.every.0;
        match steps / FALL {
            0 => steps,
            _ if !quiet => steps,
            // Each bound is a thousandth lower: a thousand of them more than halve it.
            times => FALL * (2 + u64::from(times.ilog2())),
        }
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
            let alike = self.readings_alike(until);
            if alike > 0 {
                if self.reading.is_some() {
                    sink.repeat(alike);
                }
                self.skip(alike);
                continue;
            }
            self.read(self.next, sink);
            self.skip(1);
        }
    }

    fn skip(&mut self, readings: u64) {
        self.next = Nanos(self.next.0.saturating_add(readings.saturating_mul(self.every.0)));
    }

    /// How many readings before `until` only repeat the last one, since no edge came and it holds.
    fn readings_alike(&self, until: Nanos) -> u64 {
        if self.anchor.is_some_and(|anchor| self.any && self.last > anchor) {
            return 0;
        }
        let stops = self.zero_after.map_or(NEVER, |zero_after| self.last + zero_after);
        let until = until.min(stops).min(self.holds_until);
        until.saturating_sub(self.next).0.div_ceil(self.every.0)
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
            // Rounding may lift the last digit: the time before is safe.
            let period_ns = (1e9 / hertz.abs() * (1.0 - 1e-15)) as u64;
            self.holds_until = self.last + Nanos(period_ns.saturating_sub(2));
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
        self.holds_until = at + self.every.max(Nanos(idle.0 / FALL));
        // A bound has no resolution.
        self.give(Reading { hertz: most.copysign(reading), resolution_hertz: 0.0, made }, sink);
    }

    /// Stops: no interval spans it, and a reading there is becomes 0.
    pub fn stop(&mut self, at: Nanos, sink: &mut impl Sink) {
        self.anchor = None;
        (self.count, self.any) = (0, false);
        self.holds_until = NEVER;
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
