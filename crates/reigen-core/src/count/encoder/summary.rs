//! What an encoder did.

use super::health::Phase;
use super::homing::{Homing, Missing};
use crate::time::Nanos;
use serde::Serialize;

impl EncoderSummary {
    /// How far apart the places are at which repeated homings found the zero, in counts.
    pub fn zero_spread(&self) -> Option<i64> {
        let homed = self.homings.iter().filter(|homing| homing.from_switch.is_some());
        let before = || homed.clone().filter_map(|homing| homing.before);
        Some(before().max()? - before().min()?)
    }
}

/// What an encoder did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct EncoderSummary {
    /// In counts; `None` before the first zero, where there is to be one.
    pub position: Option<i64>,
    /// In units; `None` too where no revolution is told.
    pub value: Option<f64>,
    /// The name of the units.
    pub unit: String,
    /// Instants at which both channels stood otherwise than before.
    pub illegal: u64,
    /// Counts in the other direction than the count before.
    pub reversals: u64,
    /// Rising edges of the index.
    pub index_marks: u64,
    /// Reversals after no more than two counts: a shaft that trembles where it stands.
    pub dither: u64,
    /// Counts up.
    pub forward: u64,
    /// Counts down.
    pub backward: u64,
    /// The last speed, in units a second.
    pub speed: Option<f64>,
    /// Whether it has been zeroed.
    pub homed: bool,
    /// The first thousand zeros.
    pub homings: Vec<Homing>,
    /// The first thousand revolutions with other counts than they should have.
    pub missing: Vec<Missing>,
    /// Counts missing in all of them; below zero for too many.
    pub missing_counts: i64,
    /// Marks that did not come where a whole number of revolutions was made.
    pub missed_marks: u64,
    /// The longest run of counts that each came only after the encoder had counted as still.
    pub lone_counts: u64,
    /// From when on it counts as still.
    #[serde(skip)]
    pub still_after: Nanos,
    /// Counts in a cycle of one channel.
    #[serde(skip)]
    pub counts_per_cycle: i64,
    /// When the first illegal step came.
    #[serde(rename = "first_illegal_ns")]
    pub first_illegal: Option<Nanos>,
    /// Illegal steps that came no later than this many ticks after the edge before: too fast for the times.
    pub illegal_at_speed: u64,
    /// The shortest time between edges of different channels: a scan of no more than this loses no count.
    #[serde(rename = "slowest_scan_ns")]
    pub slowest_scan: Option<Nanos>,
    /// With a scan: counts of the raw lines that the scan did not see.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lost_by_scan: Option<i64>,
    /// Edges of both channels.
    pub edges: [u64; 2],
    /// How the channels stand to one another.
    pub phase: Vec<Phase>,
    /// The closest two edges of a steady cycle in degrees, and when it began.
    #[serde(skip)]
    pub worst_phase: Option<(Nanos, f64)>,
    /// Whether an index is wired.
    #[serde(skip)]
    pub has_index: bool,
    /// Whether a zero is to come.
    #[serde(skip)]
    pub wants_zero: bool,
    /// The position at a zero.
    #[serde(skip)]
    pub zero_at: i64,
    /// Counts of a revolution, where that is told.
    #[serde(skip)]
    pub counts_per_rev: Option<i64>,
    /// The step of the edges' times.
    #[serde(skip)]
    pub tick: Nanos,
    /// The last count or mark that matters to `why`.
    #[serde(skip)]
    pub last_count: Option<(Nanos, bool)>,
    /// The last illegal step.
    #[serde(skip)]
    pub last_illegal: Option<Nanos>,
}
