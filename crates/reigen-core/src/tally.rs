//! What a bit did: how often it changed, and how long it was on.

use crate::column::BitColumn;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

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

/// A tally as it is saved.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct TallyState {
    rising: u64,
    falling: u64,
    last: Option<bool>,
    on: Nanos,
    counted_until: Nanos,
}

impl Tally {
    /// What it must know of the past.
    pub fn save(&self) -> TallyState {
        let Tally { rising, falling, last, on, counted_until } = *self;
        TallyState { rising, falling, last, on, counted_until }
    }

    /// A tally that goes on from a state.
    pub fn restored(state: TallyState) -> Self {
        let TallyState { rising, falling, last, on, counted_until } = state;
        Tally { rising, falling, last, on, counted_until }
    }
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
