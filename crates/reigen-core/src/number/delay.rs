//! `delay`: how long it takes from one point to another.

use super::distribution::{Bar, Distribution};
use crate::block::{BitSource, Block, Inputs, Instants, Outputs, Shape, keeps_state};
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The columns: whether an answer is awaited; the last delay in seconds.
pub const SHAPE: Shape = Shape { bits: 1, counts: 0, readings: 1 };

/// The delays from one point to another.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct DelaySummary {
    /// How many.
    pub count: u64,
    /// A `from` that another followed before any `to`.
    pub missed: u64,
    /// A `from` whose `to` had not come by the end.
    pub pending: u64,
    /// The last.
    #[serde(rename = "last_ns")]
    pub last: Option<Nanos>,
    /// The shortest.
    #[serde(rename = "min_ns")]
    pub min: Option<Nanos>,
    /// The mean.
    #[serde(rename = "mean_ns")]
    pub mean: Option<Nanos>,
    /// The longest.
    #[serde(rename = "max_ns")]
    pub max: Option<Nanos>,
    /// 99 of 100 are not longer, by nearest rank.
    #[serde(rename = "p99_ns")]
    pub p99: Option<Nanos>,
    /// How often they were how long.
    pub histogram: Vec<Bar>,
}

/// The numbers of the bits among the instants.
const FROM: usize = 0;
const TO: usize = 1;

/// The running form: each rising edge of `to` answers the rising edge of `from` that waits.
pub struct Delay {
    from: BitSource,
    to: BitSource,
    state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    started: bool,
    waiting: Option<Nanos>,
    last: Option<Nanos>,
    delays: Distribution,
    missed: u64,
}

impl Delay {
    /// From the rising edges of one bit to those of another.
    pub fn new(from: BitSource, to: BitSource) -> Self {
        Self { from, to, state: State::default() }
    }

    /// The delays.
    pub fn summary(&self) -> DelaySummary {
        let State { waiting, last, delays, missed, .. } = &self.state;
        DelaySummary {
            count: delays.count(),
            missed: *missed,
            pending: u64::from(waiting.is_some()),
            last: *last,
            min: delays.range().map(|(least, _)| least),
            mean: delays.mean(),
            max: delays.range().map(|(_, most)| most),
            p99: delays.percentile(99),
            histogram: delays.histogram(),
        }
    }

    fn answer(&mut self, at: Nanos, outputs: &mut Outputs<'_>) {
        let Some(since) = self.state.waiting.take() else { return };
        let delay = at - since;
        self.state.delays.take(delay);
        self.state.last = Some(delay);
        outputs.readings.iter_mut().for_each(|column| column.change(at, delay.seconds()));
    }

    fn ask(&mut self, at: Nanos) {
        self.state.missed += u64::from(self.state.waiting.replace(at).is_some());
    }

    /// In one instant a waiting edge is answered first; an edge that nothing waits for answers the new one.
    fn instant(&mut self, at: Nanos, asks: bool, answers: bool, outputs: &mut Outputs<'_>) {
        let waited = self.state.waiting.is_some();
        if answers && waited {
            self.answer(at, outputs);
        }
        if asks {
            self.ask(at);
        }
        if answers && !waited {
            self.answer(at, outputs);
        }
    }
}

impl Block for Delay {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        let instants = Instants::new(&inputs, [self.from, self.to], self.state.started);
        let Some(mut instants) = instants else { return };
        while let Some(at) = instants.advance() {
            self.state.started = true;
            (0..instants.rises(FROM).max(instants.rises(TO))).for_each(|rise| {
                self.instant(at, rise < instants.rises(FROM), rise < instants.rises(TO), &mut outputs);
            });
            outputs.bits.iter_mut().for_each(|bit| bit.set(at, self.state.waiting.is_some()));
        }
    }

    fn start_counting(&mut self, _from: Nanos) {
        (self.state.delays, self.state.missed) = (Distribution::default(), 0);
    }
}

keeps_state!(Delay, State);
