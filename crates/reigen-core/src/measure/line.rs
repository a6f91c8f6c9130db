//! What a line of two levels does: its idle level, its pulses, its bursts.

use super::bounce::BounceMeter;
use super::curve::Curve;
use super::stable_curve::StableCurve;
use crate::time::Nanos;

/// How many edges are kept, for what lines are to one another.
pub const FIRST_EDGES: usize = 1 << 16;

/// After so many edges the time that parts bursts is chosen.
const CHOOSING_EDGES: usize = 1 << 14;

/// The time that parts bursts where no plateau recommends one: longer than contacts bounce.
const USUAL_QUIET: Nanos = Nanos(20_000_000);

/// Measures one line, edge by edge.
#[derive(Debug, Clone)]
pub struct LineMeter {
    /// The level that it starts with.
    pub starts_high: bool,
    since: Nanos,
    high: bool,
    last: Option<Nanos>,
    /// How many edges there were.
    pub edges: u64,
    /// The shortest and longest complete low and high pulse.
    pulses: [(u64, u64); 2],
    /// Times spent low and high.
    spent: [u64; 2],
    /// The longest stretch of all, complete or not.
    longest: u64,
    /// A number that tells equal histories: every edge at the same time.
    trace: u64,
    /// The first edges.
    pub first: Vec<Nanos>,
    bounce: Option<BounceMeter>,
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

/// What parts bursts: the time that is recommended for a debounce, unless it would swallow nearly all there is; then the
/// line does not bounce, and a time that keeps every pulse is taken.
fn quiet(curve: &Curve) -> Nanos {
    const NEARLY_ALL: u64 = 30;
    let plateaus = curve.plateaus();
    match (curve.recommended(), plateaus.first()) {
        (Some(plateau), Some(first)) if plateau.count * NEARLY_ALL < first.count => Nanos((first.until.0 / 2).max(1)),
        (Some(plateau), _) => plateau.middle(),
        (None, _) => USUAL_QUIET,
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
            edges: 0,
            pulses: [(u64::MAX, 0); 2],
            spent: [0; 2],
            longest: 0,
            trace: 0,
            first: Vec::new(),
            bounce: None,
        }
    }

    /// Takes the edges of a window.
    pub fn take(&mut self, edges: &[Nanos]) {
        for &edge in edges {
            let length = (edge - self.last.unwrap_or(self.since)).0;
            let level = usize::from(self.high);
            if let (Some(spent), Some(pulses)) = (self.spent.get_mut(level), self.pulses.get_mut(level)) {
                *spent += length;
                if self.last.is_some() {
                    *pulses = (pulses.0.min(length), pulses.1.max(length));
                }
            }
            self.longest = self.longest.max(length);
            self.trace = (self.trace ^ edge.0).wrapping_mul(0x9E37_79B9_7F4A_7C15).rotate_left(23);
            self.last = Some(edge);
            self.high = !self.high;
        }
        self.edges += edges.len() as u64;
        self.meter(edges);
    }

    /// Hands the edges to the bounce meter, once it is known what parts bursts.
    fn meter(&mut self, edges: &[Nanos]) {
        let room = FIRST_EDGES.saturating_sub(self.first.len());
        self.first.extend_from_slice(edges.get(..room.min(edges.len())).unwrap_or_default());
        match &mut self.bounce {
            Some(bounce) => edges.iter().for_each(|&edge| bounce.take(edge)),
            // What is beyond those that are kept must not be lost.
            None if self.edges >= CHOOSING_EDGES as u64 => {
                self.choose();
                let beyond = edges.get(room.min(edges.len())..).unwrap_or_default();
                self.bounce.iter_mut().for_each(|bounce| beyond.iter().for_each(|&edge| bounce.take(edge)));
            }
            None => {}
        }
    }

    /// Chooses what parts bursts from the edges so far.
    fn choose(&mut self) {
        // What comes after the last edge is not known here: it is taken to hold.
        let end = self.last.unwrap_or(self.since) + Nanos(self.longest);
        let mut curve = StableCurve::new(self.starts_high);
        self.first.iter().take(CHOOSING_EDGES).for_each(|&edge| curve.take(edge));
        let quiet = quiet(&curve.finish(end).0);
        let mut bounce = BounceMeter::new(self.starts_high, quiet);
        self.first.iter().for_each(|&edge| bounce.take(edge));
        self.bounce = Some(bounce);
    }

    /// Whether two lines had their edges at the same times; and whether at the same levels.
    pub fn same_as(&self, other: &Self) -> Option<bool> {
        let same = self.edges > 0 && self.edges == other.edges && self.trace == other.trace;
        same.then_some(self.starts_high == other.starts_high)
    }

    /// The figures, at the recording's last time.
    pub fn figures(&mut self, end: Nanos) -> LineFigures {
        if self.bounce.is_none() {
            self.choose();
        }
        let rest = end.saturating_sub(self.last.unwrap_or(self.since)).0;
        let mut spent = self.spent;
        if let Some(spent) = spent.get_mut(usize::from(self.high)) {
            *spent += rest;
        }
        let [low, high] = spent;
        let [low_pulses, high_pulses] =
            self.pulses.map(|(shortest, longest)| (longest >= shortest).then_some((Nanos(shortest), Nanos(longest))));
        let mut bounce = self.bounce.clone().unwrap_or_else(|| BounceMeter::new(self.starts_high, USUAL_QUIET));
        bounce.finish();
        let all = end.saturating_sub(self.since);
        LineFigures {
            idle_high: if high == low { self.starts_high } else { high > low },
            edges: self.edges,
            share_high: if low + high == 0 { f64::from(self.high) } else { high as f64 / (low + high) as f64 },
            high_pulses,
            low_pulses,
            longest_rest: Nanos(self.longest.max(rest)),
            bounce,
            rate_hz: if all.0 == 0 { 0.0 } else { self.edges as f64 / all.seconds() },
        }
    }
}
