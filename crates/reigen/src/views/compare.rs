//! What differs between two runs, point by point.

use crate::cli::SpanArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::{open_all, stretch};
use crate::table_view::Table;
use crate::tables::readings::number;
use crate::views::debounce::{Question, measure};
use crate::views::instruments::InstrumentReport;
use indexmap::IndexMap;
use reigen_core::names::counted;
use reigen_core::time::Nanos;
use reigen_core::units::short_time;
use reigen_io::options::ReadOptions;
use reigen_io::recording::Clock;
use reigen_io::source::Source;
use reigen_run::compare::{Courses, PointDifference};
use reigen_run::outcome::Outcome;
use reigen_run::station_file::StationFile;
use serde::Serialize;
use std::path::PathBuf;

/// What the command gives as JSON: of two runs, or of two instruments.
#[derive(Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub(crate) enum CompareResult<'a> {
    Runs(&'a CompareReport),
    Instruments(&'a InstrumentReport),
}

/// One of two runs.
pub(crate) struct RunSide<'a> {
    pub(crate) station: &'a StationFile,
    pub(crate) outcome: Outcome,
    pub(crate) courses: Courses,
}

/// What differs.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct CompareReport {
    /// The station and the recording of each side.
    sides: [CompareSide; 2],
    /// The share of a reading that is tolerated.
    tolerance: f64,
    /// Whether anything differs by more than that.
    pub(crate) differs: bool,
    /// The points that both have.
    pub(crate) points: IndexMap<String, PointDifference>,
    /// The contacts among them: how they bounce.
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub(crate) contacts: IndexMap<String, [ContactFigures; 2]>,
    /// Points of one of the two stations only.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    only_in_one: Vec<String>,
}

#[derive(Debug, Serialize, schemars::JsonSchema)]
struct CompareSide {
    station: String,
    recording: String,
    /// How long it is.
    duration_ns: u64,
}

/// How a contact bounces in a recording.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct ContactFigures {
    /// How many times it was actuated, as far as its line shows.
    actuations: u64,
    /// Edges of bounce.
    bounce_edges: u64,
    /// The longest burst.
    longest_ns: Option<Nanos>,
}

impl CompareReport {
    /// Compares two runs.
    pub(crate) fn new(sides: &[RunSide<'_>; 2], tolerance: f64, wanted: impl Fn(&str) -> bool) -> Self {
        let [one, two] = sides;
        let end = one.courses.end.min(two.courses.end);
        let number =
            |side: &RunSide<'_>, name: &str| side.station.station.points.iter().position(|point| point.name == name);
        let course = |side: &RunSide<'_>, name: &str| {
            number(side, name).and_then(|number| side.courses.points.get(number)).cloned().unwrap_or_default()
        };
        let mut points = IndexMap::new();
        let mut only_in_one = Vec::new();
        for point in one.station.station.points.iter().filter(|point| wanted(&point.name)) {
            if number(two, &point.name).is_none() {
                only_in_one.push(point.name.clone());
                continue;
            }
            let difference = course(one, &point.name).compared(&course(two, &point.name), end, tolerance);
            points.insert(point.name.clone(), difference);
        }
        let second = two.station.station.points.iter().map(|point| &point.name);
        only_in_one.extend(second.filter(|name| number(one, name).is_none() && wanted(name)).cloned());
        let told = |side: &RunSide<'_>| CompareSide {
            station: side.station.name.clone(),
            recording: side.outcome.recording.clone(),
            duration_ns: side.outcome.to.saturating_sub(side.outcome.from).0,
        };
        let differs = points.values().any(|point| point.differs);
        Self { sides: [told(one), told(two)], tolerance, differs, points, contacts: IndexMap::new(), only_in_one }
    }
}

