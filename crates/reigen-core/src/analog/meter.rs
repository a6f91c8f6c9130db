//! `analog`: the block that makes a value of a recorded number.

use super::jumps::{Jumps, JumpsFound};
use super::smooth::{self, Smoother, Smoothing};
use crate::block::{Block, Inputs, NumberSource, Outputs, Shape, Stateful, without_state};
use crate::column::ReadingColumn;
use crate::number::over_time::OverTime;
use crate::tally::Tally;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The columns of an analog point: `.fault`; the value.
pub const SHAPE: Shape = Shape { bits: 1, counts: 0, readings: 1 };

/// From the recorded number to the quantity behind it, by straight lines.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Scaling {
    /// Full scale in counts, and what that is in volts.
    pub counts: Option<(f64, f64)>,
    /// What a volt at the terminal is before a divider or shunt in the wire.
    pub wire: Option<f64>,
    /// Two points of a line: from `[0]` and `[1]` to `[0]` and `[1]`.
    pub scale: Option<([f64; 2], [f64; 2])>,
}

impl Scaling {
    /// What the sensor gives: number · span / full at the terminal, and before the parts of the wire.
    #[inline]
    pub fn measured(&self, recorded: f64) -> f64 {
        let at_terminal = match self.counts {
            Some((full, span)) => recorded * span / full,
            None => recorded,
        };
        match self.wire {
            Some(gain) => at_terminal * gain,
            None => at_terminal,
        }
    }

    /// The value on the line through two points.
    #[inline]
    pub fn value(&self, recorded: f64) -> f64 {
        let measured = self.measured(recorded);
        match self.scale {
            Some(([from, until], [low, high])) => low + (measured - from) * (high - low) / (until - from),
            None => measured,
        }
    }
}

/// A number scaled, without more: the `raw` of a formula.
#[derive(Debug)]
pub struct Scaled {
    of: NumberSource,
    scaling: Scaling,
}

impl Scaled {
    /// A number line, scaled.
    pub fn new(of: NumberSource, scaling: Scaling) -> Self {
        Self { of, scaling }
    }
}

impl Block for Scaled {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([column], Some(of)) = (outputs.readings, inputs.reading(self.of)) else { return };
        column.times.extend_from_slice(&of.times);
        column.values.extend(of.values.iter().map(|&value| self.scaling.value(value)));
    }
}

without_state!(Scaled);

/// What an analog point is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// From the recorded number to the value, or to the `raw` of a formula.
    pub scaling: Scaling,
    /// The unit of the value.
    pub unit: String,
    /// The least and the most that is no fault, both included.
    pub valid: Option<[f64; 2]>,
    /// What it is smoothed over.
    pub smooth: Option<Smoothing>,
    /// Whether it is worked from points; else it is a line of the recording.
    pub computed: bool,
}

/// What a number that is worked from points did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct NumberSummary {
    /// The unit of the values.
    pub unit: String,
    /// The last value; `None` before the first.
    pub last: Option<f64>,
    /// The least value, faults left out.
    pub min: Option<f64>,
    /// Over time, faults left out.
    pub mean: Option<f64>,
    /// The greatest value, faults left out.
    pub max: Option<f64>,
    /// How long it was out of its range or had no result.
    #[serde(rename = "fault_ns")]
    pub fault: Nanos,
    /// How often it went into that, or began in it.
    pub faults: u64,
    /// When it first did.
    #[serde(rename = "first_fault_ns")]
    pub first_fault: Option<Nanos>,
    /// The value then; `None` where it had no result.
    pub first_fault_value: Option<f64>,
}

impl From<AnalogSummary> for NumberSummary {
    fn from(analog: AnalogSummary) -> Self {
        let AnalogSummary { unit, last, min, mean, max, fault, faults, first_fault, first_fault_value, .. } = analog;
        Self { unit, last, min, mean, max, fault, faults, first_fault, first_fault_value }
    }
}

/// What an analog point did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct AnalogSummary {
    /// The unit of the values.
    pub unit: String,
    /// The last value; `None` before the first.
    pub last: Option<f64>,
    /// Over time, faults left out.
    pub mean: Option<f64>,
    /// Over values, faults left out.
    pub min: Option<f64>,
    /// The same.
    pub max: Option<f64>,
    /// How long it was in fault.
    #[serde(rename = "fault_ns")]
    pub fault: Nanos,
    /// How often it went into fault, or began in it.
    pub faults: u64,
    /// When it first did.
    #[serde(rename = "first_fault_ns")]
    pub first_fault: Option<Nanos>,
    /// The value then; `None` where there was none.
    pub first_fault_value: Option<f64>,
    /// The last recorded number.
    pub recorded: Option<f64>,
    /// What that is at the terminal.
    pub measured: Option<f64>,
    /// Jumps beyond the noise.
    #[serde(skip)]
    pub jumps: Option<JumpsFound>,
    /// The valid range.
    #[serde(skip)]
    pub valid: Option<[f64; 2]>,
}

