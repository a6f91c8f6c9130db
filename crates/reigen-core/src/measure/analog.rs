//! What a line of numbers does: range, mean, noise, clipping, and the two levels of a line that has two.

use crate::time::Nanos;
use serde::Serialize;

/// How many values are kept for the figures that need them all.
const KEPT: usize = 1 << 16;

/// Measures a line of numbers, value by value.
#[derive(Debug, Clone, Default)]
pub struct AnalogMeter {
    count: u64,
    least: f64,
    most: f64,
    at_least: u64,
    at_most: u64,
    last: Option<f64>,
    /// Since when it has the last value, however often that came again.
    since: Nanos,
    /// Value times nanoseconds, and the nanoseconds.
    area: f64,
    time: f64,
    steps: f64,
    kept: Vec<f64>,
}

/// What a line of numbers did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct AnalogFigures {
    /// How many values.
    pub values: u64,
    /// The least.
    pub least: f64,
    /// The greatest.
    pub most: f64,
    /// The mean over time.
    pub mean: f64,
    /// The standard deviation from one value to the next, over √2: what does not come from slow change.
    pub noise: f64,
    /// Whether it stays at its least or greatest value so often that it seems cut off there.
    pub clips: [bool; 2],
    /// Where its two levels lie, if most of its values lie close to one of two.
    pub two_levels: Option<[f64; 2]>,
}

impl AnalogMeter {
    /// Takes the next value.
    pub fn take(&mut self, time: Nanos, value: f64) {
        if value.is_nan() {
            return;
        }
        if self.count == 0 {
            (self.least, self.most) = (value, value);
        }
        self.at_least = if value < self.least { 1 } else { self.at_least + u64::from(value == self.least) };
        self.at_most = if value > self.most { 1 } else { self.at_most + u64::from(value == self.most) };
        (self.least, self.most) = (self.least.min(value), self.most.max(value));
        if self.last != Some(value) {
            if let Some(before) = self.last {
                let length = time.saturating_sub(self.since).0 as f64;
                self.area += before * length;
                self.time += length;
                self.steps += (value - before) * (value - before);
            }
            (self.since, self.last) = (time, Some(value));
        }
        self.count += 1;
        if self.kept.len() < KEPT {
            self.kept.push(value);
        }
    }

    /// The figures at the recording's last time; `None` where there was no value.
    pub fn figures(&self, end: Nanos) -> Option<AnalogFigures> {
        let last = self.last?;
        let rest = end.saturating_sub(self.since).0 as f64;
        let (area, time) = (self.area + last * rest, self.time + rest);
        let pairs = (self.count - 1).max(1) as f64;
        // A value at random is the greatest once or twice; one that is cut off is it again and again.
        let often = |times: u64| times >= 8 && times as f64 / self.count as f64 > 0.005 && self.most > self.least;
        Some(AnalogFigures {
            values: self.count,
            least: self.least,
            most: self.most,
            mean: if time > 0.0 { area / time } else { last },
            noise: (self.steps / pairs / 2.0).sqrt(),
            clips: [often(self.at_least), often(self.at_most)],
            two_levels: self.two_levels(),
        })
    }

    /// Parts the values at the middle of their range; two levels where nine in ten lie close to the middle of their part.
    fn two_levels(&self) -> Option<[f64; 2]> {
        let range = self.most - self.least;
        if range <= 0.0 || self.kept.len() < 8 {
            return None;
        }
        let border = self.least + range / 2.0;
        let (mut low, mut high): (Vec<f64>, Vec<f64>) = self.kept.iter().partition(|value| **value < border);
        let middle = |part: &mut Vec<f64>| {
            part.sort_by(f64::total_cmp);
            part.get(part.len() / 2).copied()
        };
        let levels = [middle(&mut low)?, middle(&mut high)?];
        let near = |value: &&f64| levels.iter().any(|level| (**value - level).abs() < range * 0.15);
        let close = self.kept.iter().filter(near).count();
        // A few values on one side are no level.
        let both = low.len().min(high.len()) * 50 > self.kept.len();
        (close * 10 > self.kept.len() * 9 && both).then_some(levels)
    }
}
