//! States of points and lines at a constant step.

use crate::observer::WindowView;
use reigen_core::column::{BitColumn, CountColumn, ReadingColumn, StepColumn};
use reigen_core::engine::PointColumns;
use reigen_core::finding::Finding;
use reigen_core::lines::LineColumns;
use reigen_core::time::{Nanos, Origin, Window};
use reigen_station::station::{FieldColumn, Point, Station};
use serde::Serialize;

/// At most so many values are kept in memory, for a JSON or a bar: those that repeat count once.
const MOST_KEPT: usize = 500_000;

/// One point or line that is read.
#[derive(Debug, Clone, Serialize, schemars::JsonSchema)]
pub struct Column {
    /// Its name.
    pub name: String,
    /// The unit of its number; empty where it has none.
    pub unit: String,
    /// Whether it is a bit, and no number.
    #[serde(skip)]
    pub is_bit: bool,
    /// The number of the point, or of the line.
    #[serde(skip)]
    number: usize,
    /// Whether it tells its resolution in its second reading.
    #[serde(skip)]
    resolves: bool,
}

/// What a point or a line is.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub enum Sampled {
    /// On or off.
    Bit(bool),
    /// A number.
    Number(f64),
}

impl Sampled {
    /// The number that it is; a bit is none.
    pub fn number(self) -> Option<f64> {
        match self {
            Self::Number(number) => Some(number),
            Self::Bit(_) => None,
        }
    }
}

/// A value with its resolution, where it has them.
pub type Sample = (Option<Sampled>, Option<f64>);

/// Readings at steps in a row that are all the same.
#[derive(Debug, Clone, PartialEq)]
pub struct Run {
    /// When the first of them was taken.
    pub first: Nanos,
    /// How many steps they are.
    pub count: u64,
    /// One for each point that is read.
    pub samples: Vec<Sample>,
}

/// Takes readings at multiples of a step.
#[derive(Debug)]
pub struct Gauge {
    step: Nanos,
    /// `None` once all times are over.
    next: Option<Nanos>,
    columns: Vec<Column>,
    origin: Origin,
}

/// Readings kept in memory.
#[derive(Debug, Default)]
pub struct KeptReadings {
    runs: Vec<Run>,
    /// Whether there was no more room.
    full: bool,
}

impl KeptReadings {
    /// The readings, those that repeat once.
    pub fn runs(&self) -> &[Run] {
        &self.runs
    }

    /// Takes readings, unless there is no more room.
    pub fn take(&mut self, run: Run) {
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
    pub fn finding(&self) -> Option<Finding> {
        let message = format!("only the first {MOST_KEPT} different readings are there");
        self.full.then(|| {
            Finding::note("readings-left-out", "--every", message, "take a longer step, or a stretch: --from and --to")
        })
    }
}

/// The table as it stands in the JSON.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub struct GaugeTable {
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
            let values: Vec<Option<Sampled>> = run.samples.iter().map(|(value, _)| *value).collect();
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
    values: Vec<Option<Sampled>>,
}

impl Run {
    /// The times of its steps.
    pub fn times(&self, step: Nanos) -> impl Iterator<Item = Nanos> + use<> {
        let first = self.first;
        (0..self.count).map(move |number| first + Nanos(step.0.saturating_mul(number)))
    }
}