/// The least and the most of valid values and of two others, four values at a time.
fn range_of(values: &[f64], least: f64, most: f64) -> (f64, f64) {
    let lower = |one: f64, other: f64| if other < one { other } else { one };
    let higher = |one: f64, other: f64| if other > one { other } else { one };
    let (fours, rest) = values.as_chunks::<4>();
    let (mut low, mut high) = ([least; 4], [most; 4]);
    for four in fours {
        low = std::array::from_fn(|lane| lower(low[lane], four[lane]));
        high = std::array::from_fn(|lane| higher(high[lane], four[lane]));
    }
    let least = low.iter().chain(rest).copied().fold(least, lower);
    (least, high.iter().chain(rest).copied().fold(most, higher))
}

/// The running form of an analog point.
#[derive(Debug)]
pub struct Analog {
    settings: Settings,
    of: NumberSource,
    /// The recorded number, where `of` is what a formula made of it.
    recorded: Option<NumberSource>,
    smoother: Option<Smoother>,
    state: State,
    /// Room for the values of a window.
    room: Vec<f64>,
    /// Whether nobody reads each of its values: the last of a window will do.
    last_is_enough: bool,
}

/// What an analog point must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    /// Whether it is in fault, once it has begun.
    fault: Option<bool>,
    value: Option<f64>,
    last_recorded: Option<f64>,
    over_time: OverTime,
    range: Option<(f64, f64)>,
    faults: u64,
    first_fault: Option<(Nanos, Option<f64>)>,
    jumps: Jumps,
    until: Nanos,
    /// That of its smoothing; kept here only while it is saved.
    smoothing: Option<smooth::State>,
}

impl Analog {
    /// The value of a line; or of what a formula made of it, and then `recorded` is the line.
    pub fn new(settings: Settings, of: NumberSource, recorded: Option<NumberSource>) -> Self {
        let smoother = settings.smooth.map(Smoother::new);
        Self { settings, of, recorded, smoother, state: State::default(), room: Vec::new(), last_is_enough: false }
    }

    /// Whether it is worked from points.
    pub fn is_computed(&self) -> bool {
        self.settings.computed
    }

    /// What it did; `tally` is that of `.fault`.
    pub fn summary(&self, tally: Tally) -> AnalogSummary {
        let end = Nanos(self.state.until.0.saturating_sub(1));
        let span = self.state.range.map_or(0.0, |(least, most)| most - least);
        AnalogSummary {
            unit: self.settings.unit.clone(),
            last: self.state.value,
            mean: self.state.over_time.mean(end),
            min: self.state.range.map(|(least, _)| least),
            max: self.state.range.map(|(_, most)| most),
            fault: tally.on,
            faults: self.state.faults,
            first_fault: self.state.first_fault.map(|(at, _)| at),
            first_fault_value: self.state.first_fault.and_then(|(_, value)| value),
            recorded: self.state.last_recorded,
            measured: self.state.last_recorded.map(|recorded| self.settings.scaling.measured(recorded)),
            jumps: self.state.jumps.found(span),
            valid: self.settings.valid,
        }
    }

    /// Makes values of what is read in a window, and tells whether all of them are valid.
    fn scale(&mut self, read: &[f64]) -> bool {
        self.room.clear();
        match self.recorded {
            Some(_) => self.room.extend_from_slice(read),
            None => self.room.extend(read.iter().map(|&read| self.settings.scaling.value(read))),
        }
        let [low, high] = self.settings.valid.unwrap_or([f64::MIN, f64::MAX]);
        self.room.iter().fold(true, |valid, &value| valid & (value >= low) & (value <= high))
    }

