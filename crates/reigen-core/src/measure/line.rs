//! What a line of two levels does: its idle level, its pulses, its bursts.

use super::bounce::{BounceMeter, Bursts};
use super::edges::Edges;
use super::judgement::{Candidate, SingleLine, judge};
use super::kind::Guess;
use crate::time::Nanos;
use rayon::prelude::*;
use std::sync::OnceLock;

/// How many edges are kept, for what lines are to one another.
pub const FIRST_EDGES: usize = 1 << 16;

/// After so many edges the time that parts bursts is chosen.
const CHOOSING_EDGES: usize = 1 << 14;

/// With fewer edges in a window than these, one thread is faster.
pub(super) const MANY_EDGES: usize = 20_000;

/// Measures one line, edge by edge.
#[derive(Debug, Clone)]
pub struct LineMeter {
    /// The level that it starts with.
    pub starts_high: bool,
    since: Nanos,
    high: bool,
    last: Option<Nanos>,
    /// How many edges there were.
    pub count: u64,
    /// What it held low and high.
    held: [Held; 2],
    /// The stretch before the first edge.
    lead: u64,
    /// A number that tells equal histories: every edge at the same time.
    trace: u64,
    /// The first edges.
    pub first: Vec<Nanos>,
    bounce: Option<BounceMeter>,
    /// How many edges are kept.
    room: usize,
    /// Whether only those are wanted.
    first_only: bool,
    /// What it is by itself, once it was asked.
    alone: OnceLock<SingleLine>,
}

/// How long a level was held.
#[derive(Debug, Clone, Copy)]
struct Held {
    /// In all.
    spent: u64,
    /// The shortest complete pulse.
    shortest: u64,
    /// The longest.
    longest: u64,
}

impl Held {
    const NEVER: Self = Self { spent: 0, shortest: u64::MAX, longest: 0 };

    /// Takes a complete pulse.
    #[inline(always)]
    fn take(&mut self, length: u64) {
        self.spent += length;
        self.shortest = self.shortest.min(length);
        self.longest = self.longest.max(length);
    }

    /// The shortest and the longest pulse, where there was one.
    fn pulses(self) -> Option<(Nanos, Nanos)> {
        (self.longest >= self.shortest).then_some((Nanos(self.shortest), Nanos(self.longest)))
    }
}

/// What a line did, over the whole recording.
#[derive(Debug, Clone)]
pub struct LineFigures {
    /// The level where it is longer.
    pub idle_high: bool,
    /// How many edges.
    pub edges: u64,
    /// Share of the time that it is high.
    pub share_high: f64,
    /// The shortest and longest complete high pulse.
    pub high_pulses: Option<(Nanos, Nanos)>,
    /// The shortest and longest complete low pulse.
    pub low_pulses: Option<(Nanos, Nanos)>,
    /// The longest stretch without an edge.
    pub longest_rest: Nanos,
    /// Bursts of edges.
    pub bounce: BounceMeter,
    /// Edges a second, over the whole time.
    pub rate_hz: f64,
}

impl LineFigures {
    /// Short pulses from the idle level that change nothing.
    pub fn at_rest(&self) -> &Bursts {
        if self.idle_high { &self.bounce.dropouts } else { &self.bounce.glitches }
    }

    /// Short returns to the idle level.
    pub fn away_from_rest(&self) -> &Bursts {
        if self.idle_high { &self.bounce.glitches } else { &self.bounce.dropouts }
    }
}

impl LineMeter {
    /// A meter for a line that has its first level at a time.
    pub fn new(since: Nanos, high: bool) -> Self {
        Self {
            starts_high: high,
            since,
            high,
            last: None,
            count: 0,
            held: [Held::NEVER; 2],
            lead: 0,
            trace: 0,
            first: Vec::new(),
            bounce: None,
            room: FIRST_EDGES,
            first_only: false,
            alone: OnceLock::new(),
        }
    }

    /// A meter of so many first edges alone, for what the line is.
    pub fn of_first_edges(since: Nanos, high: bool, room: usize) -> Self {
        Self { first_only: true, room, ..Self::new(since, high) }
    }

    /// Takes the edges of a window.
    pub fn take(&mut self, edges: &[Nanos]) {
        if self.first_only {
            let room = self.room.saturating_sub(self.first.len()).min(edges.len());
            self.first.extend_from_slice(edges.get(..room).unwrap_or_default());
            self.count += edges.len() as u64;
            return;
        }
        let first = if self.last.is_none() { edges.len().min(1) } else { 0 };
        let (first, rest) = edges.split_at_checked(first).unwrap_or((edges, &[]));
        first.iter().for_each(|&edge| self.edge(edge));
        let (pairs, odd) = rest.as_chunks::<2>();
        self.pairs(pairs);
        odd.iter().for_each(|&edge| self.edge(edge));
        self.count += edges.len() as u64;
        self.meter(edges);
    }

