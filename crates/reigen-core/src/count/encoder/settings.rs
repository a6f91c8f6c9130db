//! What an encoder is set to, and what it reads.

use super::decode::Decode;
use super::homing::IndexDoes;
use crate::block::{BitSource, Shape};
use crate::cast;
use crate::time::Nanos;

/// The columns: `.moving`, `.forward`, `.fault`, `.homed`; the position; the value and `.speed`.
pub const SHAPE: Shape = Shape { bits: 4, counts: 1, readings: 2 };

/// What an encoder is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// Which edges count.
    pub decode: Decode,
    /// Whether the directions are turned around.
    pub reverse: bool,
    /// Cycles of one channel in a revolution.
    pub pulses_per_rev: Option<f64>,
    /// What a count is worth in units.
    pub per_count: Option<f64>,
    /// The name of the units.
    pub unit: String,
    /// The position at a zero, and at the start where there is none.
    pub zero_at: i64,
    /// What the index does.
    pub index_does: IndexDoes,
    /// From when on it counts as still.
    pub still_after: Nanos,
    /// How often it reads its speed, and from when on.
    pub speed: (Nanos, Nanos),
    /// A rotary axis: the value goes from 0 up to this, in units, and begins again.
    pub rollover: Option<f64>,
}

/// How often a speed is read where nothing else is said.
pub const SPEED_EVERY: Nanos = Nanos(100_000_000);

impl Settings {
    /// A position in units.
    pub(super) fn value(&self, position: i64) -> Option<f64> {
        let value = position as f64 * self.per_count?;
        Some(match self.rollover {
            // What lies just below 0 may round to the whole.
            Some(rollover) => Some(value.rem_euclid(rollover)).filter(|value| *value < rollover).unwrap_or(0.0),
            None => value,
        })
    }
}

/// What an encoder reads.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sources {
    /// Channel A.
    pub a: BitSource,
    /// Channel B.
    pub b: BitSource,
    /// The index.
    pub index: Option<BitSource>,
    /// What zeroes, or arms.
    pub zero_on: Option<BitSource>,
    /// With a scan, the channels as they are without it.
    pub raw: Option<(BitSource, BitSource)>,
}

/// Whether a zero is to come, before which no position is known.
pub(super) fn wants_zero(settings: &Settings, sources: &Sources) -> bool {
    sources.zero_on.is_some() || (sources.index.is_some() && settings.index_does != IndexDoes::Check)
}

/// Counts of a revolution, where that is a whole number.
pub(super) fn counts_per_rev(settings: &Settings) -> Option<i64> {
    let pulses = settings.pulses_per_rev.filter(|pulses| pulses.fract() == 0.0)?;
    Some(cast::i64_from_f64(pulses) * i64::from(settings.decode.counts()))
}
