//! `rate`: the block that measures how fast the edges of a bit come.

use super::auto::{self, Auto};
use super::gate::{self, Gate};
use super::judgement::{self, Judgement};
use super::lone::LoneEdges;
use super::marks::{self, Gap};
use super::period::{self, Period};
use super::readings::{Basis, BasisKind, RateColumns, Reading, Sink};
use super::settings::{Method, Settings};
use super::steady::{self, Steady, SteadySummary};
use super::wheel::{self, Wheel, WheelSummary};
use crate::block::{BitSource, Block, Inputs, Outputs, Stateful};
use crate::cast;
use crate::column::BitColumn;
use crate::spread::Spread;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// What a rate did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct RateSummary {
    /// The unit of all values.
    pub unit: String,
    /// How many readings there were.
    pub readings: u64,
    /// The last one; `None` without any.
    pub last: Option<f64>,
    /// Counts over time, from the first interval on; standstills within it count.
    pub mean: Option<f64>,
    /// The least.
    pub min: Option<f64>,
    /// The most.
    pub max: Option<f64>,
    /// What one count or one step of time more would change in the last reading; `None` for a bound, and for a timed 0.
    pub resolution: Option<f64>,
    /// Whether the last reading only says that it cannot be faster: no edge came.
    pub bound: bool,
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
    /// The longest run of edges that each came after the rate was read as stopped.
    pub lone_edges: u64,
    /// How steady it was, where that is asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub steady: Option<SteadySummary>,
    /// When a reading becomes 0.
    #[serde(skip)]
    pub zero_after: Option<Nanos>,
    /// What the last reading was made of.
    #[serde(skip)]
    pub made: Option<Basis>,
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
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
struct Sums {
    spread: Spread,
    last: Option<Reading>,
    /// The slowest and the fastest reading that is not 0.
    range: Option<(Reading, Reading)>,
    early_stops: u64,
    /// The last edge before a stop, until the next interval comes.
    stopped_since: Option<Nanos>,
    /// Edges, and the time that they took: from when, up to when.
    counted: i64,
    from: Option<Nanos>,
    until: Nanos,
    lone: LoneEdges,
}

impl Sums {
    /// An edge that is timed, so many places after the one before.
    #[inline]
    fn edge(&mut self, at: Nanos, places: i64) {
        match self.from {
            None => self.from = Some(at),
            Some(_) => self.counted += places,
        }
        self.until = at;
    }

    /// What a reading was made of: counted edges, or a standstill.
    fn take(&mut self, made: Basis) {
        match made.by {
            BasisKind::Counted => {
                self.from.get_or_insert(made.from);
                self.counted += made.edges;
                self.until = made.until;
            }
            BasisKind::Stopped => self.until = made.until,
            BasisKind::Timed | BasisKind::Fallen => {}
        }
    }

    fn mean_hertz(&self) -> Option<f64> {
        let time = self.until.saturating_sub(self.from?).seconds();
        (time > 0.0).then(|| self.counted as f64 / time)
    }
}

/// The running form of a rate.
#[derive(Debug)]
pub struct Rate {
    settings: Settings,
    of: BitSource,
    meter: Meter,
    tick: Nanos,
    wheel: Option<Wheel>,
    gap: Option<Gap>,
    steady: Option<Steady>,
    started: bool,
    sums: Sums,
}

/// What a rate must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    started: bool,
    sums: Sums,
    meter: MeterState,
    wheel: Option<wheel::State>,
    gap: Option<marks::State>,
    steady: Option<steady::State>,
}

/// What its method must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
enum MeterState {
    Gate(gate::State),
    Period(period::State),
    Auto(auto::State),
}

/// Wheels of more marks than these are not looked at mark by mark.
const MOST_MARKS: f64 = 512.0;

impl Rate {
    /// A rate of the rising edges of a bit; `tick` is the step of their times.
    pub fn new(settings: Settings, of: BitSource, tick: Nanos) -> Self {
        let meter = match settings.method {
            Method::Gate { window } => Meter::Gate(Gate::new(window).counting_from(settings.steps_from)),
            Method::Period { average } => Meter::Period(Period::new(average as usize, settings.zero_after, tick)),
            Method::Auto { every } => {
                Meter::Auto(Auto::new(every, settings.zero_after, tick).counting_from(settings.steps_from))
            }
        };
        let marks = settings.pulses_per_rev.filter(|marks| marks.fract() == 0.0 && (2.0..=MOST_MARKS).contains(marks));
        let wheel = marks.map(|marks| Wheel::new(cast::usize_from_f64(marks)));
        let gap = settings.marks.map(Gap::new);
        let steady = settings.steady.map(Steady::new);
        Self { settings, of, meter, tick, wheel, gap, steady, started: false, sums: Sums::default() }
    }
}

