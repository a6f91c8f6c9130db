//! What captured timer counts mean.

use crate::cli::CaptureOptions;
use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use crate::tables::cells;
use reigen_core::cast;
use reigen_core::names::counted;
use reigen_core::rate::captures::Captured;
use reigen_core::time::Nanos;
use reigen_core::units::{engineering, resolved, significant};
use serde::Serialize;
use std::path::Path;

/// So many readings are listed; all of them are in the JSON.
const MOST_LISTED: usize = 24;

/// The whole result.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct RateReport {
    pub(crate) tick_s: f64,
    pub(crate) longest_period_s: f64,
    #[serde(flatten)]
    pub(crate) captured: Captured,
    pub(crate) mean_hz: Option<f64>,
    pub(crate) min_hz: Option<f64>,
    pub(crate) max_hz: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) mean_rpm: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) reference: Option<RateFit>,
}

/// The readings held against a reference.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct RateFit {
    pub(crate) reference_hz: f64,
    /// The mean less the reference.
    pub(crate) error_hz: f64,
    /// The same in percent of the reference.
    pub(crate) error_percent: f64,
    /// The largest error of a single reading.
    pub(crate) worst_error_hz: f64,
    /// How many readings lie further off than their own resolution.
    pub(crate) beyond_resolution: u64,
    pub(crate) within_resolution: bool,
}

/// Prints it.
pub(crate) fn print(
    told: &RateReport,
    (file, arguments): (&Path, &CaptureOptions),
    counts: usize,
    out: &mut Out,
) -> Result<(), Failure> {
    out.line(format!(
        "{}: {}, tick {}, {}: periods up to {} without wrapping twice",
        file.display(),
        counted(counts as u64, "capture"),
        engineering(told.tick_s, "s"),
        arguments.reload.map_or(format!("{} bits", arguments.bits), |reload| format!("from {reload} back to 0")),
        engineering(told.longest_period_s, "s"),
    ))?;
    let readings = &told.captured.readings;
    let mut header = vec!["reading", "counts", "period", "frequency", "resolution"];
    header.extend(told.captured.duty_percent.map(|_| "pulse"));
    header.extend(arguments.pulses_per_rev.map(|_| "speed"));
    let mut rows = Table::new(&header);
    for (number, reading) in readings.iter().enumerate().take(MOST_LISTED) {
        let mut row = vec![
            (number + 1).to_string(),
            reading.counts.to_string(),
            seconds(reading.period_s),
            format!("{} Hz", resolved(reading.frequency_hz, Some(reading.resolution_hz))),
            format!("±{}", engineering(reading.resolution_hz, "Hz")),
        ];
        row.extend(told.captured.duty_percent.map(|_| reading.width_s.map_or(String::new(), seconds)));
        let per_hertz = arguments.pulses_per_rev.map(|pulses| 60.0 / pulses);
        row.extend(per_hertz.map(|factor| {
            format!("{} rpm", resolved(reading.frequency_hz * factor, Some(reading.resolution_hz * factor)))
        }));
        rows.add_row(row);
    }
    out.line("")?;
    out.table(&rows)?;
    if readings.len() > MOST_LISTED {
        out.line(format!("and {} more: --json has all", readings.len() - MOST_LISTED))?;
    }
    out.line("")?;
    if let (Some(mean), Some(least), Some(most)) = (told.mean_hz, told.min_hz, told.max_hz) {
        let resolution = readings.iter().map(|reading| reading.resolution_hz).fold(0.0, f64::max);
        let shown = |hertz: f64| resolved(hertz, Some(resolution));
        let rpm = told.mean_rpm.map_or(String::new(), |rpm| format!(", {} rpm", significant(rpm)));
        out.line(format!("mean {} Hz{rpm}, from {} to {} Hz", shown(mean), shown(least), shown(most)))?;
    }
    if let Some(duty) = told.captured.duty_percent {
        out.line(format!("on for {} % of the time", significant(duty)))?;
    }
    if let Some(jitter) = told.captured.jitter_s {
        out.line(format!("jitter {} (standard deviation of the periods)", engineering(jitter, "s")))?;
    }
    if told.captured.doubled > 0 {
        out.line(format!(
            "→ {} twice as long as most: a capture between may have been missed, or a mark is missing",
            counted(told.captured.doubled, "period")
        ))?;
    }
    out.line(format!("the timer wrapped {}", counted(told.captured.wraps, "time")))?;
    if told.captured.equal_neighbours > 0 {
        out.line(format!(
            "{} equal to the previous one: a full turn of the timer, or nothing; no reading",
            counted(told.captured.equal_neighbours, "capture")
        ))?;
    }
    if let Some(held) = &told.reference {
        out.line(format!(
            "compared with {} Hz: mean off by {} ({} %), single readings by up to {}",
            significant(held.reference_hz),
            engineering(held.error_hz, "Hz"),
            significant(held.error_percent),
            engineering(held.worst_error_hz, "Hz"),
        ))?;
        out.line(match held.within_resolution {
            true => "→ every reading is within its resolution".to_owned(),
            false => format!(
                "→ {} of {} beyond their resolution: the clock, the signal or the reference is not as stated",
                held.beyond_resolution,
                counted(readings.len() as u64, "reading"),
            ),
        })?;
    }
    Ok(())
}

/// A time in seconds as it stands in a cell.
fn seconds(time: f64) -> String {
    cells::time(Some(Nanos(cast::u64_from_f64((time * 1e9).round()))))
}
