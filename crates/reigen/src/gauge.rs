//! States at a constant step, shown: as a table, or as bars and lamps that follow them.

use crate::failure::Failure;
use crate::print::{Out, terminal_width};
use reigen_core::cast;
use reigen_core::finding::Finding;
use reigen_core::lines::LineColumns;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::{Nanos, Window, seconds_short};
use reigen_core::units::{resolved, significant};
use reigen_run::gauge::{Column, Gauge, GaugeTable, KeptReadings, Run, Sample, Sampled};
use reigen_run::observer::WindowView;
use std::io::{IsTerminal, Write};
use std::time::Duration;

/// The least width of a column of the table.
const WIDTH: usize = 10;
/// How wide a table may be where there is no terminal.
const WIDTH_WITHOUT_TERMINAL: usize = 120;
/// How many frames a second a bar has.
const FRAMES: f64 = 20.0;
/// The letters of a bar.
const BAR: usize = 40;

/// A table of states in the making: printed as its rows come, or kept.
pub(crate) struct StateTable<'a> {
    step: Nanos,
    gauge: Option<Gauge>,
    kept: KeptReadings,
    /// Where rows are printed; `None` where they are kept.
    out: Option<&'a mut Out>,
    /// What kept a row from being printed.
    failure: Option<Failure>,
    /// Bits that are on stand in a list, since lamps for all of them have no room.
    lists_bits: bool,
}

impl<'a> StateTable<'a> {
    /// A table with a row every step.
    pub(crate) fn new(step: Nanos, out: Option<&'a mut Out>) -> Self {
        Self { step, gauge: None, kept: KeptReadings::default(), out, failure: None, lists_bits: false }
    }

    /// The step between two rows.
    pub(crate) fn step(&self) -> Nanos {
        self.step
    }

    /// Begins with the columns that the gauge has.
    pub(crate) fn begin(&mut self, gauge: Gauge) -> Result<(), Failure> {
        let room = terminal_width().map_or(WIDTH_WITHOUT_TERMINAL, |width| width as usize);
        self.lists_bits = table_width(gauge.columns().iter()) > room;
        let columns = gauge.columns().iter().filter(|column| !self.lists_bits || !column.is_bit);
        let mut heads = format!("{:WIDTH$}", "time");
        heads.extend(columns.map(|column| format!("  {:>width$}", head(column), width = width(column))));
        if self.lists_bits && gauge.columns().iter().any(|column| column.is_bit) {
            heads.push_str("  on");
        }
        self.gauge = Some(gauge);
        self.out.as_mut().map_or(Ok(()), |out| out.line(heads))
    }

    /// Takes what points did in a window.
    pub(crate) fn take(&mut self, view: &WindowView<'_>) {
        let mut rows = Vec::new();
        if let Some(gauge) = &mut self.gauge {
            gauge.take(view, |run| rows.push(run));
        }
        self.add(rows);
    }

    /// Takes what lines did in a window.
    pub(crate) fn take_lines(&mut self, window: Window, lines: &LineColumns) {
        let mut rows = Vec::new();
        if let Some(gauge) = &mut self.gauge {
            gauge.take_lines(window, lines, |run| rows.push(run));
        }
        self.add(rows);
    }

    /// What was kept, to play it.
    pub(crate) fn into_kept(self) -> Option<(Gauge, KeptReadings)> {
        Some((self.gauge?, self.kept))
    }

    fn add(&mut self, rows: Vec<Run>) {
        for row in rows {
            match (&mut self.out, &self.gauge, &self.failure) {
                (Some(out), Some(gauge), None) => self.failure = print(gauge, &row, self.lists_bits, out).err(),
                (None, ..) => self.kept.take(row),
                _ => {}
            }
        }
    }

    /// The table as it is kept, where it was not printed, and whether rows are missing in it.
    pub(crate) fn finish(self) -> Result<(Option<GaugeTable>, Option<Finding>), Failure> {
        let Self { gauge, kept, out, failure, .. } = self;
        if let Some(failure) = failure {
            return Err(failure);
        }
        match (out, gauge) {
            (Some(out), Some(_)) => {
                out.line("")?;
                Ok((None, None))
            }
            (_, gauge) => {
                let finding = kept.finding();
                Ok((gauge.map(|gauge| gauge.told(kept)), finding))
            }
        }
    }
}

/// Prints a row for each step.
fn print(gauge: &Gauge, run: &Run, lists_bits: bool, out: &mut Out) -> Result<(), Failure> {
    let columns = || gauge.columns().iter().zip(&run.samples);
    let in_cells = columns().filter(|(column, _)| !lists_bits || !column.is_bit);
    let mut cells: String =
        in_cells.map(|(column, sample)| format!("  {:>width$}", shown(sample), width = width(column))).collect();
    if lists_bits {
        let on = columns().filter(|(_, sample)| sample.0 == Some(Sampled::Bit(true)));
        cells.extend(on.map(|(column, _)| format!("  {}", on_one_line(&column.name))));
    }
    for at in run.times(gauge.step()) {
        if out.is_closed() {
            break;
        }
        let time = format!("{} s", seconds_short(gauge.origin().file_time_ns(at)));
        out.line(format!("{time:WIDTH$}{cells}"))?;
    }
    Ok(())
}

