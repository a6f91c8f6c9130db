//! `pair`: the two sides of a changeover contact, and their fault.

use crate::column::BitColumn;
use crate::engine::{BitSource, Block, Inputs, Instants, Outputs, Shape};
use crate::summary::{PairSummary, PointSummary, Tally};
use crate::time::{Nanos, Window};

/// The columns of a pair: its state, and `.fault`.
pub const SHAPE: Shape = Shape { bits: 2, counts: 0, readings: 0 };

/// The running form of a pair. Both sides are on while actuated; while they disagree the state holds.
pub struct Pair {
    no: BitSource,
    nc: BitSource,
    within: Nanos,
    started: bool,
    /// When a disagreement becomes a fault.
    due: Option<Nanos>,
    faults: u64,
    first_fault: Option<Nanos>,
}

impl Pair {
    /// A pair of two sides that may disagree for `within`; the sources must have settled each instant.
    pub fn new(no: BitSource, nc: BitSource, within: Nanos) -> Self {
        Self { no, nc, within, started: false, due: None, faults: 0, first_fault: None }
    }

    fn fire_before(&mut self, time: Nanos, fault: &mut BitColumn) {
        if let Some(due) = self.due.filter(|due| *due < time) {
            fault.toggles.push(due);
            self.due = None;
            self.faults += 1;
            self.first_fault.get_or_insert(due);
        }
    }

    /// The sides stand so after an instant.
    fn instant(&mut self, time: Nanos, no: bool, nc: bool, state: &mut BitColumn, fault: &mut BitColumn) {
        if no != nc {
            let is_known = self.due.is_some() || fault.last_level() == Some(true);
            self.due = if is_known { self.due } else { Some(time + self.within) };
            return;
        }
        self.due = None;
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
        let Some(mut instants) = Instants::new(&inputs, [self.no, self.nc], self.started) else { return };
        while let Some(time) = instants.advance() {
            if self.started {
                // What is due in this instant waits for the sides' changes.
                self.fire_before(time, fault);
            } else {
                self.started = true;
                fault.start(time, false);
            }
            self.instant(time, instants.level(0), instants.level(1), state, fault);
        }
        self.fire_before(window.until, fault);
    }

    fn start_counting(&mut self, _from: Nanos) {
        (self.faults, self.first_fault) = (0, None);
    }

    fn summary(&self, tally: Tally) -> PointSummary {
        PointSummary::Pair(PairSummary { tally, faults: self.faults, first_fault: self.first_fault })
    }
}
