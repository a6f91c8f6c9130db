//! Bounce: bursts of edges around real changes, and glitches between them.

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
}

impl Bursts {
    fn take(&mut self, edges: u64, length: Nanos) {
        self.edges += edges;
        self.most_edges = self.most_edges.max(edges);
        self.lengths.take(length);
    }

    /// How many bursts there are.
    pub fn count(&self) -> u64 {
        self.lengths.count()
    }
}

/// Parts a line's edges into bursts by the time for which a level must hold between them.
#[derive(Debug, Clone)]
pub struct BounceMeter {
    quiet: Nanos,
    /// The state before the burst, and after its edges so far.
    before: bool,
    on: bool,
    first: Nanos,
    last: Nanos,
    edges: u64,
    /// Bursts that end on, those that end off, and those that change nothing.
    pub turning_on: Bursts,
    /// Bursts that end off.
    pub turning_off: Bursts,
    /// Bursts after which all is as before.
    pub glitches: Bursts,
}

impl BounceMeter {
    /// A meter for an input that starts so; a level that holds for `quiet` ends a burst.
    pub fn new(on: bool, quiet: Nanos) -> Self {
        Self {
            quiet,
            before: on,
            on,
            first: Nanos(0),
            last: Nanos(0),
            edges: 0,
            turning_on: Bursts::default(),
            turning_off: Bursts::default(),
            glitches: Bursts::default(),
        }
    }

    /// The time that a level must hold.
    pub fn quiet(&self) -> Nanos {
        self.quiet
    }

    /// Takes the next edge.
    #[inline]
    pub fn take(&mut self, edge: Nanos) {
        if self.edges > 0 && edge - self.last >= self.quiet {
            self.close();
        }
        if self.edges == 0 {
            self.first = edge;
        }
        self.edges += 1;
        self.last = edge;
        self.on = !self.on;
    }

    /// Ends the last burst; where the recording ends before it is quiet, the burst counts as far as it came.
    pub fn finish(&mut self) {
        if self.edges > 0 {
            self.close();
        }
    }

    fn close(&mut self) {
        let bursts = match (self.before == self.on, self.on) {
            (true, _) => &mut self.glitches,
            (_, true) => &mut self.turning_on,
            (_, false) => &mut self.turning_off,
        };
        bursts.take(self.edges, self.last - self.first);
        self.before = self.on;
        self.edges = 0;
    }
}
