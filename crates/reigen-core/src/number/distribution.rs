//! How often each time was: exact while there are few different ones.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// So many different times are kept exactly; beyond that, times are told apart by their first digits only.
const MOST: usize = 65_536;
/// Bars of a histogram.
const BARS: u64 = 20;

/// How often each time was.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Distribution {
    times: BTreeMap<u64, u64>,
    /// So many of the lowest bits are left out.
    coarse: u32,
    count: u64,
    sum: u128,
    range: Option<(Nanos, Nanos)>,
}

/// A bar of a histogram.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Bar {
    /// From this time on.
    #[serde(rename = "from_ns")]
    pub from: Nanos,
    /// Up to this time; the last bar includes it.
    #[serde(rename = "to_ns")]
    pub to: Nanos,
    /// How often.
    pub count: u64,
}

impl Distribution {
    /// Takes a time.
    pub fn take(&mut self, time: Nanos) {
        let (least, most) = self.range.unwrap_or((time, time));
        self.range = Some((least.min(time), most.max(time)));
        self.count += 1;
        self.sum += u128::from(time.0);
        *self.times.entry(time.0 >> self.coarse).or_default() += 1;
        while self.times.len() > MOST {
            self.coarse += 1;
            let fine = std::mem::take(&mut self.times);
            fine.into_iter().for_each(|(time, count)| *self.times.entry(time >> 1).or_default() += count);
        }
    }

    /// How many.
    pub fn count(&self) -> u64 {
        self.count
    }

    /// The least and the greatest.
    pub fn range(&self) -> Option<(Nanos, Nanos)> {
        self.range
    }

    /// The mean, rounded down to the nanosecond.
    pub fn mean(&self) -> Option<Nanos> {
        let mean = self.sum.checked_div(u128::from(self.count))?;
        Some(Nanos(crate::cast::u64_from_u128(mean)))
    }

    /// The time that so many percent do not exceed, by nearest rank.
    pub fn percentile(&self, percent: u64) -> Option<Nanos> {
        let rank = (self.count.saturating_mul(percent)).div_ceil(100).max(1);
        let mut passed = 0;
        let found = self.times.iter().find(|(_, count)| {
            passed += **count;
            passed >= rank
        });
        let (_, most) = self.range?;
        // Of a coarse time the end: no time of its rank is longer.
        found.map(|(time, _)| Nanos(((time + 1) << self.coarse) - 1).min(most))
    }

    /// Bars of equal length from the least to the greatest.
    pub fn histogram(&self) -> Vec<Bar> {
        let Some((least, most)) = self.range else { return Vec::new() };
        let step = ((most - least).0 / BARS + 1).max(1 << self.coarse);
        let bars = (most - least).0 / step + 1;
        let bar =
            |number: u64| Bar { from: least + Nanos(number * step), to: least + Nanos((number + 1) * step), count: 0 };
        let mut all: Vec<Bar> = (0..bars).map(bar).collect();
        for (time, count) in &self.times {
            let number = (time << self.coarse).saturating_sub(least.0) / step;
            if let Some(bar) = all.get_mut(crate::cast::usize_from_u64(number)) {
                bar.count += count;
            }
        }
        all.last_mut().into_iter().for_each(|bar| bar.to = most);
        all
    }
}
