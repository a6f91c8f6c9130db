//! `register`: a running count that comes as numbers, such as one that is polled.
//!
//! How far the count went from one sample to the next is told by the difference; where the register wraps, by the
//! difference around its end.

use crate::block::{Block, Inputs, NumberSource, Outputs, Shape, Stateful};
use crate::cast;
use crate::column::{CountColumn, ReadingColumn};
use crate::engine::MOST_SUM;
use crate::event::{EventKind, Happening};
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// What a register is.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// How many bits it has: 1 to 64; `None` where it never wraps.
    pub bits: Option<u32>,
    /// Whether it counts up and down, in two's complement.
    pub signed: bool,
    /// Whether a fall may be a restart of the device, from which it counts up from 0.
    pub restarts: bool,
    /// So many counts a second it makes at most: what is faster is no wrap.
    pub fastest: Option<f64>,
    /// What one count is, and its unit.
    pub scale: Option<(f64, String)>,
}

/// The columns: the count, its step at each sample, resets and wraps so far; the count in units where there is a scale.
pub fn shape(settings: &Settings) -> Shape {
    Shape { bits: 0, counts: 4, readings: usize::from(settings.scale.is_some()) }
}

/// Where a register reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Sources {
    /// The number, or the lower part of it.
    pub low: NumberSource,
    /// The upper part, and how many bits the lower one has.
    pub high: Option<(NumberSource, u32)>,
}

/// What a register did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct RegisterSummary {
    /// Counts since the first sample.
    pub count: Option<i64>,
    /// How many samples there were.
    pub samples: u64,
    /// How often the device began anew.
    pub resets: u64,
    /// How often the register went past its end.
    pub wraps: u64,
    /// The last step.
    pub delta: Option<i64>,
    /// The last sample as it came.
    pub raw: Option<i64>,
    /// The count in units.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub value: Option<f64>,
    /// The unit of that.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// Whether a wrap is told from a restart by its size alone.
    #[serde(skip)]
    pub told_by_size: bool,
    /// Samples that no register of these bits can show; they were left out.
    pub ignored: u64,
    /// The first of them.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub first_ignored: Option<f64>,
}

/// How a register went from one sample to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Went {
    /// So many counts up or down.
    Steps(i64),
    /// So many, past its end.
    Wrapped(i64),
    /// It began anew and has counted so far.
    Restarted(i64),
}

impl Settings {
    /// Two to the power of its bits; `None` where it never wraps.
    fn modulus(&self) -> Option<i128> {
        self.bits.map(|bits| 1i128 << bits)
    }

    /// The count that a sample shows; `None` where no register of these bits shows that.
    pub fn raw(&self, sample: f64) -> Option<i64> {
        const EXACT: f64 = 9_007_199_254_740_992.0; // 2^53: the whole numbers that a sample holds exactly.
        let raw = cast::i64_from_f64(sample);
        if raw as f64 != sample || sample.abs() > EXACT {
            return None;
        }
        // A register of more than 53 bits shows no more than a sample can hold.
        let bits = self.bits.filter(|bits| *bits < 62);
        let fits = bits.is_none_or(|bits| {
            let modulus = 1i64 << bits;
            let least = if self.signed { -modulus / 2 } else { 0 };
            (least..modulus).contains(&raw)
        });
        (fits && (self.signed || self.bits.is_none() || raw >= 0)).then_some(raw)
    }

    /// How it went from one sample to the next, so much later.
    #[inline]
    pub fn step(&self, before: i64, now: i64, later: Nanos) -> Went {
        // What rises is counted up, but where the shorter way round may be down.
        if now >= before && !self.signed {
            return Went::Steps(now - before);
        }
        self.step_around(before, now, later)
    }

