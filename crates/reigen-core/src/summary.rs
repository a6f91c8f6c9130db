//! What each point did over a recording, as plain data.

use crate::analog::meter::AnalogSummary;
use crate::condition::input::InputSummary;
use crate::count::counter::CounterSummary;
use crate::count::encoder::summary::EncoderSummary;
use crate::expand::expander::ExpanderSummary;
use crate::expand::word::WordSummary;
use crate::logic::expect::ExpectSummary;
use crate::logic::pair::PairSummary;
use crate::rate::meter::RateSummary;
use crate::rate::width::WidthSummary;
use crate::tally::Tally;

/// What one point did.
#[derive(Debug, Clone, PartialEq)]
pub enum PointSummary {
    /// An input.
    Input(InputSummary),
    /// A counter.
    Counter(CounterSummary),
    /// Of a pair.
    Pair(PairSummary),
    /// Of an expectation.
    Expectation(ExpectSummary),
    /// A rate.
    Rate(Box<RateSummary>),
    /// A width.
    Width(WidthSummary),
    /// An analog point.
    Analog(Box<AnalogSummary>),
    /// An expander.
    Expander(Box<ExpanderSummary>),
    /// A word.
    Word(Box<WordSummary>),
    /// An encoder.
    Encoder(Box<EncoderSummary>),
    /// Any other bit point.
    Bit(Tally),
}
