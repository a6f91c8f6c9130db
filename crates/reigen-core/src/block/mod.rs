//! What every block of the engine's graph is: it reads columns, fills columns, and has a state that can be saved.

mod instants;

pub use instants::Instants;

use crate::account::Verdict;
use crate::column::{BitColumn, CountColumn, ReadingColumn};
use crate::event::Happening;
use crate::time::{Nanos, Window};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::fmt::Debug;

/// How many columns of each type a block fills.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Shape {
    /// Bits.
    pub bits: usize,
    /// Counts.
    pub counts: usize,
    /// Readings.
    pub readings: usize,
}

impl Shape {
    /// One bit.
    pub const BIT: Shape = Shape { bits: 1, counts: 0, readings: 0 };
    /// One count.
    pub const COUNT: Shape = Shape { bits: 0, counts: 1, readings: 0 };
    /// One reading.
    pub const READING: Shape = Shape { bits: 0, counts: 0, readings: 1 };
}

/// The type of a point's main column, which is the first of its columns of that type.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum MainColumn {
    /// On or off.
    #[default]
    Bit,
    /// A whole number.
    Count,
    /// A real number.
    Reading,
}

/// Where a block reads a two-level signal from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BitSource {
    /// A line of the recording, by its number among the plan's lines.
    Line(usize),
    /// A bit of the same branch, by its number there.
    Bit(usize),
}

/// Where a block reads a number from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum NumberSource {
    /// A number line of the recording, by its number among the plan's number lines.
    Line(usize),
    /// A count of the same branch, by its number there.
    Count(usize),
    /// A reading of the same branch, by its number there.
    Reading(usize),
}

/// The recording's lines within a window.
#[derive(Debug, Clone, Copy, Default)]
pub struct Lines<'a> {
    /// Those of two levels.
    pub bits: &'a [BitColumn],
    /// Those of numbers.
    pub readings: &'a [ReadingColumn],
    /// Whether the recording ends with this window.
    pub last: bool,
}

impl<'a> Lines<'a> {
    /// When the first change at `from` or later comes.
    pub fn next_change(&self, from: Nanos) -> Option<Nanos> {
        let first = |times: &[Nanos]| times.get(times.partition_point(|time| *time < from)).copied();
        let bits = self.bits.iter().filter_map(|line| first(&line.toggles));
        bits.chain(self.readings.iter().filter_map(|line| first(&line.times))).min()
    }

    /// Lines of two levels alone.
    pub fn of_bits(bits: &'a [BitColumn]) -> Self {
        Self { bits, readings: &[], last: false }
    }
}

/// All that a block can read within a window.
#[derive(Debug, Clone, Copy)]
pub struct Inputs<'a> {
    /// The recording's lines.
    pub lines: Lines<'a>,
    /// The bits that earlier blocks of the branch have given.
    pub bits: &'a [BitColumn],
    /// The counts that they have given.
    pub counts: &'a [CountColumn],
    /// The readings that they have given.
    pub readings: &'a [ReadingColumn],
}

static UNKNOWN: BitColumn = BitColumn { level: None, since: Nanos(0), toggles: Vec::new() };

impl<'a> Inputs<'a> {
    /// The column of a source; one without any level where the plan has no such source.
    pub fn bit(&self, source: BitSource) -> &'a BitColumn {
        match source {
            BitSource::Line(line) => self.lines.bits.get(line),
            BitSource::Bit(bit) => self.bits.get(bit),
        }
        .unwrap_or(&UNKNOWN)
    }

    /// The column of readings of a source; `None` for a count, or where the plan has no such source.
    pub fn reading(&self, source: NumberSource) -> Option<&'a ReadingColumn> {
        match source {
            NumberSource::Line(line) => self.lines.readings.get(line),
            NumberSource::Reading(reading) => self.readings.get(reading),
            NumberSource::Count(_) => None,
        }
    }

    /// The first time at which all of `sources` have a level; `None` while one has none.
    pub fn start(&self, sources: impl IntoIterator<Item = BitSource>) -> Option<Nanos> {
        sources.into_iter().try_fold(Nanos(0), |start, source| {
            let column = self.bit(source);
            column.level.map(|_| start.max(column.since))
        })
    }
}