impl Rate {
    /// What it did.
    pub fn summary(&self) -> RateSummary {
        let Self { settings, sums, .. } = self;
        // A reading from before the counts began is none of theirs.
        let last = sums.last.filter(|_| sums.spread.count > 0);
        let in_units = |hertz: f64| hertz * settings.unit.per_hertz;
        let judgement = sums.range.map(|(slowest, fastest)| judgement::of(settings, slowest, fastest, self.step()));
        RateSummary {
            unit: settings.unit.name.clone(),
            readings: sums.spread.count,
            last: last.map(|last| in_units(last.hertz)),
            mean: sums.mean_hertz().filter(|_| sums.spread.count > 0).map(in_units),
            min: sums.spread.min(),
            max: sums.spread.max(),
            resolution: last.and_then(|last| last.resolution()).map(in_units),
            bound: last.is_some_and(|last| last.made.by == BasisKind::Fallen),
            stopped: last.is_none_or(|last| last.hertz == 0.0),
            method: settings.method.word(),
            judgement,
            wheel: self.wheel.as_ref().and_then(Wheel::summary),
            early_stops: sums.early_stops,
            lone_edges: sums.lone.most(),
            steady: self.steady.as_ref().map(Steady::summary),
            zero_after: settings.zero_after,
            made: sums.last.map(|last| last.made),
            per_hertz: settings.unit.per_hertz,
        }
    }

    /// The step of the edges' times, as it was learned.
    fn step(&self) -> Nanos {
        match &self.meter {
            Meter::Gate(_) => self.tick,
            Meter::Period(period) => period.learned(),
            Meter::Auto(auto) => auto.step(),
        }
    }
}

struct ReadingSink<'a> {
    shown: RateColumns<'a>,
    sums: &'a mut Sums,
    steady: Option<&'a mut Steady>,
    per_hertz: f64,
    zero_after: Option<Nanos>,
}

impl ReadingSink<'_> {
    /// Looks whether the edges after a stop came so soon that it was none.
    fn look_at_stop(&mut self, made: Basis) {
        match made.by {
            BasisKind::Stopped => self.sums.stopped_since = Some(made.from),
            BasisKind::Timed => {
                let idle = self.sums.stopped_since.take().map(|since| made.from.saturating_sub(since));
                let early = idle.zip(self.zero_after).is_some_and(|(idle, zero)| idle.0 < zero.0.saturating_mul(2));
                self.sums.early_stops += u64::from(early);
            }
            BasisKind::Counted | BasisKind::Fallen => {}
        }
    }
}

impl Sink for ReadingSink<'_> {
    #[inline]
    fn reading(&mut self, reading: Reading) {
        let value = reading.hertz * self.per_hertz;
        let resolution = reading.resolution().map(|resolution| resolution * self.per_hertz);
        self.shown.show(reading.made.at, value, resolution);
        self.sums.take(reading.made);
        self.sums.spread.take(value, 1);
        self.sums.last = Some(reading);
        if let Some(steady) = &mut self.steady {
            steady.take(reading.made.at, value, resolution);
        }
        if self.zero_after.is_some() {
            self.look_at_stop(reading.made);
        }
        if reading.hertz > 0.0 && reading.made.by != BasisKind::Fallen {
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
            if let Some(steady) = &mut self.steady {
                let resolution = last.resolution().map(|resolution| resolution * self.per_hertz);
                steady.repeat(last.made.at, last.hertz * self.per_hertz, resolution, times);
            }
        }
    }
}

impl Rate {
    /// Works the toggles of a window: rising edges count, and all tell the step of the times.
    fn work_edges(&mut self, of: &BitColumn, shown: RateColumns<'_>, revolution: Option<&mut BitColumn>) {
        let Self { meter, sums, settings, wheel, gap, steady, .. } = self;
        let zero_after = settings.zero_after;
        let mut revolution = revolution;
        let per_hertz = settings.unit.per_hertz;
        let mut taking = ReadingSink { shown, sums, steady: steady.as_mut(), per_hertz, zero_after };
        let mut rising = of.level == Some(true);
        for &edge in &of.toggles {
            rising = !rising;
            if !rising {
                meter.other_edge(edge, &mut taking);
                continue;
            }
            let places = gap.as_mut().map_or(1, |gap| gap.edge(edge));
            if let Some(revolution) = &mut revolution
                && revolution.last_level() != Some(places > 1)
            {
                revolution.toggles.push(edge);
            }
            meter.edge(edge, places, &mut taking);
            if !matches!(meter, Meter::Gate(_)) {
                taking.sums.edge(edge, places);
            }
            if let Some(zero_after) = zero_after {
                taking.sums.lone.edge(edge, zero_after);
            }
            if let Some(wheel) = wheel {
                wheel.places(edge, cast::usize_from_i64(places));
            }
        }
    }
}

