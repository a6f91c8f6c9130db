//! What each point did over a recording, as plain data.

use crate::account::Rejected;
use crate::analog::meter::AnalogSummary;
use crate::column::BitColumn;
use crate::count::encoder::summary::EncoderSummary;
use crate::expand::expander::ExpanderSummary;
use crate::expand::word::WordSummary;
use crate::rate::meter::RateSummary;
use crate::rate::width::WidthSummary;
use crate::time::Nanos;
use serde::Serialize;

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

/// Changes and time of a bit. Serialises as a bit point's summary.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Tally {
    /// How often it went on.
    pub rising: u64,
    /// How often it went off.
    pub falling: u64,
    /// Its last state; `None` if it never had one.
    #[serde(rename = "final")]
    pub last: Option<bool>,
    /// How long it was on.
    #[serde(rename = "on_ns")]
    pub on: Nanos,
    /// Where the time of a state that is on has been counted up to.
    #[serde(skip)]
    counted_until: Nanos,
}

impl Tally {
    /// Takes in one window of the bit.
    pub fn take(&mut self, column: &BitColumn, until: Nanos) {
        let Some(level) = column.level else { return };
        if self.last.is_none() {
            self.counted_until = self.counted_until.max(column.since);
        }
        let toggles = column.toggles.len() as u64;
        let (first, second) = (toggles.div_ceil(2), toggles / 2);
        let (rising, falling) = if level { (second, first) } else { (first, second) };
        self.rising += rising;
        self.falling += falling;
        // Each change to off ends a time on, each change to on starts one: sums instead of pairs.
        let mut signed = 0u64;
        for pair in column.toggles.chunks(2) {
            let (even, odd) = (pair.first().copied().unwrap_or_default(), pair.get(1).copied().unwrap_or_default());
            signed = signed.wrapping_add(even.0).wrapping_sub(odd.0);
        }
        let ends = if level { signed } else { signed.wrapping_neg() };
        let last = column.last_level().unwrap_or(level);
        let opened = if level { self.counted_until.0 } else { 0 };
        let closes = if last { until.0 } else { 0 };
        self.on.0 = self.on.0.wrapping_add(ends).wrapping_sub(opened).wrapping_add(closes);
        self.counted_until = until;
        self.last = Some(last);
    }

    /// Starts the counts anew at `from`; the state stays.
    pub fn start_counting(&mut self, from: Nanos) {
        *self = Tally { last: self.last, counted_until: from, ..Tally::default() };
    }

    /// The tally at the recording's last time `end`.
    ///
    /// The engine works up to and including `end`, one nanosecond further than time is counted.
    pub fn ended(mut self, end: Nanos) -> Tally {
        if self.last == Some(true) && self.counted_until > end {
            self.on = self.on.saturating_sub(self.counted_until - end);
        }
        self
    }
}

/// What a pair did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PairSummary {
    /// Its state.
    #[serde(skip)]
    pub tally: Tally,
    /// How often its sides disagreed for too long.
    pub faults: u64,
    /// When they first did.
    #[serde(rename = "first_fault_ns")]
    pub first_fault: Option<Nanos>,
}

/// Whether an expectation held.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ExpectSummary {
    /// Whether it did.
    pub pass: bool,
    /// When and how; times count from the recording's start.
    pub detail: String,
    /// The first time at which it should have held and did not.
    #[serde(rename = "failed_at_ns")]
    pub failed_at: Option<Nanos>,
}

/// What an input did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InputSummary {
    /// The line it is wired to.
    pub line: String,
    /// All edges of that line.
    pub raw_edges: u64,
    /// Those that a change of the input answers to.
    pub accepted: u64,
    /// How often the input went on.
    pub rising: u64,
    /// How often it went off.
    pub falling: u64,
    /// Edges thrown away, by rule.
    pub rejected: Rejected,
    /// Edges whose fate the recording's end left open.
    pub pending: u64,
    /// The last state; `None` if the line never had a level.
    #[serde(rename = "final")]
    pub last: Option<bool>,
    /// How long the input was on.
    #[serde(rename = "on_ns")]
    pub on: Nanos,
}

/// What a counter did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct CounterSummary {
    /// The last value; `None` if the counter never started.
    pub value: Option<i64>,
    /// All counts since the start, whatever became of the value.
    pub total: i64,
    /// How many presets the value has reached.
    pub band: i64,
    /// Whether it has reached the last one.
    pub done: bool,
    /// Its limits, where it has some.
    #[serde(skip)]
    pub limits: Option<[i64; 2]>,
    /// Its presets, ascending.
    pub presets: Vec<i64>,
    /// For each preset how often it was reached, counting upward.
    pub preset_hits: Vec<u64>,
    /// How often the value went from one limit to the other.
    pub wraps: u64,
    /// Counts that a limit swallowed.
    pub lost: u64,
    /// The value in units, where there are some.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub scaled: Option<f64>,
    /// The name of the units.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_tally_is_what_counting_tick_by_tick_gives(
            level in any::<bool>(),
            since in 0..5u64,
            steps in prop::collection::vec(0..7u64, 0..30),
            cuts in prop::collection::btree_set(6..90u64, 0..5),
            from in prop::option::of(6..90u64),
        ) {
            const END: u64 = 90;
            let toggles: Vec<u64> = steps
                .iter()
                .scan(since, |time, step| { *time += step; Some(*time) })
                .take_while(|time| *time <= END)
                .collect();
            let at = |time: u64| level ^ (toggles.iter().filter(|toggle| **toggle <= time).count() % 2 == 1);
            let mut tally = Tally::default();
            let mut column = BitColumn::default();
            let borders = cuts.iter().chain(from.iter()).copied().collect::<std::collections::BTreeSet<_>>();
            let mut start = 0;
            for until in borders.into_iter().chain([END + 1]) {
                column.advance();
                if start == 0 {
                    column.start(Nanos(since), level);
                }
                column.toggles = toggles.iter().filter(|time| (start..until).contains(*time)).map(|&time| Nanos(time)).collect();
                tally.take(&column, Nanos(until));
                if from == Some(until) {
                    tally.start_counting(Nanos(until));
                }
                start = until;
            }
            let counts_from = from.unwrap_or(0).max(since);
            let on = (counts_from..END).filter(|&time| at(time)).count() as u64;
            let rising = toggles.iter().enumerate().filter(|(number, time)| {
                **time >= from.unwrap_or(0) && (level ^ (number % 2 == 0))
            }).count() as u64;
            let tally = tally.ended(Nanos(END));
            prop_assert_eq!((tally.on, tally.rising, tally.last), (Nanos(on), rising, Some(at(END))));
        }
    }
}
