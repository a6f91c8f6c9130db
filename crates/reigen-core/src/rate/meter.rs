//! `rate`: the block that measures how fast the edges of a bit come.

use super::auto::Auto;
use super::gate::Gate;
use super::judgement::{self, Judgement};
use super::period::Period;
use super::readings::{By, Made, Reading, Shown, Sink, Spread};
use super::unit::Unit;
use super::wheel::{Wheel, WheelSummary};
use crate::engine::{BitSource, Block, Inputs, Outputs, Shape};
use crate::summary::{PointSummary, Tally};
use crate::time::{Nanos, Window};
use serde::Serialize;

/// How a rate is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Method {
    /// Edges counted in windows of a length.
    Gate {
        /// The length.
        window: Nanos,
    },
    /// The time of so many intervals, at each edge.
    Period {
        /// How many.
        average: u32,
    },
    /// Reciprocal counting at a constant step.
    Auto {
        /// The step.
        every: Nanos,
    },
}

impl Method {
    /// Its word in the station file.
    pub fn word(self) -> &'static str {
        match self {
            Method::Gate { .. } => "gate",
            Method::Period { .. } => "period",
            Method::Auto { .. } => "auto",
        }
    }
}

/// What a rate is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// How it is measured.
    pub method: Method,
    /// From when on it counts as stopped.
    pub zero_after: Option<Nanos>,
    /// Its unit.
    pub unit: Unit,
    /// Pulses in one revolution.
    pub pulses_per_rev: Option<f64>,
}

/// The columns of a rate: `.stopped`; the value and `.resolution`.
pub const SHAPE: Shape = Shape { bits: 1, counts: 0, readings: 2 };

/// What a rate did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct RateSummary {
    /// The unit of all values.
    pub unit: String,
    /// How many readings there were.
    pub readings: u64,
    /// The last one; `None` without any.
    pub last: Option<f64>,
    /// Over all readings, each once.
    pub mean: Option<f64>,
    /// The least.
    pub min: Option<f64>,
    /// The most.
    pub max: Option<f64>,
    /// What one count or one tick more would change in the last reading; `None` for 0.
    pub resolution: Option<f64>,
    /// Whether the last reading is 0, or there is none.
    pub stopped: bool,
    /// How it is measured.
    pub method: &'static str,
    /// Over the speeds that occurred.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub judgement: Option<Judgement>,
    /// Of the wheel that gives the edges.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wheel: Option<WheelSummary>,
    /// Times at which it stood at 0 though the edges went on.
    pub early_stops: u64,
    /// When a reading becomes 0.
    #[serde(skip)]
    pub zero_after: Option<Nanos>,
    /// What the last reading was made of.
    #[serde(skip)]
    pub made: Option<Made>,
    /// What one hertz is worth.
    #[serde(skip)]
    pub per_hertz: f64,
}

#[derive(Debug)]
enum Meter {
    Gate(Gate),
    Period(Period),
    Auto(Auto),
}

/// What the readings come to.
#[derive(Debug, Default)]
struct Sums {
    spread: Spread,
    last: Option<Reading>,
    /// The slowest and the fastest reading that is not 0.
    range: Option<(Reading, Reading)>,
    early_stops: u64,
    /// The last edge before a stop, until the next interval comes.
    stopped_since: Option<Nanos>,
}

/// The running form of a rate.
#[derive(Debug)]
pub struct Rate {
    settings: Settings,
    of: BitSource,
    meter: Meter,
    tick: Nanos,
    started: bool,
    sums: Sums,
    wheel: Option<Wheel>,
}

/// Wheels of more marks than these are not looked at mark by mark.
const MOST_MARKS: f64 = 512.0;

impl Rate {
    /// A rate of the rising edges of a bit; `tick` is the step of their times.
    pub fn new(settings: Settings, of: BitSource, tick: Nanos) -> Self {
        let meter = match settings.method {
            Method::Gate { window } => Meter::Gate(Gate::new(window)),
            Method::Period { average } => Meter::Period(Period::new(average as usize, settings.zero_after, tick)),
            Method::Auto { every } => Meter::Auto(Auto::new(every, settings.zero_after, tick)),
        };
        let marks = settings.pulses_per_rev.filter(|marks| marks.fract() == 0.0 && (2.0..=MOST_MARKS).contains(marks));
        let wheel = marks.map(|marks| Wheel::new(marks as usize));
        Self { settings, of, meter, tick, started: false, sums: Sums::default(), wheel }
    }
}

