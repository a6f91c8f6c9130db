//! The mean of a number over time.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The mean over time of a number that steps, while it is known.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct OverTime {
    since: Nanos,
    /// The value that holds; `None` while none is known.
    pub value: Option<f64>,
    integral: f64,
    time: u64,
}

impl OverTime {
    /// Starts anew at a time, with the value that holds there.
    pub fn from(since: Nanos, value: Option<f64>) -> Self {
        Self { since, value, ..Self::default() }
    }

    /// A value that comes again is not told apart from one that stays: a sum of one product does not depend on where a
    /// recording is cut.
    #[inline]
    pub fn set(&mut self, at: Nanos, value: Option<f64>) {
        if value == self.value && value.is_some() {
            return;
        }
        if let Some(value) = self.value {
            let length = at.saturating_sub(self.since).0;
            self.integral += value * length.cast_signed() as f64;
            self.time += length;
        }
        (self.since, self.value) = (at, value);
    }

    /// Goes from the first of some values, which has been set, to the last.
    pub fn pass(&mut self, times: &[Nanos], values: &[f64]) {
        let Some(mut value) = self.value else { return };
        let (mut integral, mut since) = (self.integral, self.since);
        for (&at, &next) in times.iter().zip(values).skip(1) {
            if next != value {
                integral += value * at.saturating_sub(since).0.cast_signed() as f64;
                (since, value) = (at, next);
            }
        }
        self.integral = integral;
        self.time += since.saturating_sub(self.since).0;
        (self.since, self.value) = (since, Some(value));
    }

    /// The mean up to `end`; of a value without a length it is that value.
    pub fn mean(&self, end: Nanos) -> Option<f64> {
        let time = self.known(end);
        let open = self.value.map_or(0.0, |value| value * end.saturating_sub(self.since).0 as f64);
        if time.0 == 0 { self.value } else { Some((self.integral + open) / time.0 as f64) }
    }

    /// How long a value was known, up to `end`.
    pub fn known(&self, end: Nanos) -> Nanos {
        let open = self.value.map_or(0, |_| end.saturating_sub(self.since).0);
        Nanos(self.time + open)
    }
}