fn table_width<'a>(columns: impl Iterator<Item = &'a Column>) -> usize {
    WIDTH + columns.map(|column| width(column) + 2).sum::<usize>()
}

/// How wide a column is: a lamp needs no more than its name.
fn width(column: &Column) -> usize {
    head(column).chars().count().max(if column.is_bit { 1 } else { WIDTH })
}

/// Plays points at the recording's own pace times `speed` on a terminal: numbers as bars, bits as lamps.
pub(crate) fn play(
    (gauge, kept): &(Gauge, KeptReadings),
    speed: f64,
    scale: Option<(f64, f64)>,
    out: &mut Out,
) -> Result<(), Failure> {
    let columns = gauge.columns();
    let scales: Vec<_> = (0..columns.len()).map(|number| scale.unwrap_or_else(|| seen_scale(kept, number))).collect();
    let name_width = columns.iter().map(|column| column.name.chars().count()).max().unwrap_or_default();
    let live = std::io::stdout().is_terminal();
    let rows = kept.runs().iter().flat_map(|run| run.times(gauge.step()).map(|at| (at, &run.samples)));
    let mut first = true;
    for (at, samples) in rows {
        if out.is_closed() {
            break;
        }
        if live && !first {
            // Back up to the first of the lines that stand there.
            write!(out.writer(), "\x1b[{}A", columns.len())?;
        }
        first = false;
        let mut time = seconds_short(gauge.origin().file_time_ns(at));
        for ((column, sample), scale) in columns.iter().zip(samples).zip(&scales) {
            let unit = if time.is_empty() { ' ' } else { 's' };
            let name = on_one_line(&column.name);
            let picture = if column.is_bit { lamp(sample) } else { bar(column, sample, *scale) };
            let text = format!("{time:>10} {unit}  {name:name_width$}  {picture}");
            match live {
                true => write!(out.writer(), "\r\x1b[K{text}\n")?,
                false => out.line(text)?,
            }
            time.clear();
        }
        if live {
            out.writer().flush()?;
            std::thread::sleep(Duration::from_secs_f64(gauge.step().seconds() / speed));
        }
    }
    Ok(())
}

/// The range of a column's values, zero in it.
fn seen_scale(kept: &KeptReadings, column: usize) -> (f64, f64) {
    let samples = kept.runs().iter().filter_map(|run| run.samples.get(column));
    let values = samples.filter_map(|sample| sample.0.and_then(Sampled::number));
    let seen = values.fold(None, |range: Option<(f64, f64)>, value| {
        let (least, most) = range.unwrap_or((value.min(0.0), value));
        Some((least.min(value), most.max(value)))
    });
    seen.filter(|(least, most)| least < most).unwrap_or((0.0, 1.0))
}

fn lamp(sample: &Sample) -> String {
    let word = match sample.0 {
        Some(Sampled::Bit(true)) => "on",
        Some(_) => "off",
        None => "",
    };
    format!("{} {word}", shown(sample))
}

fn bar(column: &Column, sample: &Sample, (least, most): (f64, f64)) -> String {
    let value = sample.0.and_then(Sampled::number);
    let share = value.map_or(0.0, |value| ((value - least) / (most - least)).clamp(0.0, 1.0));
    let full = cast::usize_from_f64((share * BAR as f64).round());
    format!(
        "{}▕{}{}▏{}  {:>12} {}{}",
        significant(least),
        "█".repeat(full),
        "·".repeat(BAR - full),
        significant(most),
        shown(sample),
        on_one_line(&column.unit),
        sample.1.map_or(String::new(), |step| format!(" ±{}", significant(step))),
    )
}

fn head(column: &Column) -> String {
    on_one_line(format!("{} {}", column.name, column.unit).trim_end()).into_owned()
}

/// Refuses a step that is none.
pub(crate) fn check_step(every: Option<Nanos>) -> Result<(), Failure> {
    match every {
        Some(Nanos(0)) => Err(Failure::Usage {
            message: "--every must be above zero".to_owned(),
            help: "such as --every 250ms".to_owned(),
        }),
        _ => Ok(()),
    }
}

/// The step of a bar's frames.
pub(crate) fn frame(speed: f64) -> Nanos {
    Nanos(cast::u64_from_f64((speed / FRAMES * 1e9).max(1.0)))
}

/// A number with its resolution; a bit as a lamp.
fn shown(sample: &Sample) -> String {
    match sample.0 {
        Some(Sampled::Bit(true)) => "●".to_owned(),
        Some(Sampled::Bit(false)) => "○".to_owned(),
        Some(Sampled::Number(value)) => resolved(value, sample.1),
        None => "-".to_owned(),
    }
}
