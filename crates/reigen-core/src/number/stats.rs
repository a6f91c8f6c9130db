//! `stats`: the least, mean and greatest of a number while a bit is on.

use super::over_time::OverTime;
use super::source::{ValidSource, in_order};
use crate::block::{BitSource, Block, Inputs, Outputs, Shape, keeps_state};
use crate::column::ReadingColumn;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The columns: the mean, least and greatest of the last stretch that ended.
pub const SHAPE: Shape = Shape { bits: 0, counts: 0, readings: 3 };

/// What a number did while a bit was on.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct StatsSummary {
    /// The unit of the values.
    pub unit: String,
    /// The least of all stretches.
    pub min: Option<f64>,
    /// Over the time of all stretches.
    pub mean: Option<f64>,
    /// The greatest of all stretches.
    pub max: Option<f64>,
    /// The greatest less the least.
    pub spread: Option<f64>,
    /// How long the bit was on and the number known.
    #[serde(rename = "on_ns")]
    pub on: Nanos,
    /// How many stretches there were.
    pub count: u64,
}

/// The running form.
pub struct Stats {
    unit: String,
    of: ValidSource,
    while_on: BitSource,
    state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    on: bool,
    /// Of all stretches, and of the one that is open.
    whole: Measured,
    open: Measured,
    count: u64,
    until: Nanos,
}

/// A number measured while a bit is on.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
struct Measured {
    over_time: OverTime,
    range: Option<(f64, f64)>,
}

impl Measured {
    fn set(&mut self, at: Nanos, value: Option<f64>) {
        self.over_time.set(at, value);
        if let Some(value) = value {
            let (least, most) = self.range.unwrap_or((value, value));
            self.range = Some((least.min(value), most.max(value)));
        }
    }
}

impl Stats {
    /// A number, measured while a bit is on whose source must have settled each instant; where it is in fault it is left out.
    pub fn new(unit: String, of: ValidSource, while_on: BitSource) -> Self {
        Self { unit, of, while_on, state: State::default() }
    }

    /// What the number did.
    pub fn summary(&self) -> StatsSummary {
        let end = Nanos(self.state.until.0.saturating_sub(1));
        let Measured { over_time, range } = self.state.whole;
        StatsSummary {
            unit: self.unit.clone(),
            min: range.map(|(least, _)| least),
            mean: range.and_then(|_| over_time.mean(end)),
            max: range.map(|(_, most)| most),
            spread: range.map(|(least, most)| most - least),
            on: over_time.known(end),
            count: self.state.count,
        }
    }

    /// The bit and the number after an instant.
    fn instant(&mut self, at: Nanos, on: bool, value: Option<f64>, columns: &mut [ReadingColumn]) {
        let state = &mut self.state;
        if on && !state.on {
            state.open = Measured::default();
            state.count += 1;
        }
        if !on && state.on {
            state.open.set(at, None);
            if let ([mean, min, max], Some((least, most))) = (columns, state.open.range) {
                mean.change(at, state.open.over_time.mean(at).unwrap_or(least));
                min.change(at, least);
                max.change(at, most);
            }
        } else if on {
            state.open.set(at, value);
        }
        state.whole.set(at, value.filter(|_| on));
        state.on = on;
    }
}

impl Block for Stats {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let (Some(of), bit) = (self.of.view(&inputs), inputs.bit(self.while_on)) else { return };
        if bit.level.is_some() {
            let times = of.changes(window.from).chain(bit.toggles.iter().copied()).chain([bit.since]);
            for at in in_order(times.filter(|at| *at >= bit.since.max(window.from))) {
                self.instant(at, bit.level_at(at) == Some(true), of.at(at).value(), outputs.readings);
            }
        }
        self.state.until = window.until;
    }

    fn start_counting(&mut self, from: Nanos) {
        let value = self.state.whole.over_time.value;
        let range = value.map(|value| (value, value));
        self.state.whole = Measured { over_time: OverTime::from(from, value), range };
        self.state.count = u64::from(self.state.on);
    }
}

keeps_state!(Stats, State);
