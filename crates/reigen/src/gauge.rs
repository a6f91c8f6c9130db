//! Readings at a constant step: as a table, or as a bar that follows one of them.

use crate::failure::Failure;
use crate::print::Out;
use crate::replay::Seen;
use crate::tables::table;
use reigen_core::station::{FieldColumn, Station};
use reigen_core::time::{Nanos, Origin, seconds_short};
use reigen_core::units::{resolved, significant};
use serde::Serialize;
use std::io::{IsTerminal, Write};
use std::time::Duration;

/// More rows than these nobody reads.
const MOST_ROWS: usize = 1_000_000;
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

/// Takes readings at multiples of a step.
#[derive(Debug)]
pub(crate) struct Gauge {
    step: Nanos,
    next: Nanos,
    columns: Vec<Column>,
    rows: Vec<(Nanos, Vec<Sample>)>,
}

/// The table as it stands in the JSON.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct GaugeTable {
    step_ns: u64,
    columns: Vec<Column>,
    rows: Vec<GaugeRow>,
}

#[derive(Debug, Serialize, schemars::JsonSchema)]
struct GaugeRow {
    time_ns: i64,
    values: Vec<Option<f64>>,
}

impl Gauge {
    /// Of all points that are numbers, or of the one with this number.
    pub(crate) fn new(station: &Station, step: Nanos, only: Option<usize>) -> Self {
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
        Self { step: Nanos(step.0.max(1)), next: Nanos(0), columns, rows: Vec::new() }
    }

    /// Whether no point is a number.
    pub(crate) fn is_empty(&self) -> bool {
        self.columns.is_empty()
    }

    /// Takes what lies in a window.
    pub(crate) fn take(&mut self, seen: &Seen<'_>) {
        if self.next < seen.window.from {
            self.next = Nanos(seen.window.from.0.div_ceil(self.step.0) * self.step.0);
        }
        let points: Vec<_> = seen.engine.points().collect();
        while self.next < seen.window.until && self.rows.len() < MOST_ROWS {
            let at = self.next;
            let sample = |column: &Column| {
                let Some(columns) = points.iter().find(|columns| columns.point == column.point) else {
                    return (None, None);
                };
                if let Some(count) = columns.count() {
                    return (count.at(at).map(|value| value as f64), None);
                }
                let resolution = columns.readings.get(1).filter(|_| column.resolves);
                let reading = columns.reading().and_then(|reading| reading.at(at));
                (reading, resolution.and_then(|resolution| resolution.at(at)))
            };
            self.rows.push((at, self.columns.iter().map(sample).collect()));
            self.next = Nanos(self.next.0.saturating_add(self.step.0));
        }
    }

    /// The table for a JSON.
    pub(crate) fn told(&self, origin: Origin) -> GaugeTable {
        let row = |(at, samples): &(Nanos, Vec<Sample>)| GaugeRow {
            time_ns: origin.file_time_ns(*at),
            values: samples.iter().map(|(value, _)| *value).collect(),
        };
        GaugeTable { step_ns: self.step.0, columns: self.columns.clone(), rows: self.rows.iter().map(row).collect() }
    }

    /// Prints the table, a row for each step.
    pub(crate) fn print(&self, origin: Origin, out: &mut Out) -> Result<(), Failure> {
        let heads: Vec<String> = self
            .columns
            .iter()
            .map(|column| format!("{} {}", column.name, column.unit).trim_end().to_owned())
            .collect();
        let header: Vec<&str> = std::iter::once("time").chain(heads.iter().map(String::as_str)).collect();
        let mut rows = table(&header);
        for (at, samples) in &self.rows {
            let time = format!("{} s", seconds_short(origin.file_time_ns(*at)));
            rows.add_row(std::iter::once(time).chain(samples.iter().map(shown)));
        }
        out.table(rows)?;
        if self.rows.len() == MOST_ROWS {
            out.line(format!("only the first {MOST_ROWS} rows are shown: take a longer step"))?;
        }
        out.line("")
    }

    /// Plays one point as a bar, at the recording's own pace times `speed` on a terminal.
    pub(crate) fn play(
        &self,
        origin: Origin,
        speed: f64,
        scale: Option<(f64, f64)>,
        out: &mut Out,
    ) -> Result<(), Failure> {
        let Some(column) = self.columns.first() else { return Ok(()) };
        let values = self.rows.iter().filter_map(|(_, samples)| samples.first().and_then(|sample| sample.0));
        let seen = values.fold(None, |range: Option<(f64, f64)>, value| {
            let (least, most) = range.unwrap_or((value.min(0.0), value));
            Some((least.min(value), most.max(value)))
        });
        let (least, most) = scale.or(seen).filter(|(least, most)| least < most).unwrap_or((0.0, 1.0));
        let live = std::io::stdout().is_terminal();
        for (at, samples) in &self.rows {
            let sample = samples.first().copied().unwrap_or_default();
            let share = sample.0.map_or(0.0, |value| ((value - least) / (most - least)).clamp(0.0, 1.0));
            let full = (share * BAR as f64).round() as usize;
            let time = seconds_short(origin.file_time_ns(*at));
            let text = format!(
                "{:>10} s  {} {}▕{}{}▏{}  {:>12} {}{}",
                time,
                column.name,
                significant(least),
                "█".repeat(full),
                "·".repeat(BAR - full),
                significant(most),
                shown(&sample),
                column.unit,
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

/// The step of a bar's frames.
pub(crate) fn frame(speed: f64) -> Nanos {
    Nanos((speed / FRAMES * 1e9).max(1.0) as u64)
}

fn shown(sample: &Sample) -> String {
    sample.0.map_or("-".to_owned(), |value| resolved(value, sample.1))
}
