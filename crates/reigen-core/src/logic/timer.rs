//! `timer`: TON, TOF and TP of IEC 61131-3.

use crate::block::{BitSource, Block, Inputs, Outputs, Shape, keeps_state};
use crate::column::{BitColumn, ReadingColumn};
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// A kind of timer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimerKind {
    /// TON: on once the bit has been on for the time.
    OnDelay,
    /// TOF: off once the bit has been off for the time.
    OffDelay,
    /// TP: on for the time from a rising edge on, whatever the bit does meanwhile.
    Pulse,
}

/// The columns of a timer: the bit itself, whether its time runs, and `.elapsed` in seconds.
pub const SHAPE: Shape = Shape { bits: 2, counts: 0, readings: 1 };

/// The running form of a timer.
///
/// A change of the bit comes before what is due in the same instant, so a pulse exactly as long as the time gives nothing.
pub struct Timer {
    kind: TimerKind,
    time: Nanos,
    /// What `.elapsed` tells when the time is up.
    told: Nanos,
    of: BitSource,
    state: State,
}

/// What a timer must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    started: bool,
    input: bool,
    /// When the time is up.
    due: Option<Nanos>,
    /// What it begins from, where it has kept that.
    resumes: Option<Retained>,
}

/// What a timer keeps while the program is not at work: that time does not count.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Retained {
    /// Whether it was on.
    pub on: bool,
    /// Whether its bit was on.
    pub input: bool,
    /// How much of its time had passed, while that ran.
    pub elapsed_ns: Option<u64>,
}

impl Timer {
    /// A timer of a bit, whose source must have settled each instant.
    pub fn new(kind: TimerKind, time: Nanos, of: BitSource) -> Self {
        Self { kind, time, told: time, of, state: State::default() }
    }

    /// The same, where `.elapsed` tells another time when it is up: the time as set, where that ends at a scan.
    pub fn telling(self, told: Nanos) -> Self {
        Self { told, ..self }
    }

    /// What it keeps: it is this, up to a time.
    pub fn retained(&self, level: Option<bool>, until: Nanos) -> Retained {
        let State { started, input, due, resumes } = self.state;
        if !started {
            return resumes.unwrap_or_default();
        }
        let elapsed = due.map(|due| self.time.saturating_sub(due.saturating_sub(until)));
        Retained { on: level.unwrap_or_default(), input, elapsed_ns: elapsed.map(|elapsed| elapsed.0) }
    }

    /// Begins from what was kept.
    pub fn resume(&mut self, kept: Retained) {
        self.state.resumes = Some(kept);
    }

    fn show(&self, at: Nanos, on: bool, elapsed: Nanos, outputs: &mut TimerColumns<'_>) {
        if outputs.bit.last_level() != Some(on) {
            outputs.bit.toggles.push(at);
        }
        if outputs.elapsed.last() != Some(elapsed.seconds()) {
            outputs.elapsed.push(at, elapsed.seconds());
        }
    }

    /// Shows whether the time runs.
    fn show_running(&self, at: Nanos, outputs: &mut TimerColumns<'_>) {
        if outputs.running.last_level() != Some(self.state.due.is_some()) {
            outputs.running.toggles.push(at);
        }
    }

    fn start(&mut self, since: Nanos, input: bool, outputs: &mut TimerColumns<'_>) {
        self.state.started = true;
        self.state.input = input;
        if let Some(kept) = self.state.resumes {
            return self.go_on(kept, since, input, outputs);
        }
        outputs.bit.start(since, input && self.kind != TimerKind::OnDelay);
        outputs.elapsed.push(since, 0.0);
        // A bit that is on from the start counts from the start.
        if input && self.kind != TimerKind::OffDelay {
            self.state.due = Some(since + self.time);
        }
        outputs.running.start(since, self.state.due.is_some());
    }

    /// Begins from what was kept, with the bit as it is now.
    fn go_on(&mut self, kept: Retained, since: Nanos, input: bool, outputs: &mut TimerColumns<'_>) {
        let passed = Nanos(kept.elapsed_ns.unwrap_or_default()).min(self.time);
        // Where its time runs now, how much of it has passed; else what it is, and what has elapsed.
        let (runs, on, elapsed) = match (self.kind, input) {
            (TimerKind::OnDelay, true) if kept.on => (false, true, self.told),
            (TimerKind::OnDelay, true) => (true, false, passed),
            (TimerKind::OnDelay, false) => (false, false, Nanos(0)),
            (TimerKind::OffDelay, true) => (false, true, Nanos(0)),
            (TimerKind::OffDelay, false) if kept.on => (true, true, passed),
            (TimerKind::OffDelay, false) => (false, false, self.told),
            (TimerKind::Pulse, _) if kept.on => (true, true, passed),
            // What ended before is over; a bit that has come on since then starts one.
            (TimerKind::Pulse, true) if kept.input => (false, false, self.told),
            (TimerKind::Pulse, true) => (true, true, Nanos(0)),
            (TimerKind::Pulse, false) => (false, false, Nanos(0)),
        };
        self.state.due = runs.then(|| since + (self.time.saturating_sub(passed)));
        outputs.bit.start(since, on);
        outputs.elapsed.push(since, elapsed.seconds());
        outputs.running.start(since, runs);
    }

    /// The bit changes.
    fn edge(&mut self, at: Nanos, outputs: &mut TimerColumns<'_>) {
        self.state.input = !self.state.input;
        let nothing = Nanos(0);
        match (self.kind, self.state.input) {
            (TimerKind::OnDelay, true) => self.state.due = Some(at + self.time),
            (TimerKind::OnDelay, false) => {
                self.state.due = None;
                self.show(at, false, nothing, outputs);
            }
            (TimerKind::OffDelay, true) => {
                self.state.due = None;
                self.show(at, true, nothing, outputs);
            }
            (TimerKind::OffDelay, false) => self.state.due = Some(at + self.time),
            (TimerKind::Pulse, true) if self.state.due.is_none() => {
                self.state.due = Some(at + self.time);
                self.show(at, true, nothing, outputs);
            }
            // What is elapsed stands until the bit is off.
            (TimerKind::Pulse, false) if self.state.due.is_none() => self.show(at, false, nothing, outputs),
            (TimerKind::Pulse, _) => {}
        }
        self.show_running(at, outputs);
    }

    /// The time is up.
    fn fire(&mut self, at: Nanos, outputs: &mut TimerColumns<'_>) {
        self.state.due = None;
        let elapsed = if self.kind == TimerKind::Pulse && !self.state.input { Nanos(0) } else { self.told };
        self.show(at, self.kind == TimerKind::OnDelay, elapsed, outputs);
        self.show_running(at, outputs);
    }
}

struct TimerColumns<'a> {
    bit: &'a mut BitColumn,
    running: &'a mut BitColumn,
    elapsed: &'a mut ReadingColumn,
}

impl Block for Timer {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([bit, running], [elapsed]) = (outputs.bits, outputs.readings) else { return };
        let mut outputs = TimerColumns { bit, running, elapsed };
        let of = inputs.bit(self.of);
        let Some(level) = of.level else { return };
        if !self.state.started {
            self.start(of.since, level, &mut outputs);
        }
        for &edge in &of.toggles {
            if let Some(due) = self.state.due.filter(|due| *due < edge) {
                self.fire(due, &mut outputs);
            }
            self.edge(edge, &mut outputs);
        }
        if let Some(due) = self.state.due.filter(|due| *due < window.until) {
            self.fire(due, &mut outputs);
        }
    }

    fn next_due(&self) -> Option<Nanos> {
        self.state.due
    }
}

keeps_state!(Timer, State);
