//! The bits that a chain's clock reads, one after another: the readable form of [`super::frames`], for pictures.

use super::frames::{Edges, Levels};
use crate::time::Nanos;

/// A bit that was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Read {
    /// The clock edge that read it.
    pub at: Nanos,
    /// Its place in the frame, from 0: the order in which bits come out.
    pub place: usize,
    /// The level just before that edge.
    pub high: bool,
}

/// Follows the four lines of a chain, instant by instant.
#[derive(Debug, Clone)]
pub struct Reads {
    rising: bool,
    now: Levels,
    /// How many bits the frame has so far; `None` outside of a frame.
    places: Option<usize>,
}

impl Reads {
    /// From these levels on; bits are read at rising clocks, or at falling ones.
    pub fn new(rising: bool, now: Levels) -> Self {
        Self { rising, now, places: None }
    }

    /// Works through the changes of a window.
    pub fn work(&mut self, edges: Edges<'_>, sink: &mut dyn FnMut(Read)) {
        let Edges { load, clock, data, inhibit } = edges;
        let mut times: Vec<Nanos> = [load, clock, data, inhibit].concat();
        times.sort_unstable();
        times.dedup();
        for at in times {
            let [load, clock, data, inhibit] = [load, clock, data, inhibit].map(|changes| changes_at(changes, at));
            let before = self.now;
            self.now.load ^= load % 2 == 1;
            self.now.data ^= data % 2 == 1;
            self.now.inhibit ^= inhibit % 2 == 1;
            for _ in 0..clock {
                self.now.clock = !self.now.clock;
                if before.load && self.now.load && self.now.clock == self.rising && !before.inhibit {
                    self.read(at, before.data, sink);
                }
            }
            if before.load != self.now.load {
                self.places = self.now.load.then_some(0);
            }
        }
    }

    fn read(&mut self, at: Nanos, high: bool, sink: &mut dyn FnMut(Read)) {
        if let Some(place) = &mut self.places {
            sink(Read { at, place: *place, high });
            *place += 1;
        }
    }
}

/// How often a line changes in an instant.
fn changes_at(changes: &[Nanos], at: Nanos) -> usize {
    let from = changes.partition_point(|&time| time < at);
    changes.get(from..).unwrap_or_default().partition_point(|&time| time == at)
}
