//! The instants at which some bits change, in their order.

use super::{BitSource, Inputs};
use crate::time::Nanos;

/// Later than all times.
const NEVER: u64 = u64::MAX;

/// One bit on its way through a window.
#[derive(Debug, Clone)]
struct Head<'a> {
    /// Its level after all instants so far.
    level: bool,
    /// How often it toggled in the last instant.
    toggles: usize,
    /// When it toggles next, in nanoseconds.
    next: u64,
    /// When it toggles after that.
    rest: &'a [Nanos],
}

impl Head<'_> {
    #[inline]
    fn step(&mut self) {
        (self.next, self.rest) = match self.rest {
            [next, rest @ ..] => (next.0, rest),
            [] => (NEVER, self.rest),
        };
    }

    /// Passes all toggles at exactly `time`; says whether the level is another after them.
    #[inline]
    fn pass(&mut self, time: u64) -> bool {
        self.toggles = 0;
        while self.next == time {
            self.toggles += 1;
            self.step();
        }
        let odd = self.toggles % 2 == 1;
        self.level ^= odd;
        odd
    }
}

/// Merges the changes of bits within a window: each instant comes once, after all changes in it.
///
/// The rule of the start: what comes first for a block that has not started is the time at which all of its bits have a
/// level. What they did before that is passed, and counts for nothing.
#[derive(Debug)]
pub struct Instants<'a> {
    /// The time at which all bits have a level.
    start: Nanos,
    started: bool,
    heads: Vec<Head<'a>>,
    /// The levels of the first 64 bits, the first of them lowest.
    word: u64,
}

impl<'a> Instants<'a> {
    /// The instants of a window; `None` while a bit has no level. `started` says whether an earlier window has given
    /// the start.
    pub fn new(
        inputs: &Inputs<'a>,
        sources: impl IntoIterator<Item = BitSource, IntoIter: Clone>,
        started: bool,
    ) -> Option<Self> {
        let sources = sources.into_iter();
        let start = inputs.start(sources.clone())?;
        let head = |source| {
            let column = inputs.bit(source);
            let mut head = Head { level: column.level == Some(true), toggles: 0, next: NEVER, rest: &column.toggles };
            head.step();
            head
        };
        let heads: Vec<Head<'a>> = sources.map(head).collect();
        let levels = heads.iter().take(64).enumerate();
        let word = levels.fold(0, |word, (bit, head)| word | u64::from(head.level) << bit);
        Some(Self { start, started, heads, word })
    }

    /// The next instant; `None` at the end of the window.
    #[inline]
    pub fn advance(&mut self) -> Option<Nanos> {
        loop {
            let next = self.heads.iter().map(|head| head.next).min().unwrap_or(NEVER);
            if !self.started && next > self.start.0 {
                self.started = true;
                self.heads.iter_mut().for_each(|head| head.toggles = 0);
                return Some(self.start);
            }
            if next == NEVER {
                return None;
            }
            for (bit, head) in self.heads.iter_mut().enumerate() {
                let odd = head.pass(next);
                self.word ^= if bit < 64 { u64::from(odd) << bit } else { 0 };
            }
            if next >= self.start.0 {
                self.started = true;
                return Some(Nanos(next));
            }
        }
    }

    /// When the next change of a bit comes; it may come before all bits have a level.
    #[inline]
    pub fn next_change(&self) -> Option<Nanos> {
        let next = self.heads.iter().map(|head| head.next).min().unwrap_or(NEVER);
        (next != NEVER).then_some(Nanos(next))
    }

    /// The level of a bit after the instant, by its number among the sources.
    #[inline]
    pub fn level(&self, bit: usize) -> bool {
        self.heads.get(bit).is_some_and(|head| head.level)
    }

    /// How often a bit rose in the instant: pulses without a width count too.
    pub fn rises(&self, bit: usize) -> usize {
        // It ends high after a rise, and low after a fall.
        self.heads.get(bit).map_or(0, |head| if head.level { head.toggles.div_ceil(2) } else { head.toggles / 2 })
    }

    /// How often a bit changed in the instant.
    pub fn toggles(&self, bit: usize) -> usize {
        self.heads.get(bit).map_or(0, |head| head.toggles)
    }

    /// The levels of the first 64 bits after the instant, the first of them lowest.
    #[inline]
    pub fn word(&self) -> u64 {
        self.word
    }
}

#[cfg(test)]
mod tests {
    use super::super::Lines;
    use super::*;
    use crate::column::BitColumn;
    use proptest::prelude::*;

    fn column(since: u64, toggles: &[u64]) -> BitColumn {
        let toggles = toggles.iter().filter(|time| **time > since).map(|time| Nanos(*time)).collect();
        BitColumn { level: Some(false), since: Nanos(since), toggles }
    }

    proptest! {
        #[test]
        fn each_instant_comes_once_with_what_stands_after_it(
            since in prop::collection::vec(0..6u64, 1..4),
            toggles in prop::collection::vec(prop::collection::vec(1..20u64, 0..12), 4),
        ) {
            let lines: Vec<BitColumn> = since.iter().zip(&toggles).map(|(since, toggles)| {
                let mut toggles = toggles.clone();
                toggles.sort_unstable();
                column(*since, &toggles)
            }).collect();
            let inputs = Inputs { lines: Lines::of_bits(&lines), bits: &[], counts: &[], readings: &[] };
            let mut instants = Instants::new(&inputs, (0..lines.len()).map(BitSource::Line), false).unwrap();
            let start = since.iter().copied().max().unwrap();
            let mut expected: Vec<u64> = lines.iter().flat_map(|line| &line.toggles).map(|time| time.0).collect();
            expected.retain(|time| *time > start);
            expected.push(start);
            expected.sort_unstable();
            expected.dedup();
            for time in expected {
                prop_assert_eq!(instants.advance(), Some(Nanos(time)));
                for (bit, line) in lines.iter().enumerate() {
                    let passed = line.toggles.iter().filter(|toggle| toggle.0 <= time).count();
                    prop_assert_eq!(instants.level(bit), passed % 2 == 1);
                    prop_assert_eq!(instants.word() >> bit & 1 == 1, passed % 2 == 1);
                    let here: Vec<usize> = (1..=passed).filter(|number| line.toggles[number - 1].0 == time).collect();
                    prop_assert_eq!(instants.rises(bit), here.iter().filter(|number| *number % 2 == 1).count());
                }
            }
            prop_assert_eq!(instants.advance(), None);
        }
    }
}
