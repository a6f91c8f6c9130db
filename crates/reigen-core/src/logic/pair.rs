//! `pair`: the two sides of a changeover contact, and their fault.

use crate::block::{BitSource, Block, Inputs, Instants, Outputs, Shape, keeps_state};
use crate::column::BitColumn;
use crate::tally::Tally;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The columns of a pair: its state, and `.fault`.
pub const SHAPE: Shape = Shape { bits: 2, counts: 0, readings: 0 };

/// What a pair did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PairSummary {
    /// Its state.
    #[serde(skip)]
    pub tally: Tally,
    /// How often its sides disagreed for too long.
    pub faults: u64,
    /// When they first did.
    #[serde(rename = "first_fault_ns")]
    pub first_fault: Option<Nanos>,
}

/// The running form of a pair. Both sides are on while actuated; while they disagree the state holds.
pub struct Pair {
    no: BitSource,
    nc: BitSource,
    within: Nanos,
    state: State,
}

/// What a pair must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    started: bool,
    /// When a disagreement becomes a fault.
    due: Option<Nanos>,
    faults: u64,
    first_fault: Option<Nanos>,
}

impl Pair {
    /// A pair of two sides that may disagree for `within`; the sources must have settled each instant.
    pub fn new(no: BitSource, nc: BitSource, within: Nanos) -> Self {
        Self { no, nc, within, state: State::default() }
    }

    /// What it did.
    pub fn summary(&self, tally: Tally) -> PairSummary {
        PairSummary { tally, faults: self.state.faults, first_fault: self.state.first_fault }
    }

    fn fire_before(&mut self, time: Nanos, fault: &mut BitColumn) {
        if let Some(due) = self.state.due.filter(|due| *due < time) {
            fault.toggles.push(due);
            self.state.due = None;
            self.state.faults += 1;
            self.state.first_fault.get_or_insert(due);
        }
    }

    /// The sides stand so after an instant.
    fn instant(&mut self, time: Nanos, no: bool, nc: bool, state: &mut BitColumn, fault: &mut BitColumn) {
        if no != nc {
            let is_known = self.state.due.is_some() || fault.last_level() == Some(true);
            self.state.due = if is_known { self.state.due } else { Some(time + self.within) };
            return;
        }
        self.state.due = None;
        if fault.last_level() == Some(true) {
            fault.toggles.push(time);
        }
        match state.last_level() {
            None => state.start(time, no),
            Some(on) if on != no => state.toggles.push(time),
            Some(_) => {}
        }
    }
}

impl Block for Pair {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [state, fault] = outputs.bits else { return };
        let Some(mut instants) = Instants::new(&inputs, [self.no, self.nc], self.state.started) else { return };
        while let Some(time) = instants.advance() {
            if self.state.started {
                // What is due in this instant waits for the sides' changes.
                self.fire_before(time, fault);
            } else {
                self.state.started = true;
                fault.start(time, false);
            }
            self.instant(time, instants.level(0), instants.level(1), state, fault);
        }
        self.fire_before(window.until, fault);
    }

    fn start_counting(&mut self, _from: Nanos) {
        (self.state.faults, self.state.first_fault) = (0, None);
    }

    fn next_due(&self) -> Option<Nanos> {
        self.state.due
    }
}

keeps_state!(Pair, State);
