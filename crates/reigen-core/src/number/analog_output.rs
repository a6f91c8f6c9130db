//! `analog_output`: a number given out as a current or a voltage.

use super::hold::show;
use super::over_time::OverTime;
use crate::block::{BitSource, Block, Inputs, NumberSource, Outputs, Shape, keeps_state};
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
    of: NumberSource,
    /// Whether the number is in fault, where its point tells.
    fault: Option<BitSource>,
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
    pub fn new(settings: Settings, of: NumberSource, fault: Option<BitSource>) -> Self {
        Self { settings, of, fault, state: State::default() }
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

    fn instant(&mut self, at: Nanos, value: Option<f64>, fault: bool, outputs: &mut Outputs<'_>) {
        let valid = value.filter(|value| value.is_finite() && !fault);
        // Before the first value there is nothing to give.
        if value.is_none() && !fault {
            return;
        }
        let (given, limited) = match (valid, self.settings.on_fault) {
            (Some(value), _) => {
                let (given, limited) = self.settings.given(value);
                (Some(given), limited)
            }
            (None, OnFault::Hold) => (self.state.given, false),
            (None, OnFault::Give(given)) => (Some(given), false),
        };
        let on = |on: bool| on.then_some(1.0);
        self.state.limited.set(at, on(limited));
        self.state.fault.set(at, on(valid.is_none()));
        if let [limited_bit, fault_bit] = outputs.bits {
            for (bit, level) in [(limited_bit, limited), (fault_bit, valid.is_none())] {
                match bit.last_level() {
                    None => bit.start(at, level),
                    Some(before) if before != level => bit.toggles.push(at),
                    Some(_) => {}
                }
            }
        }
        let Some(given) = given else { return };
        self.state.given = Some(given);
        self.state.over_time.set(at, Some(given));
        let (least, most) = self.state.range.unwrap_or((given, given));
        self.state.range = Some((least.min(given), most.max(given)));
        outputs.readings.iter_mut().for_each(|column| show(column, at, given));
    }
}

impl Block for AnalogOutput {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        let Some(of) = inputs.reading(self.of) else { return };
        let fault = self.fault.map(|source| inputs.bit(source));
        let (mut faulty, mut value) = (fault.and_then(|bit| bit.level).unwrap_or(false), of.before);
        let first = fault.filter(|bit| bit.level == Some(true) && bit.since >= window.from).map(|bit| bit.since);
        let mut first = first.into_iter().peekable();
        let mut toggles = fault.map(|bit| bit.toggles.as_slice()).unwrap_or_default().iter().copied().peekable();
        let mut steps = of.times.iter().copied().zip(of.values.iter().copied()).peekable();
        while let Some(at) = [first.peek().copied(), toggles.peek().copied(), steps.peek().map(|(at, _)| *at)]
            .into_iter()
            .flatten()
            .min()
        {
            first.next_if_eq(&at);
            while toggles.next_if_eq(&at).is_some() {
                faulty = !faulty;
            }
            while let Some((_, step)) = steps.next_if(|(step, _)| *step == at) {
                value = Some(step);
            }
            self.instant(at, value, faulty, &mut outputs);
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
