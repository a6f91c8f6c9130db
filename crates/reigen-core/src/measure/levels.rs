//! The volts at which an input switches, up and down, from a slow ramp.

use serde::Serialize;

/// Pairs an input's edges with the analog value there.
#[derive(Debug, Clone, Default)]
pub struct LevelsMeter {
    /// The values at rising and at falling edges.
    at: [Vec<f64>; 2],
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
}

impl LevelsMeter {
    /// The input changed while the analog line stood at a value.
    pub fn take(&mut self, rising: bool, value: f64) {
        let [falls, rises] = &mut self.at;
        if rising { rises.push(value) } else { falls.push(value) }
    }

    /// The thresholds.
    pub fn finish(&self) -> Thresholds {
        let [falling, rising] = [&self.at[0], &self.at[1]].map(|values| threshold(values));
        let hysteresis = rising.as_ref().zip(falling.as_ref()).map(|(rising, falling)| rising.mean - falling.mean);
        Thresholds { rising, falling, hysteresis }
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
