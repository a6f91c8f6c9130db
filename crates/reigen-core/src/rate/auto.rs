//! `auto`: reciprocal counting, edges over the time that they took, at a constant step.

use super::readings::{Basis, BasisKind, Reading, Sink};
use super::step::{self, Step};
use crate::cast;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// Later than all times.
const NEVER: Nanos = Nanos(u64::MAX);

/// The running form of reciprocal counting.
#[derive(Debug, Clone)]
pub struct Auto {
    every: Nanos,
    zero_after: Option<Nanos>,
    tick: Nanos,
    state: State,
}

/// What reciprocal counting must know of the past.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct State {
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
        let state = State {
            step: Step::default(),
            next: Nanos(0),
            anchor: None,
            last: Nanos(0),
            count: 0,
            any: false,
            reading: None,
            holds_until: NEVER,
        };
        Self { every, zero_after, tick, state }
    }

    /// The same, with its readings counted from a time, at which the first is.
    pub fn counting_from(mut self, from: Nanos) -> Self {
        self.state.next = from;
        self
    }

    /// An edge; `amount` is -1 for one that goes back.
    #[inline]
    pub fn edge(&mut self, at: Nanos, amount: i64, sink: &mut impl Sink) {
        // An edge exactly at the time of a reading belongs to it.
        if self.state.next < at {
            self.pass(at, sink);
        }
        self.state.step.take(at, self.tick);
        self.state.last = at;
        if self.state.anchor.is_none() {
            self.state.anchor = Some(at);
            return;
        }
        self.state.count += amount;
        self.state.any = true;
    }

    /// An edge that only tells the step of the times; readings that are due before it come first.
    #[inline]
    pub fn other_edge(&mut self, at: Nanos, sink: &mut impl Sink) {
        if self.state.next < at {
            self.pass(at, sink);
        }
        self.state.step.take(at, self.tick);
    }

    /// At most so many readings it gives over this length; `quiet` where no edge comes.
    pub fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        if quiet && self.state.anchor.is_none() {
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
        self.state.next.saturating_sub(self.every)
    }

    /// The step of the edges' times, as it was learned.
    pub fn step(&self) -> Nanos {
        self.state.step.get(self.tick)
    }

    /// Whether more edges cannot make that step finer.
    #[inline]
    pub fn knows_step(&self) -> bool {
        self.state.step.is_finest(self.tick)
    }

    /// When it may give a reading though no edge comes.
    pub fn next_due(&self) -> Option<Nanos> {
        self.state.anchor.map(|_| self.state.next)
    }

    /// What it must know of the past.
    pub fn save(&self) -> State {
        self.state
    }

    /// Goes on from a state.
    pub fn restore(&mut self, state: State) {
        self.state = state;
    }

    /// Many edges that all go one way: [`edge`](Self::edge) for each of them.
    pub fn edges(&mut self, times: &[Nanos], amount: i64, sink: &mut impl Sink) {
        let mut rest = times;
        while let [first, ..] = *rest {
            self.edge(first, amount, sink);
            // Those up to the next reading only count.
            let within = rest.partition_point(|&time| time <= self.state.next).max(1);
            let (counted, later) = rest.split_at_checked(within).unwrap_or((rest, &[]));
            if let [_, rest @ ..] = counted
                && !self.knows_step()
            {
                rest.iter().for_each(|&edge| self.state.step.take(edge, self.tick));
            }
            if let [_, .., last] = *counted {
                self.state.last = last;
                self.state.count += amount * (cast::i64_from_usize(counted.len()) - 1);
                self.state.any = true;
            }
            rest = later;
        }
    }

    /// Gives all readings that are due before `until`.
    pub fn pass(&mut self, until: Nanos, sink: &mut impl Sink) {
        while self.state.next < until {
            if self.state.anchor.is_none() {
                // Nothing comes of these; they are passed over at once.
                let times = (until - self.state.next).0.div_ceil(self.every.0);
                if self.state.reading.is_some() {
                    sink.repeat(times);
                }
                self.state.next = Nanos(self.state.next.0.saturating_add(times.saturating_mul(self.every.0)));
                return;
            }
            let alike = self.readings_alike(until);
            if alike > 0 {
                if self.state.reading.is_some() {
                    sink.repeat(alike);
                }
                self.skip(alike);
                continue;
            }
            self.read(self.state.next, sink);
            self.skip(1);
        }
    }

    fn skip(&mut self, readings: u64) {
        self.state.next = Nanos(self.state.next.0.saturating_add(readings.saturating_mul(self.every.0)));
    }

    /// How many readings before `until` only repeat the last one, since no edge came and it holds.
    fn readings_alike(&self, until: Nanos) -> u64 {
        if self.state.anchor.is_some_and(|anchor| self.state.any && self.state.last > anchor) {
            return 0;
        }
        let stops = self.zero_after.map_or(NEVER, |zero_after| self.state.last + zero_after);
        let until = until.min(stops).min(self.state.holds_until);
        until.saturating_sub(self.state.next).0.div_ceil(self.every.0)
    }

    fn read(&mut self, at: Nanos, sink: &mut impl Sink) {
        let Some(anchor) = self.state.anchor else { return };
        if self.state.any && self.state.last > anchor {
            let interval = (self.state.last - anchor).seconds();
            let hertz = self.state.count as f64 / interval;
            let made =
                Basis { at, edges: self.state.count, from: anchor, until: self.state.last, by: BasisKind::Timed };
            let resolution_hertz = step::resolution(hertz, self.step().seconds(), interval);
            self.state.anchor = Some(self.state.last);
            (self.state.count, self.state.any) = (0, false);
            // Rounding may lift the last digit: the time before is safe.
            let period_ns = cast::u64_from_f64(1e9 / hertz.abs() * (1.0 - 1e-15));
            self.state.holds_until = self.state.last + Nanos(period_ns.saturating_sub(2));
            return self.give(Reading { hertz, resolution_hertz, made }, sink);
        }
        let idle = at.saturating_sub(self.state.last);
        if self.zero_after.is_some_and(|zero_after| idle >= zero_after) {
            return self.stop(at, sink);
        }
        let Some(reading) = self.state.reading else { return };
        let most = 1.0 / idle.seconds();
        if most >= reading.abs() {
            return sink.repeat(1);
        }
        let made = Basis { at, edges: 0, from: self.state.last, until: at, by: BasisKind::Fallen };
        self.state.holds_until = at + self.every.max(Nanos(idle.0 / FALL));
        // A bound has no resolution.
        self.give(Reading { hertz: most.copysign(reading), resolution_hertz: 0.0, made }, sink);
    }

    /// Stops: no interval spans it, and a reading there is becomes 0.
    pub fn stop(&mut self, at: Nanos, sink: &mut impl Sink) {
        self.state.anchor = None;
        (self.state.count, self.state.any) = (0, false);
        self.state.holds_until = NEVER;
        if self.state.reading == Some(0.0) {
            // A lone edge while it stands gives no other reading of 0.
            return sink.repeat(1);
        }
        if self.state.reading.is_some() {
            let made = Basis { at, edges: 0, from: self.state.last, until: at, by: BasisKind::Stopped };
            self.give(Reading { hertz: 0.0, resolution_hertz: 0.0, made }, sink);
        }
    }

    fn give(&mut self, reading: Reading, sink: &mut impl Sink) {
        self.state.reading = Some(reading.hertz);
        sink.reading(reading);
    }
}
