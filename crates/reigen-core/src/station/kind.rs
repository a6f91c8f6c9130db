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
    Input: crate::condition::table::InputPoint,
    /// A count.
    Counter: crate::count::table::CounterPoint,
    /// A bit that follows from others.
    Logic: crate::logic::table::LogicPoint,
    /// A pulse at an edge.
    OneShot: crate::logic::table::OneShotPoint,
    /// A state that is set and reset.
    Latch: crate::logic::table::LatchPoint,
    /// A state that flips.
    Toggle: crate::logic::table::TogglePoint,
    /// A timer.
    Timer: crate::logic::table::TimerPoint,
    /// Both sides of a changeover contact.
    Pair: crate::logic::table::PairPoint,
    /// A chain of shift registers.
    Expander: crate::expand::table::ExpanderPoint,
    /// One input of such a chain.
    Member: crate::expand::table::MemberPoint,
    /// A number made of bits.
    Word: crate::expand::table::WordPoint,
    /// A position by quadrature.
    Encoder: crate::count::encoder::table::EncoderPoint,
    /// A frequency or speed.
    Rate: crate::rate::table::RatePoint,
    /// How long a level is held.
    Width: crate::rate::table::WidthPoint,
    /// A recorded number.
    Analog: crate::analog::table::AnalogPoint,
    /// A number against two levels.
    Threshold: crate::analog::table::ThresholdPoint,
    /// What should hold.
    Expect: crate::logic::expect::ExpectPoint,
    /// What is driven.
    Output: crate::logic::table::OutputPoint,
}
