//! Readings at a constant step, shown: as a table, or as a bar that follows one of them.

use crate::failure::Failure;
use crate::print::Out;
use reigen_core::cast;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::{Nanos, seconds_short};
use reigen_core::units::{resolved, significant};
use reigen_run::gauge::{Column, Gauge, KeptReadings, Run, Sample};
use std::io::{IsTerminal, Write};
use std::time::Duration;

/// The least width of a column of the table.
const WIDTH: usize = 10;
/// How many frames a second a bar has.
const FRAMES: f64 = 20.0;
/// The letters of a bar.
const BAR: usize = 40;

/// Prints the head of the table.
pub(crate) fn print_head(gauge: &Gauge, out: &mut Out) -> Result<(), Failure> {
    let heads = gauge.columns().iter().zip(widths(gauge)).map(|(column, width)| format!("  {:>width$}", head(column)));
    out.line(format!("{:WIDTH$}{}", "time", heads.collect::<String>()))
}

/// Prints rows as they come, one for each step.
pub(crate) fn print(gauge: &Gauge, run: &Run, out: &mut Out) -> Result<(), Failure> {
    let cells = run.samples.iter().zip(widths(gauge)).map(|(sample, width)| format!("  {:>width$}", shown(sample)));
    let cells: String = cells.collect();
    for at in run.times(gauge.step()) {
        if out.is_closed() {
            break;
        }
        let time = format!("{} s", seconds_short(gauge.origin().file_time_ns(at)));
        out.line(format!("{time:WIDTH$}{cells}"))?;
    }
    Ok(())
}

fn widths(gauge: &Gauge) -> impl Iterator<Item = usize> {
    gauge.columns().iter().map(|column| head(column).chars().count().max(WIDTH))
}

/// Plays one point as a bar, at the recording's own pace times `speed` on a terminal.
pub(crate) fn play(
    gauge: &Gauge,
    kept: &KeptReadings,
    speed: f64,
    scale: Option<(f64, f64)>,
    out: &mut Out,
) -> Result<(), Failure> {
    let Some(column) = gauge.columns().first() else { return Ok(()) };
    let values = kept.runs().iter().filter_map(|run| run.samples.first().and_then(|sample| sample.0));
    let seen = values.fold(None, |range: Option<(f64, f64)>, value| {
        let (least, most) = range.unwrap_or((value.min(0.0), value));
        Some((least.min(value), most.max(value)))
    });
    let (least, most) = scale.or(seen).filter(|(least, most)| least < most).unwrap_or((0.0, 1.0));
    let live = std::io::stdout().is_terminal();
    let rows = kept.runs().iter().flat_map(|run| run.times(gauge.step()).map(|at| (at, &run.samples)));
    for (at, samples) in rows {
        if out.is_closed() {
            break;
        }
        let sample = samples.first().copied().unwrap_or_default();
        let share = sample.0.map_or(0.0, |value| ((value - least) / (most - least)).clamp(0.0, 1.0));
        let full = cast::usize_from_f64((share * BAR as f64).round());
        let time = seconds_short(gauge.origin().file_time_ns(at));
        let text = format!(
            "{:>10} s  {} {}▕{}{}▏{}  {:>12} {}{}",
            time,
            column.name,
            significant(least),
            "█".repeat(full),
            "·".repeat(BAR - full),
            significant(most),
            shown(&sample),
            on_one_line(&column.unit),
            sample.1.map_or(String::new(), |step| format!(" ±{}", significant(step))),
        );
        if live {
            write!(out.writer(), "\r\x1b[K{text}")?;
            out.writer().flush()?;
            std::thread::sleep(Duration::from_secs_f64(gauge.step().seconds() / speed));
        } else {
            out.line(text)?;
        }
    }
    if live { out.line("") } else { Ok(()) }
}

fn head(column: &Column) -> String {
    on_one_line(format!("{} {}", column.name, column.unit).trim_end()).into_owned()
}

/// The step of a bar's frames.
pub(crate) fn frame(speed: f64) -> Nanos {
    Nanos(cast::u64_from_f64((speed / FRAMES * 1e9).max(1.0)))
}

fn shown(sample: &Sample) -> String {
    sample.0.map_or("-".to_owned(), |value| resolved(value, sample.1))
}
