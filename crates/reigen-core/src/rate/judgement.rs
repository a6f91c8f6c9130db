//! How fine a method is over the speeds that occurred, how late, and what would be better.
//!
//! Counting gives one count in the window, 1/W; timing gives one tick δ in the time that is timed, f·δ/T
//! (reciprocal counting). `size speed` works from the same two.

use super::readings::Reading;
use super::settings::{Method, Settings};
use crate::cast;
use crate::time::Nanos;
use crate::units::{engineering, significant};
use serde::Serialize;

/// What one count is worth in a gate, in hertz.
pub fn count_in_gate(window_s: f64) -> f64 {
    1.0 / window_s
}

/// What one tick is worth where edges are timed over a time, in hertz.
pub fn tick_in_time(hertz: f64, tick_s: f64, timed_s: f64) -> f64 {
    hertz * tick_s / timed_s
}

/// A reading is coarse where one step more changes it by more than this share.
const COARSE: f64 = 0.01;

/// How fine the readings were, and how late.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Judgement {
    /// The slowest reading that is not 0, in the rate's unit.
    pub slowest: f64,
    /// Its resolution.
    pub slowest_resolution: f64,
    /// The fastest reading.
    pub fastest: f64,
    /// Its resolution.
    pub fastest_resolution: f64,
    /// The longest time until a reading shows a new speed in full.
    #[serde(rename = "delay_ns")]
    pub delay: Nanos,
    /// The worst resolution as a share of the reading.
    pub coarsest: f64,
    /// What would be better, with its numbers; `None` where the readings are fine enough.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub better: Option<String>,
}

/// Judges a method by its slowest and fastest readings.
pub fn of(settings: &Settings, slowest: Reading, fastest: Reading, tick: Nanos) -> Judgement {
    let share = |reading: Reading| reading.resolution_hertz / reading.hertz;
    let coarsest = share(slowest).max(share(fastest));
    let per_hertz = settings.unit.per_hertz;
    let better = (coarsest > COARSE).then(|| better(settings, slowest, fastest, tick)).flatten();
    Judgement {
        slowest: slowest.hertz * per_hertz,
        slowest_resolution: slowest.resolution_hertz * per_hertz,
        fastest: fastest.hertz * per_hertz,
        fastest_resolution: fastest.resolution_hertz * per_hertz,
        delay: delay(settings.method, slowest.hertz),
        coarsest,
        better,
    }
}

/// A window that holds both speeds is left behind after two of them; an interval, after the next edge.
fn delay(method: Method, slowest_hertz: f64) -> Nanos {
    let intervals = |count: f64| Nanos(cast::u64_from_f64(count / slowest_hertz * 1e9));
    match method {
        Method::Gate { window } => Nanos(window.0.saturating_mul(2)),
        Method::Period { average } => intervals(f64::from(average) + 1.0),
        Method::Auto { every } => Nanos(every.0.saturating_add(every.0.max(intervals(2.0).0))),
    }
}

fn better(settings: &Settings, slowest: Reading, fastest: Reading, tick: Nanos) -> Option<String> {
    let (tick_s, unit) = (tick.seconds(), &settings.unit);
    let shown = |hertz: f64| format!("{} {unit}", significant(hertz * unit.per_hertz));
    match settings.method {
        Method::Gate { window } => {
            let timed = tick_in_time(fastest.hertz, tick_s, window.seconds());
            let wider = engineering(1.0 / (COARSE * slowest.hertz), "s");
            Some(match timed < slowest.resolution_hertz {
                true => format!(
                    "method = \"auto\" with every = \"{window}\" is as fast and resolves {} at the fastest; a gate as fine as 1 % needs {wider}",
                    shown(timed)
                ),
                false => format!("a window of {wider} resolves 1 % of the slowest"),
            })
        }
        Method::Period { .. } => {
            let timed_s = tick_s / COARSE;
            let average = (timed_s * fastest.hertz).ceil();
            Some(format!("average = {average} resolves 1 % at {}, or method = \"auto\"", shown(fastest.hertz)))
        }
        Method::Auto { .. } => {
            let every = engineering(tick_s / COARSE, "s");
            Some(format!("every = \"{every}\" or longer resolves 1 %, or a recording with a finer tick than {tick}"))
        }
    }
}