impl Meter {
    #[inline]
    fn edge(&mut self, edge: Nanos, places: i64, sink: &mut impl Sink) {
        match self {
            Meter::Gate(gate) => gate.edge(edge, places, sink),
            Meter::Period(period) => period.edge(edge, places, sink),
            Meter::Auto(auto) => auto.edge(edge, places, sink),
        }
    }

    /// An edge that does not count.
    #[inline]
    fn other_edge(&mut self, edge: Nanos, sink: &mut impl Sink) {
        match self {
            Meter::Gate(_) => {}
            Meter::Period(period) => period.other_edge(edge),
            Meter::Auto(auto) if auto.knows_step() => {}
            Meter::Auto(auto) => auto.other_edge(edge, sink),
        }
    }

    fn next_due(&self) -> Option<Nanos> {
        match self {
            Meter::Gate(gate) => gate.next_due(),
            Meter::Period(period) => period.next_due(),
            Meter::Auto(auto) => auto.next_due(),
        }
    }

    fn save(&self) -> MeterState {
        match self {
            Meter::Gate(gate) => MeterState::Gate(gate.save()),
            Meter::Period(period) => MeterState::Period(period.save()),
            Meter::Auto(auto) => MeterState::Auto(auto.save()),
        }
    }

    /// Goes on from a state; one of another method is none of it.
    fn restore(&mut self, state: MeterState) {
        match (self, state) {
            (Meter::Gate(gate), MeterState::Gate(state)) => gate.restore(state),
            (Meter::Period(period), MeterState::Period(state)) => period.restore(state),
            (Meter::Auto(auto), MeterState::Auto(state)) => auto.restore(state),
            _ => {}
        }
    }

    /// Gives what is due before `until`.
    fn pass(&mut self, until: Nanos, sink: &mut impl Sink) {
        match self {
            Meter::Gate(gate) => gate.pass(Nanos(until.0.saturating_sub(1)), sink),
            Meter::Period(period) => period.pass(until, sink),
            Meter::Auto(auto) => auto.pass(until, sink),
        }
    }
}

impl Block for Rate {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([stopped, rest @ ..], [value, resolution]) = (outputs.bits, outputs.readings) else { return };
        let of = inputs.bit(self.of);
        if of.level.is_none() {
            return;
        }
        let mut revolution = rest.first_mut();
        if !self.started {
            self.started = true;
            stopped.start(of.since, true);
            if let Some(revolution) = &mut revolution {
                revolution.start(of.since, false);
            }
            if let Meter::Gate(gate) = &mut self.meter {
                gate.start(of.since);
            }
        }
        let shown = RateColumns { value: &mut *value, resolution: &mut *resolution, stopped: &mut *stopped };
        self.work_edges(of, shown, revolution);
        let Self { meter, sums, settings, steady, .. } = self;
        let shown = RateColumns { value, resolution, stopped };
        let (per_hertz, zero_after) = (settings.unit.per_hertz, settings.zero_after);
        let mut taking = ReadingSink { shown, sums, steady: steady.as_mut(), per_hertz, zero_after };
        meter.pass(window.until, &mut taking);
        if let (Meter::Auto(auto), Some(Reading { hertz: 0.0, .. })) = (meter, sums.last) {
            // While it stands, time passes.
            sums.until = sums.until.max(auto.read_until());
        }
    }

    fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        match &self.meter {
            Meter::Gate(_) | Meter::Period(_) => 0,
            Meter::Auto(auto) => auto.own_changes(length, quiet),
        }
    }

    fn start_counting(&mut self, _from: Nanos) {
        let last = self.sums.last;
        self.sums = Sums { last, ..Sums::default() };
        self.steady.iter_mut().for_each(Steady::start_counting);
    }

    fn next_due(&self) -> Option<Nanos> {
        self.meter.next_due()
    }
}

impl Stateful for Rate {
    type State = State;

    fn save(&self) -> State {
        State {
            started: self.started,
            sums: self.sums.clone(),
            meter: self.meter.save(),
            wheel: self.wheel.as_ref().map(Wheel::save),
            gap: self.gap.as_ref().map(Gap::save),
            steady: self.steady.as_ref().map(|steady| steady.state.clone()),
        }
    }

    fn restore(&mut self, state: State) {
        (self.started, self.sums) = (state.started, state.sums);
        self.meter.restore(state.meter);
        if let (Some(wheel), Some(state)) = (&mut self.wheel, state.wheel) {
            wheel.restore(state);
        }
        if let (Some(gap), Some(state)) = (&mut self.gap, state.gap) {
            gap.restore(state);
        }
        if let (Some(steady), Some(state)) = (&mut self.steady, state.steady) {
            steady.state = state;
        }
    }
}
