//! `counter`: counts edges of bits (CTU, CTD, CTUD of IEC 61131-3), with presets and limits.

use crate::block::{BitSource, Block, Inputs, Instants, NumberSource, Outputs, Shape, keeps_state};
use crate::cast;
use crate::column::{BitColumn, CountColumn, ReadingColumn};
use crate::condition::debounce::ReadingTimes;
use crate::event::{EventKind, Happening, SkipReason};
use crate::logic::apply::Operand;
use crate::logic::expression::Value;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// Which changes of the counted bit count.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum CountedEdge {
    /// Off to on.
    #[default]
    Rising,
    /// On to off.
    Falling,
    /// Either.
    Both,
}

/// What a counter does when it reaches its last preset.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum AtLast {
    /// It goes on counting.
    #[default]
    GoOn,
    /// It goes back to its start value in the same instant.
    Restart,
}

/// The values that a counter stays within.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Range {
    /// The least, included.
    pub least: i64,
    /// The greatest, included.
    pub most: i64,
    /// Whether it goes from one end to the other; else it stops there.
    pub wraps: bool,
}

/// What a counter is set to do.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Settings {
    /// Which changes count.
    pub edge: CountedEdge,
    /// The first value, and the one after a reset.
    pub start: i64,
    /// Values to act at, ascending.
    pub presets: Vec<i64>,
    /// What happens at the last preset.
    pub at_last: AtLast,
    /// The values that it stays within.
    pub range: Option<Range>,
    /// Whether it only counts down, so that it is done at 0 and below.
    pub only_down: bool,
    /// Whether it tells that it is at 0 or below: the QD of an up-down counter.
    pub tells_zero: bool,
    /// Where it counts scans while its bit is on, and not edges: when those are.
    pub scans: Option<ReadingTimes>,
    /// What one count is worth in units, and their name.
    pub scale: Option<(f64, String)>,
}

/// Where a counter reads.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sources {
    /// What counts up.
    pub up: Option<BitSource>,
    /// What counts down.
    pub down: Option<BitSource>,
    /// The steps of a register, up and down, where it counts those and not edges.
    pub steps: Option<NumberSource>,
    /// Nothing counts while this is off.
    pub gate: Option<BitSource>,
    /// Held at the start value while this is on.
    pub reset: Option<BitSource>,
    /// Held at the value to load while this is on.
    pub load: Option<BitSource>,
    /// The value to load; without one, the last preset.
    pub load_to: Option<Operand>,
}

/// The columns of a counter: bit `.done`, and `.at_zero` where it is told; counts value and `.band`; and the value in units where there are some.
pub fn shape(settings: &Settings) -> Shape {
    Shape { bits: 1 + usize::from(settings.tells_zero), counts: 2, readings: usize::from(settings.scale.is_some()) }
}

/// What a counter did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct CounterSummary {
    /// The last value; `None` if the counter never started.
    pub value: Option<i64>,
    /// All counts since the start, whatever became of the value.
    pub total: i64,
    /// How many presets the value has reached.
    pub band: i64,
    /// Whether it has reached the last one.
    pub done: bool,
    /// Its limits, where it has some.
    #[serde(skip)]
    pub limits: Option<[i64; 2]>,
    /// Its presets, ascending.
    pub presets: Vec<i64>,
    /// For each preset how often it was reached, counting upward.
    pub preset_hits: Vec<u64>,
    /// How often the value went from one limit to the other.
    pub wraps: u64,
    /// Counts that a limit swallowed.
    pub lost: u64,
    /// The value in units, where there are some.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub scaled: Option<f64>,
    /// The name of the units.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
}

/// The running form of a counter.
pub struct Counter {
    pub(super) settings: Settings,
    pub(super) sources: Sources,
    pub(super) state: State,
    /// What happened since it was last asked for; `None` if nobody asks.
    pub(super) told: Option<Vec<Happening>>,
    /// Nobody reads each of its values: so many in a window are enough.
    pub(super) values_enough: Option<u64>,
}