/// How the contacts among the inputs bounce on each side.
pub(crate) fn contacts(
    sides: &[RunSide<'_>; 2],
    paths: [&PathBuf; 2],
    options: &ReadOptions,
    span: SpanArguments,
    wanted: impl Fn(&str) -> bool,
) -> Result<IndexMap<String, [ContactFigures; 2]>, Failure> {
    let station = &sides[0].station.station;
    let inputs = station.points.iter().filter(|point| wanted(&point.name) && point.kind.input().is_some());
    let lines: Vec<(&str, String)> =
        inputs.filter_map(|point| Some((point.name.as_str(), point.kind.line()?.name.clone()))).collect();
    let bursts = |path: &PathBuf| -> Result<Vec<_>, Failure> {
        let recording = open_all(&[Source::reopenable(path)?], options, Clock::default())?;
        let within = stretch(&span, &recording)?;
        measure(recording, within, &Question::default())
    };
    let (old, new) = (bursts(paths[0])?, bursts(paths[1])?);
    let of = |all: &[crate::views::debounce::DebounceReport], line: &str| {
        let found = all.iter().find(|told| told.line == line || told.line.ends_with(&format!(".{line}")))?;
        let told = found.contact_figures()?;
        Some(ContactFigures { actuations: told.0, bounce_edges: told.1, longest_ns: told.2 })
    };
    Ok(lines
        .into_iter()
        .filter_map(|(name, line)| Some((name.to_owned(), [of(&old, &line)?, of(&new, &line)?])))
        .collect())
}

/// Prints the verdict, then what differs, then how contacts bounce.
pub(crate) fn print(report: &CompareReport, out: &mut Out) -> Result<(), Failure> {
    let [one, two] = &report.sides;
    let side = |side: &CompareSide| {
        format!("{} over {}, {}", side.station, side.recording, short_time(Nanos(side.duration_ns)))
    };
    out.line(format!("A: {}", side(one)))?;
    out.line(format!("B: {}", side(two)))?;
    let mut differing: Vec<_> = report.points.iter().filter(|(_, point)| point.differs).collect();
    // What was counted otherwise stands before what only came at another time.
    differing.sort_by_key(|(_, point)| !(point.is_state && point.values[0] != point.values[1]));
    let same = report.points.len() - differing.len();
    out.line(match differing.len() {
        0 => format!("{} the same in both", counted(same as u64, "point")),
        differing => format!("{} of {} differ", differing, counted(report.points.len() as u64, "point")),
    })?;
    if one.duration_ns != two.duration_ns {
        out.line("they are not equally long: compared as far as the shorter one goes")?;
    }
    if !report.only_in_one.is_empty() {
        out.words(&format!("only in one of the stations: {}", report.only_in_one.join(", ")))?;
    }
    if !differing.is_empty() {
        let heads = ["point", "A", "B", "first differs at", "differs for", "greatest difference", "mean difference"];
        let mut table = Table::new(&heads);
        for (name, point) in differing {
            let shown = |value: Option<f64>| match (value, point.is_state) {
                (Some(times), true) => format!("on {times}×"),
                (value, _) => number(value, None),
            };
            let times = [point.course.first, Some(point.course.differs).filter(|time| *time > Nanos(0))];
            let numbers = [point.course.greatest, point.course.mean].map(|value| number(value, None));
            let first = vec![name.clone(), shown(point.values[0]), shown(point.values[1])];
            let times = times.map(|time| time.map_or(String::new(), short_time)).to_vec();
            table.add_row([first, times, numbers.to_vec()].concat());
        }
        out.line("")?;
        out.table(&table.without_silent_columns())?;
    }
    let bounces = |figures: &[ContactFigures; 2]| figures.iter().any(|side| side.bounce_edges > 0);
    let contacts: Vec<_> = report.contacts.iter().filter(|(_, figures)| bounces(figures)).collect();
    if !contacts.is_empty() {
        let mut table =
            Table::new(&["bounce of", "longest in A", "in B", "edges in A", "in B", "actuations in A", "in B"]);
        for (name, [old, new]) in contacts {
            let longest = |side: &ContactFigures| side.longest_ns.map_or_else(|| "none".to_owned(), short_time);
            table.add_row([
                name.clone(),
                longest(old),
                longest(new),
                old.bounce_edges.to_string(),
                new.bounce_edges.to_string(),
                old.actuations.to_string(),
                new.actuations.to_string(),
            ]);
        }
        out.line("")?;
        out.table(&table)?;
    }
    Ok(())
}
