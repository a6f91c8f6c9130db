//! Plateaus of a curve: debounce times that all give one count.

use super::curve::Curve;
use crate::cast;
use crate::time::Nanos;
use serde::Serialize;

/// A stretch of debounce times that all give one count.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Plateau {
    /// The shortest of them.
    #[serde(rename = "from_ns")]
    pub from: Nanos,
    /// The first one beyond.
    #[serde(rename = "until_ns")]
    pub until: Nanos,
    /// How many actuations they give.
    pub count: u64,
}

impl Plateau {
    /// How wide it is on a logarithmic scale: the ratio of its ends.
    pub fn width(&self) -> f64 {
        self.until.0 as f64 / self.from.0.max(1) as f64
    }

    /// A round time near its middle on a logarithmic scale, within it.
    pub fn middle(&self) -> Nanos {
        let middle = (self.from.0.max(1) as f64 * self.until.0 as f64).sqrt();
        let inside = |time: u64| (self.from.0..self.until.0).contains(&time);
        // Two digits will do, unless the plateau is narrower than that.
        (1..=18).map(|digits| rounded(middle, digits)).skip(1).find(|&time| inside(time)).map_or(self.from, Nanos)
    }
}

/// A number rounded to so many digits.
fn rounded(value: f64, digits: i32) -> u64 {
    let scale = 10f64.powi((cast::i32_from_f64(value.log10().floor()) + 1 - digits).max(0));
    cast::u64_from_f64((value / scale).round() * scale)
}

impl Curve {
    /// All its plateaus, by time.
    pub fn plateaus(&self) -> Vec<Plateau> {
        let ends = self.steps.iter().skip(1).map(|(time, _)| *time).chain([self.until]);
        let plateau = |(&(from, count), until): (&(Nanos, u64), Nanos)| Plateau { from, until, count };
        self.steps.iter().zip(ends).map(plateau).collect()
    }

    /// The plateaus that give a count; where none does, those that come nearest to it.
    pub fn giving(&self, count: u64) -> (bool, Vec<Plateau>) {
        let plateaus = self.plateaus();
        let nearest = plateaus.iter().map(|plateau| plateau.count.abs_diff(count)).min().unwrap_or(0);
        let near = plateaus.into_iter().filter(|plateau| plateau.count.abs_diff(count) == nearest).collect();
        (nearest == 0, near)
    }
}