/// What a counter must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    pub(super) started: bool,
    pub(super) value: i64,
    pub(super) total: i64,
    pub(super) wraps: u64,
    pub(super) lost: u64,
    pub(super) preset_hits: Vec<u64>,
    /// A new start of the counts that the next window is to show, at its beginning.
    restart_at: Option<Nanos>,
    /// When the next scan counts, where it counts scans and a bit that counts is on.
    pub(super) due: Option<Nanos>,
}

/// What stands at a counter's inputs after an instant.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct InputLevels {
    pub(super) reset: bool,
    pub(super) load: bool,
    pub(super) gate_closed: bool,
    load_to: i64,
}

impl InputLevels {
    /// Why nothing is counted.
    pub(super) fn stops(self) -> Option<SkipReason> {
        match self {
            InputLevels { reset: true, .. } => Some(SkipReason::Reset),
            InputLevels { load: true, .. } => Some(SkipReason::Load),
            InputLevels { gate_closed: true, .. } => Some(SkipReason::Gate),
            _ => None,
        }
    }
}

impl Counter {
    /// A counter.
    pub fn new(settings: Settings, sources: Sources) -> Self {
        let hits = vec![0; settings.presets.len()];
        let state = State {
            started: false,
            value: settings.start,
            total: 0,
            wraps: 0,
            lost: 0,
            preset_hits: hits,
            restart_at: None,
            due: None,
        };
        Self { settings, sources, state, told: None, values_enough: None }
    }

    /// What it did.
    pub fn summary(&self) -> CounterSummary {
        CounterSummary {
            value: self.state.started.then_some(self.state.value),
            total: self.state.total,
            band: cast::i64_from_usize(self.band(self.state.value)),
            done: self.is_done(self.state.value),
            limits: self.settings.range.map(|range| [range.least, range.most]),
            presets: self.settings.presets.clone(),
            preset_hits: self.state.preset_hits.clone(),
            wraps: self.state.wraps,
            lost: self.state.lost,
            scaled: self.in_units().filter(|_| self.state.started),
            unit: self.settings.scale.as_ref().map(|(_, unit)| unit.clone()),
        }
    }

    /// Whether something happens where it comes to 0 or leaves it.
    pub(super) fn watches_zero(&self) -> bool {
        self.settings.only_down || self.settings.tells_zero
    }

    /// How many presets a value has reached.
    fn band(&self, value: i64) -> usize {
        self.settings.presets.partition_point(|&preset| preset <= value)
    }

    fn is_done(&self, value: i64) -> bool {
        if self.settings.only_down {
            return value <= 0;
        }
        self.settings.presets.last().is_some_and(|&last| value >= last)
    }

    /// Takes the value at which its inputs hold it.
    pub(super) fn stand(&mut self, held: InputLevels) {
        match held.stops() {
            Some(SkipReason::Reset) => self.state.value = self.settings.start,
            Some(SkipReason::Load) => self.state.value = held.load_to,
            _ => {}
        }
    }

    pub(super) fn tell(&mut self, time: Nanos, what: EventKind) {
        if let Some(told) = &mut self.told {
            told.push((time, what));
        }
    }

    /// The value after one step; `None` where a limit stops it.
    fn stepped(&mut self, step: i64) -> Option<i64> {
        let next = self.state.value.checked_add(step);
        let Some(Range { least, most, wraps }) = self.settings.range else { return next };
        if let Some(next) = next.filter(|next| (least..=most).contains(next)) {
            return Some(next);
        }
        if !wraps {
            return None;
        }
        self.state.wraps += 1;
        Some(if step > 0 { least } else { most })
    }