    /// [`step`](Self::step) where the count fell, or may have gone either way.
    fn step_around(&self, before: i64, now: i64, later: Nanos) -> Went {
        let straight = i128::from(now) - i128::from(before);
        let can_be = |steps: i128| {
            // The first and the last count may have come just outside the time between the samples.
            self.fastest.is_none_or(|fastest| steps.unsigned_abs() as f64 <= fastest * later.seconds() + 1.0)
        };
        let around = match self.modulus() {
            // Signed or not, up and down: the shorter way round.
            Some(modulus) if self.signed => (straight + modulus / 2).rem_euclid(modulus) - modulus / 2,
            Some(modulus) => straight.rem_euclid(modulus),
            None => straight,
        };
        let likely = match self.modulus() {
            Some(modulus) if !self.signed && self.fastest.is_none() => around < modulus / 2,
            Some(_) => can_be(around),
            // Without bits a fall is no wrap: it counts down, or it began anew.
            None => false,
        };
        let fell = if self.signed && self.bits.is_some() { !can_be(around) } else { straight < 0 };
        if fell && self.restarts && !likely {
            return Went::Restarted(now);
        }
        let steps = i64::try_from(around).unwrap_or(if around < 0 { i64::MIN } else { i64::MAX });
        if around == straight { Went::Steps(steps) } else { Went::Wrapped(steps) }
    }
}

/// What a register keeps while the program is not at work, for the device counts on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Retained {
    /// The last sample.
    pub raw: i64,
    /// Counts since the first sample.
    pub count: i64,
    /// How often the device began anew.
    pub resets: i64,
    /// How often the register went past its end.
    pub wraps: i64,
    /// How long ago the last sample was.
    pub age_ns: u64,
}

/// The running form of a register.
pub struct Register {
    settings: Settings,
    sources: Sources,
    state: State,
    /// Samples of the two parts together.
    joined: ReadingColumn,
}

/// What a register must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    last: Option<(Nanos, i64)>,
    count: i64,
    delta: Option<i64>,
    samples: u64,
    resets: i64,
    wraps: i64,
    ignored: u64,
    first_ignored: Option<f64>,
    /// Resets and wraps before the counts were begun anew.
    earlier: (i64, i64),
    parts: (Option<f64>, Option<f64>),
    /// A new start of the count that the next window is to show.
    restart_at: Option<Nanos>,
    /// How long before the start the last sample was, until the first one comes.
    age: Option<Nanos>,
}

impl Register {
    /// A register in the samples of a line of numbers.
    pub fn new(settings: Settings, sources: Sources) -> Self {
        Self { settings, sources, state: State::default(), joined: ReadingColumn::default() }
    }

    /// What it keeps at a time, once there was a sample.
    pub fn retained(&self, until: Nanos) -> Option<Retained> {
        let State { last, count, resets, wraps, age, .. } = self.state;
        let (at, raw) = last?;
        let age_ns = (until.saturating_sub(at) + age.unwrap_or_default()).0;
        Some(Retained { raw, count, resets, wraps, age_ns })
    }

    /// Begins from what was kept; false where no register of these bits shows that.
    pub fn resume(&mut self, kept: Retained) -> bool {
        let Retained { raw, count, resets, wraps, age_ns } = kept;
        let is_sum = |sum: i64, least: i64| (least..=MOST_SUM).contains(&sum);
        if self.settings.raw(raw as f64) != Some(raw)
            || !(is_sum(count, -MOST_SUM) && is_sum(resets, 0) && is_sum(wraps, 0))
        {
            return false;
        }
        let earlier = (resets, wraps);
        let (last, age) = (Some((Nanos(0), raw)), Some(Nanos(age_ns)));
        self.state = State { last, count, resets, wraps, earlier, age, ..State::default() };
        true
    }

    /// What it did.
    pub fn summary(&self) -> RegisterSummary {
        let state = self.state;
        let count = state.last.map(|_| state.count);
        RegisterSummary {
            count,
            samples: state.samples,
            resets: cast::u64_from_i64(state.resets - state.earlier.0),
            wraps: cast::u64_from_i64(state.wraps - state.earlier.1),
            delta: state.delta,
            raw: state.last.map(|(_, raw)| raw),
            value: count.and_then(|count| Some(count as f64 * self.settings.scale.as_ref()?.0)),
            unit: self.settings.scale.as_ref().map(|(_, unit)| unit.clone()),
            told_by_size: self.settings.bits.is_some() && !self.settings.signed && self.settings.fastest.is_none(),
            ignored: state.ignored,
            first_ignored: state.first_ignored,
        }
    }

