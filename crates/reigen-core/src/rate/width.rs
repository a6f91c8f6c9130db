//! `width`: how long a bit stays at a level.

use crate::block::{BitSource, Block, Inputs, NumberSource, Outputs, keeps_state};
use crate::cast;
use crate::column::ReadingColumn;
use crate::spread::Spread;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// Measures each stretch at a level that began and ended within the recording, in seconds.
///
/// Every stretch is a step of its column, those of equal width too.
#[derive(Debug)]
pub struct Stretches {
    of: BitSource,
    high: bool,
    state: StretchesState,
}

/// What stretches must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct StretchesState {
    /// When the present stretch began, where it did.
    began: Option<Nanos>,
}

impl Stretches {
    /// Stretches of the bit being on, or off.
    pub fn new(of: BitSource, high: bool) -> Self {
        Self { of, high, state: StretchesState::default() }
    }
}

impl Block for Stretches {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [widths] = outputs.readings else { return };
        let of = inputs.bit(self.of);
        let Some(mut level) = of.level else { return };
        for &time in &of.toggles {
            level = !level;
            if level == self.high {
                self.state.began = Some(time);
            } else if let Some(began) = self.state.began.take() {
                widths.push(time, (time - began).seconds());
            }
        }
    }
}

keeps_state!(Stretches, StretchesState);

/// What a width did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct WidthSummary {
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
    /// Stretches whose width is out of the valid range, or for which the formula has no result: no readings.
    pub out_of_range: u64,
    /// Stretches that did not come where the others come at a constant step.
    pub lost: u64,
    /// That step.
    #[serde(rename = "every_ns", skip_serializing_if = "Option::is_none")]
    pub every: Option<Nanos>,
    /// The valid range.
    #[serde(skip)]
    pub valid: Option<[f64; 2]>,
    /// The width of the last stretch, and when it ended.
    #[serde(skip)]
    pub raw: Option<(Nanos, f64)>,
}

/// What a width is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// The unit of the readings.
    pub unit: String,
    /// The least and the most that is a reading, both included.
    pub valid: Option<[f64; 2]>,
}

/// The running form: a reading for each stretch.
#[derive(Debug)]
pub struct Width {
    settings: Settings,
    raw: NumberSource,
    formula: Option<NumberSource>,
    state: State,
}

/// What a width must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    spread: Spread,
    last: Option<f64>,
    last_raw: Option<(Nanos, f64)>,
    out_of_range: u64,
    rhythm: Rhythm,
}

impl Width {
    /// Readings of widths, through a formula where there is one.
    pub fn new(settings: Settings, raw: NumberSource, formula: Option<NumberSource>) -> Self {
        Self { settings, raw, formula, state: State::default() }
    }

    /// What it did.
    pub fn summary(&self) -> WidthSummary {
        let (lost, every) = self.state.rhythm.lost();
        WidthSummary {
            unit: self.settings.unit.clone(),
            readings: self.state.spread.count,
            last: self.state.last.filter(|_| self.state.spread.count > 0),
            mean: self.state.spread.mean(),
            min: self.state.spread.min(),
            max: self.state.spread.max(),
            out_of_range: self.state.out_of_range,
            lost,
            every,
            valid: self.settings.valid,
            raw: self.state.last_raw,
        }
    }

    fn take(&mut self, at: Nanos, raw: f64, value: Option<f64>, column: &mut ReadingColumn) {
        self.state.last_raw = Some((at, raw));
        self.state.rhythm.beat(at);
        let valid = |value: &f64| {
            value.is_finite() && self.settings.valid.is_none_or(|[least, most]| (least..=most).contains(value))
        };
        match value.filter(valid) {
            Some(value) => {
                self.state.spread.take(value, 1);
                self.state.last = Some(value);
                column.push(at, value);
            }
            None => self.state.out_of_range += 1,
        }
    }
}

impl Block for Width {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [column] = outputs.readings else { return };
        let Some(raw) = inputs.reading(self.raw) else { return };
        let formula = self.formula.and_then(|formula| inputs.reading(formula));
        for (&at, &width) in raw.times.iter().zip(&raw.values) {
            let value = match formula {
                Some(formula) => formula.at(at),
                None => Some(width),
            };
            self.take(at, width, value, column);
        }
    }

    fn start_counting(&mut self, _from: Nanos) {
        (self.state.spread, self.state.out_of_range, self.state.rhythm) = (Spread::default(), 0, Rhythm::default());
    }
}

keeps_state!(Width, State);

/// The step at which stretches come, from the times between their ends.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
struct Rhythm {
    last: Option<Nanos>,
    gaps: Vec<u64>,
}

/// So many gaps are kept; a step that has not shown itself in them is none.
const MOST_GAPS: usize = 100_000;
/// Gaps are the same step where they differ by less than this share of it.
const SAME: f64 = 0.25;

impl Rhythm {
    fn beat(&mut self, at: Nanos) {
        if let Some(last) = self.last.replace(at).filter(|_| self.gaps.len() < MOST_GAPS) {
            self.gaps.push(at.saturating_sub(last).0);
        }
    }

    /// How many beats were left out, and the step; no step where most gaps are not whole multiples of one.
    fn lost(&self) -> (u64, Option<Nanos>) {
        let mut sorted = self.gaps.clone();
        sorted.sort_unstable();
        let Some(&step) = sorted.get(sorted.len() / 2).filter(|step| **step > 0 && sorted.len() >= 4) else {
            return (0, None);
        };
        let multiple = |gap: u64| (gap as f64 / step as f64).round();
        let fits = |gap: &&u64| (**gap as f64 / step as f64 - multiple(**gap)).abs() < SAME && **gap * 2 > step;
        let fitting = self.gaps.iter().filter(fits).count();
        if fitting * 20 < self.gaps.len() * 19 {
            return (0, None);
        }
        let left_out = |gap: &u64| cast::u64_from_f64(multiple(*gap)).saturating_sub(1);
        (self.gaps.iter().filter(fits).map(left_out).sum(), Some(Nanos(step)))
    }
}
