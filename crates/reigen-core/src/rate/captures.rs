//! Captured timer counts: what periods and frequencies they mean.

use crate::units::{Hertz, Seconds};
use serde::Serialize;

/// The timer that was captured.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Timer {
    /// What clocks it, before the prescaler.
    pub clock: Hertz,
    /// By what that is divided.
    pub prescale: u32,
    /// How many bits it has, 1 to 63.
    pub bits: u32,
}

/// What one period was.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, schemars::JsonSchema)]
pub struct CaptureReading {
    /// The counts between the two captures.
    pub counts: u64,
    /// The period.
    pub period_s: f64,
    /// One over the period.
    pub frequency_hz: f64,
    /// What one count more would change: f² · tick.
    pub resolution_hz: f64,
}

impl Timer {
    /// The counts that it knows: 2^bits.
    pub fn modulus(&self) -> u64 {
        1 << self.bits.min(63)
    }

    /// What one count is worth: prescale / clock.
    pub fn tick(&self) -> Seconds {
        Seconds(f64::from(self.prescale) / self.clock.0)
    }

    /// How many counts a period of a frequency takes; no whole number in general.
    pub fn counts_of(&self, hertz: f64) -> f64 {
        self.clock.0 / (f64::from(self.prescale) * hertz)
    }

    /// The longest period that does not wrap twice: a whole turn of the timer less one count.
    pub fn longest_period(&self) -> Seconds {
        Seconds((self.modulus() - 1) as f64 * self.tick().0)
    }

    /// The period between two neighbours: f = clock / (prescale · ((c₂ − c₁) mod 2^bits)).
    ///
    /// `None` where they are equal, which is a whole turn or nothing.
    pub fn reading(&self, first: u64, second: u64) -> Option<CaptureReading> {
        let counts = second.wrapping_sub(first) & (self.modulus() - 1);
        if counts == 0 {
            return None;
        }
        let period_s = counts as f64 * f64::from(self.prescale) / self.clock.0;
        let frequency_hz = self.clock.0 / (f64::from(self.prescale) * counts as f64);
        Some(CaptureReading { counts, period_s, frequency_hz, resolution_hz: frequency_hz / counts as f64 })
    }
}

/// What all captures come to.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Captured {
    /// A reading for each two neighbours that differ.
    pub readings: Vec<CaptureReading>,
    /// How often neighbours were equal.
    pub equal_neighbours: u64,
    /// How often the timer wrapped between two.
    pub wraps: u64,
}

/// Works captured counts, in the order in which they were captured.
pub fn work(timer: &Timer, counts: &[u64]) -> Captured {
    let pairs = || counts.iter().zip(counts.iter().skip(1));
    let readings: Vec<CaptureReading> = pairs().filter_map(|(one, other)| timer.reading(*one, *other)).collect();
    let equal_neighbours = pairs().filter(|(one, other)| one == other).count() as u64;
    let wraps = pairs().filter(|(one, other)| other < one).count() as u64;
    Captured { readings, equal_neighbours, wraps }
}
