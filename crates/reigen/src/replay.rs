//! A station worked over a recording, from files to results.

use crate::cli::{ReadingArguments, RunArguments};
use crate::failure::Failure;
use crate::gauge::{GaugeTable, frame};
use crate::progress::Bar;
use crate::stretch::Stretch;
use crate::truth::TruthWatch;
use indexmap::IndexMap;
use reigen_core::engine::Engine;
use reigen_core::event::{Event, EventOrder};
use reigen_core::finding::Finding;
use reigen_core::findings::{self, inputs::InputWatch};
use reigen_core::lines::LineColumns;
use reigen_core::names::counted;
use reigen_core::simulate::judge::Judgement;
use reigen_core::simulate::truth::TruthFile;
use reigen_core::station::plan::{Plan, compile};
use reigen_core::station::{self, Station};
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin, Window, seconds_short};
use reigen_io::check_names;
use reigen_io::events::EventFile;
use reigen_io::options::{ReadOptions, Thresholds};
use reigen_io::output_file::put_in_place;
use reigen_io::recording::Recording;
use reigen_io::small_file::{self, SmallFileError};
use reigen_io::trace::{Column, Names, Shape, TraceFile};
use std::collections::HashMap;
use std::path::Path;

/// A station file that has been read and checked.
#[derive(Debug)]
pub(crate) struct StationFile {
    pub(crate) name: String,
    pub(crate) source: String,
    pub(crate) station: Station,
}

impl StationFile {
    /// Reads and checks a station file.
    pub(crate) fn open(path: &Path) -> Result<Self, Failure> {
        let help = "the first argument is the station file, the second the recording";
        Self::parse(path.display().to_string(), read_text(path, small_file::Wanted::Toml, help)?)
    }

    /// Checks the text of a station file.
    pub(crate) fn parse(name: String, source: String) -> Result<Self, Failure> {
        match station::parse(&source) {
            Ok(station) => Ok(Self { name, source, station }),
            Err(errors) => Err(Failure::Station { file: name, source, errors }),
        }
    }
}

/// Reads a text file that a person wrote; `help` is what to say where it is not there.
pub(crate) fn read_text(path: &Path, wanted: small_file::Wanted, help: &str) -> Result<String, Failure> {
    small_file::read_text(path, wanted).map_err(|error| Failure::Unreadable {
        file: path.display().to_string(),
        help: if matches!(error, SmallFileError::NoText { .. }) { "save it as UTF-8" } else { help }.to_owned(),
        why: error.to_string(),
    })
}

/// What a run is asked to do beside the sums.
#[derive(Debug, Default)]
pub(crate) struct Wanted<'a> {
    pub(crate) trace: Option<&'a Path>,
    pub(crate) events: Option<&'a Path>,
    /// What really happened.
    pub(crate) truth: Option<&'a TruthFile>,
    /// For an observer that takes it: the points whose happenings the engine remembers.
    pub(crate) remembered: Option<Vec<usize>>,
    /// Before the stretch too: what is counted there counts, as in the whole file.
    pub(crate) counted_before: bool,
    /// At which multiples of a step readings are taken.
    pub(crate) readings_every: Option<Nanos>,
    /// About so many values of each number in a window are enough; all are wanted where nothing is said.
    pub(crate) values_enough: Option<u64>,
    /// In the file's own times.
    pub(crate) from: Option<i64>,
    pub(crate) to: Option<i64>,
}

impl<'a> Wanted<'a> {
    /// What the arguments ask for, and the truth that they name.
    pub(crate) fn new(arguments: &'a RunArguments, truth: Option<&'a TruthFile>) -> Self {
        Self {
            truth,
            remembered: None,
            counted_before: false,
            // The last of each window will do where nobody looks at them.
            values_enough: (arguments.events.is_none() && arguments.trace.is_none()).then_some(1),
            readings_every: arguments.every.or(arguments.watch.as_ref().map(|_| frame(arguments.speed))),
            trace: arguments.trace.as_deref(),
            events: arguments.events.as_deref(),
            from: arguments.from,
            to: arguments.to,
        }
    }
}

