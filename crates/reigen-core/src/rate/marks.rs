//! A wheel with a deliberate gap: so many places, of which some have no mark.

use crate::cast;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The places of a wheel.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Marks {
    /// How many places it has, with and without a mark.
    pub of: u32,
    /// How many of them, side by side, have none.
    pub missing: u32,
}

/// Follows a wheel's marks, and tells which interval spans the gap.
#[derive(Debug, Clone)]
pub struct Gap {
    marks: Marks,
    state: State,
}

/// What following the marks of a wheel must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    last: Option<Nanos>,
    /// The time from place to place, by the last interval.
    pitch: Option<f64>,
    /// How many edges since the gap, once it was found.
    since: Option<u32>,
}

impl Gap {
    /// A wheel of these places.
    pub fn new(marks: Marks) -> Self {
        Self { marks, state: State::default() }
    }

    /// What it must know of the past.
    pub fn save(&self) -> State {
        self.state
    }

    /// Goes on from a state.
    pub fn restore(&mut self, state: State) {
        self.state = state;
    }

    /// An edge: how many places lie between it and the one before.
    #[inline]
    pub fn edge(&mut self, at: Nanos) -> i64 {
        let Some(last) = self.state.last.replace(at) else { return 1 };
        let interval = (at - last).0 as f64;
        let (gap, marks) = (f64::from(self.marks.missing) + 1.0, self.marks.of - self.marks.missing);
        let ratio = self.state.pitch.map_or(1.0, |pitch| interval / pitch.max(1.0));
        let long = ratio > (gap + 1.0) / 2.0 && ratio < gap * 1.6;
        let is_gap = long && self.state.since.is_none_or(|since| since + 1 == marks);
        let places = if is_gap { gap } else { 1.0 };
        self.state.since = match self.state.since {
            _ if is_gap => Some(0),
            // The gap did not come where it was expected: it must be found again.
            Some(since) if since + 1 >= marks => None,
            since => since.map(|since| since + 1),
        };
        self.state.pitch = Some(interval / places);
        cast::i64_from_f64(places)
    }
}