    /// Takes a window without a fault in it: [`take`](Self::take) for each value, with less to ask.
    fn take_valid(&mut self, times: &[Nanos], values: &[f64], column: &mut ReadingColumn) {
        let (Some((&first, &first_value)), Some(&last)) = (times.iter().zip(values).next(), values.last()) else {
            return;
        };
        let (least, most) = self.state.range.unwrap_or((first_value, first_value));
        self.state.range = Some(range_of(values, least, most));
        let all_new = values.iter().zip(values.iter().skip(1)).fold(true, |new, (one, other)| new & (one != other));
        if all_new && self.state.value != Some(first_value) && self.last_is_enough {
            times.last().into_iter().for_each(|at| column.push(*at, last));
            self.state.value = Some(last);
        } else if all_new && self.state.value != Some(first_value) {
            column.times.extend_from_slice(times);
            column.values.extend_from_slice(values);
            self.state.value = Some(last);
        } else {
            times.iter().zip(values).for_each(|(&at, &value)| self.show(at, value, column));
        }
        self.state.over_time.set(first, Some(first_value));
        self.state.over_time.pass(times, values);
        self.state.jumps.take_all(times, values);
    }

    #[inline]
    fn show(&mut self, at: Nanos, value: f64, column: &mut ReadingColumn) {
        if self.state.value != Some(value) {
            column.push(at, value);
            self.state.value = Some(value);
        }
    }

    fn widen(&mut self, value: f64) {
        let (least, most) = self.state.range.unwrap_or((value, value));
        self.state.range = Some((least.min(value), most.max(value)));
    }

    #[inline]
    fn take(&mut self, at: Nanos, value: f64, column: &mut ReadingColumn) -> bool {
        let known = value.is_finite();
        let fault = !known || self.settings.valid.is_some_and(|[least, most]| value < least || value > most);
        if self.state.fault != Some(fault) && fault {
            self.state.faults += 1;
            self.state.first_fault.get_or_insert((at, known.then_some(value)));
        }
        if !fault {
            self.state.jumps.take(at, value);
        }
        match &mut self.smoother {
            Some(smoother) => {
                smoother.step(at, (!fault).then_some(value));
                self.state.over_time.set(at, self.state.value.filter(|_| !fault));
            }
            None => {
                if known {
                    self.show(at, value, column);
                }
                if !fault {
                    self.widen(value);
                }
                self.state.over_time.set(at, (!fault).then_some(value));
            }
        }
        fault
    }

    /// Means that are due at `now` or before it.
    fn smooth(&mut self, now: Nanos, column: &mut ReadingColumn) {
        while let Some((at, mean)) = self.smoother.as_mut().and_then(|smoother| smoother.due(now)) {
            let Some(mean) = mean else { continue };
            self.show(at, mean, column);
            if self.state.fault == Some(false) {
                self.widen(mean);
                self.state.over_time.set(at, Some(mean));
            }
        }
    }
}

impl Block for Analog {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([fault_bit], [column]) = (outputs.bits, outputs.readings) else { return };
        let Some(of) = inputs.reading(self.of) else { return };
        self.state.last_recorded = inputs.reading(self.recorded.unwrap_or(self.of)).and_then(ReadingColumn::last);
        let all_valid = self.scale(&of.values);
        let values = std::mem::take(&mut self.room);
        if all_valid && self.smoother.is_none() && self.state.fault == Some(false) {
            self.take_valid(&of.times, &values, column);
        } else {
            for (&at, &value) in of.times.iter().zip(&values) {
                self.smooth(at, column);
                let fault = self.take(at, value, column);
                match self.state.fault.replace(fault) {
                    None => fault_bit.start(at, fault),
                    Some(before) if before != fault => fault_bit.toggles.push(at),
                    Some(_) => {}
                }
            }
        }
        self.room = values;
        self.smooth(Nanos(window.until.0.saturating_sub(1)), column);
        self.state.until = window.until;
    }

    fn skim(&mut self, enough: u64) -> bool {
        self.last_is_enough = enough == 1;
        self.last_is_enough
    }

    fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        self.smoother.as_ref().map_or(0, |smoother| smoother.own_changes(length, quiet))
    }

    fn start_counting(&mut self, from: Nanos) {
        let value = self.state.over_time.value;
        self.state.over_time = OverTime::from(from, value);
        self.state.range = value.map(|value| (value, value));
        (self.state.faults, self.state.first_fault) = (u64::from(self.state.fault == Some(true)), None);
        if self.state.fault == Some(true) {
            self.state.first_fault = Some((from, self.state.value));
        }
    }

    fn next_due(&self) -> Option<Nanos> {
        self.smoother.as_ref().and_then(Smoother::next_due)
    }
}

impl Stateful for Analog {
    type State = State;

    fn save(&self) -> State {
        State { smoothing: self.smoother.as_ref().map(Smoother::save), ..self.state.clone() }
    }

    fn restore(&mut self, mut state: State) {
        if let (Some(smoother), Some(state)) = (&mut self.smoother, state.smoothing.take()) {
            smoother.restore(state);
        }
        self.state = state;
    }
}