    #[inline]
    fn sample(&mut self, at: Nanos, sample: f64, outputs: &mut Outputs<'_>) {
        let Some(raw) = self.settings.raw(sample) else {
            self.state.ignored += 1;
            self.state.first_ignored.get_or_insert(sample);
            return;
        };
        let [count, delta, resets, wraps] = outputs.counts else { return };
        let state = &mut self.state;
        state.samples += 1;
        let Some((before_at, before)) = state.last.replace((at, raw)) else {
            count.push(at, 0);
            resets.push(at, 0);
            wraps.push(at, 0);
            outputs.readings.iter_mut().for_each(|value| value.push(at, 0.0));
            return;
        };
        // What it begins from holds until the first sample, which counts from there.
        let age = state.age.take();
        if age.is_some() {
            count.push(at, state.count);
            resets.push(at, state.resets);
            wraps.push(at, state.wraps);
            if let (Some((per_count, _)), [value]) = (&self.settings.scale, &mut *outputs.readings) {
                value.push(at, state.count as f64 * per_count);
            }
        }
        let steps = match self.settings.step(before, raw, at - before_at + age.unwrap_or_default()) {
            Went::Steps(steps) => steps,
            Went::Wrapped(steps) => {
                state.wraps += 1;
                wraps.set(at, state.wraps);
                steps
            }
            Went::Restarted(steps) => {
                state.resets += 1;
                resets.set(at, state.resets);
                steps
            }
        };
        state.delta = Some(steps);
        // At each sample, also where it is 0: the times of the samples are what a rate is worked from.
        delta.set(at, steps);
        if steps != 0 {
            state.count = state.count.saturating_add(steps);
            count.set(at, state.count);
            if let (Some((per_count, _)), [value]) = (&self.settings.scale, &mut *outputs.readings) {
                value.set(at, state.count as f64 * per_count);
            }
        }
    }

    /// The samples of both parts as one number, at each instant at which one of them comes and both are known.
    fn join(&mut self, low: &ReadingColumn, high: &ReadingColumn, low_bits: u32) {
        self.joined.times.clear();
        self.joined.values.clear();
        let (mut lows, mut highs) = (steps(low), steps(high));
        while let Some(at) = lows.peek().map(|(at, _)| *at).into_iter().chain(highs.peek().map(|(at, _)| *at)).min() {
            while let Some((_, value)) = lows.next_if(|(step, _)| *step == at) {
                self.state.parts.0 = Some(value);
            }
            while let Some((_, value)) = highs.next_if(|(step, _)| *step == at) {
                self.state.parts.1 = Some(value);
            }
            if let (Some(low), Some(high)) = self.state.parts {
                self.joined.set(at, high * libm::ldexp(1.0, cast::i32_from_u32(low_bits)) + low);
            }
        }
    }
}

fn steps(column: &ReadingColumn) -> std::iter::Peekable<impl Iterator<Item = (Nanos, f64)> + '_> {
    column.times.iter().copied().zip(column.values.iter().copied()).peekable()
}

impl Block for Register {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        if let (Some(at), Some(count)) = (self.state.restart_at.take(), outputs.counts.first_mut()) {
            count.set(at.max(window.from), 0);
            outputs.readings.iter_mut().for_each(|value| value.set(at.max(window.from), 0.0));
        }
        let Some(low) = inputs.reading(self.sources.low) else { return };
        let joined = match self.sources.high {
            None => None,
            Some((source, low_bits)) => {
                let Some(high) = inputs.reading(source) else { return };
                self.join(low, high, low_bits);
                Some(std::mem::take(&mut self.joined))
            }
        };
        let samples = joined.as_ref().unwrap_or(low);
        for (&at, &sample) in samples.times.iter().zip(&samples.values) {
            self.sample(at, sample, &mut outputs);
        }
        self.joined = joined.unwrap_or_default();
    }

    fn happenings(&mut self, counts: &[CountColumn], sink: &mut Vec<Happening>) {
        let Some(count) = counts.first() else { return };
        // The first sample is where the count begins, and no event.
        let first = usize::from(count.before.is_none());
        let steps = count.times.iter().zip(&count.values).skip(first);
        sink.extend(steps.map(|(&time, &value)| (time, EventKind::Value(value))));
    }

    fn start_counting(&mut self, from: Nanos) {
        let state = &mut self.state;
        (state.count, state.restart_at) = (0, state.last.map(|_| from));
        (state.samples, state.ignored, state.first_ignored) = (0, 0, None);
        state.earlier = (state.resets, state.wraps);
    }
}

impl Stateful for Register {
    type State = State;

    fn save(&self) -> State {
        self.state
    }

    fn restore(&mut self, state: State) {
        self.state = state;
    }
}
