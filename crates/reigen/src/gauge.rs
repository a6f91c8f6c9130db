//! Readings at a constant step: as a table, or as a bar that follows one of them.

use crate::failure::Failure;
use crate::print::Out;
use crate::replay::Seen;
use reigen_core::engine::PointColumns;
use reigen_core::finding::Finding;
use reigen_core::outside_words::on_one_line;
use reigen_core::station::{FieldColumn, Station};
use reigen_core::time::{Nanos, Origin, seconds_short};
use reigen_core::units::{resolved, significant};
use serde::Serialize;
use std::io::{IsTerminal, Write};
use std::time::Duration;

/// At most so many values are kept in memory, for a JSON or a bar: those that repeat count once.
const MOST_KEPT: usize = 500_000;
/// The least width of a column of the table.
const WIDTH: usize = 10;
/// How many frames a second a bar has.
const FRAMES: f64 = 20.0;
/// The letters of a bar.
const BAR: usize = 40;

/// One point that is read.
#[derive(Debug, Clone, Serialize, schemars::JsonSchema)]
struct Column {
    name: String,
    unit: String,
    #[serde(skip)]
    point: usize,
    /// Whether it tells its resolution in its second reading.
    #[serde(skip)]
    resolves: bool,
}

/// A value with its resolution, where it has them.
type Sample = (Option<f64>, Option<f64>);

/// Readings at steps in a row that are all the same.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Run {
    first: Nanos,
    count: u64,
    samples: Vec<Sample>,
}

/// Takes readings at multiples of a step.
#[derive(Debug)]
pub(crate) struct Gauge {
    step: Nanos,
    /// `None` once all times are over.
    next: Option<Nanos>,
    columns: Vec<Column>,
    origin: Origin,
}

/// Readings kept in memory.
#[derive(Debug, Default)]
pub(crate) struct Kept {
    runs: Vec<Run>,
    /// Whether there was no more room.
    full: bool,
}

impl Kept {
    /// Takes readings, unless there is no more room.
    pub(crate) fn take(&mut self, run: Run) {
        self.full |= (self.runs.len() + 1) * run.samples.len() > MOST_KEPT;
        if self.full {
            return;
        }
        match self.runs.last_mut().filter(|last| last.samples == run.samples) {
            Some(last) => last.count += run.count,
            None => self.runs.push(run),
        }
    }

    /// Says so where there was no more room.
    pub(crate) fn finding(&self) -> Option<Finding> {
        let message = format!("only the first {MOST_KEPT} different readings are there");
        self.full.then(|| {
            Finding::note("readings-left-out", "--every", message, "take a longer step, or a stretch: --from and --to")
        })
    }
}

/// The table as it stands in the JSON.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct GaugeTable {
    step_ns: u64,
    columns: Vec<Column>,
    rows: Rows,
}

/// Rows that are made as they are written.
#[derive(Debug)]
struct Rows {
    step: Nanos,
    origin: Origin,
    runs: Vec<Run>,
}

impl Serialize for Rows {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let rows = self.runs.iter().flat_map(|run| {
            let values: Vec<Option<f64>> = run.samples.iter().map(|(value, _)| *value).collect();
            run.times(self.step)
                .map(move |at| GaugeRow { time_ns: self.origin.file_time_ns(at), values: values.clone() })
        });
        serializer.collect_seq(rows)
    }
}

impl schemars::JsonSchema for Rows {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        Vec::<GaugeRow>::schema_name()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        Vec::<GaugeRow>::json_schema(generator)
    }

    fn inline_schema() -> bool {
        true
    }
}

#[derive(Debug, Serialize, schemars::JsonSchema)]
struct GaugeRow {
    time_ns: i64,
    values: Vec<Option<f64>>,
}

impl Run {
    fn times(&self, step: Nanos) -> impl Iterator<Item = Nanos> + use<> {
        let first = self.first;
        (0..self.count).map(move |number| first + Nanos(step.0.saturating_mul(number)))
    }
}

impl Gauge {
    /// Of all points that are numbers, or of the one with this number.
    pub(crate) fn new(station: &Station, step: Nanos, only: Option<usize>, origin: Origin) -> Self {
        let number = |(point, kind): (usize, &reigen_core::station::Point)| {
            let fields = kind.kind.fields();
            let is_number = matches!(fields.first()?.column, FieldColumn::Count(_) | FieldColumn::Reading(_));
            (is_number && only.is_none_or(|only| only == point)).then(|| Column {
                name: kind.name.clone(),
                unit: kind.kind.unit().unwrap_or_default().to_owned(),
                point,
                resolves: fields.iter().any(|field| field.name == "resolution"),
            })
        };
        let columns = station.points.iter().enumerate().filter_map(number).collect();
        Self { step: Nanos(step.0.max(1)), next: Some(Nanos(0)), columns, origin }
    }

    /// Whether no point is a number.
    pub(crate) fn is_empty(&self) -> bool {
        self.columns.is_empty()
    }

