//! The running blocks, as a closed list: the compiler points at every place that must know a new one.

use crate::analog::meter::{Analog, Scaled};
use crate::analog::threshold::Threshold;
use crate::block::{Block, Stateful};
use crate::condition::input::Input;
use crate::condition::scanned::Scanned;
use crate::count::counter::Counter;
use crate::count::encoder::block::Encoder;
use crate::expand::expander::Expander;
use crate::expand::word::Word;
use crate::logic::apply::Apply;
use crate::logic::blink::Blink;
use crate::logic::elapsed::Elapsed;
use crate::logic::evaluate::Evaluate;
use crate::logic::expect::Expect;
use crate::logic::expect_after::ExpectAfter;
use crate::logic::latch::{Latch, Toggle};
use crate::logic::oneshot::OneShot;
use crate::logic::output::Output;
use crate::logic::pair::Pair;
use crate::logic::timer::Timer;
use crate::number::analog_output::AnalogOutput;
use crate::number::bit::NumberBit;
use crate::number::delay::Delay;
use crate::number::hold::Hold;
use crate::number::register::Register;
use crate::number::sample_rate::SampleRate;
use crate::number::scan::NumberScan;
use crate::number::stats::Stats;
use crate::rate::meter::Rate;
use crate::rate::width::{Stretches, Width};
use crate::summary::PointSummary;
use crate::tally::Tally;
use serde::{Deserialize, Serialize};
use std::ops::{Deref, DerefMut};

macro_rules! running {
    ($($(#[$doc:meta])* $block:ident),+ $(,)?) => {
        /// A block at work. What all blocks can do is [`Block`], which it dereferences to.
        pub enum RunningBlock {
            $($(#[$doc])* $block(Box<$block>),)+
        }

        /// What a block must know of the past.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
        pub enum BlockState {
            $($(#[$doc])* $block(Box<<$block as Stateful>::State>),)+
        }

        impl RunningBlock {
            /// The state at the end of the last window.
            pub fn save(&self) -> BlockState {
                match self {
                    $(Self::$block(block) => BlockState::$block(Box::new(block.save())),)+
                }
            }

            /// Goes on from a state; false where it is that of another block.
            pub fn restore(&mut self, state: BlockState) -> bool {
                match (self, state) {
                    $((Self::$block(block), BlockState::$block(state)) => block.restore(*state),)+
                    _ => return false,
                }
                true
            }
        }

        impl Deref for RunningBlock {
            type Target = dyn Block;

            fn deref(&self) -> &Self::Target {
                match self {
                    $(Self::$block(block) => &**block,)+
                }
            }
        }

        impl DerefMut for RunningBlock {
            fn deref_mut(&mut self) -> &mut Self::Target {
                match self {
                    $(Self::$block(block) => &mut **block,)+
                }
            }
        }

        $(
            impl From<$block> for RunningBlock {
                fn from(block: $block) -> Self {
                    Self::$block(Box::new(block))
                }
            }
        )+
    };
}

type ScannedCounter = Scanned<Counter>;
type ScannedEncoder = Scanned<Encoder>;
type ScannedRate = Scanned<Rate>;

running! {
    /// A line of two levels, conditioned.
    Input,
    /// A count.
    Counter,
    /// A position by quadrature.
    Encoder,
    /// A chain of shift registers.
    Expander,
    /// A number made of bits.
    Word,
    /// A frequency or speed.
    Rate,
    /// How long a level is held.
    Stretches,
    /// A reading of held times.
    Width,
    /// A recorded number, scaled.
    Scaled,
    /// A reading of a number.
    Analog,
    /// A number against two levels.
    Threshold,
    /// A number held at edges.
    Hold,
    /// A number measured while a bit is on.
    Stats,
    /// Delays between two points.
    Delay,
    /// One bit of a number line.
    NumberBit,
    /// A number read once in a scan.
    NumberScan,
    /// A count past the scan, shown at scans.
    ScannedCounter,
    /// A position past the scan.
    ScannedEncoder,
    /// A rate past the scan.
    ScannedRate,
    /// A running count in samples.
    Register,
    /// A rate of such a count.
    SampleRate,
    /// A number given out.
    AnalogOutput,
    /// An expression over bits.
    Evaluate,
    /// One operation over numbers.
    Apply,
    /// A pulse at an edge.
    OneShot,
    /// A state that is set and reset.
    Latch,
    /// A state that flips.
    Toggle,
    /// A timer.
    Timer,
    /// A timer's time against a constant.
    Elapsed,
    /// Both sides of a changeover contact.
    Pair,
    /// Flashes.
    Blink,
    /// A bit that is passed on.
    Output,
    /// What should hold.
    Expect,
    /// What should hold after an edge.
    ExpectAfter,
}

impl RunningBlock {
    /// What its point did; `tally` is that of its first bit.
    pub fn summary(&self, tally: Tally) -> PointSummary {
        match self {
            Self::Input(block) => PointSummary::Input(block.summary(tally)),
            Self::Counter(block) => PointSummary::Counter(block.summary()),
            Self::Encoder(block) => PointSummary::Encoder(Box::new(block.summary())),
            Self::Expander(block) => PointSummary::Expander(Box::new(block.summary())),
            Self::Word(block) => PointSummary::Word(Box::new(block.summary(tally))),
            Self::Rate(block) => PointSummary::Rate(Box::new(block.summary())),
            Self::Width(block) => PointSummary::Width(block.summary()),
            Self::ScannedCounter(block) => PointSummary::Counter(block.inner().summary()),
            Self::ScannedEncoder(block) => PointSummary::Encoder(Box::new(block.inner().summary())),
            Self::ScannedRate(block) => PointSummary::Rate(Box::new(block.inner().summary())),
            Self::Analog(block) if block.is_computed() => PointSummary::Number(Box::new(block.summary(tally).into())),
            Self::Hold(block) => PointSummary::Hold(Box::new(block.summary())),
            Self::Stats(block) => PointSummary::Stats(Box::new(block.summary())),
            Self::Delay(block) => PointSummary::Delay(Box::new(block.summary())),
            Self::Register(block) => PointSummary::Register(Box::new(block.summary())),
            Self::SampleRate(block) => PointSummary::SampleRate(Box::new(block.summary())),
            Self::AnalogOutput(block) => PointSummary::AnalogOutput(Box::new(block.summary())),
            Self::Analog(block) => PointSummary::Analog(Box::new(block.summary(tally))),
            Self::Pair(block) => PointSummary::Pair(block.summary(tally)),
            Self::Expect(block) => PointSummary::Expectation(block.summary()),
            Self::ExpectAfter(block) => PointSummary::Expectation(block.summary()),
            Self::Stretches(_)
            | Self::Scaled(_)
            | Self::NumberBit(_)
            | Self::NumberScan(_)
            | Self::Threshold(_)
            | Self::Evaluate(_)
            | Self::Apply(_)
            | Self::OneShot(_)
            | Self::Latch(_)
            | Self::Toggle(_)
            | Self::Timer(_)
            | Self::Elapsed(_)
            | Self::Blink(_)
            | Self::Output(_) => PointSummary::Bit(tally),
        }
    }
}
