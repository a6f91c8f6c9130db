//! A speed that should be steady: how often readings left it, how far, and how long until they were back.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// Of so many readings in a row...
const READINGS: usize = 10;
/// ...so many near their median are a steady speed: a mark that is missed now and then hides none.
const NEAR: usize = 7;

/// How a reading kept to its steady value.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct SteadySummary {
    /// How far it may leave its steady value, in percent of that.
    pub within_percent: f64,
    /// How many steady values there were, one after another.
    pub levels: u64,
    /// The steady value at the end; `None` where there is none.
    pub level: Option<f64>,
    /// How often readings were lower for a while.
    pub dips: u64,
    /// How often they were higher for a while.
    pub peaks: u64,
    /// How often they went on to another steady value.
    pub changes: u64,
    /// The farthest of dips and peaks.
    pub worst: Option<Excursion>,
    /// The longest time from the first reading outside to the first one that was back.
    #[serde(rename = "longest_ns")]
    pub longest: Option<Nanos>,
}

/// Readings that left the steady value for a while.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Excursion {
    /// The first reading outside.
    #[serde(rename = "at_ns")]
    pub at: Nanos,
    /// How far the farthest reading was from the steady value, in percent of that; below zero for a dip.
    pub percent: f64,
    /// Until the first reading that was back.
    #[serde(rename = "length_ns")]
    pub length: Nanos,
}

/// Watches readings that should be steady.
#[derive(Debug, Clone)]
pub struct Steady {
    /// The share of the steady value that a reading may be away from it.
    share: f64,
    /// What it has seen.
    pub state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    /// The steady value, and how many readings it is the mean of.
    level: Option<(f64, u64)>,
    levels: u64,
    /// The last readings that are no part of it.
    recent: Vec<f64>,
    /// When the readings left it, and the farthest of them.
    left: Option<(Nanos, f64)>,
    dips: u64,
    peaks: u64,
    changes: u64,
    worst: Option<Excursion>,
    longest: Option<Nanos>,
}

impl Steady {
    /// Readings may be away from their steady value by a share of it.
    pub fn new(share: f64) -> Self {
        Self { share, state: State::default() }
    }

    /// What came of it.
    pub fn summary(&self) -> SteadySummary {
        let State { level, levels, dips, peaks, changes, worst, longest, .. } = self.state;
        let level = level.map(|(level, _)| level);
        SteadySummary { within_percent: self.share * 100.0, levels, level, dips, peaks, changes, worst, longest }
    }

    /// Counts anew; what is steady stays so.
    pub fn start_counting(&mut self) {
        let level = self.state.level;
        self.state = State { level, levels: level.iter().count() as u64, ..State::default() };
    }

    /// A reading, with what one step of it is worth. A reading of 0 is a stop: what follows is another speed.
    pub fn take(&mut self, at: Nanos, reading: f64, resolution: Option<f64>) {
        if reading == 0.0 {
            self.state.level = None;
            self.forget();
            return;
        }
        match self.state.level {
            Some((level, readings)) if self.is_near(reading, level, resolution) => {
                self.come_back(at, level);
                let next = readings.saturating_add(1);
                self.state.level = Some((level + (reading - level) / next as f64, next));
            }
            Some((level, _)) => self.stay_away(at, reading, level, resolution),
            None => {
                if let Some(level) = self.new_level(reading, resolution) {
                    self.state.level = Some(level);
                    self.forget();
                }
            }
        }
    }

    fn is_near(&self, reading: f64, level: f64, resolution: Option<f64>) -> bool {
        // A step of the reading is no unrest of the shaft.
        (reading - level).abs() <= (self.share * level.abs()).max(resolution.unwrap_or_default())
    }

    fn come_back(&mut self, at: Nanos, level: f64) {
        let Some((since, farthest)) = self.state.left else { return };
        self.forget();
        let excursion = Excursion { at: since, percent: (farthest / level - 1.0) * 100.0, length: at - since };
        match excursion.percent < 0.0 {
            true => self.state.dips += 1,
            false => self.state.peaks += 1,
        }
        self.state.longest = self.state.longest.max(Some(excursion.length));
        if self.state.worst.is_none_or(|worst| worst.percent.abs() < excursion.percent.abs()) {
            self.state.worst = Some(excursion);
        }
    }

