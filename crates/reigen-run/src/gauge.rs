//! Readings of numbers at a constant step.

use crate::observer::WindowView;
use reigen_core::engine::PointColumns;
use reigen_core::finding::Finding;
use reigen_core::time::{Nanos, Origin};
use reigen_station::station::{FieldColumn, Station};
use serde::Serialize;

/// At most so many values are kept in memory, for a JSON or a bar: those that repeat count once.
const MOST_KEPT: usize = 500_000;

/// One point that is read.
#[derive(Debug, Clone, Serialize, schemars::JsonSchema)]
pub struct Column {
    /// Its name.
    pub name: String,
    /// The unit of its number; empty where it has none.
    pub unit: String,
    #[serde(skip)]
    point: usize,
    /// Whether it tells its resolution in its second reading.
    #[serde(skip)]
    resolves: bool,
}

/// A value with its resolution, where it has them.
pub type Sample = (Option<f64>, Option<f64>);

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
    /// The times of its steps.
    pub fn times(&self, step: Nanos) -> impl Iterator<Item = Nanos> + use<> {
        let first = self.first;
        (0..self.count).map(move |number| first + Nanos(step.0.saturating_mul(number)))
    }
}

impl Gauge {
    /// Of all points that are numbers, or of the one with this number.
    pub fn new(station: &Station, step: Nanos, only: Option<usize>, origin: Origin) -> Self {
        let number = |(point, kind): (usize, &reigen_station::station::Point)| {
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

    /// The points that are read.
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

    /// Whether no point is a number.
    pub fn is_empty(&self) -> bool {
        self.columns.is_empty()
    }

    /// Takes what lies in a window, and hands it on: steps at which nothing has changed come at once.
    pub fn take(&mut self, view: &WindowView<'_>, mut hand_on: impl FnMut(Run)) {
        let step = self.step.0;
        if let Some(next) = self.next.filter(|next| *next < view.window.from) {
            let steps = (view.window.from.0 - next.0).div_ceil(step);
            self.next = steps.checked_mul(step).and_then(|by| next.0.checked_add(by)).map(Nanos);
        }
        let points: Vec<_> = view.engine.points().collect();
        let of = |column: &Column| points.iter().find(|columns| columns.point == column.point);
        while let Some(at) = self.next.filter(|next| *next < view.window.until) {
            let samples =
                self.columns.iter().map(|column| of(column).map_or((None, None), |of| sample(column, of, at)));
            let samples = samples.collect();
            let changes = self.columns.iter().filter_map(|column| of(column).and_then(|of| next_change(of, at)));
            let until = changes.min().map_or(view.window.until, |change| change.min(view.window.until));
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
