//! `reigen run`: a station worked over a recording.

use crate::cli::{RecordingArguments, RunArguments};
use crate::done::Completion;
use crate::failure::Failure;
use crate::gauge::{StateTable, check_step, frame, play};
use crate::print::Out;
use crate::reading;
use crate::reading::replay;
use crate::views::more::CommandPlace;
use crate::views::run::{Detail, print, print_json, show_displays};
use reigen_core::summary::PointSummary;
use reigen_core::time::Origin;
use reigen_io::events::EventFile;
use reigen_io::output_file::Outputs;
use reigen_io::small_file;
use reigen_io::source::Source;
use reigen_run::displays::DisplayWatch;
use reigen_run::gauge::Gauge;
use reigen_run::observer::{Observer, WindowView};
use reigen_run::points::{number_of, parse_scale};
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_run::station_file::read_text;
use reigen_station::simulate::truth::TruthFile;
use reigen_station::station::Station;
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &RunArguments, out: &mut Out) -> Result<Completion, Failure> {
    bound_threads(arguments.recording.reading.threads);
    let station = StationFile::open(&arguments.station)?;
    arguments.points.iter().try_for_each(|name| number_of(&station.station, name).map(drop))?;
    let truth = arguments.truth.as_deref().map(read_truth).transpose()?;
    let wanted = run_options(arguments, &station.station, truth.as_ref(), out.outputs());
    if let Some(path) = &arguments.events {
        EventFile::check_ending(path)?;
    }
    let sources = match arguments.display_at {
        Some(_) => reading::reopenable(&arguments.recording)?,
        None => reading::sources(&arguments.recording),
    };
    let recording = reading::open_sources(&sources, &arguments.recording)?;
    let mut displays = DisplayWatch::new(&station.station);
    let gauge = gauge(&station.station, arguments, recording.origin())?;
    let streams = arguments.watch.is_empty() && !arguments.json;
    let mut table = gauge.as_ref().map(|gauge| StateTable::new(gauge.step(), streams.then_some(&mut *out)));
    if let (Some(table), Some(gauge)) = (&mut table, gauge) {
        table.begin(gauge)?;
    }
    let mut fill_table = |view: &mut WindowView<'_>| table.iter_mut().for_each(|table| table.take(view));
    let mut observers: Vec<&mut dyn Observer> = vec![&mut fill_table];
    if arguments.display {
        observers.push(&mut displays);
    }
    let mut outcome = replay(&station, recording, &wanted, &mut observers)?;
    if !arguments.watch.is_empty() {
        let scale = arguments.scale.as_deref().map(parse_scale).transpose()?;
        table.and_then(StateTable::into_kept).map_or(Ok(()), |kept| play(&kept, arguments.speed, scale, out))?;
        return Ok(Completion::Fine);
    }
    if let Some(table) = table {
        let (kept, left_out) = table.finish()?;
        outcome.gauge = kept;
        outcome.findings.extend(left_out);
    }
    if let Some(at) = arguments.display_at {
        displays = displays_at(&station, &sources, &arguments.recording, at)?;
    }
    if arguments.display || arguments.display_at.is_some() {
        show_displays(displays, &mut outcome);
    }
    match arguments.json {
        true => print_json(&station, &outcome, out)?,
        false => {
            let station = &station.station;
            let (file, read) = (&arguments.station, &arguments.recording);
            let more = CommandPlace::new(station, file, &read.recordings, &read.reading, outcome.origin);
            let detail = Detail { all: arguments.all, findings: arguments.findings, points: arguments.points.clone() };
            print(station, &outcome, &detail, more.as_ref(), out)?;
        }
    }
    let failed = outcome.points.iter().any(|point| matches!(point, PointSummary::Expectation(told) if !told.pass));
    let differs = failed || outcome.judgements.values().any(|judgement| !judgement.differences.is_empty());
    Ok(if differs { Completion::Differs } else { Completion::Fine })
}

