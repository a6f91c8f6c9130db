//! A count as a function of the debounce time.

use super::bins::Bins;
use crate::time::Nanos;
use rustc_hash::FxHashMap;

/// The bins of a curve with very many steps: 4,096 for every doubling, so a step is known to 0.025 %.
type CurveBins = Bins<12>;

/// How many times are kept each as it is.
const KEPT: usize = 1 << 17;

/// Changes of a count at times, added in any order.
#[derive(Debug, Clone, Default)]
pub(super) struct Changes {
    kept: FxHashMap<u64, i64>,
    bins: Vec<i64>,
}

impl Changes {
    /// From `time` on the count is `by` more.
    #[inline]
    pub(super) fn add(&mut self, time: u64, by: i64) {
        if let Some(bin) = self.bins.get_mut(CurveBins::above(time)) {
            *bin += by;
            return;
        }
        *self.kept.entry(time).or_default() += by;
        if self.kept.len() > KEPT {
            self.bins = vec![0; CurveBins::COUNT];
            for (time, by) in std::mem::take(&mut self.kept) {
                // At its border a bin has all its changes, so the count is exact there.
                if let Some(bin) = self.bins.get_mut(CurveBins::above(time)) {
                    *bin += by;
                }
            }
        }
    }

    /// The count from `start` on as it changes with time, and whether each step is at its exact time.
    pub(super) fn curve(self, start: i64) -> (Vec<(u64, i64)>, bool) {
        let exact = self.bins.is_empty();
        let mut kept: Vec<(u64, i64)> = self.kept.into_iter().collect();
        kept.sort_unstable();
        let binned = self.bins.iter().enumerate().filter(|(_, by)| **by != 0);
        let changes = kept.into_iter().chain(binned.map(|(bin, &by)| (CurveBins::border(bin), by)));
        let mut count = start;
        let mut steps = vec![(0, start)];
        for (time, by) in changes.filter(|(_, by)| *by != 0) {
            count += by;
            match steps.last_mut() {
                Some(step) if step.0 == time => step.1 = count,
                _ => steps.push((time, count)),
            }
        }
        steps.dedup_by_key(|step| step.1);
        (steps, exact)
    }
}

/// How many actuations come out at each debounce time.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Curve {
    /// From each time on, how many; the first is at 0, and neighbours differ.
    pub steps: Vec<(Nanos, u64)>,
    /// The first time of which nothing is known.
    pub until: Nanos,
    /// Whether each step is at its exact time; else it may be up to 0.025 % early.
    pub exact: bool,
}

impl Curve {
    /// The curve with nothing known of times beyond a length.
    pub fn up_to(mut self, length: Nanos) -> Self {
        self.until = self.until.min(Nanos(length.0.max(1) + 1));
        self.steps.retain(|(time, _)| *time < self.until);
        self
    }

    /// How many come out with a debounce of `time`; `None` beyond what is known.
    pub fn at(&self, time: Nanos) -> Option<u64> {
        if time >= self.until {
            return None;
        }
        let after = self.steps.partition_point(|(from, _)| *from <= time);
        self.steps.get(after.checked_sub(1)?).map(|(_, count)| *count)
    }
}
