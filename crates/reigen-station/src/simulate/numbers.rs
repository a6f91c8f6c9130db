//! Numbers that devices give: a running count that is polled, a port logged as a number, a value that is set.

use super::scenario::{Port, Register, SetValue};
use super::shaft::{Motion, Passings};
use super::truth::{Actuation, At, Truth};
use super::{Change, Source, Value};
use reigen_core::time::Nanos;

/// A running count of marks on a shaft, read every so often.
pub(super) struct RegisterSource {
    settings: Register,
    passings: Passings,
    /// When the next mark passes.
    ahead: Option<u64>,
    sample: u64,
    /// All counts so far, and what the register shows of them.
    counted: u64,
    shown: u64,
    restarts: u64,
    /// At the first sample, and at the last.
    first: u64,
    last: u64,
    end: Nanos,
}

impl RegisterSource {
    pub(super) fn new(settings: &Register, motion: Motion, end: Nanos) -> Self {
        let marks = settings.pulses_per_rev;
        let angles = (0..marks).map(|mark| (mark as f64 + 0.5) / marks as f64).collect();
        let mut source = Self {
            settings: settings.clone(),
            passings: Passings::new(motion, angles),
            ahead: None,
            sample: 0,
            counted: 0,
            shown: settings.start,
            restarts: 0,
            first: 0,
            last: 0,
            end,
        };
        source.ahead = source.passings.next().map(|passing| passing.time);
        source.read(0);
        source.first = source.counted;
        source.last = source.counted;
        source
    }

    /// What the register shows at a time.
    fn read(&mut self, time: u64) -> f64 {
        loop {
            let restart = self.settings.restarts.first().copied().filter(|at| *at <= time);
            match (self.ahead.filter(|at| *at <= time), restart) {
                (Some(passing), restart) if restart.is_none_or(|restart| passing <= restart) => {
                    (self.counted, self.shown) = (self.counted + 1, self.shown + 1);
                    self.ahead = self.passings.next().map(|passing| passing.time);
                }
                (_, Some(_)) => {
                    (self.shown, self.restarts) = (0, self.restarts + 1);
                    self.settings.restarts.remove(0);
                }
                _ => break,
            }
        }
        let turn = 1u64 << self.settings.bits;
        (self.shown % turn) as f64
    }
}

impl Source for RegisterSource {
    fn lines(&self) -> Vec<(String, Value)> {
        let turn = 1u64 << self.settings.bits;
        vec![(self.settings.line.clone(), Value::Number((self.shown % turn) as f64))]
    }

    fn next(&mut self) -> Option<Change> {
        self.sample += 1;
        let time = self.sample.checked_mul(self.settings.every).filter(|time| *time <= self.end.0)?;
        let value = self.read(time);
        self.last = self.counted;
        Some(Change { time: Nanos(time), line: 0, value: Value::Number(value) })
    }

    fn truth(&self) -> Truth {
        Truth::Register {
            line: self.settings.line.clone(),
            counts: self.last - self.first,
            restarts: self.restarts,
            speed_rpm: self.passings.motion().speed.bends(self.end),
        }
    }
}

/// Switches on the bits of a port that is logged as a number.
pub(super) struct PortSource {
    settings: Port,
    /// When some bit changes, and the number from then on.
    changes: std::vec::IntoIter<(u64, u64)>,
    start: u64,
    end: Nanos,
}

impl PortSource {
    pub(super) fn new(settings: &Port, end: Nanos) -> Self {
        let on_at = |time: u64| -> u64 {
            let bits = settings.presses.iter().enumerate();
            let on = bits.filter(|(_, presses)| presses.iter().any(|(from, to)| (*from..*to).contains(&time)));
            on.map(|(bit, _)| 1u64 << bit).sum()
        };
        let ends = settings.presses.iter().flatten().flat_map(|(from, to)| [*from, *to]);
        let mut times: Vec<u64> = ends.filter(|time| *time <= end.0).collect();
        // A port that is polled shows a change at the next poll.
        times.iter_mut().for_each(|time| *time = time.div_ceil(settings.every).saturating_mul(settings.every));
        times.retain(|time| *time <= end.0);
        times.sort_unstable();
        times.dedup();
        let mut last = on_at(0);
        let start = last;
        let changes: Vec<(u64, u64)> = times
            .into_iter()
            .filter_map(|time| {
                let now = on_at(time);
                (std::mem::replace(&mut last, now) != now).then_some((time, now))
            })
            .collect();
        Self { settings: settings.clone(), changes: changes.into_iter(), start, end }
    }
}

impl Source for PortSource {
    fn lines(&self) -> Vec<(String, Value)> {
        vec![(self.settings.line.clone(), Value::Number(self.start as f64))]
    }

    fn next(&mut self) -> Option<Change> {
        let (time, number) = self.changes.next()?;
        Some(Change { time: Nanos(time), line: 0, value: Value::Number(number as f64) })
    }

    fn truth(&self) -> Truth {
        let of = |presses: &Vec<(u64, u64)>| -> Vec<Actuation> {
            let within = presses.iter().filter(|(from, _)| *from <= self.end.0);
            within.map(|&(from, to)| Actuation { on: Nanos(from), off: Nanos(to) }).collect()
        };
        let named = self.settings.points.iter().cloned().zip(self.settings.presses.iter().map(of));
        let lines = (0..self.settings.points.len()).map(|bit| format!("{}.{bit}", self.settings.line)).collect();
        Truth::Port { line: self.settings.line.clone(), bits: lines, points: named.collect() }
    }
}

/// A value that steps where somebody sets it.
pub(super) struct SetValueSource {
    settings: SetValue,
    step: usize,
    end: Nanos,
}

impl SetValueSource {
    pub(super) fn new(settings: &SetValue, end: Nanos) -> Self {
        Self { settings: settings.clone(), step: 0, end }
    }
}

impl Source for SetValueSource {
    fn lines(&self) -> Vec<(String, Value)> {
        vec![(self.settings.line.clone(), Value::Number(self.settings.from))]
    }

    fn next(&mut self) -> Option<Change> {
        let (time, value) = self.settings.steps.get(self.step).copied().filter(|(time, _)| *time <= self.end.0)?;
        self.step += 1;
        Some(Change { time: Nanos(time), line: 0, value: Value::Number(value) })
    }

    fn truth(&self) -> Truth {
        let steps = self.settings.steps.iter().filter(|(time, _)| *time <= self.end.0);
        // Two values at the time of a step: what it was, and what it is.
        let (mut values, mut before) = (vec![At { at: Nanos(0), value: self.settings.from }], self.settings.from);
        for &(time, value) in steps {
            values.extend([At { at: Nanos(time), value: before }, At { at: Nanos(time), value }]);
            before = value;
        }
        Truth::Analog { line: self.settings.line.clone(), values }
    }
}