/// What the arguments ask of a run, and the truth that they name.
fn run_options<'a>(
    arguments: &'a RunArguments,
    station: &Station,
    truth: Option<&'a TruthFile>,
    outputs: &Outputs,
) -> RunOptions<'a> {
    RunOptions {
        outputs: outputs.clone(),
        truth,
        remembered: None,
        counted_before: false,
        // The last of each window will do where nobody looks at them.
        values_enough: (!looks_at_each(arguments, station)).then_some(1),
        readings_every: arguments.every.or((!arguments.watch.is_empty()).then(|| frame(arguments.speed))),
        trace: arguments.trace.as_deref(),
        events: arguments.events.as_deref(),
        display_log: arguments.display_log.as_deref(),
        from: arguments.recording.span.from,
        to: arguments.recording.span.to,
    }
}

/// Whether somebody looks at each value of a number.
fn looks_at_each(arguments: &RunArguments, station: &Station) -> bool {
    let RunArguments { events, trace, display_log, truth, display, .. } = arguments;
    let files = [events, trace, display_log, truth].iter().any(|file| file.is_some());
    files || (*display && station.displays.iter().any(|display| display.refresh.is_some()))
}

/// What takes states at a step, where that is asked for.
fn gauge(station: &Station, arguments: &RunArguments, origin: Origin) -> Result<Option<Gauge>, Failure> {
    if !(arguments.speed.is_finite() && arguments.speed > 0.0) {
        return Err(Failure::Usage {
            message: format!("--speed {} is no pace", arguments.speed),
            help: "10 is ten times as fast as the recording".to_owned(),
        });
    }
    check_step(arguments.every)?;
    let (names, step) = match arguments.every {
        _ if !arguments.watch.is_empty() => (&arguments.watch, frame(arguments.speed)),
        Some(every) => (&arguments.points, every),
        None => return Ok(None),
    };
    let numbers: Vec<usize> = names.iter().map(|name| number_of(station, name)).collect::<Result<_, _>>()?;
    let gauge = Gauge::of_points(station, step, &numbers, origin);
    let read = |name: &&String| gauge.columns().iter().any(|column| column.name == **name);
    let message = match names.iter().find(|name| !read(name)) {
        Some(name) => format!("`{name}` is neither a bit nor a number"),
        None if gauge.is_empty() => "no point of the station is a bit or a number".to_owned(),
        None => return Ok(Some(gauge)),
    };
    let help = "an expectation is judged at the end; all other points are bits or numbers".to_owned();
    Err(Failure::Usage { message, help })
}

/// The displays at a time, from a second reading.
fn displays_at<'a>(
    station: &'a StationFile,
    sources: &[Source],
    arguments: &RecordingArguments,
    at: i64,
) -> Result<DisplayWatch<'a>, Failure> {
    let mut displays = DisplayWatch::new(&station.station);
    let wanted = RunOptions { to: Some(at), counted_before: true, ..RunOptions::default() };
    let recording = reading::open_sources(sources, arguments)?;
    replay(station, recording, &wanted, &mut [&mut displays])?;
    Ok(displays)
}

/// Reads what really happened.
fn read_truth(path: &Path) -> Result<TruthFile, Failure> {
    let text =
        read_text(path, small_file::TextKind::Json, "--truth needs the file that `reigen simulate --truth` wrote")?;
    serde_json::from_str(&text).map_err(|error| Failure::Unreadable {
        file: path.display().to_string(),
        why: error.to_string(),
        help: "--truth needs the file that `reigen simulate --truth` wrote".to_owned(),
    })
}

/// Bounds the threads of all work to come.
fn bound_threads(threads: Option<u16>) {
    if let Some(threads) = threads {
        // It fails only where the threads are at work already, and then they stay as they are.
        let _ = rayon::ThreadPoolBuilder::new().num_threads(usize::from(threads)).build_global();
    }
}
