//! `expect`: what should hold, at a time, by a time, always, or at the end.

use crate::block::{BitSource, Block, Inputs, Outputs, keeps_state};
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// When something should hold; times count from the recording's start.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum When {
    /// At a time, after the changes of that instant.
    At(Nanos),
    /// At some time up to this one.
    By(Nanos),
    /// All the time from the first value on.
    Always,
    /// At the recording's last time.
    AtEnd,
}

/// Whether an expectation held.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ExpectSummary {
    /// Whether it did.
    pub pass: bool,
    /// When and how; times count from the recording's start.
    pub detail: String,
    /// The first time at which it should have held and did not.
    #[serde(rename = "failed_at_ns")]
    pub failed_at: Option<Nanos>,
}

/// The running form of an expectation; its bit is what should hold.
pub struct Expect {
    that: BitSource,
    when: When,
    state: State,
}

/// What an expectation must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    until: Nanos,
    /// What held at the time asked for, or last.
    last: Option<bool>,
    at: Option<bool>,
    first_true: Option<Nanos>,
    first_false: Option<Nanos>,
}

impl Expect {
    /// An expectation of a bit, whose source must have settled each instant.
    pub fn new(that: BitSource, when: When) -> Self {
        Self { that, when, state: State::default() }
    }

    /// Whether it held.
    pub fn summary(&self) -> ExpectSummary {
        let ended = self.state.until.saturating_sub(Nanos(1));
        let (pass, failed_at, detail) = match self.when {
            _ if self.state.last.is_none() => (false, None, "it never had a value".to_owned()),
            When::At(at) if at > ended => {
                (false, None, format!("the recording ends at {}, before {at}", ended.place()))
            }
            When::At(at) => match self.state.at {
                Some(true) => (true, None, format!("held at {at}")),
                Some(false) => (false, Some(at), format!("did not hold at {at}")),
                None => (false, None, format!("it had no value yet at {at}")),
            },
            When::By(by) => match self.state.first_true.filter(|time| *time <= by) {
                Some(time) => (true, None, format!("held at {}, by {by}", time.place())),
                None if by > ended => (false, None, format!("the recording ends at {}, before {by}", ended.place())),
                None => (false, Some(by), format!("never held up to {by}")),
            },
            When::Always => match self.state.first_false {
                None => (true, None, "held all the time".to_owned()),
                Some(time) => (false, Some(time), format!("first failed at {}", time.place())),
            },
            When::AtEnd => match self.state.last {
                Some(true) => (true, None, "held at the end".to_owned()),
                _ => (false, Some(ended), format!("did not hold at the end, at {}", ended.place())),
            },
        };
        ExpectSummary { pass, detail, failed_at }
    }

    fn hold(&mut self, time: Nanos, value: bool) {
        if matches!(self.when, When::At(at) if time <= at) {
            self.state.at = Some(value);
        }
        let first = if value { &mut self.state.first_true } else { &mut self.state.first_false };
        first.get_or_insert(time);
        self.state.last = Some(value);
    }
}

impl Block for Expect {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        self.state.until = window.until;
        let (that, [output]) = (inputs.bit(self.that), outputs.bits) else { return };
        let Some(level) = that.level else { return };
        if output.level.is_none() {
            output.start(that.since, level);
            self.hold(that.since, level);
        }
        output.toggles.extend_from_slice(&that.toggles);
        let mut value = level;
        for &time in &that.toggles {
            value = !value;
            self.hold(time, value);
        }
    }
}

keeps_state!(Expect, State);
