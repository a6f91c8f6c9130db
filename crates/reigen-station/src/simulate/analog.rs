//! An analog value: a profile with noise and mains hum, clipped, with a wire that breaks.

use super::random::Random;
use super::scenario::Analog;
use super::truth::Truth;
use super::{Change, Source, Value};
use reigen_core::time::Nanos;

/// Values are written to a millionth.
const STEP: f64 = 1e6;

/// A sensor that gives a number at a constant step.
pub(super) struct AnalogSource {
    settings: Analog,
    random: Random,
    sample: u64,
    last: f64,
    end: Nanos,
}

impl AnalogSource {
    pub(super) fn new(settings: &Analog, random: Random, end: Nanos) -> Self {
        let mut source = Self { settings: settings.clone(), random, sample: 0, last: 0.0, end };
        source.last = source.value(0);
        source
    }

    fn value(&mut self, time: u64) -> f64 {
        let settings = &self.settings;
        let broken = settings.broken.iter().find(|(from, to, _)| (*from..*to).contains(&time));
        if let Some((_, _, reads)) = broken {
            return *reads;
        }
        // A whole number of turns is taken off first, so that the sine is as exact after an hour as at the start.
        let turns = settings.hum_hz * time as f64 / 1e9;
        let hum = settings.hum * libm::sin(2.0 * std::f64::consts::PI * (turns - turns.floor()));
        let clean = settings.value.at(time) + hum;
        let noise = if settings.noise > 0.0 { settings.noise * self.random.normal() } else { 0.0 };
        let (low, high) = settings.clip.unwrap_or((f64::MIN, f64::MAX));
        ((clean + noise).clamp(low, high) * STEP).round() / STEP
    }
}

impl Source for AnalogSource {
    fn lines(&self) -> Vec<(String, Value)> {
        vec![(self.settings.line.clone(), Value::Number(self.last))]
    }

    fn next(&mut self) -> Option<Change> {
        loop {
            self.sample += 1;
            let time = self.sample.checked_mul(self.settings.every)?;
            if time > self.end.0 {
                return None;
            }
            let value = self.value(time);
            if value != self.last {
                self.last = value;
                return Some(Change { time: Nanos(time), line: 0, value: Value::Number(value) });
            }
        }
    }

    fn truth(&self) -> Truth {
        Truth::Analog { line: self.settings.line.clone(), values: self.settings.value.bends(self.end) }
    }
}
