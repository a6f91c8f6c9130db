//! The step δ of a line's times, learned from its edges.

use crate::measure::edges::common_divisor;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The greatest common step of edges so far, and not finer than what the file states.
///
/// A log in milliseconds, or a file in nanoseconds of a line that was sampled at 1 MHz, then states what it really
/// resolves. While there are few edges, or all are a multiple of one interval, that is coarse: in doubt the coarser step wins.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    first: Option<Nanos>,
    divisor: u64,
}

impl Step {
    /// An edge, rising or falling; `tick` is the file's own step. Once it is known, there is nothing more to learn.
    #[inline]
    pub fn take(&mut self, edge: Nanos, tick: Nanos) {
        if self.is_finest(tick) {
            return;
        }
        let Some(first) = self.first else {
            self.first = Some(edge);
            return;
        };
        let distance = edge.0 - first.0;
        if self.divisor == 0 || !distance.is_multiple_of(self.divisor) {
            self.divisor = common_divisor(self.divisor, distance);
        }
    }

    /// Whether more edges cannot make it finer than the file's own step, `tick`.
    #[inline]
    pub fn is_finest(&self, tick: Nanos) -> bool {
        self.divisor > 0 && self.divisor <= tick.0.max(1)
    }

    /// The step; the file's own one, `tick`, while nothing else is known.
    #[inline]
    pub fn get(&self, tick: Nanos) -> Nanos {
        Nanos(self.divisor.max(tick.0))
    }
}

/// What one step may be wrong by, where so many intervals take so many seconds: f·δ/T / (1 − δ/T).
///
/// The true time is longer than T − δ. A time of one step or less resolves nothing; a thousand times the reading stands for that.
pub fn resolution(hertz: f64, step_s: f64, timed_s: f64) -> f64 {
    let share = step_s / timed_s;
    hertz.abs() * share / (1.0 - share).max(1e-3)
}
