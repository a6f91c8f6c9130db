//! `gate`: edges counted in windows that follow one another.

use super::readings::{Basis, BasisKind, Reading, Sink};
use crate::cast;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The running form of a gate.
#[derive(Debug, Clone)]
pub struct Gate {
    window: Nanos,
    /// The windows count from here.
    from: Nanos,
    state: State,
}

/// What a gate must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// The window that is open: the first lies wholly after the signal's start.
    open: Option<Nanos>,
    count: u64,
}

impl Gate {
    /// A gate of a window, which is above zero.
    pub fn new(window: Nanos) -> Self {
        Self { window, from: Nanos(0), state: State::default() }
    }

    /// The same, with its windows counted from a time.
    pub fn counting_from(self, from: Nanos) -> Self {
        Self { from, ..self }
    }

    /// When it gives a reading though no edge comes.
    pub fn next_due(&self) -> Option<Nanos> {
        self.state.open.map(|open| open + self.window)
    }

    /// What it must know of the past.
    pub fn save(&self) -> State {
        self.state
    }

    /// Goes on from a state.
    pub fn restore(&mut self, state: State) {
        self.state = state;
    }

    /// The signal starts.
    pub fn start(&mut self, since: Nanos) {
        let windows = since.saturating_sub(self.from).0.div_ceil(self.window.0);
        self.state.open = Some(self.from + Nanos(windows.saturating_mul(self.window.0)));
    }

    /// An edge, so many places of the wheel after the one before; all windows that end at it or before it give their readings first.
    #[inline]
    pub fn edge(&mut self, at: Nanos, places: i64, sink: &mut impl Sink) {
        self.pass(at, sink);
        if self.state.open.is_some_and(|open| at >= open) {
            self.state.count += places.unsigned_abs();
        }
    }

    /// Windows that end at `now` or before it give their readings.
    #[inline]
    pub fn pass(&mut self, now: Nanos, sink: &mut impl Sink) {
        let Some(open) = self.state.open.filter(|open| open.0.saturating_add(self.window.0) <= now.0) else { return };
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
        self.state.open = Some(next + Nanos(more * self.window.0));
    }

    fn close(&mut self, open: Nanos, sink: &mut impl Sink) {
        let count = std::mem::take(&mut self.state.count);
        let end = open + self.window;
        let made = Basis { at: end, edges: cast::i64_from_u64(count), from: open, until: end, by: BasisKind::Counted };
        let per_count = 1.0 / self.window.seconds();
        sink.reading(Reading { hertz: count as f64 * per_count, resolution_hertz: per_count, made });
    }
}
