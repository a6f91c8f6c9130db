//! The least, mean and greatest of some values.

use serde::{Deserialize, Serialize};

/// Values taken one by one.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Spread {
    /// How many.
    pub count: u64,
    /// The last.
    pub last: Option<f64>,
    range: Option<(f64, f64)>,
    sum: f64,
}

impl Spread {
    /// Forgets all values but the last.
    pub fn forget(&mut self) {
        *self = Self { last: self.last, ..Self::default() };
    }

    /// Takes a value.
    pub fn take(&mut self, value: f64) {
        let (least, most) = self.range.unwrap_or((value, value));
        self.range = Some((least.min(value), most.max(value)));
        self.sum += value;
        self.count += 1;
        self.last = Some(value);
    }

    /// The least.
    pub fn min(&self) -> Option<f64> {
        self.range.map(|(least, _)| least)
    }

    /// The greatest.
    pub fn max(&self) -> Option<f64> {
        self.range.map(|(_, most)| most)
    }

    /// The greatest less the least.
    pub fn spread(&self) -> Option<f64> {
        self.range.map(|(least, most)| most - least)
    }

    /// The mean, each value once.
    pub fn mean(&self) -> Option<f64> {
        (self.count > 0).then(|| self.sum / self.count as f64)
    }
}
