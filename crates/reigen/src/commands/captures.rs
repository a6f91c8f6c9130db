//! `reigen captures`: what captured timer counts mean.

use crate::cli::CaptureOptions;
use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use crate::tables::cells;
use reigen_core::cast;
use reigen_core::names::counted;
use reigen_core::rate::captures::{CaptureReading, Captured, Timer, work};
use reigen_core::rate::readings::Spread;
use reigen_core::time::Nanos;
use reigen_core::units::{Hertz, engineering, resolved, significant};
use serde::Serialize;
use std::path::Path;

/// So many readings are listed; all of them are in the JSON.
const MOST_LISTED: usize = 24;

/// What the arithmetic may add to a count.
const ROUNDING: f64 = 1e-9;

/// The whole result.
#[derive(Debug, Serialize)]
struct RateReport {
    tick_s: f64,
    longest_period_s: f64,
    #[serde(flatten)]
    captured: Captured,
    mean_hz: Option<f64>,
    min_hz: Option<f64>,
    max_hz: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    mean_rpm: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    reference: Option<RateFit>,
}

/// The readings held against a reference.
#[derive(Debug, Serialize)]
struct RateFit {
    reference_hz: f64,
    /// The mean less the reference.
    error_hz: f64,
    /// The same in percent of the reference.
    error_percent: f64,
    /// The largest error of a single reading.
    worst_error_hz: f64,
    /// How many readings lie further off than their own resolution.
    beyond_resolution: u64,
    within_resolution: bool,
}

/// Runs the command.
pub(crate) fn run(file: &Path, arguments: &CaptureOptions, out: &mut Out) -> Result<(), Failure> {
    if arguments.pulses_per_rev.is_some_and(|pulses| !(pulses > 0.0 && pulses.is_finite())) {
        return Err(Failure::Usage {
            message: "--pulses-per-rev must be above zero".to_owned(),
            help: "how many pulses one revolution gives".to_owned(),
        });
    }
    let timer = Timer { clock: arguments.clock, prescale: arguments.prescale, bits: arguments.bits };
    let counts = reigen_io::captures::read(file, timer.bits)
        .map_err(|error| Failure::Usage { message: error.to_string(), help: error.help().to_owned() })?;
    let told = tell(&timer, &counts, arguments);
    match arguments.json {
        true => out.json(&told),
        false => print(&told, (file, arguments), counts.len(), out),
    }
}

fn tell(timer: &Timer, counts: &[u64], arguments: &CaptureOptions) -> RateReport {
    let captured = work(timer, counts);
    let mut spread = Spread::default();
    captured.readings.iter().for_each(|reading| spread.take(reading.frequency_hz, 1));
    // Readings of periods: what counts in a mean is the time that all took.
    let time: f64 = captured.readings.iter().map(|reading| reading.period_s).sum();
    let mean_hz = (time > 0.0).then(|| captured.readings.len() as f64 / time);
    let rpm = |hertz: f64| arguments.pulses_per_rev.map(|pulses| hertz * 60.0 / pulses);
    let reference = arguments.reference.zip(mean_hz);
    RateReport {
        tick_s: timer.tick().0,
        longest_period_s: timer.longest_period().0,
        mean_hz,
        min_hz: spread.min(),
        max_hz: spread.max(),
        mean_rpm: mean_hz.and_then(rpm),
        reference: reference.map(|(reference, mean)| hold(timer, reference, mean, &captured.readings)),
        captured,
    }
}

fn hold(timer: &Timer, Hertz(reference_hz): Hertz, mean_hz: f64, readings: &[CaptureReading]) -> RateFit {
    let error = |reading: &CaptureReading| (reading.frequency_hz - reference_hz).abs();
    // Within its resolution is within one count of what the reference would give.
    let counts = timer.counts_of(reference_hz);
    let off = |reading: &&CaptureReading| (reading.counts as f64 - counts).abs() > 1.0 + ROUNDING;
    let beyond = readings.iter().filter(off).count() as u64;
    RateFit {
        reference_hz,
        error_hz: mean_hz - reference_hz,
        error_percent: (mean_hz - reference_hz) / reference_hz * 100.0,
        worst_error_hz: readings.iter().map(error).fold(0.0, f64::max),
        beyond_resolution: beyond,
        within_resolution: beyond == 0,
    }
}

fn print(
    told: &RateReport,
    (file, arguments): (&Path, &CaptureOptions),
    counts: usize,
    out: &mut Out,
) -> Result<(), Failure> {
    out.line(format!(
        "{}: {}, tick {}, {} bits: periods up to {} without wrapping twice",
        file.display(),
        counted(counts as u64, "capture"),
        engineering(told.tick_s, "s"),
        arguments.bits,
        engineering(told.longest_period_s, "s"),
    ))?;
    let readings = &told.captured.readings;
    let mut rows = match arguments.pulses_per_rev {
        Some(_) => Table::new(&["reading", "counts", "period", "frequency", "resolution", "speed"]),
        None => Table::new(&["reading", "counts", "period", "frequency", "resolution"]),
    };
    for (number, reading) in readings.iter().enumerate().take(MOST_LISTED) {
        let mut row = vec![
            (number + 1).to_string(),
            reading.counts.to_string(),
            cells::time(Some(Nanos(cast::u64_from_f64((reading.period_s * 1e9).round())))),
            format!("{} Hz", resolved(reading.frequency_hz, Some(reading.resolution_hz))),
            format!("±{}", engineering(reading.resolution_hz, "Hz")),
        ];
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