    /// Takes one edge.
    fn edge(&mut self, edge: Nanos) {
        let length = (edge - self.last.unwrap_or(self.since)).0;
        match (self.last, self.held.get_mut(usize::from(self.high))) {
            (Some(_), Some(held)) => held.take(length),
            (None, Some(held)) => (held.spent, self.lead) = (length, length),
            _ => {}
        }
        self.trace = traced(self.trace, edge);
        self.last = Some(edge);
        self.high = !self.high;
    }

    /// Takes edges two by two, after the first: the same as [`edge`](Self::edge) for each of them.
    fn pairs(&mut self, pairs: &[[Nanos; 2]]) {
        let (Some(mut last), [low, high]) = (self.last, self.held) else { return };
        let (mut one, mut other) = if self.high { (high, low) } else { (low, high) };
        let mut trace = self.trace;
        for &[first, second] in pairs {
            one.take((first - last).0);
            other.take((second - first).0);
            trace = traced(traced(trace, first), second);
            last = second;
        }
        (self.last, self.trace) = (Some(last), trace);
        self.held = if self.high { [other, one] } else { [one, other] };
    }

    /// Hands the edges to the bounce meter, once it is known what parts bursts.
    fn meter(&mut self, edges: &[Nanos]) {
        let room = self.room.saturating_sub(self.first.len());
        self.first.extend_from_slice(edges.get(..room.min(edges.len())).unwrap_or_default());
        match &mut self.bounce {
            Some(bounce) => bounce.take(edges),
            // What is beyond those that are kept must not be lost.
            None if self.count >= CHOOSING_EDGES as u64 => {
                self.choose();
                let beyond = edges.get(room.min(edges.len())..).unwrap_or_default();
                self.bounce.iter_mut().for_each(|bounce| bounce.take(beyond));
            }
            None => {}
        }
    }

    /// Chooses what parts bursts from the edges so far.
    fn choose(&mut self) {
        let mut bounce = BounceMeter::new(self.starts_high, self.alone().quiet);
        bounce.take(&self.first);
        self.bounce = Some(bounce);
    }

    /// Its first edges.
    pub fn edges(&self) -> Edges<'_> {
        Edges { starts_high: self.starts_high, times: &self.first }
    }

    /// What it is by itself; to be asked once enough of its edges are known, or all.
    pub fn alone(&self) -> &SingleLine {
        self.alone.get_or_init(|| SingleLine::new(self.edges()))
    }

    /// Whether its first edges are all that it has.
    pub fn has_all(&self) -> bool {
        self.first.len() as u64 == self.count
    }

    /// The line as it is judged, at the recording's last time.
    pub fn candidate<'a>(&'a self, name: &'a str, end: Nanos) -> Candidate<'a> {
        let until = if self.has_all() { end } else { self.first.last().copied().unwrap_or(end) };
        Candidate { name, edges: Some((self.edges(), self.alone())), since: self.since, until }
    }

    /// How many edges it had and a number made of all their times: lines that have these in common had their edges at the
    /// same times. `None` without an edge.
    pub fn history(&self) -> Option<(u64, u64)> {
        (self.count > 0).then_some((self.count, self.trace))
    }

    /// Since when it is known.
    pub fn since(&self) -> Nanos {
        self.since
    }

    /// The figures, at the recording's last time.
    pub fn figures(&mut self, end: Nanos) -> LineFigures {
        if self.bounce.is_none() {
            self.choose();
        }
        let rest = end.saturating_sub(self.last.unwrap_or(self.since)).0;
        let [low, high] = self.held;
        let [low_pulses, high_pulses] = self.held.map(Held::pulses);
        let longest_rest = Nanos(rest.max(self.lead).max(low.longest).max(high.longest));
        let at_end = |level: bool| if self.high == level { rest } else { 0 };
        let (low, high) = (low.spent + at_end(false), high.spent + at_end(true));
        let mut bounce = self.bounce.clone().unwrap_or_else(|| BounceMeter::new(self.starts_high, Nanos(1)));
        bounce.finish();
        let all = end.saturating_sub(self.since);
        LineFigures {
            idle_high: if high == low { self.starts_high } else { high > low },
            edges: self.count,
            share_high: if low + high == 0 { f64::from(self.high) } else { high as f64 / (low + high) as f64 },
            high_pulses,
            low_pulses,
            longest_rest,
            bounce,
            rate_hz: if all.0 == 0 { 0.0 } else { self.count as f64 / all.seconds() },
        }
    }
}

/// The number that tells equal histories, after one more edge.
#[inline(always)]
fn traced(trace: u64, edge: Nanos) -> u64 {
    (trace ^ edge.0).wrapping_mul(0x9E37_79B9_7F4A_7C15).rotate_left(23)
}

/// Judges lines by what their meters kept.
pub fn judge_all(meters: &[Option<&LineMeter>], names: &[String], end: Nanos) -> Vec<Guess> {
    // What each is by itself is the most of the work.
    meters.par_iter().flatten().for_each(|meter| {
        meter.alone();
    });
    let candidates: Vec<Candidate<'_>> = meters
        .iter()
        .zip(names)
        .map(|(meter, name)| match meter {
            Some(meter) => meter.candidate(name, end),
            None => Candidate { name, edges: None, since: Nanos(0), until: end },
        })
        .collect();
    judge(&candidates)
}
