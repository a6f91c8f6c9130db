//! The kinds of points: a closed list, so that whoever must know them all is told by the compiler when one comes.

use super::PointKind;
use std::ops::{Deref, DerefMut};

macro_rules! kinds {
    ($($(#[$doc:meta])* $variant:ident: $point:ty),+ $(,)?) => {
        /// What a point is, with its settings. What all kinds can tell is [`PointKind`], which it dereferences to.
        #[derive(Debug)]
        pub enum Kind {
            $($(#[$doc])* $variant(Box<$point>),)+
        }

        impl Deref for Kind {
            type Target = dyn PointKind;

            fn deref(&self) -> &Self::Target {
                match self {
                    $(Self::$variant(point) => &**point,)+
                }
            }
        }

        impl DerefMut for Kind {
            fn deref_mut(&mut self) -> &mut Self::Target {
                match self {
                    $(Self::$variant(point) => &mut **point,)+
                }
            }
        }

        $(
            impl From<$point> for Kind {
                fn from(point: $point) -> Self {
                    Self::$variant(Box::new(point))
                }
            }
        )+
    };
}

kinds! {
    /// A line of two levels, conditioned.
    Input: crate::points::input::InputPoint,
    /// A count.
    Counter: crate::points::counter::CounterPoint,
    /// A bit that follows from others.
    Logic: crate::points::logic::LogicPoint,
    /// A pulse at an edge.
    OneShot: crate::points::logic::OneShotPoint,
    /// A state that is set and reset.
    Latch: crate::points::logic::LatchPoint,
    /// A state that flips.
    Toggle: crate::points::logic::TogglePoint,
    /// A timer.
    Timer: crate::points::logic::TimerPoint,
    /// Both sides of a changeover contact.
    Pair: crate::points::logic::PairPoint,
    /// A chain of shift registers.
    Expander: crate::points::expander::ExpanderPoint,
    /// One input of such a chain.
    Member: crate::points::expander::MemberPoint,
    /// A number made of bits.
    Word: crate::points::expander::WordPoint,
    /// A position by quadrature.
    Encoder: crate::points::encoder::EncoderPoint,
    /// A frequency or speed.
    Rate: crate::points::rate::RatePoint,
    /// How long a level is held.
    Width: crate::points::rate::WidthPoint,
    /// A recorded number.
    Analog: crate::points::analog::AnalogPoint,
    /// A number worked from points.
    Number: crate::points::numbers::NumberPoint,
    /// A number held at edges.
    Hold: crate::points::numbers::HoldPoint,
    /// A number measured while a bit is on.
    Stats: crate::points::numbers::StatsPoint,
    /// The time from one point to another.
    Delay: crate::points::numbers::DelayPoint,
    /// A running count that comes as numbers.
    Register: crate::points::register::RegisterPoint,
    /// A number given out.
    AnalogOutput: crate::points::analog_output::AnalogOutputPoint,
    /// A number against two levels.
    Threshold: crate::points::analog::ThresholdPoint,
    /// What should hold.
    Expect: crate::points::expect::ExpectPoint,
    /// What is driven.
    Output: crate::points::logic::OutputPoint,
}
