//! What a two-level signal did, kept for a picture: exactly while there are few changes, in bins when there are many.

use reigen_core::cast;
use reigen_core::time::Nanos;

/// How many changes are kept each at its own time.
const EXACT: usize = 1 << 14;
/// How many bins there are at most.
const BINS: usize = 1 << 12;

/// A stretch of the bins.
#[derive(Debug, Clone, Copy, Default)]
struct Bin {
    toggles: u64,
    high_ns: u64,
}

/// What a signal did in a stretch of time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Slice {
    /// How often it changed.
    pub toggles: u64,
    /// The share of the time that it was high, from 0 to 1.
    pub high: f64,
}

/// A two-level signal.
#[derive(Debug, Clone)]
pub struct Trace {
    from: Nanos,
    start: Option<(Nanos, bool)>,
    exact: Option<Vec<Nanos>>,
    bins: Vec<Bin>,
    /// A bin is 2^`shift` nanoseconds wide.
    shift: u32,
    level: bool,
    /// Up to where the bins are filled.
    filled: Nanos,
}

impl Trace {
    /// A trace of what happens from a time on.
    pub fn new(from: Nanos) -> Self {
        Self { from, start: None, exact: Some(Vec::new()), bins: Vec::new(), shift: 0, level: false, filled: from }
    }

    /// Takes a window: its level at the start, since when, and its changes.
    pub fn take(&mut self, since: Nanos, level: Option<bool>, toggles: &[Nanos]) {
        let Some(level) = level else { return };
        if self.start.is_none() {
            self.start = Some((since.max(self.from), level));
            self.level = level;
            self.filled = since.max(self.from);
        }
        for &time in toggles {
            let bin = self.bin_of(time);
            // Most changes fall into the bin that the last one fell into.
            if bin != self.bin_of(self.filled) || bin >= self.bins.len() {
                self.fill(time);
            }
            let high = if self.level { (time - self.filled).0 } else { 0 };
            let bin = self.bin_of(time);
            if let Some(bin) = self.bins.get_mut(bin) {
                bin.toggles += 1;
                bin.high_ns += high;
            }
            self.filled = time;
            self.level = !self.level;
        }
        if let Some(exact) = &mut self.exact {
            exact.extend_from_slice(toggles);
            if exact.len() > EXACT {
                self.exact = None;
            }
        }
    }

    fn bin_of(&self, time: Nanos) -> usize {
        cast::usize_from_u64((time - self.from).0 >> self.shift)
    }

    /// Fills the bins with the level up to a time, and makes sure that there is one for it.
    fn fill(&mut self, until: Nanos) {
        while self.bin_of(until) >= BINS {
            self.bins = self.bins.chunks(2).map(merged).collect();
            self.shift += 1;
        }
        let last = self.bin_of(until);
        if self.bins.len() <= last {
            self.bins.resize(last + 1, Bin::default());
        }
        let (mut at, first) = (self.filled, self.bin_of(self.filled));
        for bin in first..=last {
            let end = Nanos(self.from.0 + ((bin as u64 + 1) << self.shift)).min(until);
            if let (true, Some(bin)) = (self.level, self.bins.get_mut(bin)) {
                bin.high_ns += (end - at).0;
            }
            at = end;
        }
        self.filled = until;
    }

    /// Ends the trace.
    pub fn finish(&mut self, end: Nanos) {
        if self.start.is_some() && end > self.filled {
            self.fill(end);
        }
    }

    /// Since when it is high at a time; `None` where it is low, or has changed too often to tell.
    pub fn high_since(&self, time: Nanos) -> Option<Nanos> {
        let (since, level) = self.start?;
        let times = self.exact.as_ref()?;
        let passed = times.partition_point(|&toggle| toggle <= time);
        let last = passed.checked_sub(1).and_then(|last| times.get(last)).copied().unwrap_or(since);
        (time >= since && level ^ (passed % 2 == 1)).then_some(last)
    }

    /// What it did from a time up to another; `None` before it has a level.
    pub fn slice(&self, from: Nanos, until: Nanos) -> Option<Slice> {
        let (since, level) = self.start?;
        if until <= since || until <= from {
            return None;
        }
        Some(match &self.exact {
            Some(times) => exact_slice(times, level, from.max(since), until),
            None => self.binned_slice(from.max(since), until),
        })
    }

    fn binned_slice(&self, from: Nanos, until: Nanos) -> Slice {
        let (first, last) = (self.bin_of(from), self.bin_of(Nanos(until.0 - 1)));
        let bins = self.bins.get(first..(last + 1).min(self.bins.len())).unwrap_or_default();
        let (toggles, high): (u64, u64) =
            bins.iter().fold((0, 0), |(toggles, high), bin| (toggles + bin.toggles, high + bin.high_ns));
        let length = ((bins.len() as u64) << self.shift).max(1);
        Slice { toggles, high: (high as f64 / length as f64).min(1.0) }
    }
}

fn merged(pair: &[Bin]) -> Bin {
    pair.iter()
        .fold(Bin::default(), |sum, bin| Bin { toggles: sum.toggles + bin.toggles, high_ns: sum.high_ns + bin.high_ns })
}

fn exact_slice(times: &[Nanos], level: bool, from: Nanos, until: Nanos) -> Slice {
    let (first, last) = (times.partition_point(|&time| time < from), times.partition_point(|&time| time < until));
    let (mut at, mut level, mut high) = (from, level ^ (first % 2 == 1), 0);
    for &time in times.get(first..last).unwrap_or_default() {
        high += if level { (time - at).0 } else { 0 };
        at = time;
        level = !level;
    }
    high += if level { (until - at).0 } else { 0 };
    Slice { toggles: (last - first) as u64, high: high as f64 / (until - from).0 as f64 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn bins_tell_what_the_exact_times_tell(
            steps in prop::collection::vec(1..2_000u64, 1..400), level in any::<bool>(), slices in 1..40u64,
        ) {
            let times: Vec<Nanos> = steps
                .iter()
                .scan(100, |time, step| { *time += step; Some(Nanos(*time)) })
                .collect();
            let end = times.last().copied().unwrap_or_default() + Nanos(500);
            let mut exact = Trace::new(Nanos(100));
            exact.take(Nanos(0), Some(level), &times);
            exact.finish(end);
            let mut binned = exact.clone();
            binned.exact = None;
            // Slices whose borders are borders of bins.
            let bins = (end.0 - 100).div_ceil(1 << binned.shift);
            let length = (bins / slices).max(1) << binned.shift;
            for number in 0..slices {
                let from = Nanos(100 + number * length);
                let until = from + Nanos(length);
                if until > end {
                    break;
                }
                let (one, other) = (exact.slice(from, until).unwrap(), binned.slice(from, until).unwrap());
                prop_assert_eq!(one.toggles, other.toggles);
                prop_assert!((one.high - other.high).abs() < 1e-9, "{:?} {:?}", one, other);
            }
        }
    }

    #[test]
    fn a_trace_without_a_level_tells_nothing() {
        let mut trace = Trace::new(Nanos(0));
        trace.take(Nanos(0), None, &[]);
        trace.finish(Nanos(10));
        assert_eq!(trace.slice(Nanos(0), Nanos(10)), None);
        trace.take(Nanos(4), Some(true), &[]);
        trace.finish(Nanos(10));
        assert_eq!(trace.slice(Nanos(0), Nanos(4)), None);
        assert_eq!(trace.slice(Nanos(2), Nanos(10)), Some(Slice { toggles: 0, high: 1.0 }));
    }
}
