//! `reigen captures`: what captured timer counts mean.

use crate::cli::CaptureOptions;
use crate::failure::Failure;
use crate::print::Out;
use crate::views::captures::{RateFit, RateReport, print};
use reigen_core::rate::captures::{CaptureReading, Captures, Timer, work};
use reigen_core::spread::Spread;
use reigen_core::units::Hertz;
use std::path::Path;

/// What the arithmetic may add to a count.
const ROUNDING: f64 = 1e-9;

/// Runs the command.
pub(crate) fn run(file: &Path, arguments: &CaptureOptions, out: &mut Out) -> Result<(), Failure> {
    if arguments.pulses_per_rev.is_some_and(|pulses| !(pulses > 0.0 && pulses.is_finite())) {
        return Err(Failure::Usage {
            message: "--pulses-per-rev must be above zero".to_owned(),
            help: "how many pulses one revolution gives".to_owned(),
        });
    }
    let prescale = arguments.divider_register.map_or(arguments.prescale, |register| register.saturating_add(1));
    let most = arguments.reload.unwrap_or(Timer::most_of_bits(arguments.bits));
    let timer = Timer { clock: arguments.clock, prescale, most };
    let counts = reigen_io::captures::read(file, timer.most)
        .map_err(|error| Failure::Usage { message: error.to_string(), help: error.help().to_owned() })?;
    let told = tell(&timer, &counts, arguments);
    match arguments.json {
        true => out.json(&told),
        false => print(&told, (file, arguments), counts.starts.len(), out),
    }
}

fn tell(timer: &Timer, counts: &Captures, arguments: &CaptureOptions) -> RateReport {
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