/// The first multiple of a step at a time or after it.
fn next_multiple(time: Nanos, step: Nanos) -> Nanos {
    Nanos(time.0.div_ceil(step.0.max(1)).saturating_mul(step.0.max(1)))
}

/// What came of a run.
#[derive(Debug)]
pub(crate) struct Outcome {
    pub(crate) recording: String,
    pub(crate) origin: Origin,
    /// The stretch that was counted.
    pub(crate) from: Nanos,
    pub(crate) to: Nanos,
    pub(crate) lines: usize,
    pub(crate) edges: u64,
    /// In the order of the station's points.
    pub(crate) points: Vec<PointSummary>,
    pub(crate) findings: Vec<Finding>,
    /// The rows of each display that was asked for.
    pub(crate) displays: IndexMap<String, Vec<String>>,
    /// Readings at a step, where they were asked for.
    pub(crate) gauge: Option<GaugeTable>,
    /// For each point that a source belongs to, what was counted against what really happened.
    pub(crate) judgements: IndexMap<String, Judgement>,
}

/// What the options say of a recording.
pub(crate) fn read_options(arguments: &ReadingArguments) -> Result<ReadOptions, Failure> {
    let thresholds = match (arguments.high_above, arguments.low_below) {
        (Some(high_above), Some(low_below)) => {
            if !(high_above.is_finite() && low_below.is_finite()) || high_above < low_below {
                return Err(Failure::Usage {
                    message: format!("--high-above {high_above} lies below --low-below {low_below}, or is no number"),
                    help: "the upper of the two values belongs to --high-above".to_owned(),
                });
            }
            Some(Thresholds { high_above, low_below })
        }
        _ => None,
    };
    if let Some(lines) = &arguments.lines {
        check_names(lines).map_err(|message| Failure::Usage {
            message: format!("--lines: {message}"),
            help: "name the bits of a sample from bit 0 of its first byte upward".to_owned(),
        })?;
    }
    Ok(ReadOptions {
        sample_rate: arguments.sample_rate,
        lines: arguments.lines.clone(),
        thresholds,
        separator: arguments.separator,
        decimal: arguments.decimal,
        high: arguments.high.clone(),
        time: arguments.time.clone(),
        time_unit: arguments.time_unit,
        plain: arguments.plain_reader,
        ..ReadOptions::default()
    })
}

/// What an observer sees after each window that counts.
pub(crate) struct Seen<'a> {
    pub(crate) window: Window,
    pub(crate) engine: &'a mut Engine,
    pub(crate) lines: &'a LineColumns,
    /// For each name that the station gives a line, its number among the lines.
    pub(crate) line_numbers: &'a HashMap<String, usize>,
}

/// Works a station over a recording.
pub(crate) fn replay(file: &StationFile, recording: Recording, wanted: &Wanted<'_>) -> Result<Outcome, Failure> {
    replay_observed(file, recording, wanted, &mut |_| {})
}

