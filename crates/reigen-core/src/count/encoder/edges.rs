//! The edges of an encoder's channels: those to come, how close they are, and how many take turns.

use crate::block::{BitSource, Inputs};
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The shortest time between edges of different channels.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Spacing {
    /// The last edge, and whether it was one of A.
    last: Option<(Nanos, bool)>,
    pub(super) closest: Option<Nanos>,
}

impl Spacing {
    #[inline]
    pub(super) fn edge(&mut self, at: Nanos, is_a: bool) {
        if let Some((last, _)) = self.last.replace((at, is_a)).filter(|(_, was_a)| *was_a != is_a) {
            let apart = at.saturating_sub(last);
            if self.closest.is_none_or(|closest| apart < closest) {
                self.closest = Some(apart);
            }
        }
    }

    /// Many edges of which the closest are so far apart; and the last of them.
    pub(super) fn many(&mut self, closest: u64, last: (Nanos, bool)) {
        let closest = Nanos(closest);
        self.closest = Some(self.closest.map_or(closest, |known| known.min(closest)));
        self.last = Some(last);
    }

    pub(super) fn both(&mut self) {
        self.closest = Some(Nanos(0));
    }
}

/// A channel's changes still to come.
#[derive(Clone, Copy)]
pub(super) struct Head<'a>(pub(super) &'a [Nanos]);

impl<'a> Head<'a> {
    pub(super) fn of(inputs: &Inputs<'a>, source: Option<BitSource>) -> Self {
        Head(source.map_or(&[], |source| &inputs.bit(source).toggles))
    }

    #[inline]
    pub(super) fn next(&self) -> Nanos {
        self.0.first().copied().unwrap_or(NEVER)
    }

    /// Passes all changes at exactly `time`; whether the level is another afterwards.
    #[inline]
    pub(super) fn pass(&mut self, time: Nanos) -> bool {
        let mut changed = false;
        while let [first, rest @ ..] = self.0
            && *first == time
        {
            self.0 = rest;
            changed = !changed;
        }
        changed
    }

    /// Passes all changes up to a time; whether the level is another afterwards.
    pub(super) fn pass_to(&mut self, time: Nanos) -> bool {
        let passed = self.0.partition_point(|&toggle| toggle <= time);
        self.0 = self.0.get(passed..).unwrap_or_default();
        passed % 2 == 1
    }
}

/// Later than all times.
pub(super) const NEVER: Nanos = Nanos(u64::MAX);

/// Most pairs that are taken at once.
const MOST_PAIRS: usize = 512;

/// How many edges of two channels take turns from the start, one of each a pair, each alone in its instant, before
/// `limit` and no more than `still` apart; and the closest two of them.
pub(super) fn take_turns(first: &[Nanos], second: &[Nanos], limit: Nanos, still: Nanos) -> (usize, u64) {
    let (mut pairs, mut closest) = (0, u64::MAX);
    let Some(mut before) = first.first().copied() else { return (0, closest) };
    for (&one, &other) in first.iter().zip(second).take(MOST_PAIRS) {
        // For the first pair `before` is its own first edge.
        let fits = other > one && other < limit && (pairs == 0 || one > before) && other.0 - before.0 <= still.0;
        if !fits {
            break;
        }
        closest = closest.min(other.0 - one.0).min(if pairs == 0 { u64::MAX } else { one.0 - before.0 });
        before = other;
        pairs += 1;
    }
    // Another edge in the instant of the last one would undo or join it.
    let joined = |channel: &[Nanos]| channel.get(pairs).is_some_and(|next| *next <= before);
    if pairs > 0 && (joined(first) || joined(second)) { (0, u64::MAX) } else { (pairs, closest) }
}
