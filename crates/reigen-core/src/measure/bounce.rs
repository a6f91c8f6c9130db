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

    /// How many bursts there are.
    pub fn count(&self) -> u64 {
        self.lengths.count()
    }

    /// How long the longest lasts; 0 without any.
    pub fn longest(&self) -> Nanos {
        self.lengths.most().unwrap_or_default()
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
    inner: Nanos,
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
            before: on,
            on,
            first: Nanos(0),
            last: Nanos(0),
            edges: 0,
            inner: Nanos(0),
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
            before: !self.before,
            on: !self.on,
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

    /// Takes the next edge.
    #[inline]
    pub fn take(&mut self, edge: Nanos) {
        if self.edges > 0 {
            let held = edge - self.last;
            if held >= self.quiet {
                self.close();
                self.shortest_hold = Some(self.shortest_hold.map_or(held, |hold| hold.min(held)));
            } else {
                self.inner = self.inner.max(held);
            }
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
        let bursts = match (self.before, self.on) {
            (false, false) => &mut self.glitches,
            (true, true) => &mut self.dropouts,
            (_, true) => &mut self.turning_on,
            (_, false) => &mut self.turning_off,
        };
        bursts.take(self.edges, self.last - self.first, self.inner);
        self.before = self.on;
        self.edges = 0;
        self.inner = Nanos(0);
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
