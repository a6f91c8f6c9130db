//! A rate of a running count that comes in samples: the counts between two samples over the time between them.

use crate::block::{Block, Inputs, NumberSource, Outputs, Shape, keeps_state};
use crate::spread::Spread;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The columns: whether the last reading is 0; the reading and its resolution.
pub const SHAPE: Shape = Shape { bits: 1, counts: 0, readings: 2 };

/// How a rate of samples is told.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// Between two readings.
    pub every: Nanos,
    /// From when on they are counted: the first scan.
    pub phase: Nanos,
    /// What one count a second is.
    pub per_hertz: f64,
    /// The unit of that.
    pub unit: String,
    /// The step of the times at which samples can be.
    pub tick: Nanos,
}

/// What a rate of samples told.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct SampleRateSummary {
    /// The unit of the readings.
    pub unit: String,
    /// The last reading.
    pub last: Option<f64>,
    /// How far it may be off, since counts are whole and samples have their time to a step.
    pub resolution: Option<f64>,
    /// Each reading once.
    pub mean: Option<f64>,
    /// The least reading.
    pub min: Option<f64>,
    /// The greatest.
    pub max: Option<f64>,
    /// How many there were.
    pub readings: u64,
    /// Whether the last reading is 0, or there is none.
    pub stopped: bool,
}

/// The running form.
///
/// At each multiple of `every`: the counts between the last sample that a reading was told of and the last sample up to now, over the
/// true time between the two. Nothing is told before two samples, so no first reading jumps.
pub struct SampleRate {
    settings: Settings,
    /// The count, and its steps, which tell the times of the samples.
    count: NumberSource,
    delta: NumberSource,
    state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    /// The last sample that a reading was told of, and the last one of all.
    told: Option<(Nanos, i64)>,
    last: Option<(Nanos, i64)>,
    readings: Spread,
    reading: Option<f64>,
    resolution: Option<f64>,
    started: bool,
}

impl SampleRate {
    /// A rate of the count of a register, with its steps.
    pub fn new(settings: Settings, count: NumberSource, delta: NumberSource) -> Self {
        Self { settings, count, delta, state: State::default() }
    }

    /// What it told.
    pub fn summary(&self) -> SampleRateSummary {
        let State { readings, reading, resolution, .. } = self.state;
        SampleRateSummary {
            unit: self.settings.unit.clone(),
            last: reading,
            resolution,
            mean: readings.mean(),
            min: readings.min(),
            max: readings.max(),
            readings: readings.count,
            stopped: reading.is_none_or(|reading| reading == 0.0),
        }
    }

    /// A reading that is due, where a sample has come since the last.
    fn tell(&mut self, at: Nanos, outputs: &mut Outputs<'_>) {
        let (Some((from, before)), Some((until, count))) = (self.state.told, self.state.last) else { return };
        if until == from {
            return;
        }
        let interval = (until - from).seconds();
        let hertz = (count - before) as f64 / interval;
        let reading = hertz * self.settings.per_hertz;
        let resolution = (1.0 + hertz.abs() * self.settings.tick.seconds()) / interval * self.settings.per_hertz;
        self.state.told = self.state.last;
        self.state.readings.take(reading, 1);
        self.state.reading = Some(reading);
        self.state.resolution = Some(resolution);
        if let ([stopped], [readings, resolutions]) = (&mut *outputs.bits, &mut *outputs.readings) {
            readings.change(at, reading);
            resolutions.change(at, resolution);
            stopped.set(at, reading == 0.0);
        }
    }

    /// The first multiple of `every` at or after a time.
    fn at_or_after(&self, time: Nanos) -> Nanos {
        let (every, since) = (self.settings.every.0, time.saturating_sub(self.settings.phase).0);
        self.settings.phase + Nanos(since.div_ceil(every).saturating_mul(every))
    }

    /// Tells what is due before a sample, or before the window's end.
    fn due_before(&mut self, time: Nanos, outputs: &mut Outputs<'_>) {
        // Only the first multiple after the last sample can have anything new to tell.
        let Some((sampled, _)) = self.state.last else { return };
        if self.state.told.is_some_and(|(told, _)| told == sampled) {
            return;
        }
        let due = self.at_or_after(sampled);
        if due < time {
            self.tell(due, outputs);
        }
    }
}

impl Block for SampleRate {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        let column = |source| match source {
            NumberSource::Count(number) => inputs.counts.get(number),
            _ => None,
        };
        let (Some(counts), Some(deltas)) = (column(self.count), column(self.delta)) else { return };
        if !self.state.started
            && let Some(first) = counts.times.first()
        {
            self.state.started = true;
            outputs.bits.iter_mut().for_each(|stopped| stopped.start(*first, true));
            (self.state.told, self.state.last) = (Some((*first, 0)), Some((*first, 0)));
        }
        for (&at, &delta) in deltas.times.iter().zip(&deltas.values) {
            self.due_before(at, &mut outputs);
            let count = self.state.last.map_or(0, |(_, count)| count);
            self.state.last = Some((at, count.saturating_add(delta)));
        }
        self.due_before(window.until, &mut outputs);
    }

    fn start_counting(&mut self, _from: Nanos) {
        self.state.readings = Spread::default();
    }

    fn next_due(&self) -> Option<Nanos> {
        let (sampled, _) = self.state.last.filter(|last| self.state.told != Some(*last))?;
        Some(self.at_or_after(sampled))
    }
}

keeps_state!(SampleRate, State);
