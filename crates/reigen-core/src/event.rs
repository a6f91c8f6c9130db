//! Events: what happened to points, in the order of time.

use crate::account::Rule;
use crate::time::Nanos;
use serde::Serialize;
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::fmt;

/// What happened.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum EventKind {
    /// A raw edge was thrown away; the time is the edge's own.
    Rejected(Rule),
    /// The point went on.
    On,
    /// The point went off.
    Off,
    /// A counter reached one of its presets, counting upward.
    Preset(i64),
    /// A counter's value became this.
    Value(i64),
    /// A reading became this.
    Reading(Real),
    /// A frame of a chain had this many clocks, which are too few or too many.
    BadFrame(u64),
    /// A counter left out an edge that it would have counted.
    NotCounted(SkipReason),
}

/// A real number in a total order, that of IEEE 754.
#[derive(Debug, Clone, Copy)]
pub struct Real(pub f64);

impl PartialEq for Real {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Real {}

impl PartialOrd for Real {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Real {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// A number that belongs to an event.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub enum Number {
    /// A whole one.
    Whole(i64),
    /// A real one.
    Real(f64),
}

impl fmt::Display for Number {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Number::Whole(value) => value.fmt(formatter),
            Number::Real(value) => value.fmt(formatter),
        }
    }
}

/// Why a counter left out an edge.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum SkipReason {
    /// Its reset was on.
    Reset,
    /// Its load was on.
    Load,
    /// Its gate was off.
    Gate,
    /// It stood at its limit.
    Limit,
    /// One came up and one down in the same instant.
    Cancelled,
}

impl SkipReason {
    /// The word for it in tables and files.
    pub fn word(self) -> &'static str {
        match self {
            SkipReason::Reset => "reset",
            SkipReason::Load => "load",
            SkipReason::Gate => "gate",
            SkipReason::Limit => "limit",
            SkipReason::Cancelled => "cancelled",
        }
    }
}

impl EventKind {
    /// The word for it, the value that belongs to it, and the rule by which it was left out.
    pub fn words(self) -> (&'static str, Option<Number>, Option<&'static str>) {
        match self {
            EventKind::Rejected(rule) => ("rejected", None, Some(rule.word())),
            EventKind::On => ("on", None, None),
            EventKind::Off => ("off", None, None),
            EventKind::Preset(preset) => ("preset", Some(Number::Whole(preset)), None),
            EventKind::Value(value) => ("value", Some(Number::Whole(value)), None),
            EventKind::Reading(Real(value)) => ("reading", Some(Number::Real(value)), None),
            EventKind::BadFrame(clocks) => ("bad_frame", Some(Number::Whole(clocks.cast_signed())), None),
            EventKind::NotCounted(why) => ("not_counted", None, Some(why.word())),
        }
    }
}

/// What happened to one point, and when.
pub type Happening = (Nanos, EventKind);

/// What happened, to which point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Event {
    /// When, since the recording's start.
    pub time: Nanos,
    /// The number of the point in the station.
    pub point: usize,
    /// What.
    pub what: EventKind,
}

/// Puts events in the order of time, though the fate of an edge is known only later.
///
/// It holds events back as long as an earlier edge is undecided, so it needs memory for the longest burst.
#[derive(Debug, Default)]
pub struct EventOrder {
    waiting: BinaryHeap<Reverse<(Event, u64)>>,
    taken: u64,
}

impl EventOrder {
    /// Takes events in and hands out, in order, those before `told`.
    pub fn pass<'a>(&'a mut self, events: &mut Vec<Event>, told: Nanos) -> impl Iterator<Item = Event> + 'a {
        for event in events.drain(..) {
            self.waiting.push(Reverse((event, self.taken)));
            self.taken += 1;
        }
        std::iter::from_fn(move || {
            let Reverse((event, _)) = self.waiting.peek()?;
            if event.time >= told {
                return None;
            }
            self.waiting.pop().map(|Reverse((event, _))| event)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn events_wait_for_what_may_still_be_told_before_them() {
        let event = |time, point| Event { time: Nanos(time), point, what: EventKind::On };
        let mut order = EventOrder::default();
        let mut first = vec![event(9, 0), event(4, 1), event(4, 0)];
        assert_eq!(order.pass(&mut first, Nanos(5)).collect::<Vec<_>>(), [event(4, 0), event(4, 1)]);
        let mut second = vec![event(7, 1)];
        assert_eq!(order.pass(&mut second, Nanos(9)).collect::<Vec<_>>(), [event(7, 1)]);
        assert_eq!(order.pass(&mut Vec::new(), Nanos(10)).collect::<Vec<_>>(), [event(9, 0)]);
    }
}
