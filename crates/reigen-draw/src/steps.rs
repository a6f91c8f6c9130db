//! What a number did, kept for a picture: exactly while there are few steps, in bins when there are many.

use reigen_core::cast;
use reigen_core::time::Nanos;

const EXACT: usize = 1 << 14;
const BINS: usize = 1 << 12;

/// What a number did in a stretch of time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Span {
    /// The least value there.
    pub least: f64,
    /// The greatest.
    pub most: f64,
    /// The last.
    pub last: f64,
}

impl Span {
    fn of(value: f64) -> Self {
        Self { least: value, most: value, last: value }
    }

    fn then(self, later: Span) -> Span {
        Span { least: self.least.min(later.least), most: self.most.max(later.most), last: later.last }
    }
}

/// A stepped number.
#[derive(Debug, Clone)]
pub struct Steps {
    from: Nanos,
    exact: Option<Vec<(Nanos, f64)>>,
    bins: Vec<Option<Span>>,
    /// A bin is 2^`shift` nanoseconds wide.
    shift: u32,
    before: Option<f64>,
    /// The least and greatest of all values.
    pub range: Option<(f64, f64)>,
}

impl Steps {
    /// A trace of what happens from a time on.
    pub fn new(from: Nanos) -> Self {
        Self { from, exact: Some(Vec::new()), bins: Vec::new(), shift: 0, before: None, range: None }
    }

    /// Takes a window: its value at the start, and its steps.
    pub fn take(&mut self, before: Option<f64>, steps: impl Iterator<Item = (Nanos, f64)>) {
        if self.before.is_none() && self.range.is_none() {
            self.before = before;
            before.into_iter().for_each(|value| self.widen(value));
        }
        for (time, value) in steps {
            self.widen(value);
            let time = time.max(self.from);
            while (time - self.from).0 >> self.shift >= BINS as u64 {
                self.bins = self.bins.chunks(2).map(merged).collect();
                self.shift += 1;
            }
            let bin = cast::usize_from_u64((time - self.from).0 >> self.shift);
            if self.bins.len() <= bin {
                self.bins.resize(bin + 1, None);
            }
            if let Some(slot) = self.bins.get_mut(bin) {
                *slot = Some(slot.map_or(Span::of(value), |span| span.then(Span::of(value))));
            }
            if let Some(exact) = &mut self.exact {
                exact.push((time, value));
                if exact.len() > EXACT {
                    self.exact = None;
                }
            }
        }
    }

    fn widen(&mut self, value: f64) {
        let (least, most) = self.range.unwrap_or((value, value));
        self.range = Some((least.min(value), most.max(value)));
    }

    /// What it did from a time up to another; `None` before its first value.
    pub fn span(&self, from: Nanos, until: Nanos) -> Option<Span> {
        match &self.exact {
            Some(steps) => {
                let (first, last) =
                    (steps.partition_point(|(time, _)| *time < from), steps.partition_point(|(time, _)| *time < until));
                let before = first.checked_sub(1).and_then(|before| steps.get(before)).map(|(_, value)| *value);
                // A step in the first instant of the stretch leaves nothing of the value before.
                let at_start = steps.get(first).is_some_and(|(time, _)| *time == from);
                let carried = before.or(self.before).filter(|_| !at_start).map(Span::of);
                let within = steps.get(first..last).unwrap_or_default().iter().map(|(_, value)| Span::of(*value));
                carried.into_iter().chain(within).reduce(Span::then)
            }
            None => {
                let first = cast::usize_from_u64((from.max(self.from) - self.from).0 >> self.shift);
                let last = ((until.max(self.from + Nanos(1)) - self.from).0 - 1) >> self.shift;
                let carried = self.bins.iter().take(first).rev().flatten().next().map(|span| Span::of(span.last));
                let carried = carried.or(self.before.map(Span::of));
                let within = self.bins.iter().take(cast::usize_from_u64(last) + 1).skip(first).flatten().copied();
                carried.into_iter().chain(within).reduce(Span::then)
            }
        }
    }
}

fn merged(pair: &[Option<Span>]) -> Option<Span> {
    pair.iter().flatten().copied().reduce(Span::then)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn bins_tell_what_the_exact_steps_tell(steps in prop::collection::vec((1..3_000u64, -50..50i32), 1..300), slices in 1..30u64) {
            let mut time = 100;
            let steps: Vec<(Nanos, f64)> = steps
                .iter()
                .map(|(step, value)| { time += step; (Nanos(time), f64::from(*value)) })
                .collect();
            let mut exact = Steps::new(Nanos(100));
            exact.take(Some(7.0), steps.iter().copied());
            let mut binned = exact.clone();
            binned.exact = None;
            let length = ((time - 100).div_ceil(1 << exact.shift) / slices).max(1) << exact.shift;
            for number in 0..slices {
                let from = Nanos(100 + number * length);
                let (one, other) = (exact.span(from, from + Nanos(length)), binned.span(from, from + Nanos(length)));
                let (one, other) = (one.unwrap(), other.unwrap());
                // Bins cannot tell whether the value before was left at once.
                prop_assert!(other.least <= one.least && other.most >= one.most && one.last == other.last);
            }
            prop_assert_eq!(exact.range.unwrap().1, steps.iter().map(|(_, value)| *value).fold(7.0, f64::max));
        }
    }
}
