//! What points keep while the program is not at work: a count, a position, a state, a time that has elapsed.
//!
//! It holds nothing that belongs to the clock of a run, and nothing of the lines: a run that begins from it takes the lines as
//! they are then.

use super::{Engine, RunningBlock};
use crate::column::BitColumn;
use crate::count::encoder::block as encoder;
use crate::count::retained as counter;
use crate::logic::timer;
use crate::number::register;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// Sums beyond this come from no run: a file may say anything, and they would overflow.
pub(crate) const MOST_SUM: i64 = 1 << 53;

/// What one point keeps, by its kind.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Retained {
    /// Of a counter.
    Counter(counter::Retained),
    /// Of an encoder.
    Encoder(encoder::Retained),
    /// Whether a latch is on.
    Latch(bool),
    /// Whether a toggle is on.
    Toggle(bool),
    /// Of a timer.
    Timer(timer::Retained),
    /// Of a register that a counter counts by.
    Register(register::Retained),
}

impl Retained {
    /// The same after a time in which nothing happened, while the program was at work.
    #[must_use]
    pub fn later(&self, by: Nanos) -> Self {
        match self.clone() {
            Self::Timer(mut timer) => {
                timer.elapsed_ns = timer.elapsed_ns.map(|elapsed| elapsed.saturating_add(by.0));
                Self::Timer(timer)
            }
            other => other.after_outage(by),
        }
    }

    /// The same after a time in which the program was not at work: devices went on meanwhile, timers did not.
    #[must_use]
    pub fn after_outage(&self, of: Nanos) -> Self {
        match self.clone() {
            Self::Register(mut register) => {
                register.age_ns = register.age_ns.saturating_add(of.0);
                Self::Register(register)
            }
            other => other,
        }
    }
}

impl Engine {
    /// What these points keep at the end of the last window, which was at `until`; points without anything to keep are
    /// left out.
    pub fn retained(&self, points: &[usize], until: Nanos) -> Vec<(usize, Retained)> {
        let nodes = self.branches.iter().flat_map(|branch| branch.nodes.iter().map(move |node| (branch, node)));
        let of_points = nodes.filter_map(|(branch, node)| Some((branch, node, node.point?)));
        let wanted = of_points.filter(|(_, _, point)| points.contains(point));
        let kept = wanted.filter_map(|(branch, node, point)| {
            let (bits, ..) = node.columns(branch);
            Some((point, node.block.retained(bits, until)?))
        });
        kept.collect()
    }

    /// Lets a point begin from what it has kept, before the first window; gives whether it can.
    pub fn resume(&mut self, point: usize, kept: &Retained) -> bool {
        self.nodes_mut().find(|node| node.point == Some(point)).is_some_and(|node| node.block.resume(kept))
    }
}

impl RunningBlock {
    /// What it keeps, with the bits that it has filled up to a time; `None` for a block that keeps nothing.
    fn retained(&self, bits: &[BitColumn], until: Nanos) -> Option<Retained> {
        let level = bits.first().and_then(BitColumn::last_level);
        Some(match self {
            Self::Counter(block) => Retained::Counter(block.retained()),
            Self::ScannedCounter(block) => Retained::Counter(block.inner().retained()),
            Self::Encoder(block) => Retained::Encoder(block.retained()),
            Self::ScannedEncoder(block) => Retained::Encoder(block.inner().retained()),
            Self::Latch(block) => Retained::Latch(block.retained(level)),
            Self::Toggle(block) => Retained::Toggle(block.retained(level)),
            Self::Timer(block) => Retained::Timer(block.retained(level, until)),
            Self::Register(block) => block.retained(until).map(Retained::Register)?,
            _ => return None,
        })
    }

    /// Begins from what was kept; false where that is of another kind, or does not fit.
    fn resume(&mut self, kept: &Retained) -> bool {
        match (self, kept) {
            (Self::Counter(block), Retained::Counter(kept)) => return block.resume(kept),
            (Self::ScannedCounter(block), Retained::Counter(kept)) => return block.inner_mut().resume(kept),
            (Self::Encoder(block), Retained::Encoder(kept)) => return block.resume(*kept),
            (Self::ScannedEncoder(block), Retained::Encoder(kept)) => return block.inner_mut().resume(*kept),
            (Self::Latch(block), Retained::Latch(on)) => block.resume(*on),
            (Self::Toggle(block), Retained::Toggle(on)) => block.resume(*on),
            (Self::Timer(block), Retained::Timer(kept)) => block.resume(*kept),
            (Self::Register(block), Retained::Register(kept)) => return block.resume(*kept),
            _ => return false,
        }
        true
    }
}
