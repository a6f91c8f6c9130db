//! A loose wire: a number that jumps by more than its noise, again and again.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// A jump is so many times the usual difference between two values.
const BEYOND_NOISE: f64 = 12.0;
/// The usual difference is measured at one value in so many.
const EVERY: u32 = 8;
/// The usual difference is a mean over about so many of those.
const MEMORY: f64 = 16.0;
/// So many values tell what is usual.
const LEARNT: u32 = 32;
/// So many jumps are again and again.
const AGAIN: usize = 6;
/// So many are kept.
const MOST_KEPT: usize = 10_000;
/// A jump is at least this share of all that the number ever spans.
const SHARE: f64 = 0.05;

/// The running form: it learns the noise and keeps what is far beyond it.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Jumps {
    last: Option<f64>,
    noise: f64,
    learnt: u32,
    /// Values since the usual difference last followed one.
    passed: u32,
    kept: Vec<(Nanos, f64)>,
}

/// What was found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct JumpsFound {
    /// How many jumps there were.
    pub count: usize,
    /// The first of them.
    pub first: Nanos,
    /// The largest.
    pub largest: f64,
    /// The usual difference between two values.
    pub noise: f64,
}

impl Jumps {
    /// A value comes.
    #[inline]
    pub fn take(&mut self, at: Nanos, value: f64) {
        let Some(last) = self.last.replace(value) else { return };
        let difference = (value - last).abs();
        if self.learnt < LEARNT {
            self.learnt += 1;
            self.noise += (difference - self.noise) / f64::from(self.learnt);
            return;
        }
        if difference > BEYOND_NOISE * self.noise {
            return self.keep(at, difference);
        }
        self.passed += 1;
        if self.passed >= EVERY {
            self.passed = 0;
            self.noise += (difference - self.noise) / MEMORY;
        }
    }

    /// Values come: [`take`](Self::take) for each, with the noise kept in a register.
    pub fn take_all(&mut self, times: &[Nanos], values: &[f64]) {
        let mut rest = times.iter().zip(values);
        while self.learnt < LEARNT || self.last.is_none() {
            let Some((&at, &value)) = rest.next() else { return };
            self.take(at, value);
        }
        let (mut last, mut noise, mut passed) = (self.last.unwrap_or_default(), self.noise, self.passed);
        for (&at, &value) in rest {
            let difference = (value - last).abs();
            last = value;
            if difference > BEYOND_NOISE * noise {
                self.keep(at, difference);
                continue;
            }
            passed += 1;
            if passed >= EVERY {
                passed = 0;
                noise += (difference - noise) / MEMORY;
            }
        }
        (self.last, self.noise, self.passed) = (Some(last), noise, passed);
    }

    #[cold]
    fn keep(&mut self, at: Nanos, difference: f64) {
        if self.kept.len() < MOST_KEPT {
            self.kept.push((at, difference));
        }
    }

    /// What was found, given all that the number spans; `None` where it does not jump again and again.
    pub fn found(&self, span: f64) -> Option<JumpsFound> {
        let jumps: Vec<&(Nanos, f64)> = self.kept.iter().filter(|(_, size)| *size > SHARE * span).collect();
        let (first, _) = *jumps.first().filter(|_| jumps.len() >= AGAIN)?;
        let largest = jumps.iter().map(|(_, size)| *size).fold(0.0, f64::max);
        Some(JumpsFound { count: jumps.len(), first: *first, largest, noise: self.noise })
    }
}