    fn stay_away(&mut self, at: Nanos, reading: f64, level: f64, resolution: Option<f64>) {
        let (since, farthest) = self.state.left.unwrap_or((at, reading));
        let is_farther = (reading - level).abs() > (farthest - level).abs();
        self.state.left = Some((since, if is_farther { reading } else { farthest }));
        if let Some(level) = self.new_level(reading, resolution) {
            self.state.level = Some(level);
            self.state.changes += 1;
            self.forget();
        }
    }

    /// The level of the last readings, where they are steady.
    fn new_level(&mut self, reading: f64, resolution: Option<f64>) -> Option<(f64, u64)> {
        let recent = &mut self.state.recent;
        if recent.len() >= READINGS {
            recent.remove(0);
        }
        recent.push(reading);
        let mut sorted = self.state.recent.clone();
        sorted.sort_by(f64::total_cmp);
        let median = *sorted.get(READINGS / 2)?;
        let near = sorted.iter().filter(|reading| self.is_near(**reading, median, resolution)).count();
        let steady = sorted.len() == READINGS && near >= NEAR;
        self.state.levels += u64::from(steady);
        steady.then_some((median, NEAR as u64))
    }

    /// What is outside belongs to nothing.
    fn forget(&mut self) {
        self.state.recent.clear();
        self.state.left = None;
    }

    /// The last reading once more, so many times: more than make a level tell nothing new.
    pub fn repeat(&mut self, at: Nanos, reading: f64, resolution: Option<f64>, times: u64) {
        (0..times.min(READINGS as u64)).for_each(|_| self.take(at, reading, resolution));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Level; dips, peaks and changes; when the worst was, by how many percent, and how long; the longest.
    type Told = (Option<f64>, [u64; 3], Option<(u64, i64, u64)>, Option<u64>);

    /// What comes of readings, one every nanosecond.
    fn watched(readings: &[f64]) -> Told {
        let mut steady = Steady::new(0.02);
        for (number, reading) in readings.iter().enumerate() {
            steady.take(Nanos(number as u64), *reading, Some(0.1));
        }
        let told = steady.summary();
        let worst = told.worst.map(|worst| (worst.at.0, worst.percent.round() as i64, worst.length.0));
        (
            told.level.map(|level| level.round()),
            [told.dips, told.peaks, told.changes],
            worst,
            told.longest.map(|time| time.0),
        )
    }

    #[test]
    fn dips_peaks_and_new_speeds_are_told_apart() {
        let ten = |level: f64| vec![level; 10];
        for (readings, told) in [
            (vec![], (None, [0, 0, 0], None, None)),
            // A run-up is no unrest.
            ([vec![10.0, 40.0, 70.0], ten(100.0)].concat(), (Some(100.0), [0, 0, 0], None, None)),
            ([ten(100.0), vec![101.9, 98.1]].concat(), (Some(100.0), [0, 0, 0], None, None)),
            (
                [ten(100.0), vec![90.0, 80.0, 95.0, 100.0, 110.0, 100.0]].concat(),
                (Some(100.0), [1, 1, 0], Some((10, -20, 3)), Some(3)),
            ),
            // It goes on at another speed, though a mark is missed there: that is no dip.
            (
                [ten(100.0), vec![90.0, 70.0], vec![50.0, 50.0, 50.0, 25.0], ten(50.0)].concat(),
                (Some(50.0), [0, 0, 1], None, None),
            ),
            // A stop ends all of it.
            ([ten(100.0), vec![50.0, 0.0, 0.0], ten(80.0)].concat(), (Some(80.0), [0, 0, 0], None, None)),
            // Not back by the end: nothing is said yet.
            ([ten(100.0), vec![90.0]].concat(), (Some(100.0), [0, 0, 0], None, None)),
            ([100.0, 90.0].repeat(9), (None, [0, 0, 0], None, None)),
        ] {
            assert_eq!(watched(&readings), told, "{readings:?}");
        }
    }

    #[test]
    fn a_reading_as_coarse_as_the_band_is_steady() {
        let mut steady = Steady::new(0.001);
        (0..40).for_each(|number| steady.take(Nanos(number), 90.0 + (number % 2) as f64 * 10.0, Some(10.0)));
        assert_eq!((steady.summary().dips, steady.summary().peaks), (0, 0));
    }
}
