//! `counter`: counts edges of bits (CTU, CTD, CTUD of IEC 61131-3), with presets and limits.

use crate::column::{BitColumn, CountColumn, ReadingColumn, Walk};
use crate::condition::debounce::ReadingTimes;
use crate::engine::{BitSource, Block, Inputs, NumberSource, Outputs, Shape};
use crate::event::{Happening, Uncounted, What};
use crate::logic::apply::Operand;
use crate::logic::expression::Value;
use crate::summary::{CounterSummary, PointSummary, Tally};
use crate::time::{Nanos, Window};

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
    /// Nothing counts while this is off.
    pub gate: Option<BitSource>,
    /// Held at the start value while this is on.
    pub reset: Option<BitSource>,
    /// Held at the value to load while this is on.
    pub load: Option<BitSource>,
    /// The value to load; without one, the last preset.
    pub load_to: Option<Operand>,
}

/// The columns of a counter: bit `.done`; counts value and `.band`; and the value in units where there are some.
pub fn shape(settings: &Settings) -> Shape {
    Shape { bits: 1, counts: 2, readings: usize::from(settings.scale.is_some()) }
}

/// The running form of a counter.
pub struct Counter {
    pub(super) settings: Settings,
    pub(super) sources: Sources,
    started: bool,
    pub(super) value: i64,
    pub(super) total: i64,
    pub(super) wraps: u64,
    pub(super) lost: u64,
    preset_hits: Vec<u64>,
    /// A new start of the counts that the next window is to show, at its beginning.
    restart_at: Option<Nanos>,
    /// What happened since it was last asked for; `None` if nobody asks.
    pub(super) told: Option<Vec<Happening>>,
    /// Nobody reads each of its values: so many in a window are enough.
    pub(super) values_enough: Option<u64>,
}

/// What stands at a counter's inputs after an instant.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Held {
    pub(super) reset: bool,
    pub(super) load: bool,
    pub(super) gate_closed: bool,
    load_to: i64,
}

