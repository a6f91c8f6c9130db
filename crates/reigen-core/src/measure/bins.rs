//! Bins of nearly the same relative width over all whole numbers, and a spread of numbers kept in them.

use crate::cast;
use crate::time::Nanos;

/// Bins of which every doubling has 2^`BITS`; numbers below 2^(`BITS` + 1) have one each.
#[derive(Debug, Clone, Copy)]
pub struct Bins<const BITS: u32>;

impl<const BITS: u32> Bins<BITS> {
    /// How many there are.
    pub const COUNT: usize = ((64 - BITS as usize - 1) << BITS) + (2 << BITS);

    /// The number of the bin whose border is the least at or above `value`.
    #[inline]
    pub fn above(value: u64) -> usize {
        let length = 64 - value.leading_zeros();
        let shift = length.saturating_sub(BITS + 1);
        let mantissa = (value >> shift) + u64::from(value & ((1 << shift) - 1) != 0);
        ((shift as usize) << BITS) + cast::usize_from_u64(mantissa)
    }

    /// The border of a bin: the greatest number in it.
    pub fn border(bin: usize) -> u64 {
        if bin < 2 << BITS {
            return bin as u64;
        }
        let shift = (bin >> BITS) - 1;
        ((bin - (shift << BITS)) as u64) << shift
    }
}

/// The bins of a spread: 128 for every doubling.
type SpreadBins = Bins<7>;

/// How many numbers a spread keeps as they are.
const KEPT: usize = 4096;

/// Many times, of which the middle and other shares are asked: exact for few, within 0.8 % for many.
#[derive(Debug, Clone, Default)]
pub struct Spread {
    /// Times of no length, which are only counted.
    zeros: u64,
    kept: Vec<u64>,
    bins: Vec<u32>,
    count: u64,
    least: Option<u64>,
    most: u64,
}

impl Spread {
    /// Takes one more.
    #[inline]
    pub fn take(&mut self, Nanos(time): Nanos) {
        if time == 0 {
            return self.take_zeros(1);
        }
        self.count += 1;
        self.least = Some(self.least.map_or(time, |least| least.min(time)));
        self.most = self.most.max(time);
        if self.bins.is_empty() {
            self.kept.push(time);
            if self.kept.len() > KEPT {
                self.bins = vec![0; SpreadBins::COUNT];
                std::mem::take(&mut self.kept).into_iter().for_each(|time| self.enter(time));
            }
        } else {
            self.enter(time);
        }
    }

    /// Takes so many of no length.
    pub fn take_zeros(&mut self, count: u64) {
        self.count += count;
        self.zeros += count;
        self.least = if count > 0 { Some(0) } else { self.least };
    }

    fn enter(&mut self, time: u64) {
        if let Some(bin) = self.bins.get_mut(SpreadBins::above(time)) {
            *bin += 1;
        }
    }

    /// How many there are.
    pub fn count(&self) -> u64 {
        self.count
    }

    /// The least; exact.
    pub fn least(&self) -> Option<Nanos> {
        self.least.map(Nanos)
    }

    /// The greatest; exact.
    pub fn most(&self) -> Option<Nanos> {
        self.least.map(|_| Nanos(self.most))
    }

    /// The one that a share of all are not above: 0.5 is the middle (of an even number the lower of the two).
    pub fn share(&self, share: f64) -> Option<Nanos> {
        let rank = (cast::u64_from_f64((self.count as f64 * share).ceil())).max(1);
        if rank <= self.zeros {
            return Some(Nanos(0));
        }
        let rank = rank - self.zeros;
        if self.bins.is_empty() {
            let mut sorted = self.kept.clone();
            sorted.sort_unstable();
            return sorted.get(cast::usize_from_u64(rank) - 1).copied().map(Nanos);
        }
        let mut seen = 0;
        let bin = self.bins.iter().position(|&count| {
            seen += u64::from(count);
            seen >= rank
        });
        bin.map(|bin| Nanos(SpreadBins::border(bin).min(self.most)))
    }

    /// The numbers in steps of a doubling: the upper border of each and how many lie in it, without empty ends.
    pub fn doublings(&self) -> Vec<(Nanos, u64)> {
        let mut steps = vec![0u64; 65];
        let mut enter = |time: u64, count: u64| {
            if let Some(step) = steps.get_mut(64 - time.saturating_sub(1).leading_zeros() as usize) {
                *step += count;
            }
        };
        enter(0, self.zeros);
        match self.bins.is_empty() {
            true => self.kept.iter().for_each(|&time| enter(time, 1)),
            false => {
                let bins = self.bins.iter().enumerate().filter(|(_, count)| **count > 0);
                bins.for_each(|(bin, &count)| enter(SpreadBins::border(bin), u64::from(count)));
            }
        }
        let first = steps.iter().position(|&count| count > 0).unwrap_or(0);
        let last = steps.iter().rposition(|&count| count > 0).map_or(0, |last| last + 1);
        let border = |step: usize| Nanos(1u64.checked_shl(cast::u32_from_usize(step)).unwrap_or(u64::MAX));
        steps.iter().enumerate().take(last).skip(first).map(|(step, &count)| (border(step), count)).collect()
    }
}
