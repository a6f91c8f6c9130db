//! `gate`: edges counted in windows that follow one another.

use super::readings::{By, Made, Reading, Sink};
use crate::time::Nanos;

/// The running form of a gate.
#[derive(Debug, Clone)]
pub struct Gate {
    window: Nanos,
    /// The window that is open: the first lies wholly after the signal's start.
    open: Option<Nanos>,
    count: u64,
}

impl Gate {
    /// A gate of a window, which is above zero.
    pub fn new(window: Nanos) -> Self {
        Self { window, open: None, count: 0 }
    }

    /// The signal starts.
    pub fn start(&mut self, since: Nanos) {
        self.open = Some(Nanos(since.0.div_ceil(self.window.0).saturating_mul(self.window.0)));
    }

    /// An edge, so many places of the wheel after the one before; all windows that end at it or before it give their readings first.
    #[inline]
    pub fn edge(&mut self, at: Nanos, places: i64, sink: &mut impl Sink) {
        self.pass(at, sink);
        if self.open.is_some_and(|open| at >= open) {
            self.count += places.unsigned_abs();
        }
    }

    /// Windows that end at `now` or before it give their readings.
    #[inline]
    pub fn pass(&mut self, now: Nanos, sink: &mut impl Sink) {
        let Some(open) = self.open.filter(|open| open.0.saturating_add(self.window.0) <= now.0) else { return };
        self.close(open, sink);
        let next = open + self.window;
        let more = now.saturating_sub(next).0 / self.window.0;
        if more > 0 {
            self.close(next, sink);
        }
        if more > 1 {
            // Windows without an edge are alike: those between the first and the last are only counted.
            sink.repeat(more - 2);
            self.close(next + Nanos((more - 1) * self.window.0), sink);
        }
        self.open = Some(next + Nanos(more * self.window.0));
    }

    fn close(&mut self, open: Nanos, sink: &mut impl Sink) {
        let count = std::mem::take(&mut self.count);
        let end = open + self.window;
        let made = Made { at: end, edges: count as i64, from: open, until: end, by: By::Counted };
        let per_count = 1.0 / self.window.seconds();
        sink.reading(Reading { hertz: count as f64 * per_count, resolution_hertz: per_count, made });
    }
}
