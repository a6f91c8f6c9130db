//! `analog_output`: a number given out as a current or a voltage.

use super::over_time::OverTime;
use super::source::{NumberState, ValidSource, in_order};
use crate::block::{Block, Inputs, Outputs, Shape, keeps_state};
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The columns: whether it is limited, whether it is in fault; what is given out.
pub const SHAPE: Shape = Shape { bits: 2, counts: 0, readings: 1 };

/// What is given out while the number is in fault.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum OnFault {
    /// What was given out last.
    Hold,
    /// This, in milliamperes or volts.
    Give(f64),
}

/// What an analog output is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// Two values of the number, and what is given out for them.
    pub scale: ([f64; 2], [f64; 2]),
    /// The least and the most that is given out.
    pub limits: [f64; 2],
    /// What is given out in fault.
    pub on_fault: OnFault,
    /// `mA` or `V`.
    pub unit: &'static str,
    /// Whether the states of a 4–20 mA signal are told (NAMUR NE 43).
    pub tells_states: bool,
}

impl Settings {
    /// What is given out for a value, and whether it is limited.
    pub fn given(&self, value: f64) -> (f64, bool) {
        let ([from, until], [low, high]) = self.scale;
        let straight = low + (value - from) * (high - low) / (until - from);
        let [least, most] = self.limits;
        let given = straight.clamp(least, most);
        (given, given != straight)
    }

    /// What a receiver takes a current for (NAMUR NE 43).
    fn state(&self, given: f64) -> &'static str {
        match given {
            _ if !self.tells_states => "given",
            current if current <= 3.6 => "failure, low",
            current if current >= 21.0 => "failure, high",
            current if current < 4.0 => "below the range",
            current if current > 20.0 => "above the range",
            _ => "measuring",
        }
    }
}

/// What an analog output gave out.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct AnalogOutputSummary {
    /// `mA` or `V`.
    pub unit: String,
    /// What it gives out last.
    pub last: Option<f64>,
    /// The least that it gave out.
    pub min: Option<f64>,
    /// The greatest.
    pub max: Option<f64>,
    /// Over time.
    pub mean: Option<f64>,
    /// How long it was held at a limit.
    #[serde(rename = "limited_ns")]
    pub limited: Nanos,
    /// How long the number was in fault.
    #[serde(rename = "fault_ns")]
    pub fault: Nanos,
    /// What the receiver takes it for at the end: of 4–20 mA by NAMUR NE 43, else `given`, and `off` before the first value.
    pub state: String,
}

/// The running form of an analog output.
pub struct AnalogOutput {
    settings: Settings,
    of: ValidSource,
    state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    given: Option<f64>,
    over_time: OverTime,
    range: Option<(f64, f64)>,
    limited: OverTime,
    fault: OverTime,
    until: Nanos,
}

impl AnalogOutput {
    /// Gives out a number.
    pub fn new(settings: Settings, of: ValidSource) -> Self {
        Self { settings, of, state: State::default() }
    }

    /// What it gave out.
    pub fn summary(&self) -> AnalogOutputSummary {
        let state = self.state;
        let end = Nanos(state.until.0.saturating_sub(1));
        AnalogOutputSummary {
            unit: self.settings.unit.to_owned(),
            last: state.given,
            min: state.range.map(|(least, _)| least),
            max: state.range.map(|(_, most)| most),
            mean: state.over_time.mean(end),
            limited: state.limited.known(end),
            fault: state.fault.known(end),
            state: state.given.map_or("off", |given| self.settings.state(given)).to_owned(),
        }
    }

    fn instant(&mut self, at: Nanos, number: NumberState, outputs: &mut Outputs<'_>) {
        let (given, limited) = match (number, self.settings.on_fault) {
            // Before the first value there is nothing to give.
            (NumberState::Unknown, _) => return,
            (NumberState::Valid(value), _) => {
                let (given, limited) = self.settings.given(value);
                (Some(given), limited)
            }
            (NumberState::Fault, OnFault::Hold) => (self.state.given, false),
            (NumberState::Fault, OnFault::Give(given)) => (Some(given), false),
        };
        let in_fault = number == NumberState::Fault;
        let on = |on: bool| on.then_some(1.0);
        self.state.limited.set(at, on(limited));
        self.state.fault.set(at, on(in_fault));
        if let [limited_bit, fault_bit] = outputs.bits {
            limited_bit.set(at, limited);
            fault_bit.set(at, in_fault);
        }
        let Some(given) = given else { return };
        self.state.given = Some(given);
        self.state.over_time.set(at, Some(given));
        let (least, most) = self.state.range.unwrap_or((given, given));
        self.state.range = Some((least.min(given), most.max(given)));
        outputs.readings.iter_mut().for_each(|column| column.change(at, given));
    }
}

impl Block for AnalogOutput {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        let Some(of) = self.of.view(&inputs) else { return };
        for at in in_order(of.changes(window.from)) {
            self.instant(at, of.at(at), &mut outputs);
        }
        self.state.until = window.until;
    }

    fn start_counting(&mut self, from: Nanos) {
        let state = &mut self.state;
        for measured in [&mut state.over_time, &mut state.limited, &mut state.fault] {
            *measured = OverTime::from(from, measured.value);
        }
        state.range = state.given.map(|given| (given, given));
    }
}

keeps_state!(AnalogOutput, State);