/// Works a station over a recording, and shows each window that counts to an observer.
pub(crate) fn replay_observed(
    file: &StationFile,
    mut recording: Recording,
    wanted: &Wanted<'_>,
    observe: &mut (dyn FnMut(Seen<'_>) + Send),
) -> Result<Outcome, Failure> {
    let plan = compile(&file.station, recording.lines(), recording.tick());
    let Plan { program, signals, names: line_names, lines: line_numbers, numbers, .. } =
        plan.map_err(|errors| Failure::Station { file: file.name.clone(), source: file.source.clone(), errors })?;
    let mut engine = program.start();
    let stretch = Stretch::new(&recording, wanted.from, wanted.to)?;
    let mut lines = recording.select(&signals, &numbers);
    recording.count_within(stretch.from, stretch.to);
    let mut watchers = Watchers::create(&file.station, &recording, &line_names, wanted)?;
    match &wanted.remembered {
        _ if watchers.events.is_some() => engine.remember(),
        Some(points) => engine.remember_points(points),
        None => {}
    }
    let skims = wanted
        .values_enough
        .is_some_and(|enough| engine.skim(enough, wanted.remembered.as_deref().unwrap_or_default()));
    // Where values are left out, those at the times of readings are the last of a window.
    let every = wanted.readings_every.filter(|_| skims);
    let mut truth = wanted.truth.map(|truth| TruthWatch::new(&file.station, truth));
    let mut inputs = InputWatch::new(&file.station, &line_numbers, &line_names);
    let mut worked = Nanos(0);
    let mut failure = None;
    let mut bar = Bar::new(recording.progress());
    recording.read(&mut lines, &mut |lines, known_until| {
        bar.show();
        // A window ends where the counts begin, and where the stretch ends.
        let known_until = stretch.to.map_or(known_until, |to| known_until.min(to + Nanos(1)));
        while worked < known_until {
            let until = if worked < stretch.from { known_until.min(stretch.from) } else { known_until };
            let until = every.map_or(until, |every| until.min(next_multiple(worked, every) + Nanos(1)));
            let until = engine.window_end(worked, until, lines.all());
            let window = lines.cut(until);
            engine.work(window, lines.all());
            if let Err(error) = watchers.watch(window, window.from >= stretch.from, &mut engine, lines) {
                failure = Some(error);
                return false;
            }
            if window.from >= stretch.from {
                inputs.take(window, lines.bits(), |number| {
                    engine.points().find(|columns| columns.point == number).and_then(|columns| columns.bit())
                });
                if let Some(truth) = &mut truth {
                    truth.take(&engine);
                }
                observe(Seen { window, engine: &mut engine, lines, line_numbers: &line_numbers });
            }
            lines.advance(window);
            worked = until;
            if worked == stretch.from && worked > Nanos(0) && !wanted.counted_before {
                engine.start_counting(worked);
            }
        }
        stretch.to.is_none_or(|to| worked <= to)
    })?;
    bar.finish();
    if let Some(failure) = failure {
        return Err(failure);
    }
    let end = stretch.end(&recording)?;
    let points = engine.summaries(end);
    let judgements = truth.map_or_else(IndexMap::new, |truth| truth.judge(&file.station, &points, recording.origin()));
    let named = file.station.points.iter().map(|point| point.name.as_str()).zip(&points);
    let mut findings = recording.findings(&line_names);
    findings.extend(findings::of_points(named, end.saturating_sub(stretch.from)));
    findings.extend(inputs.findings(&file.station, &points, recording.tick(), end));
    findings.extend(findings::done_unseen(&file.station, &points));
    findings.extend(ignored(&file.station, &engine));
    findings.extend(file.station.findings());
    findings.extend(faults(&file.station, &engine, recording.origin()));
    findings.extend(watchers.finish(end)?);
    Ok(Outcome {
        recording: recording.name().to_owned(),
        origin: recording.origin(),
        from: stretch.from,
        to: end,
        lines: recording.two_level_lines(),
        edges: recording.edges(),
        points,
        findings,
        displays: IndexMap::new(),
        gauge: None,
        judgements,
    })
}

/// Outputs that were asked to blink while they still did.
fn ignored(station: &Station, engine: &Engine) -> Vec<Finding> {
    let told = engine.ignored().into_iter().filter_map(|(point, count)| {
        let name = &station.points.get(point)?.name;
        let message = format!("it was asked to blink {} while it still did", counted(count, "time"));
        let remedy = "those are ignored: fewer flashes or shorter ones, where each should show";
        Some(Finding::note("blink-ignored", name, message, remedy))
    });
    told.collect()
}

/// Expressions that had no result at times.
fn faults(station: &Station, engine: &Engine, origin: Origin) -> Vec<Finding> {
    let told = engine.faults().into_iter().filter_map(|(point, count, first)| {
        let name = &station.points.get(point)?.name;
        let at = seconds_short(origin.file_time_ns(first));
        let message = format!(
            "its expression had no result {}, first at {at} s: a division by zero, or a number beyond all bounds; the last value was held",
            if count == 1 { "once".to_owned() } else { format!("{count} times") }
        );
        let remedy = "keep the divisor from zero: MAX(1, …), or SEL";
        Some(Finding::warning("no-result", name, message, remedy))
    });
    told.collect()
}

/// The files that watch the points.
struct Watchers {
    trace: Option<TraceFile>,
    events: Option<EventFile>,
    order: EventOrder,
    waiting: Vec<Event>,
    starts_at: Option<i64>,
    shapes: Vec<Shape>,
}

impl Watchers {
    fn create(
        station: &Station,
        recording: &Recording,
        lines: &[String],
        wanted: &Wanted<'_>,
    ) -> Result<Self, Failure> {
        let origin = recording.origin();
        let shapes: Vec<Shape> = station.points.iter().map(|point| shape(&*point.kind)).collect();
        let names = Names {
            points: station.points.iter().map(|point| point.name.as_str()).zip(shapes.iter().copied()).collect(),
            lines: lines.iter().map(String::as_str).collect(),
            origin,
        };
        let trace = wanted.trace.map(|path| TraceFile::create(path, &names)).transpose()?;
        let point_names = station.points.iter().map(|point| point.name.clone()).collect();
        let events = wanted.events.map(|path| EventFile::create(path, origin, point_names)).transpose()?;
        let starts_at = (trace.is_some() && origin.0 < 0).then_some(origin.0);
        Ok(Self { trace, events, order: EventOrder::default(), waiting: Vec::new(), starts_at, shapes })
    }

    /// Takes in what happened in a window; passes over it where it does not count.
    fn watch(&mut self, window: Window, counts: bool, engine: &mut Engine, lines: &LineColumns) -> Result<(), Failure> {
        if let Some(trace) = self.trace.as_mut().filter(|_| counts) {
            let mut points: Vec<_> = engine.points().collect();
            points.sort_by_key(|columns| columns.point);
            let columns = points.iter().zip(&self.shapes).filter_map(|(columns, shape)| match shape {
                Shape::Bit => columns.bit().map(Column::Bit),
                Shape::Count => columns.count().map(Column::Count),
                Shape::Reading => columns.reading().map(Column::Reading),
            });
            trace.write(window, columns.chain(lines.bits().iter().map(Column::Bit)))?;
        }
        if let Some(events) = &mut self.events {
            let told = engine.take_events(window, &mut self.waiting);
            if !counts {
                self.waiting.clear();
            }
            for event in self.order.pass(&mut self.waiting, told) {
                events.write(event)?;
            }
        }
        Ok(())
    }

    fn finish(mut self, end: Nanos) -> Result<Option<Finding>, Failure> {
        let mut finished = Vec::new();
        if let Some(mut events) = self.events {
            for event in self.order.pass(&mut self.waiting, end + Nanos(1)) {
                events.write(event)?;
            }
            finished.push(events.finish()?);
        }
        if let Some(trace) = self.trace {
            finished.push(trace.finish(end)?);
        }
        put_in_place(finished)?;
        Ok(self.starts_at.map(|start| {
            let message = format!("a VCD has no negative times, so time 0 in it is {} s here", seconds_short(start));
            Finding::note("trace-shifted", "trace", message, "add that to a time read off the trace")
        }))
    }
}

fn shape(kind: &dyn station::PointKind) -> Shape {
    match kind.fields().first().map(|field| field.column) {
        Some(station::FieldColumn::Count(_)) => Shape::Count,
        Some(station::FieldColumn::Reading(_)) => Shape::Reading,
        _ => Shape::Bit,
    }
}
