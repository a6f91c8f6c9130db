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
    /// The greatest count, below 2^63: 2^bits - 1, or the value at which it begins anew.
    pub most: u64,
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
    /// How long the pulse at its start was, where its end was captured too.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub width_s: Option<f64>,
}

impl Timer {
    /// The greatest count of a timer of so many bits.
    pub fn most_of_bits(bits: u32) -> u64 {
        (1 << bits.min(63)) - 1
    }

    /// The counts that it knows.
    pub fn modulus(&self) -> u64 {
        self.most.saturating_add(1)
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

    /// The period between two neighbours: f = clock / (prescale · ((c₂ − c₁) mod (most + 1))).
    ///
    /// `None` where they are equal, which is a whole turn or nothing.
    pub fn reading(&self, first: u64, second: u64) -> Option<CaptureReading> {
        let counts = self.counts_between(first, second)?;
        let period_s = self.seconds(counts);
        let frequency_hz = self.clock.0 / (f64::from(self.prescale) * counts as f64);
        Some(CaptureReading {
            counts,
            period_s,
            frequency_hz,
            resolution_hz: frequency_hz / counts as f64,
            width_s: None,
        })
    }

    /// The counts from one capture to a later one; `None` where they are equal.
    fn counts_between(&self, first: u64, second: u64) -> Option<u64> {
        let counts = if second < first { self.modulus() - first + second } else { second - first };
        (counts > 0).then_some(counts)
    }

    /// How long so many counts take.
    fn seconds(&self, counts: u64) -> f64 {
        counts as f64 * f64::from(self.prescale) / self.clock.0
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
    /// How far single periods are from their mean: the standard deviation. `None` with fewer than two.
    pub jitter_s: Option<f64>,
    /// Periods twice as long as most: a capture between may have been missed.
    pub doubled: u64,
    /// The share of its period that a pulse takes, in percent, over all readings that have one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub duty_percent: Option<f64>,
}

/// What was captured, in its order.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Captures {
    /// The counts at the starts of the pulses.
    pub starts: Vec<u64>,
    /// The counts at their ends, as many; empty where those were not captured.
    pub ends: Vec<u64>,
}

/// A period is twice another where it is so within this share of it.
const DOUBLED_WITHIN: f64 = 0.1;

/// The standard deviation of the periods.
fn jitter(readings: &[CaptureReading]) -> Option<f64> {
    let count = readings.len() as f64;
    let mean = readings.iter().map(|reading| reading.period_s).sum::<f64>() / count;
    let squares = readings.iter().map(|reading| (reading.period_s - mean).powi(2)).sum::<f64>();
    (readings.len() > 1).then(|| libm::sqrt(squares / (count - 1.0)))
}

/// How many periods are twice the middle one.
fn doubled(readings: &[CaptureReading]) -> u64 {
    let mut counts: Vec<u64> = readings.iter().map(|reading| reading.counts).collect();
    counts.sort_unstable();
    let Some(&middle) = counts.get(counts.len() / 2) else { return 0 };
    let twice = 2.0 * middle as f64;
    let is_twice = |count: &&u64| (**count as f64 - twice).abs() <= DOUBLED_WITHIN * twice;
    // Of very few, none is usual.
    if counts.len() < 5 { 0 } else { counts.iter().filter(is_twice).count() as u64 }
}

/// Works captured counts.
pub fn work(timer: &Timer, captures: &Captures) -> Captured {
    let counts = &captures.starts;
    let pairs = || counts.iter().zip(counts.iter().skip(1));
    let width = |number: usize, start: u64| {
        captures.ends.get(number).and_then(|end| timer.counts_between(start, *end)).map(|counts| timer.seconds(counts))
    };
    let reading = |(number, (one, other)): (usize, (&u64, &u64))| {
        let reading = timer.reading(*one, *other)?;
        Some(CaptureReading { width_s: width(number, *one), ..reading })
    };
    let readings: Vec<CaptureReading> = pairs().enumerate().filter_map(reading).collect();
    let equal_neighbours = pairs().filter(|(one, other)| one == other).count() as u64;
    let wraps = pairs().filter(|(one, other)| other < one).count() as u64;
    let (jitter_s, doubled) = (jitter(&readings), doubled(&readings));
    Captured { jitter_s, doubled, duty_percent: duty_percent(&readings), readings, equal_neighbours, wraps }
}

fn duty_percent(readings: &[CaptureReading]) -> Option<f64> {
    let with_width = || readings.iter().filter_map(|reading| Some((reading.width_s?, reading.period_s)));
    let (on, all) = with_width().fold((0.0, 0.0), |(on, all), (width, period)| (on + width, all + period));
    (all > 0.0).then(|| on / all * 100.0)
}