    /// Takes what lies in a window, and hands it on: steps at which nothing has changed come at once.
    pub(crate) fn take(&mut self, seen: &Seen<'_>, mut hand_on: impl FnMut(Run)) {
        let step = self.step.0;
        if let Some(next) = self.next.filter(|next| *next < seen.window.from) {
            let steps = (seen.window.from.0 - next.0).div_ceil(step);
            self.next = steps.checked_mul(step).and_then(|by| next.0.checked_add(by)).map(Nanos);
        }
        let points: Vec<_> = seen.engine.points().collect();
        let of = |column: &Column| points.iter().find(|columns| columns.point == column.point);
        while let Some(at) = self.next.filter(|next| *next < seen.window.until) {
            let samples =
                self.columns.iter().map(|column| of(column).map_or((None, None), |of| sample(column, of, at)));
            let samples = samples.collect();
            let changes = self.columns.iter().filter_map(|column| of(column).and_then(|of| next_change(of, at)));
            let until = changes.min().map_or(seen.window.until, |change| change.min(seen.window.until));
            let count = until.saturating_sub(at).0.div_ceil(step).max(1);
            hand_on(Run { first: at, count, samples });
            self.next = count.checked_mul(step).and_then(|by| at.0.checked_add(by)).map(Nanos);
        }
    }

    /// The table for a JSON.
    pub(crate) fn told(self, kept: Kept) -> GaugeTable {
        let Self { step, columns, origin, .. } = self;
        GaugeTable { step_ns: step.0, columns, rows: Rows { step, origin, runs: kept.runs } }
    }

    /// Prints the head of the table.
    pub(crate) fn print_head(&self, out: &mut Out) -> Result<(), Failure> {
        let heads = self.columns.iter().zip(self.widths()).map(|(column, width)| format!("  {:>width$}", head(column)));
        out.line(format!("{:WIDTH$}{}", "time", heads.collect::<String>()))
    }

    /// Prints rows as they come, one for each step.
    pub(crate) fn print(&self, run: &Run, out: &mut Out) -> Result<(), Failure> {
        let cells = run.samples.iter().zip(self.widths()).map(|(sample, width)| format!("  {:>width$}", shown(sample)));
        let cells: String = cells.collect();
        for at in run.times(self.step) {
            if out.is_closed() {
                break;
            }
            let time = format!("{} s", seconds_short(self.origin.file_time_ns(at)));
            out.line(format!("{time:WIDTH$}{cells}"))?;
        }
        Ok(())
    }

    fn widths(&self) -> impl Iterator<Item = usize> {
        self.columns.iter().map(|column| head(column).chars().count().max(WIDTH))
    }

    /// Plays one point as a bar, at the recording's own pace times `speed` on a terminal.
    pub(crate) fn play(
        &self,
        kept: &Kept,
        speed: f64,
        scale: Option<(f64, f64)>,
        out: &mut Out,
    ) -> Result<(), Failure> {
        let Some(column) = self.columns.first() else { return Ok(()) };
        let values = kept.runs.iter().filter_map(|run| run.samples.first().and_then(|sample| sample.0));
        let seen = values.fold(None, |range: Option<(f64, f64)>, value| {
            let (least, most) = range.unwrap_or((value.min(0.0), value));
            Some((least.min(value), most.max(value)))
        });
        let (least, most) = scale.or(seen).filter(|(least, most)| least < most).unwrap_or((0.0, 1.0));
        let live = std::io::stdout().is_terminal();
        let rows = kept.runs.iter().flat_map(|run| run.times(self.step).map(|at| (at, &run.samples)));
        for (at, samples) in rows {
            if out.is_closed() {
                break;
            }
            let sample = samples.first().copied().unwrap_or_default();
            let share = sample.0.map_or(0.0, |value| ((value - least) / (most - least)).clamp(0.0, 1.0));
            let full = (share * BAR as f64).round() as usize;
            let time = seconds_short(self.origin.file_time_ns(at));
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
                std::thread::sleep(Duration::from_secs_f64(self.step.seconds() / speed));
            } else {
                out.line(text)?;
            }
        }
        if live { out.line("") } else { Ok(()) }
    }
}

/// What a column says at a time.
fn sample(column: &Column, columns: &PointColumns<'_>, at: Nanos) -> Sample {
    if let Some(count) = columns.count() {
        return (count.at(at).map(|value| value as f64), None);
    }
    let resolution = columns.readings.get(1).filter(|_| column.resolves);
    let reading = columns.reading().and_then(|reading| reading.at(at));
    (reading, resolution.and_then(|resolution| resolution.at(at)))
}

/// When a point's number, or its resolution, changes next after a time.
fn next_change(columns: &PointColumns<'_>, at: Nanos) -> Option<Nanos> {
    let first = |times: &[Nanos]| times.get(times.partition_point(|time| *time <= at)).copied();
    let counts = columns.counts.iter().filter_map(|count| first(&count.times));
    counts.chain(columns.readings.iter().filter_map(|reading| first(&reading.times))).min()
}

fn head(column: &Column) -> String {
    on_one_line(format!("{} {}", column.name, column.unit).trim_end()).into_owned()
}

/// The step of a bar's frames.
pub(crate) fn frame(speed: f64) -> Nanos {
    Nanos((speed / FRAMES * 1e9).max(1.0) as u64)
}

fn shown(sample: &Sample) -> String {
    sample.0.map_or("-".to_owned(), |value| resolved(value, sample.1))
}