impl Counter {
    /// A counter.
    pub fn new(settings: Settings, sources: Sources) -> Self {
        let hits = vec![0; settings.presets.len()];
        Self {
            value: settings.start,
            settings,
            sources,
            started: false,
            total: 0,
            wraps: 0,
            lost: 0,
            preset_hits: hits,
            restart_at: None,
            told: None,
            values_enough: None,
        }
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

    fn tell(&mut self, time: Nanos, what: What) {
        if let Some(told) = &mut self.told {
            told.push((time, what));
        }
    }

    /// The value after one step; `None` where a limit stops it.
    fn stepped(&mut self, step: i64) -> Option<i64> {
        let next = self.value.checked_add(step);
        let Some(Range { least, most, wraps }) = self.settings.range else { return next };
        if let Some(next) = next.filter(|next| (least..=most).contains(next)) {
            return Some(next);
        }
        if !wraps {
            return None;
        }
        self.wraps += 1;
        Some(if step > 0 { least } else { most })
    }

    /// Counts one up or down; true where the last preset sent the counter back to its start.
    fn count(&mut self, time: Nanos, step: i64) -> bool {
        let Some(next) = self.stepped(step) else {
            self.lost += 1;
            self.tell(time, What::NotCounted(Uncounted::Limit));
            return false;
        };
        self.value = next;
        self.total = self.total.saturating_add(step);
        if step < 0 {
            return false;
        }
        let Ok(preset) = self.settings.presets.binary_search(&self.value) else { return false };
        if let Some(hits) = self.preset_hits.get_mut(preset) {
            *hits += 1;
        }
        self.tell(time, What::Preset(self.value));
        let last = preset + 1 == self.settings.presets.len();
        let restarts = last && self.settings.at_last == AtLast::Restart;
        if restarts {
            self.value = self.settings.start;
        }
        restarts
    }

    /// How many of `toggles` in one instant count, from a bit that was at `level` before them.
    fn counted(&self, level: bool, toggles: usize) -> usize {
        match (self.settings.edge, level) {
            (CountedEdge::Both, _) => toggles,
            (CountedEdge::Rising, false) | (CountedEdge::Falling, true) => toggles.div_ceil(2),
            (CountedEdge::Rising, true) | (CountedEdge::Falling, false) => toggles / 2,
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
    fn count_all(&mut self, up: &BitColumn, start: Nanos, shown: &mut CountColumn) {
        // The first toggle that counts, and then every other one.
        let skipped = usize::from(up.level == Some(self.settings.edge == CountedEdge::Rising));
        for &time in up.toggles.iter().skip(skipped).step_by(2).filter(|time| **time >= start) {
            self.value += 1;
            self.total = self.total.saturating_add(1);
            // Two counts in one instant are one step.
            match shown.times.last().is_some_and(|last| *last == time).then(|| shown.values.last_mut()).flatten() {
                Some(value) => *value = self.value,
                None => shown.push(time, self.value),
            }
        }
    }

    fn in_units(&self) -> Option<f64> {
        self.settings.scale.as_ref().map(|(worth, _)| self.value as f64 * worth)
    }

    fn show_start(&mut self, time: Nanos, outputs: &mut Shown<'_>) {
        outputs.value.push(time, self.value);
        outputs.band.push(time, self.band(self.value) as i64);
        outputs.done.start(time, self.is_done(self.value));
        if let (Some(units), Some(value)) = (&mut outputs.units, self.in_units()) {
            units.push(time, value);
        }
        self.started = true;
    }

    /// Shows the value after an instant, where it differs from what was shown last.
    pub(super) fn show(&self, time: Nanos, outputs: &mut Shown<'_>) {
        if outputs.value.last() == Some(self.value) {
            return;
        }
        outputs.value.push(time, self.value);
        if let (Some(units), Some(value)) = (&mut outputs.units, self.in_units()) {
            units.push(time, value);
        }
        let band = self.band(self.value) as i64;
        if outputs.band.last() != Some(band) {
            outputs.band.push(time, band);
        }
        if outputs.done.last_level() != Some(self.is_done(self.value)) {
            outputs.done.toggles.push(time);
        }
    }

    /// One instant: reset, then load, then the counts that the gate lets in.
    pub(super) fn instant(&mut self, time: Nanos, held: Held, [up, down]: [usize; 2], outputs: &mut Shown<'_>) {
        let all = up + down;
        let stopped = match held {
            Held { reset: true, .. } => Some(Uncounted::Reset),
            Held { load: true, .. } => Some(Uncounted::Load),
            Held { gate_closed: true, .. } => Some(Uncounted::Gate),
            _ => None,
        };
        match stopped {
            Some(Uncounted::Reset) => self.value = self.settings.start,
            Some(Uncounted::Load) => self.value = held.load_to,
            _ => {}
        }
        let counts = if stopped.is_some() { 0 } else { up.abs_diff(down) };
        let left_out = all - counts;
        if left_out > 0 && self.told.is_some() {
            let why = stopped.unwrap_or(Uncounted::Cancelled);
            (0..left_out).for_each(|_| self.tell(time, What::NotCounted(why)));
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
pub(super) struct Shown<'a> {
    done: &'a mut BitColumn,
    value: &'a mut CountColumn,
    band: &'a mut CountColumn,
    units: Option<&'a mut ReadingColumn>,
}

/// The inputs of a counter within a window.
pub(super) struct Walks<'a> {
    pub(super) up: Option<Walk<'a>>,
    pub(super) down: Option<Walk<'a>>,
    gate: Option<Walk<'a>>,
    reset: Option<Walk<'a>>,
    load: Option<Walk<'a>>,
    load_to: Option<LoadTo<'a>>,
}

/// Later than all times.
pub(super) const NEVER: Nanos = Nanos(u64::MAX);

/// The value to load, as it steps.
enum LoadTo<'a> {
    Constant(i64),
    Column { value: i64, times: &'a [Nanos], values: &'a [i64] },
}

impl<'a> Walks<'a> {
    pub(super) fn new(sources: &Sources, inputs: &Inputs<'a>) -> Self {
        let walk = |source: Option<BitSource>| source.and_then(|source| Walk::new(inputs.bit(source)));
        let load_to = sources.load_to.and_then(|operand| match operand {
            Operand::Constant(Value::Integer(value)) => Some(LoadTo::Constant(value)),
            Operand::Number(NumberSource::Count(number)) => {
                let column = inputs.counts.get(number)?;
                let value = column.before.unwrap_or_default();
                Some(LoadTo::Column { value, times: &column.times, values: &column.values })
            }
            _ => None,
        });
        Self {
            up: walk(sources.up),
            down: walk(sources.down),
            gate: walk(sources.gate),
            reset: walk(sources.reset),
            load: walk(sources.load),
            load_to,
        }
    }

    #[inline]
    pub(super) fn next_time(&self) -> Option<Nanos> {
        let next = |walk: &Option<Walk<'a>>| walk.as_ref().and_then(Walk::next_time).unwrap_or(NEVER);
        let mut time = next(&self.up).min(next(&self.down));
        if self.has_levels() {
            time = time.min(next(&self.gate)).min(next(&self.reset)).min(next(&self.load));
        }
        (time != NEVER).then_some(time)
    }

    /// Whether anything but the counting bits matters.
    #[inline]
    fn has_levels(&self) -> bool {
        self.gate.is_some() || self.reset.is_some() || self.load.is_some()
    }

    /// What stands after all changes up to a time.
    fn held_by(mut self, time: Nanos) -> Held {
        while let Some(next) = self.next_time().filter(|next| *next <= time) {
            self.held(next);
            self.pass_counting(next);
        }
        self.held(time)
    }

    /// When the value to load changes next, while it is being loaded.
    pub(super) fn next_load(&self, held: Held) -> Option<Nanos> {
        match &self.load_to {
            Some(LoadTo::Column { times, .. }) if held.load => times.first().copied(),
            _ => None,
        }
    }

    /// Passes the changes of the counting bits in an instant.
    pub(super) fn pass_counting(&mut self, time: Nanos) {
        for walk in [&mut self.up, &mut self.down].into_iter().flatten() {
            walk.pass(time);
        }
    }

    /// What stands after all changes up to an instant; without the counting bits.
    #[inline]
    pub(super) fn held(&mut self, time: Nanos) -> Held {
        if self.has_levels() { self.levels(time) } else { Held::default() }
    }

    fn levels(&mut self, time: Nanos) -> Held {
        let pass = |walk: &mut Option<Walk<'a>>| {
            walk.as_mut().map(|walk| {
                walk.pass(time);
                walk.level()
            })
        };
        let load_to = match &mut self.load_to {
            None => 0,
            Some(LoadTo::Constant(value)) => *value,
            Some(LoadTo::Column { value, times, values }) => {
                while let ([first, later @ ..], [new, others @ ..]) = (*times, *values)
                    && *first <= time
                {
                    *value = *new;
                    (*times, *values) = (later, others);
                }
                *value
            }
        };
        Held {
            gate_closed: pass(&mut self.gate) == Some(false),
            reset: pass(&mut self.reset) == Some(true),
            load: pass(&mut self.load) == Some(true),
            load_to,
        }
    }
}

impl Block for Counter {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([done], [value, band]) = (outputs.bits, outputs.counts) else { return };
        let mut outputs = Shown { done, value, band, units: outputs.readings.first_mut() };
        let Sources { up, down, gate, reset, load, .. } = self.sources;
        let Some(start) = inputs.start([up, down, gate, reset, load].into_iter().flatten()) else { return };
        if !self.started {
            self.show_start(start, &mut outputs);
            // Reset and load are levels: they hold from the start.
            let held = Walks::new(&self.sources, &inputs).held_by(start);
            self.instant(start, held, [0, 0], &mut outputs);
        }
        if let Some(time) = self.restart_at.take() {
            self.show(time.max(window.from), &mut outputs);
        }
        let fits = |up: &BitSource| self.value.checked_add_unsigned(inputs.bit(*up).toggles.len() as u64).is_some();
        match up.filter(|up| self.is_plain() && fits(up)) {
            Some(up) => self.count_all(inputs.bit(up), start, outputs.value),
            None if self.settings.scans.is_some() => self.work_scans(window, &inputs, start, &mut outputs),
            None => self.work_edges(&inputs, start, &mut outputs),
        }
    }

    fn start_counting(&mut self, from: Nanos) {
        self.value = self.settings.start;
        self.total = 0;
        self.wraps = 0;
        self.lost = 0;
        self.preset_hits.fill(0);
        self.restart_at = self.started.then_some(from);
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
        sink.extend(steps.map(|(&time, &value)| (time, What::Value(value))));
    }

    fn summary(&self, _tally: Tally) -> PointSummary {
        PointSummary::Counter(CounterSummary {
            value: self.started.then_some(self.value),
            total: self.total,
            band: self.band(self.value) as i64,
            done: self.is_done(self.value),
            limits: self.settings.range.map(|range| [range.least, range.most]),
            presets: self.settings.presets.clone(),
            preset_hits: self.preset_hits.clone(),
            wraps: self.wraps,
            lost: self.lost,
            scaled: self.in_units().filter(|_| self.started),
            unit: self.settings.scale.as_ref().map(|(_, unit)| unit.clone()),
        })
    }
}

impl Counter {
    /// Counts edges, instant by instant.
    fn work_edges(&mut self, inputs: &Inputs<'_>, start: Nanos, outputs: &mut Shown<'_>) {
        let mut walks = Walks::new(&self.sources, inputs);
        while let Some(time) = walks.next_time() {
            let held = walks.held(time);
            let passed = |walk: &mut Option<Walk<'_>>| match walk {
                Some(walk) => {
                    let level = walk.level();
                    let toggles = walk.pass(time);
                    self.counted(level, toggles)
                }
                None => 0,
            };
            let counts = [passed(&mut walks.up), passed(&mut walks.down)];
            if time >= start {
                self.instant(time, held, counts, outputs);
            }
        }
    }
}
