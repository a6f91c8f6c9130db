//! Edges so far apart that the standstill timeout passes before each one.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// Counts consecutive edges that each came after the standstill timeout.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct LoneEdges {
    last: Option<Nanos>,
    now: u64,
    most: u64,
}

impl LoneEdges {
    /// An edge, where a time without one is a standstill.
    #[inline]
    pub fn edge(&mut self, at: Nanos, still_after: Nanos) {
        let alone = self.last.replace(at).is_some_and(|last| (at - last) >= still_after);
        self.now = if alone { self.now + 1 } else { 0 };
        self.most = self.most.max(self.now);
    }

    /// Many edges that follow one another, up to the last.
    pub fn edges(&mut self, last: Nanos) {
        (self.last, self.now) = (Some(last), 0);
    }

    /// The most in a row.
    pub fn most(&self) -> u64 {
        self.most
    }
}
