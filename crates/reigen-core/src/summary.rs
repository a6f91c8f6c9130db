//! What each point did over a recording, as plain data.

use crate::analog::meter::{AnalogSummary, NumberSummary};
use crate::condition::input::InputSummary;
use crate::count::counter::CounterSummary;
use crate::count::encoder::summary::EncoderSummary;
use crate::expand::expander::ExpanderSummary;
use crate::expand::word::WordSummary;
use crate::logic::expect::ExpectSummary;
use crate::logic::pair::PairSummary;
use crate::number::analog_output::AnalogOutputSummary;
use crate::number::delay::DelaySummary;
use crate::number::hold::HoldSummary;
use crate::number::register::RegisterSummary;
use crate::number::sample_rate::SampleRateSummary;
use crate::number::stats::StatsSummary;
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
    /// A number worked from points.
    Number(Box<NumberSummary>),
    /// A number held at edges.
    Hold(Box<HoldSummary>),
    /// A number measured while a bit is on.
    Stats(Box<StatsSummary>),
    /// Delays between two points.
    Delay(Box<DelaySummary>),
    /// A running count in samples.
    Register(Box<RegisterSummary>),
    /// A rate of such a count.
    SampleRate(Box<SampleRateSummary>),
    /// A number given out.
    AnalogOutput(Box<AnalogOutputSummary>),
    /// Any other bit point.
    Bit(Tally),
}