struct Taking<'a> {
    shown: Shown<'a>,
    sums: &'a mut Sums,
    per_hertz: f64,
    zero_after: Option<Nanos>,
}

impl Taking<'_> {
    /// Looks whether the edges after a stop came so soon that it was none.
    fn look_at_stop(&mut self, made: Made) {
        match made.by {
            By::Stopped => self.sums.stopped_since = Some(made.from),
            By::Timed => {
                let idle = self.sums.stopped_since.take().map(|since| made.from.saturating_sub(since));
                let early = idle.zip(self.zero_after).is_some_and(|(idle, zero)| idle.0 < zero.0.saturating_mul(2));
                self.sums.early_stops += u64::from(early);
            }
            By::Counted | By::Fallen => {}
        }
    }
}

impl Sink for Taking<'_> {
    #[inline]
    fn reading(&mut self, reading: Reading) {
        let value = reading.hertz * self.per_hertz;
        self.shown.show(reading.made.at, value, reading.resolution_hertz * self.per_hertz);
        self.sums.spread.take(value, 1);
        self.sums.last = Some(reading);
        if self.zero_after.is_some() {
            self.look_at_stop(reading.made);
        }
        if reading.hertz > 0.0 {
            let (slowest, fastest) = self.sums.range.get_or_insert((reading, reading));
            if reading.hertz < slowest.hertz {
                *slowest = reading;
            }
            if reading.hertz > fastest.hertz {
                *fastest = reading;
            }
        }
    }

    fn repeat(&mut self, times: u64) {
        if let Some(last) = self.sums.last {
            self.sums.spread.take(last.hertz * self.per_hertz, times);
        }
    }
}

impl Block for Rate {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([stopped], [value, resolution]) = (outputs.bits, outputs.readings) else { return };
        let of = inputs.bit(self.of);
        if of.level.is_none() {
            return;
        }
        if !self.started {
            self.started = true;
            stopped.start(of.since, true);
            if let Meter::Gate(gate) = &mut self.meter {
                gate.start(of.since);
            }
        }
        let Self { meter, sums, settings, wheel, .. } = self;
        let shown = Shown { value, resolution, stopped };
        let mut taking = Taking { shown, sums, per_hertz: settings.unit.per_hertz, zero_after: settings.zero_after };
        let last = Nanos(window.until.0.saturating_sub(1));
        match meter {
            Meter::Gate(gate) => {
                of.rising().for_each(|edge| gate.edge(edge, &mut taking));
                gate.pass(last, &mut taking);
            }
            Meter::Period(period) => {
                of.rising().for_each(|edge| period.edge(edge, &mut taking));
                period.pass(window.until, &mut taking);
            }
            Meter::Auto(auto) => {
                of.rising().for_each(|edge| auto.edge(edge, 1, &mut taking));
                auto.pass(window.until, &mut taking);
            }
        }
        if let Some(wheel) = wheel {
            of.rising().for_each(|edge| wheel.edge(edge));
        }
    }

    fn start_counting(&mut self, _from: Nanos) {
        let last = self.sums.last;
        self.sums = Sums { last, ..Sums::default() };
    }

    fn summary(&self, _tally: Tally) -> PointSummary {
        let Self { settings, sums, .. } = self;
        // A reading from before the counts began is none of theirs.
        let last = sums.last.filter(|_| sums.spread.count > 0);
        let in_units = |hertz: f64| hertz * settings.unit.per_hertz;
        let judgement = sums.range.map(|(slowest, fastest)| judgement::of(settings, slowest, fastest, self.tick));
        PointSummary::Rate(Box::new(RateSummary {
            unit: settings.unit.name.clone(),
            readings: sums.spread.count,
            last: last.map(|last| in_units(last.hertz)),
            mean: sums.spread.mean(),
            min: sums.spread.min(),
            max: sums.spread.max(),
            resolution: last.filter(|last| last.hertz != 0.0).map(|last| in_units(last.resolution_hertz)),
            stopped: last.is_none_or(|last| last.hertz == 0.0),
            method: settings.method.word(),
            judgement,
            wheel: self.wheel.as_ref().and_then(Wheel::summary),
            early_stops: sums.early_stops,
            zero_after: settings.zero_after,
            made: sums.last.map(|last| last.made),
            per_hertz: settings.unit.per_hertz,
        }))
    }
}
