//! A quantity over time, in straight pieces: constant, rising, falling.

use super::truth::At;
use reigen_core::time::Nanos;

/// A piece: it ends at a time with a value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Piece {
    /// When it ends, in nanoseconds.
    pub(super) until: u64,
    /// The value there.
    pub(super) to: f64,
}

/// Pieces one after another; the last value holds on.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Profile {
    /// The value at time 0.
    pub(super) from: f64,
    pub(super) pieces: Vec<Piece>,
}

impl Profile {
    /// The values wherever their course bends, up to `end`.
    pub(super) fn bends(&self, end: Nanos) -> Vec<At> {
        let bends = self.pieces.iter().map(|piece| (piece.until, piece.to)).filter(|(time, _)| *time <= end.0);
        [(0, self.from)].into_iter().chain(bends).map(|(time, value)| At { at: Nanos(time), value }).collect()
    }

    /// The value at a time.
    pub(super) fn at(&self, time: u64) -> f64 {
        let (mut start, mut from) = (0, self.from);
        for piece in &self.pieces {
            if time < piece.until {
                let share = (time - start) as f64 / (piece.until - start) as f64;
                return from + (piece.to - from) * share;
            }
            (start, from) = (piece.until, piece.to);
        }
        from
    }
}
