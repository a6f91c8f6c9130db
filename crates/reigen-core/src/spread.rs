//! What some values come to: how many, their mean, least and most.

use serde::{Deserialize, Serialize};

/// How many readings there were, and their mean, least and most; each once, zeros included.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Spread {
    /// How many.
    pub count: u64,
    sum: f64,
    least: f64,
    most: f64,
}

impl Spread {
    /// Takes in `times` equal readings.
    #[inline]
    pub fn take(&mut self, value: f64, times: u64) {
        if self.count == 0 {
            (self.least, self.most) = (value, value);
        }
        self.count += times;
        self.sum += value * times as f64;
        self.least = self.least.min(value);
        self.most = self.most.max(value);
    }

    /// The mean; `None` without readings.
    pub fn mean(&self) -> Option<f64> {
        self.some(self.sum / self.count as f64)
    }

    /// The least.
    pub fn min(&self) -> Option<f64> {
        self.some(self.least)
    }

    /// The most.
    pub fn max(&self) -> Option<f64> {
        self.some(self.most)
    }

    /// The most less the least.
    pub fn spread(&self) -> Option<f64> {
        self.some(self.most - self.least)
    }

    fn some(&self, value: f64) -> Option<f64> {
        (self.count > 0).then_some(value)
    }
}
