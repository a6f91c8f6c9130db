//! `counter`: counts edges of a bit (CTU of IEC 61131-3), with presets.

use crate::column::{BitColumn, CountColumn, Walk};
use crate::engine::{BitSource, Block, Inputs, Outputs, Shape};
use crate::event::{Happening, What};
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

/// What a counter is set to do.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Settings {
    /// Which changes count.
    pub edge: CountedEdge,
    /// The first value, and the one after a reset.
    pub start: i64,
    /// Values to act at, ascending.
    pub presets: Vec<i64>,
    /// What happens at the last preset.
    pub at_last: AtLast,
}

/// The columns of a counter: bit `.done`; counts value and `.band`.
pub const SHAPE: Shape = Shape { bits: 1, counts: 2, readings: 0 };

/// The running form of a counter.
pub struct Counter {
    settings: Settings,
    up: BitSource,
    reset: Option<BitSource>,
    started: bool,
    value: i64,
    total: i64,
    preset_hits: Vec<u64>,
    /// A new start of the counts that the next window is to show, at its beginning.
    restart_at: Option<Nanos>,
    /// Presets reached since they were last asked for; `None` if nobody asks.
    reached: Option<Vec<Happening>>,
}

impl Counter {
    /// A counter of `up`, held at its start value while `reset` is on.
    pub fn new(settings: Settings, up: BitSource, reset: Option<BitSource>) -> Self {
        let hits = vec![0; settings.presets.len()];
        Self {
            value: settings.start,
            settings,
            up,
            reset,
            started: false,
            total: 0,
            preset_hits: hits,
            restart_at: None,
            reached: None,
        }
    }

    /// How many presets a value has reached.
    fn band(&self, value: i64) -> usize {
        self.settings.presets.partition_point(|&preset| preset <= value)
    }

    fn is_done(&self, value: i64) -> bool {
        self.settings.presets.last().is_some_and(|&last| value >= last)
    }

    /// Counts one edge; true where the last preset sent the counter back to its start.
    fn count(&mut self, time: Nanos) -> bool {
        self.value = self.value.wrapping_add(1);
        self.total = self.total.wrapping_add(1);
        let Ok(preset) = self.settings.presets.binary_search(&self.value) else { return false };
        if let Some(hits) = self.preset_hits.get_mut(preset) {
            *hits += 1;
        }
        if let Some(reached) = &mut self.reached {
            reached.push((time, What::Preset(self.value)));
        }
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

    /// Counts all edges of a window where nothing else can happen: the short way.
    fn count_all(&mut self, up: &BitColumn, start: Nanos, shown: &mut CountColumn) {
        // The first toggle that counts, and then every other one.
        let skipped = usize::from(up.level == Some(self.settings.edge == CountedEdge::Rising));
        for &time in up.toggles.iter().skip(skipped).step_by(2).filter(|time| **time >= start) {
            self.value = self.value.wrapping_add(1);
            self.total = self.total.wrapping_add(1);
            // Two counts in one instant are one step.
            match shown.times.last().is_some_and(|last| *last == time).then(|| shown.values.last_mut()).flatten() {
                Some(value) => *value = self.value,
                None => shown.push(time, self.value),
            }
        }
    }

    fn show_start(&mut self, time: Nanos, outputs: &mut Shown<'_>) {
        outputs.value.push(time, self.value);
        outputs.band.push(time, self.band(self.value) as i64);
        outputs.done.start(time, self.is_done(self.value));
        self.started = true;
    }

    /// Shows the value after an instant, where it differs from what was shown last.
    fn show(&self, time: Nanos, outputs: &mut Shown<'_>) {
        if outputs.value.last() == Some(self.value) {
            return;
        }
        outputs.value.push(time, self.value);
        if self.settings.presets.is_empty() {
            return;
        }
        let band = self.band(self.value) as i64;
        if outputs.band.last() != Some(band) {
            outputs.band.push(time, band);
        }
        if outputs.done.last_level() != Some(self.is_done(self.value)) {
            outputs.done.toggles.push(time);
        }
    }

    /// One instant: the reset's level after it, then the counts.
    fn instant(&mut self, time: Nanos, held: bool, counts: usize, outputs: &mut Shown<'_>) {
        if held {
            self.value = self.settings.start;
        } else {
            for _ in 0..counts {
                if self.count(time) {
                    // `.done` was true for no time at all: counters of it see that, logic does not.
                    outputs.done.toggles.extend([time, time]);
                }
            }
        }
        self.show(time, outputs);
    }
}

/// The columns that a counter fills, by name.
struct Shown<'a> {
    done: &'a mut BitColumn,
    value: &'a mut CountColumn,
    band: &'a mut CountColumn,
}

impl Block for Counter {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([done], [value, band]) = (outputs.bits, outputs.counts) else { return };
        let mut outputs = Shown { done, value, band };
        let Some(start) = inputs.start([Some(self.up), self.reset].into_iter().flatten()) else { return };
        let Some(mut up) = Walk::new(inputs.bit(self.up)) else { return };
        let mut reset = self.reset.and_then(|reset| Walk::new(inputs.bit(reset)));
        let mut held = reset.as_ref().is_some_and(Walk::level);
        if !self.started {
            self.show_start(start, &mut outputs);
        }
        if let Some(time) = self.restart_at.take() {
            self.show(time.max(window.from), &mut outputs);
        }
        if reset.is_none() && self.settings.presets.is_empty() && self.settings.edge != CountedEdge::Both {
            self.count_all(inputs.bit(self.up), start, outputs.value);
            return;
        }
        loop {
            let next_reset = reset.as_ref().and_then(Walk::next_time);
            let Some(time) = up.next_time().into_iter().chain(next_reset).min() else { return };
            if let Some(reset) = &mut reset {
                reset.pass(time);
                held = reset.level();
            }
            let level = up.level();
            let toggles = up.pass(time);
            if time >= start {
                let counts = self.counted(level, toggles);
                self.instant(time, held, counts, &mut outputs);
            }
        }
    }

    fn start_counting(&mut self, from: Nanos) {
        self.value = self.settings.start;
        self.total = 0;
        self.preset_hits.fill(0);
        self.restart_at = self.started.then_some(from);
    }

    fn remember(&mut self) {
        self.reached = Some(Vec::new());
    }

    fn happenings(&mut self, counts: &[CountColumn], sink: &mut Vec<Happening>) {
        sink.extend(self.reached.iter_mut().flat_map(|reached| reached.drain(..)));
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
            presets: self.settings.presets.clone(),
            preset_hits: self.preset_hits.clone(),
            wraps: 0,
            lost: 0,
        })
    }
}
