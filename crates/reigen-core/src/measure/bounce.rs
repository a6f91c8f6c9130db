//! Bounce: bursts of edges around real changes, and bursts that change nothing.

use super::bins::Spread;
use crate::time::Nanos;

/// Bursts of one kind: how many edges each has, and how long it lasts from its first edge to its last.
#[derive(Debug, Clone, Default)]
pub struct Bursts {
    /// How many edges all of them have.
    pub edges: u64,
    /// The most edges that one has.
    pub most_edges: u64,
    /// How long they last.
    pub lengths: Spread,
    /// The longest level held within one.
    pub longest_inner: Nanos,
}

impl Bursts {
    fn take(&mut self, edges: u64, length: Nanos, inner: Nanos) {
        self.edges += edges;
        self.most_edges = self.most_edges.max(edges);
        self.lengths.take(length);
        self.longest_inner = self.longest_inner.max(inner);
    }

    /// So many bursts of one edge each.
    fn take_single(&mut self, count: u64) {
        self.edges += count;
        self.most_edges = self.most_edges.max(count.min(1));
        self.lengths.take_zeros(count);
    }

    /// How many bursts there are.
    pub fn count(&self) -> u64 {
        self.lengths.count()
    }

    /// How long the longest lasts; 0 without any.
    pub fn longest(&self) -> Nanos {
        self.lengths.most().unwrap_or_default()
    }
}

/// A burst so far.
#[derive(Debug, Clone, Copy)]
struct Burst {
    /// The state before it, and after its edges.
    before: bool,
    on: bool,
    first: Nanos,
    last: Nanos,
    /// How many edges; 0 before the first burst.
    edges: u64,
    /// The longest level held within it.
    inner: Nanos,
}

impl Burst {
    fn new(on: bool) -> Self {
        Self { before: on, on, first: Nanos(0), last: Nanos(0), edges: 0, inner: Nanos(0) }
    }
}

/// Parts a line's edges into bursts by the time for which a level must hold between them.
#[derive(Debug, Clone)]
pub struct BounceMeter {
    quiet: Nanos,
    burst: Burst,
    shortest_hold: Option<Nanos>,
    /// Bursts that end on.
    pub turning_on: Bursts,
    /// Bursts that end off.
    pub turning_off: Bursts,
    /// Bursts after which all is as before, away from the off state.
    pub glitches: Bursts,
    /// Bursts after which all is as before, away from the on state.
    pub dropouts: Bursts,
}

impl BounceMeter {
    /// A meter for an input that starts so; a level that holds for `quiet` ends a burst.
    pub fn new(on: bool, quiet: Nanos) -> Self {
        Self {
            quiet,
            burst: Burst::new(on),
            shortest_hold: None,
            turning_on: Bursts::default(),
            turning_off: Bursts::default(),
            glitches: Bursts::default(),
            dropouts: Bursts::default(),
        }
    }

    /// The same bursts of a line that is on where this one is off.
    #[must_use]
    pub fn inverted(self) -> Self {
        Self {
            burst: Burst { before: !self.burst.before, on: !self.burst.on, ..self.burst },
            turning_on: self.turning_off,
            turning_off: self.turning_on,
            glitches: self.dropouts,
            dropouts: self.glitches,
            ..self
        }
    }

    /// The time that a level must hold.
    pub fn quiet(&self) -> Nanos {
        self.quiet
    }

    /// The shortest level held between two bursts.
    pub fn shortest_hold(&self) -> Option<Nanos> {
        self.shortest_hold
    }

    /// Takes the next edges.
    pub fn take(&mut self, edges: &[Nanos]) {
        // While they are taken, what changes with each of them is kept outside `self`.
        let (mut burst, mut shortest, quiet) = (self.burst, self.shortest_hold.unwrap_or(Nanos(u64::MAX)), self.quiet);
        // Changes of one edge, off and on: most bursts are such.
        let (mut off, mut on) = (0, 0);
        for &edge in edges {
            let held = edge.saturating_sub(burst.last);
            if burst.edges > 0 && held < quiet {
                burst.inner = burst.inner.max(held);
            } else {
                match burst.edges {
                    0 => {}
                    1 if burst.on => on += 1,
                    1 => off += 1,
                    _ => self.close(burst),
                }
                if burst.edges > 0 {
                    shortest = shortest.min(held);
                }
                burst = Burst { before: burst.on, first: edge, edges: 0, inner: Nanos(0), ..burst };
            }
            burst.edges += 1;
            burst.last = edge;
            burst.on = !burst.on;
        }
        self.turning_off.take_single(off);
        self.turning_on.take_single(on);
        (self.burst, self.shortest_hold) = (burst, Some(shortest).filter(|hold| *hold < Nanos(u64::MAX)));
    }

    /// Ends the last burst; where the recording ends before it is quiet, the burst counts as far as it came.
    pub fn finish(&mut self) {
        if self.burst.edges > 0 {
            self.close(self.burst);
            self.burst = Burst::new(self.burst.on);
        }
    }

    #[inline]
    fn close(&mut self, Burst { before, on, first, last, edges, inner }: Burst) {
        let bursts = match (before, on) {
            (false, false) => &mut self.glitches,
            (true, true) => &mut self.dropouts,
            (_, true) => &mut self.turning_on,
            (_, false) => &mut self.turning_off,
        };
        bursts.take(edges, last - first, inner);
    }

    /// All four kinds of bursts.
    pub fn all(&self) -> [&Bursts; 4] {
        [&self.turning_on, &self.turning_off, &self.glitches, &self.dropouts]
    }

    /// How often the line changed for good.
    pub fn changes(&self) -> u64 {
        self.turning_on.count() + self.turning_off.count()
    }

    /// How many edges come on top of one for each change.
    pub fn extra_edges(&self) -> u64 {
        (self.turning_on.edges + self.turning_off.edges).saturating_sub(self.changes())
    }
}
