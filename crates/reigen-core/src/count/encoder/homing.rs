//! Zeroing: by the index, by a switch, or by the index after a switch; and how well zeros repeat.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// What the index does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum IndexDoes {
    /// It checks that a revolution's counts lie between two of it.
    #[default]
    Check,
    /// Each one zeroes.
    Zero,
    /// The first one after `zero_on` zeroes.
    Home,
}

/// One zeroing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Homing {
    /// When.
    #[serde(rename = "at_ns")]
    pub at: Nanos,
    /// The position that it replaced; `None` at the first.
    pub before: Option<i64>,
    /// Counts from the switch to the index that zeroed, where it was homed so.
    pub from_switch: Option<i64>,
}

/// Two marks with other counts between them than a revolution's.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Missing {
    /// When the earlier mark came.
    #[serde(rename = "from_ns")]
    pub from: Nanos,
    /// When the later one came.
    #[serde(rename = "at_ns")]
    pub at: Nanos,
    /// The counts between them, without sign.
    pub counts: i64,
    /// Those of a revolution.
    pub expected: i64,
}

/// What lies between two marks.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct RevolutionCounts {
    mark: Option<Nanos>,
    /// The direction of the count before the mark.
    before: Option<bool>,
    forward: i64,
    backward: i64,
}

impl RevolutionCounts {
    /// A count.
    #[inline]
    pub fn count(&mut self, forward: bool) {
        if forward { self.forward += 1 } else { self.backward += 1 }
    }

    /// So many counts one way.
    pub fn counts(&mut self, forward: bool, counts: i64) {
        if forward { self.forward += counts } else { self.backward += counts }
    }

    /// A mark, after a count in a direction; what is wrong with the revolution before it.
    ///
    /// The index rises on one side of its mark going forward and on the other going back. So marks compare where
    /// all counts between them went one way, or where both were passed the same way with some trembling between.
    pub fn mark(&mut self, at: Nanos, last: Option<bool>, expected: Option<i64>) -> Option<Missing> {
        let past = std::mem::replace(self, RevolutionCounts { mark: Some(at), before: last, forward: 0, backward: 0 });
        let (from, expected) = past.mark.zip(expected)?;
        let counts = match (past.forward, past.backward) {
            (0, 0) => return None,
            (counts, 0) if past.before != Some(false) => counts,
            (0, counts) if past.before != Some(true) => counts,
            // Passed both times from the same side, it has gone round once, or come back to where it was.
            (forward, backward) if past.before.is_some() && past.before == last => (forward - backward).abs(),
            _ => return None,
        };
        let came_back = counts == 0;
        (counts != expected && !came_back).then_some(Missing { from, at, counts, expected })
    }
}
