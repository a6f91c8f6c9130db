//! The volts at which an input switches, up and down, from a slow ramp.

use crate::units::significant;
use serde::Serialize;

use crate::time::Nanos;

/// The uncertainty may be this share of the hysteresis before it is warned of.
const SHARE: f64 = 0.1;
/// Edges closer than this share of the span of all thresholds are about one of them.
const ABOUT: f64 = 0.25;

/// Pairs an input's edges with the analog value there, and with its slope.
#[derive(Debug, Clone, Default)]
pub struct LevelsMeter {
    crossings: Vec<Crossing>,
}

/// An edge of the input.
#[derive(Debug, Clone, Copy)]
struct Crossing {
    rising: bool,
    value: f64,
    /// Of the analog line there, in its unit a second.
    slope: f64,
}

/// The values at edges of one direction.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Threshold {
    /// How many edges.
    pub edges: usize,
    /// Their mean.
    pub mean: f64,
    /// The least.
    pub least: f64,
    /// The greatest.
    pub most: f64,
    /// The standard deviation over the ramps.
    pub spread: f64,
}

/// Both thresholds.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Thresholds {
    /// Where the input goes high.
    pub rising: Option<Threshold>,
    /// Where it goes low.
    pub falling: Option<Threshold>,
    /// Between the two means.
    pub hysteresis: Option<f64>,
    /// By how much a threshold may be off: what the analog line moves within one step of the input's readings.
    pub uncertainty: Option<f64>,
    /// Ramps on which the input chattered.
    pub chattering_ramps: u64,
    /// Edges beyond one for each ramp.
    pub chatter_edges: u64,
}

impl Thresholds {
    /// Whether the input is read too seldom for so fast a ramp.
    pub fn is_uncertain(&self) -> bool {
        self.uncertainty.zip(self.hysteresis).is_some_and(|(off, hysteresis)| off > hysteresis.abs() * SHARE)
    }

    /// The lines for a card's inputs, where the input switches both ways.
    pub fn toml(&self) -> Option<String> {
        let volts = |threshold: &Option<Threshold>| Some(significant(threshold.as_ref()?.mean));
        let (on, off) = (volts(&self.rising)?, volts(&self.falling)?);
        self.hysteresis.filter(|hysteresis| *hysteresis > 0.0)?;
        Some(format!("on_above = \"{on} V\"\noff_below = \"{off} V\""))
    }
}

impl LevelsMeter {
    /// The input changed while the analog line stood at a value and moved by so much a second.
    pub fn take(&mut self, rising: bool, value: f64, slope: f64) {
        self.crossings.push(Crossing { rising, value, slope });
    }

    /// The thresholds; `step` is the time between two readings of the input.
    ///
    /// Where the input chatters about a threshold, the middle between the first and the last edge of the ramp counts, once.
    pub fn finish(&self, step: Nanos) -> Thresholds {
        let values = || self.crossings.iter().map(|crossing| crossing.value);
        let span = values().fold(f64::MIN, f64::max) - values().fold(f64::MAX, f64::min);
        // From one threshold to the other it is nearly all of the span; chatter stays about one of them.
        let chatters = |one: &Crossing, other: &Crossing| (other.value - one.value).abs() < span * ABOUT;
        let (mut at, mut slopes) = ([Vec::new(), Vec::new()], Vec::new());
        let (mut chattering_ramps, mut chatter_edges) = (0, 0);
        for ramp in self.crossings.chunk_by(chatters) {
            let (Some(first), Some(last)) = (ramp.first(), ramp.last()) else { continue };
            chattering_ramps += u64::from(ramp.len() > 1);
            chatter_edges += ramp.len() as u64 - 1;
            // A burst that ends where it began is no ramp through.
            if first.rising == last.rising {
                let [falls, rises] = &mut at;
                let value = (first.value + last.value) / 2.0;
                if first.rising {
                    rises.push(value)
                } else {
                    falls.push(value)
                }
                slopes.extend([first.slope.abs(), last.slope.abs()]);
            }
        }
        let [falling, rising] = [&at[0], &at[1]].map(|values| threshold(values));
        let hysteresis = rising.as_ref().zip(falling.as_ref()).map(|(rising, falling)| rising.mean - falling.mean);
        let uncertainty = slopes.into_iter().reduce(f64::max).map(|slope| slope * step.seconds());
        Thresholds { rising, falling, hysteresis, uncertainty, chattering_ramps, chatter_edges }
    }
}

fn threshold(values: &[f64]) -> Option<Threshold> {
    let number = values.len() as f64;
    let least = values.iter().copied().reduce(f64::min)?;
    let most = values.iter().copied().reduce(f64::max)?;
    let mean = values.iter().sum::<f64>() / number;
    let square = values.iter().map(|value| (value - mean) * (value - mean)).sum::<f64>();
    let spread = if values.len() > 1 { (square / (number - 1.0)).sqrt() } else { 0.0 };
    Some(Threshold { edges: values.len(), mean, least, most, spread })
}

/// The value between two samples of a ramp, at a time between theirs.
pub fn between(before: (f64, f64), after: (f64, f64), time: f64) -> f64 {
    let length = after.0 - before.0;
    if length <= 0.0 { after.1 } else { before.1 + (after.1 - before.1) * (time - before.0) / length }
}