    /// Counts one up or down; true where the last preset sent the counter back to its start.
    pub(super) fn count(&mut self, time: Nanos, step: i64) -> bool {
        let Some(next) = self.stepped(step) else {
            self.state.lost += 1;
            self.tell(time, EventKind::NotCounted(SkipReason::Limit));
            return false;
        };
        self.state.value = next;
        self.state.total = self.state.total.saturating_add(step);
        if step < 0 {
            return false;
        }
        let Ok(preset) = self.settings.presets.binary_search(&self.state.value) else { return false };
        if let Some(hits) = self.state.preset_hits.get_mut(preset) {
            *hits += 1;
        }
        self.tell(time, EventKind::Preset(self.state.value));
        let last = preset + 1 == self.settings.presets.len();
        let restarts = last && self.settings.at_last == AtLast::Restart;
        if restarts {
            self.state.value = self.settings.start;
        }
        restarts
    }

    /// How many changes of a bit in an instant count.
    fn counted(&self, port: Option<usize>, instants: &Instants<'_>) -> usize {
        let Some(port) = port else { return 0 };
        match self.settings.edge {
            CountedEdge::Both => instants.toggles(port),
            CountedEdge::Rising => instants.rises(port),
            CountedEdge::Falling => instants.toggles(port) - instants.rises(port),
        }
    }

    /// Whether nothing but counts upward can happen.
    fn is_plain(&self) -> bool {
        let Sources { down, gate, reset, load, .. } = &self.sources;
        let Settings { presets, range, scans, scale, edge, .. } = &self.settings;
        [down, gate, reset, load].iter().all(|source| source.is_none())
            && presets.is_empty()
            && range.is_none()
            && scans.is_none()
            && scale.is_none()
            && *edge != CountedEdge::Both
    }

    /// Counts all edges of a window where nothing else can happen: the short way.
    fn count_all(&mut self, up: &BitColumn, outputs: &mut CounterColumns<'_>) {
        let Some(level) = up.level else { return };
        if !self.state.started {
            self.show_start(up.since, outputs);
        }
        let shown = &mut *outputs.value;
        // The first toggle that counts, and then every other one.
        let skipped = usize::from(level == (self.settings.edge == CountedEdge::Rising));
        for &time in up.toggles.iter().skip(skipped).step_by(2) {
            self.state.value += 1;
            self.state.total = self.state.total.saturating_add(1);
            // Two counts in one instant are one step.
            match shown.times.last().is_some_and(|last| *last == time).then(|| shown.values.last_mut()).flatten() {
                Some(value) => *value = self.state.value,
                None => shown.push(time, self.state.value),
            }
        }
    }

    fn in_units(&self) -> Option<f64> {
        self.settings.scale.as_ref().map(|(worth, _)| self.state.value as f64 * worth)
    }

    pub(super) fn show_start(&mut self, time: Nanos, outputs: &mut CounterColumns<'_>) {
        outputs.value.push(time, self.state.value);
        outputs.band.push(time, cast::i64_from_usize(self.band(self.state.value)));
        outputs.done.start(time, self.is_done(self.state.value));
        if let Some(at_zero) = &mut outputs.at_zero {
            at_zero.start(time, self.state.value <= 0);
        }
        if let (Some(units), Some(value)) = (&mut outputs.units, self.in_units()) {
            units.push(time, value);
        }
        self.state.started = true;
    }

    /// Shows the value after an instant, where it differs from what was shown last.
    pub(super) fn show(&self, time: Nanos, outputs: &mut CounterColumns<'_>) {
        if outputs.value.last() == Some(self.state.value) {
            return;
        }
        outputs.value.set(time, self.state.value);
        if let (Some(units), Some(value)) = (&mut outputs.units, self.in_units()) {
            units.set(time, value);
        }
        outputs.band.change(time, cast::i64_from_usize(self.band(self.state.value)));
        outputs.done.settle(time, self.is_done(self.state.value));
        if let Some(at_zero) = &mut outputs.at_zero {
            at_zero.settle(time, self.state.value <= 0);
        }
    }