/// The columns that a block fills.
#[derive(Debug)]
pub struct Outputs<'a> {
    /// Its bits, in the order of [`Shape`].
    pub bits: &'a mut [BitColumn],
    /// Its counts.
    pub counts: &'a mut [CountColumn],
    /// Its readings.
    pub readings: &'a mut [ReadingColumn],
}

/// One block: it reads its inputs' changes within a window and appends its outputs' changes there.
///
/// A block is causal: inputs known up to the window's end give outputs known up to it. Whatever it must
/// remember over the border is its own state, and however a recording is cut, the outputs are the same.
pub trait Block: Send {
    /// Works through one window. The outputs come in with their levels carried on and without changes.
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>);

    /// At most so many changes the block makes out of itself in the next window of this length; `quiet` where no line
    /// of the recording changes in it. A handful for each change of a line is not told.
    fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        let _ = (length, quiet);
        0
    }

    /// Nobody reads each value of its numbers: about so many in a window are enough, the last one among them. Gives whether
    /// it leaves any out then.
    fn skim(&mut self, enough: u64) -> bool {
        let _ = enough;
        false
    }

    /// Starts all counts anew at `from`; what is on or off, and what is in the making, stays.
    fn start_counting(&mut self, from: Nanos) {
        let _ = from;
    }

    /// Asks the block to remember what [`happenings`](Self::happenings) tells.
    fn remember(&mut self) {}

    /// Remembers no more.
    fn forget(&mut self) {}

    /// Hands over the fate of each raw edge that was settled in the window; those told here are not told as
    /// [`happenings`](Self::happenings).
    fn verdicts(&mut self, sink: &mut Vec<Verdict>) {
        let _ = sink;
    }

    /// Hands over what happened in the window beside the changes of its first bit.
    fn happenings(&mut self, counts: &[CountColumn], sink: &mut Vec<Happening>) {
        let _ = (counts, sink);
    }

    /// The earliest time of which the block may still have something to tell; `None` if all is told.
    fn undecided_since(&self) -> Option<Nanos> {
        None
    }

    /// How often it had no result, such as a division by zero, and when that was first.
    fn faults(&self) -> Option<(u64, Nanos)> {
        None
    }

    /// How often it was asked for something and did not do it, since it was still at it.
    fn ignored(&self) -> u64 {
        0
    }

    /// The earliest time at which it may change its columns though nothing that it reads changes; `None` for never.
    ///
    /// Up to that time its columns stay as they are. At that time there may be no change after all; then what comes
    /// next is due later.
    fn next_due(&self) -> Option<Nanos> {
        None
    }
}

/// A block whose running state is plain data, apart from its settings.
///
/// Saved at the end of a window and restored into a fresh block of the same settings, it goes on as if nothing had
/// been. What was remembered and not yet told is no part of it, and whether it remembers is not either.
pub trait Stateful: Block {
    /// What it must know of the past.
    type State: Debug + Clone + PartialEq + Serialize + DeserializeOwned;

    /// The state at the end of the last window.
    fn save(&self) -> Self::State;

    /// Goes on from a state.
    fn restore(&mut self, state: Self::State);
}

/// [`Stateful`] for a block whose columns tell all that it must know of the past.
macro_rules! without_state {
    ($block:ty) => {
        impl $crate::block::Stateful for $block {
            type State = ();

            fn save(&self) {}

            fn restore(&mut self, (): ()) {}
        }
    };
}
pub(crate) use without_state;

/// [`Stateful`] for a block with its running state in the field `state`.
macro_rules! keeps_state {
    ($block:ty, $state:ty) => {
        impl $crate::block::Stateful for $block {
            type State = $state;

            fn save(&self) -> $state {
                self.state.clone()
            }

            fn restore(&mut self, state: $state) {
                self.state = state;
            }
        }
    };
}
pub(crate) use keeps_state;
