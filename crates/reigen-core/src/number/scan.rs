//! A number line as a controller sees it: once in a scan.

use crate::block::{Block, Inputs, NumberSource, Outputs, keeps_state};
use crate::condition::debounce::ReadingTimes;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The running form: the last sample up to a scan is that scan's; without a new one nothing is read anew.
pub struct NumberScan {
    of: NumberSource,
    times: ReadingTimes,
    state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    /// A sample, and the scan that reads it.
    waiting: Option<(Nanos, f64)>,
}

impl NumberScan {
    /// Reads a number line at these times.
    pub fn new(of: NumberSource, times: ReadingTimes) -> Self {
        Self { of, times, state: State::default() }
    }
}

impl Block for NumberScan {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let (Some(of), [column]) = (inputs.reading(self.of), outputs.readings) else { return };
        for (&at, &sample) in of.times.iter().zip(&of.values) {
            let scan = self.times.at_or_after(at);
            match self.state.waiting.replace((scan, sample)) {
                Some((earlier, value)) if earlier < scan => column.push(earlier, value),
                _ => {}
            }
        }
        if let Some((scan, sample)) = self.state.waiting.filter(|(scan, _)| *scan < window.until) {
            column.push(scan, sample);
            self.state.waiting = None;
        }
    }

    fn next_due(&self) -> Option<Nanos> {
        self.state.waiting.map(|(scan, _)| scan)
    }
}

keeps_state!(NumberScan, State);