    /// One instant: reset, then load, then the counts that the gate lets in.
    pub(super) fn instant(
        &mut self,
        time: Nanos,
        held: InputLevels,
        [up, down]: [usize; 2],
        outputs: &mut CounterColumns<'_>,
    ) {
        let all = up + down;
        let stopped = held.stops();
        self.stand(held);
        let counts = if stopped.is_some() { 0 } else { up.abs_diff(down) };
        let left_out = all - counts;
        if left_out > 0 && self.told.is_some() {
            let why = stopped.unwrap_or(SkipReason::Cancelled);
            (0..left_out).for_each(|_| self.tell(time, EventKind::NotCounted(why)));
        }
        for _ in 0..counts {
            if self.count(time, if up > down { 1 } else { -1 }) {
                // `.done` was true for no time at all: counters of it see that, logic does not.
                outputs.done.toggles.extend([time, time]);
            }
        }
        self.show(time, outputs);
    }
}

/// The columns that a counter fills, by name.
pub(super) struct CounterColumns<'a> {
    pub(super) done: &'a mut BitColumn,
    at_zero: Option<&'a mut BitColumn>,
    value: &'a mut CountColumn,
    band: &'a mut CountColumn,
    units: Option<&'a mut ReadingColumn>,
}

/// A counter's bits by their numbers among the instants' sources; `None` for one that it has not.
#[derive(Debug, Clone, Default)]
pub(super) struct Ports {
    pub(super) sources: Vec<BitSource>,
    pub(super) up: Option<usize>,
    pub(super) down: Option<usize>,
    gate: Option<usize>,
    reset: Option<usize>,
    load: Option<usize>,
}

impl Ports {
    fn new(sources: &Sources) -> Self {
        let mut ports = Ports::default();
        let mut number = |source: Option<BitSource>| {
            ports.sources.push(source?);
            Some(ports.sources.len() - 1)
        };
        let Sources { up, down, gate, reset, load, .. } = *sources;
        let [up, down, gate, reset, load] = [up, down, gate, reset, load].map(&mut number);
        Ports { up, down, gate, reset, load, ..ports }
    }

    /// What stands after an instant.
    #[inline]
    pub(super) fn held(&self, time: Nanos, instants: &Instants<'_>, load_to: &mut LoadTo<'_>) -> InputLevels {
        let level = |port: Option<usize>| port.map(|port| instants.level(port));
        InputLevels {
            gate_closed: level(self.gate) == Some(false),
            reset: level(self.reset) == Some(true),
            load: level(self.load) == Some(true),
            load_to: if self.load.is_some() { load_to.at(time) } else { 0 },
        }
    }
}

/// The value to load, as it steps within a window.
#[derive(Debug)]
pub(super) struct LoadTo<'a> {
    value: i64,
    times: &'a [Nanos],
    values: &'a [i64],
}

impl<'a> LoadTo<'a> {
    fn new(sources: &Sources, inputs: &Inputs<'a>) -> Self {
        let constant = |value| LoadTo { value, times: &[], values: &[] };
        match sources.load_to {
            Some(Operand::Constant(Value::Integer(value))) => constant(value),
            Some(Operand::Number(NumberSource::Count(number))) => {
                inputs.counts.get(number).map_or(constant(0), |column| {
                    let value = column.before.unwrap_or_default();
                    LoadTo { value, times: &column.times, values: &column.values }
                })
            }
            _ => constant(0),
        }
    }

    /// The value after all of its changes up to a time.
    fn at(&mut self, time: Nanos) -> i64 {
        while let ([first, later @ ..], [value, others @ ..]) = (self.times, self.values)
            && *first <= time
        {
            (self.value, self.times, self.values) = (*value, later, others);
        }
        self.value
    }

    /// When it changes next, while it is being loaded.
    pub(super) fn next(&self, held: InputLevels) -> Option<Nanos> {
        self.times.first().copied().filter(|_| held.load)
    }
}

/// What a counter reads within a window.
pub(super) struct Reads<'a> {
    pub(super) ports: Ports,
    pub(super) instants: Instants<'a>,
    pub(super) load_to: LoadTo<'a>,
}

impl Reads<'_> {
    #[inline]
    pub(super) fn held(&mut self, time: Nanos) -> InputLevels {
        self.ports.held(time, &self.instants, &mut self.load_to)
    }
}

