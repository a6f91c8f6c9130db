//! What came of working a station.

use crate::gauge::GaugeTable;
use indexmap::IndexMap;
use reigen_core::engine::Engine;
use reigen_core::finding::Finding;
use reigen_core::names::counted;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin, place};
use reigen_station::simulate::judge::Judgement;
use reigen_station::station::Station;

/// What came of working a station over the lines of a source.
#[derive(Debug)]
pub struct Outcome {
    /// What the source is called.
    pub recording: String,
    /// The source's own time at which time 0 is.
    pub origin: Origin,
    /// From when the counts are.
    pub from: Nanos,
    /// The last time that counts.
    pub to: Nanos,
    /// How many lines of two levels the source has.
    pub lines: usize,
    /// Edges of all of them in the stretch.
    pub edges: u64,
    /// In the order of the station's points.
    pub points: Vec<PointSummary>,
    /// What looks wrong.
    pub findings: Vec<Finding>,
    /// The rows of each display that was asked for.
    pub displays: IndexMap<String, Vec<String>>,
    /// Readings at a step, where they were asked for.
    pub gauge: Option<GaugeTable>,
    /// For each point that a source of a scenario belongs to, what was counted against what really happened.
    pub judgements: IndexMap<String, Judgement>,
}

/// Outputs that were asked to blink while they still did.
pub(crate) fn ignored(station: &Station, engine: &Engine) -> Vec<Finding> {
    let told = engine.ignored().into_iter().filter_map(|(point, count)| {
        let name = &station.points.get(point)?.name;
        let message = format!("it was told to blink {} while it was still blinking", counted(count, "time"));
        let remedy = "those requests are ignored: use fewer or shorter flashes if each request must show";
        Some(Finding::note("blink-ignored", name, message, remedy))
    });
    told.collect()
}

/// Expressions that had no result at times.
pub(crate) fn faults(station: &Station, engine: &Engine, origin: Origin) -> Vec<Finding> {
    let told = engine.faults().into_iter().filter_map(|(point, count, first)| {
        let name = &station.points.get(point)?.name;
        let at = place(origin.file_time_ns(first));
        let message = format!(
            "its expression had no result {}, first at {at}: a division by zero or a number out of range; the last value was held",
            if count == 1 { "once".to_owned() } else { format!("{count} times") }
        );
        let remedy = "keep the divisor from zero: MAX(1, …), or SEL";
        Some(Finding::warning("no-result", name, message, remedy))
    });
    told.collect()
}