/// What a column did within a window.
enum Seen<'a> {
    Bit(&'a BitColumn),
    Count(&'a CountColumn),
    /// A reading, and its resolution where it tells one.
    Reading(&'a ReadingColumn, Option<&'a ReadingColumn>),
}

impl Gauge {
    /// Of these points, in this order; of all that are bits or numbers where none is named.
    pub fn of_points(station: &Station, step: Nanos, only: &[usize], origin: Origin) -> Self {
        let columns = match only {
            [] => station.points.iter().enumerate().filter_map(point_column).collect(),
            only => only
                .iter()
                .filter_map(|number| station.points.get(*number).and_then(|point| point_column((*number, point))))
                .collect(),
        };
        Self::new(columns, step, origin)
    }

    /// Of lines of two levels and of lines of numbers, without a station.
    pub fn of_lines(levels: &[String], numbers: &[String], step: Nanos, origin: Origin) -> Self {
        let columns_of = |names: &[String], is_bit| -> Vec<Column> {
            let column = |(number, name): (usize, &String)| Column {
                name: name.clone(),
                unit: String::new(),
                is_bit,
                number,
                resolves: false,
            };
            names.iter().enumerate().map(column).collect()
        };
        Self::new([columns_of(levels, true), columns_of(numbers, false)].concat(), step, origin)
    }

    fn new(columns: Vec<Column>, step: Nanos, origin: Origin) -> Self {
        Self { step: Nanos(step.0.max(1)), next: Some(Nanos(0)), columns, origin }
    }

    /// The points or lines that are read.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// The step between two readings.
    pub fn step(&self) -> Nanos {
        self.step
    }

    /// The source's own time at which time 0 is.
    pub fn origin(&self) -> Origin {
        self.origin
    }

    /// Whether there is nothing to read.
    pub fn is_empty(&self) -> bool {
        self.columns.is_empty()
    }

    /// Takes what points did in a window, and hands it on: steps at which nothing has changed come at once.
    pub fn take(&mut self, view: &WindowView<'_>, hand_on: impl FnMut(Run)) {
        let points: Vec<_> = view.engine.points().collect();
        let of = |column: &Column| points.iter().find(|columns| columns.point == column.number);
        let seen: Vec<_> = self.columns.iter().map(|column| seen(column, of(column)?)).collect();
        self.take_seen(view.window, &seen, hand_on);
    }

    /// The same of what lines did.
    pub fn take_lines(&mut self, window: Window, lines: &LineColumns, hand_on: impl FnMut(Run)) {
        let seen = |column: &Column| match column.is_bit {
            true => lines.bits().get(column.number).map(Seen::Bit),
            false => lines.readings().get(column.number).map(|reading| Seen::Reading(reading, None)),
        };
        let seen: Vec<_> = self.columns.iter().map(seen).collect();
        self.take_seen(window, &seen, hand_on);
    }

    fn take_seen(&mut self, window: Window, seen: &[Option<Seen<'_>>], mut hand_on: impl FnMut(Run)) {
        let step = self.step.0;
        if let Some(next) = self.next.filter(|next| *next < window.from) {
            let steps = (window.from.0 - next.0).div_ceil(step);
            self.next = steps.checked_mul(step).and_then(|by| next.0.checked_add(by)).map(Nanos);
        }
        while let Some(at) = self.next.filter(|next| *next < window.until) {
            let samples = seen.iter().map(|seen| seen.as_ref().map_or((None, None), |seen| seen.at(at))).collect();
            let changes = seen.iter().filter_map(|seen| seen.as_ref().and_then(|seen| seen.next_change(at)));
            let until = changes.min().map_or(window.until, |change| change.min(window.until));
            let count = until.saturating_sub(at).0.div_ceil(step).max(1);
            hand_on(Run { first: at, count, samples });
            self.next = count.checked_mul(step).and_then(|by| at.0.checked_add(by)).map(Nanos);
        }
    }

    /// The table for a JSON.
    pub fn told(self, kept: KeptReadings) -> GaugeTable {
        let Self { step, columns, origin, .. } = self;
        GaugeTable { step_ns: step.0, columns, rows: Rows { step, origin, runs: kept.runs } }
    }
}

/// The column of a point that is a bit or a number.
fn point_column((number, point): (usize, &Point)) -> Option<Column> {
    let fields = point.kind.fields();
    Some(Column {
        name: point.name.clone(),
        unit: point.kind.unit().unwrap_or_default().to_owned(),
        is_bit: matches!(fields.first()?.column, FieldColumn::Bit(_)),
        number,
        resolves: fields.iter().any(|field| field.name == "resolution"),
    })
}

/// What a point did, as its column wants it.
fn seen<'a>(column: &Column, columns: &PointColumns<'a>) -> Option<Seen<'a>> {
    let resolution = columns.readings.get(1).filter(|_| column.resolves);
    let reading = || columns.reading().map(|reading| Seen::Reading(reading, resolution));
    columns.bit().map(Seen::Bit).or_else(|| columns.count().map(Seen::Count)).or_else(reading)
}

impl Seen<'_> {
    /// What it was at a time.
    fn at(&self, at: Nanos) -> Sample {
        match self {
            // A line that becomes known within the window is unknown before.
            Self::Bit(bit) => (bit.level_at(at).filter(|_| bit.since <= at).map(Sampled::Bit), None),
            Self::Count(count) => (count.at(at).map(|value| Sampled::Number(value as f64)), None),
            Self::Reading(reading, resolution) => {
                (reading.at(at).map(Sampled::Number), resolution.and_then(|resolution| resolution.at(at)))
            }
        }
    }

    /// When it, or its resolution, changes next after a time.
    fn next_change(&self, at: Nanos) -> Option<Nanos> {
        match self {
            Self::Bit(bit) if bit.level.is_some() && bit.since > at => Some(bit.since),
            Self::Bit(bit) => after(&bit.toggles, at),
            Self::Count(count) => next_step(count, at),
            Self::Reading(reading, resolution) => {
                let resolution = resolution.and_then(|resolution| next_step(resolution, at));
                next_step(reading, at).into_iter().chain(resolution).min()
            }
        }
    }
}

fn next_step<V>(column: &StepColumn<V>, at: Nanos) -> Option<Nanos> {
    after(&column.times, at)
}

/// The first of some times after another.
fn after(times: &[Nanos], at: Nanos) -> Option<Nanos> {
    times.get(times.partition_point(|time| *time <= at)).copied()
}