impl Block for Counter {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([done, others @ ..], [value, band]) = (outputs.bits, outputs.counts) else { return };
        let at_zero = others.first_mut();
        let mut outputs = CounterColumns { done, at_zero, value, band, units: outputs.readings.first_mut() };
        if let Some(time) = self.state.restart_at.take() {
            self.show(time.max(window.from), &mut outputs);
        }
        let fits =
            |up: &BitSource| self.state.value.checked_add_unsigned(inputs.bit(*up).toggles.len() as u64).is_some();
        if let Some(up) = self.sources.up.filter(|up| self.is_plain() && fits(up)) {
            return self.count_all(inputs.bit(up), &mut outputs);
        }
        let ports = Ports::new(&self.sources);
        let instants = Instants::new(&inputs, ports.sources.iter().copied(), self.state.started);
        let Some(instants) = instants else { return };
        let mut reads = Reads { instants, load_to: LoadTo::new(&self.sources, &inputs), ports };
        let steps = match self.sources.steps {
            Some(NumberSource::Count(number)) => inputs.counts.get(number),
            _ => None,
        };
        match self.settings.scans {
            _ if let Some(steps) = steps => self.work_steps(steps, &mut reads, &mut outputs),
            Some(times) => self.work_scans(times, window, &mut reads, &mut outputs),
            None => self.work_edges(&mut reads, &mut outputs),
        }
    }

    fn start_counting(&mut self, from: Nanos) {
        self.state.value = self.settings.start;
        self.state.total = 0;
        self.state.wraps = 0;
        self.state.lost = 0;
        self.state.preset_hits.fill(0);
        self.state.restart_at = self.state.started.then_some(from);
    }

    fn own_changes(&self, length: Nanos, _quiet: bool) -> u64 {
        let Some(scans) = self.settings.scans else { return 0 };
        let enough = self.values_enough.filter(|_| !self.goes_round() || self.only_wraps());
        (length.0 / scans.period.0).min(enough.unwrap_or(u64::MAX))
    }

    fn skim(&mut self, enough: u64) -> bool {
        self.values_enough = Some(enough);
        self.settings.scans.is_some()
    }

    fn remember(&mut self) {
        self.told = Some(Vec::new());
    }

    fn forget(&mut self) {
        self.told = None;
    }

    fn happenings(&mut self, counts: &[CountColumn], sink: &mut Vec<Happening>) {
        sink.extend(self.told.iter_mut().flat_map(|told| told.drain(..)));
        let Some(value) = counts.first() else { return };
        // The very first value is where the counter starts, and no event.
        let first = usize::from(value.before.is_none());
        let steps = value.times.iter().zip(&value.values).skip(first);
        sink.extend(steps.map(|(&time, &value)| (time, EventKind::Value(value))));
    }

    fn next_due(&self) -> Option<Nanos> {
        self.state.due
    }
}

keeps_state!(Counter, State);

impl Counter {
    /// Counts edges, instant by instant.
    fn work_edges(&mut self, reads: &mut Reads<'_>, outputs: &mut CounterColumns<'_>) {
        // What holds it as the window begins; what it loads has been taken as far as that.
        let mut held = if self.state.started { reads.held(Nanos(0)) } else { InputLevels::default() };
        loop {
            let loads = reads.load_to.next(held);
            // What is loaded may step while it is: a level, it holds all the time.
            if let Some(time) = loads.filter(|time| reads.instants.next_change().is_none_or(|change| *time < change)) {
                held = reads.held(time);
                self.instant(time, held, [0, 0], outputs);
                continue;
            }
            let Some(time) = reads.instants.advance() else { return };
            if !self.state.started {
                self.show_start(time, outputs);
            }
            // Reset and load are levels: they hold from the start.
            held = reads.held(time);
            let counts = [reads.ports.up, reads.ports.down].map(|port| self.counted(port, &reads.instants));
            self.instant(time, held, counts, outputs);
        }
    }
}
