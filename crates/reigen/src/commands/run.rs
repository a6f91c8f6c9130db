//! `reigen run`: a station worked over a recording.

use crate::Done;
use crate::cli::RunArguments;
use crate::commands::draw::{number_of, parse_scale};
use crate::failure::Failure;
use crate::gauge::{Gauge, Kept, frame};
use crate::print::Out;
use crate::reading;
use crate::replay::{Outcome, StationFile, Wanted, read_options, read_text, replay_observed};
use crate::states::States;
use crate::summary::Summary;
use crate::tables;
use reigen_core::logic::expression::Reference;
use reigen_core::simulate::truth::TruthFile;
use reigen_core::station::Station;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin};
use reigen_io::events::EventFile;
use reigen_io::options::ReadOptions;
use reigen_io::recording::Clock;
use reigen_io::small_file;
use reigen_io::source::Source;
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &RunArguments, out: &mut Out) -> Result<Done, Failure> {
    let options = read_options(&arguments.reading)?;
    bound_threads(arguments.reading.threads);
    let station = StationFile::open(&arguments.station)?;
    let truth = arguments.truth.as_deref().map(read_truth).transpose()?;
    let wanted = Wanted::new(arguments, truth.as_ref());
    if let Some(path) = &arguments.events {
        EventFile::check_ending(path)?;
    }
    let clock = reading::clock(arguments.own_clocks);
    let sources: Vec<Source> = match arguments.display_at {
        Some(_) => arguments.recordings.iter().map(|path| Source::reopenable(path)).collect::<Result<_, _>>()?,
        None => arguments.recordings.iter().map(Source::from).collect(),
    };
    let recording = reading::open_all(&sources, &options, clock)?;
    let mut states = States::default();
    let mut gauge = gauge(&station.station, arguments, recording.origin())?;
    let streams = arguments.watch.is_none() && !arguments.json;
    let (mut kept, mut printed) = (Kept::default(), Ok(()));
    if let Some(gauge) = gauge.as_ref().filter(|_| streams) {
        gauge.print_head(out)?;
    }
    let mut outcome = replay_observed(&station, recording, &wanted, &mut |seen| {
        if arguments.display {
            states.take(&seen);
        }
        if let Some(gauge) = &mut gauge {
            let mut runs = Vec::new();
            gauge.take(&seen, |run| if streams { runs.push(run) } else { kept.take(run) });
            for run in runs {
                printed = std::mem::replace(&mut printed, Ok(())).and_then(|()| gauge.print(&run, out));
            }
        }
    })?;
    printed?;
    outcome.findings.extend(kept.finding());
    match gauge {
        Some(gauge) if arguments.watch.is_some() => {
            let scale = arguments.scale.as_deref().map(parse_scale).transpose()?;
            gauge.play(&kept, arguments.speed, scale, out)?;
            return Ok(Done::Fine);
        }
        Some(gauge) if arguments.json => outcome.gauge = Some(gauge.told(kept)),
        Some(_) => out.line("")?,
        None => {}
    }
    if let Some(at) = arguments.display_at {
        states = states_at(&station, &sources, &options, clock, at)?;
    }
    if arguments.display || arguments.display_at.is_some() {
        show_displays(&station, &states, &mut outcome);
    }
    print(&station, &outcome, arguments.json, out)?;
    let failed = outcome.points.iter().any(|point| matches!(point, PointSummary::Expectation(told) if !told.pass));
    let differs = failed || outcome.judgements.values().any(|judgement| !judgement.differences.is_empty());
    Ok(if differs { Done::Differs } else { Done::Fine })
}

/// What takes readings at a step, where that is asked for.
fn gauge(station: &Station, arguments: &RunArguments, origin: Origin) -> Result<Option<Gauge>, Failure> {
    let help = "rates, widths, analog points, counters and encoders are numbers";
    let usage = |message: String| Failure::Usage { message, help: help.to_owned() };
    if !(arguments.speed.is_finite() && arguments.speed > 0.0) {
        return Err(Failure::Usage {
            message: format!("--speed {} is no pace", arguments.speed),
            help: "10 is ten times as fast as the recording".to_owned(),
        });
    }
    if arguments.every == Some(Nanos(0)) {
        return Err(Failure::Usage {
            message: "--every 0 s never gets on".to_owned(),
            help: "such as --every 250ms".to_owned(),
        });
    }
    let gauge = match (&arguments.watch, arguments.every) {
        (Some(name), _) => Gauge::new(station, frame(arguments.speed), Some(number_of(station, name)?), origin),
        (None, Some(every)) => Gauge::new(station, every, None, origin),
        (None, None) => return Ok(None),
    };
    match gauge.is_empty() {
        true => Err(usage(match &arguments.watch {
            Some(name) => format!("`{name}` is no number"),
            None => "no point of the station is a number".to_owned(),
        })),
        false => Ok(Some(gauge)),
    }
}

/// The states at a time, from a second reading.
fn states_at(
    station: &StationFile,
    sources: &[Source],
    options: &ReadOptions,
    clock: Clock,
    at: i64,
) -> Result<States, Failure> {
    let mut states = States::default();
    let wanted = Wanted { to: Some(at), counted_before: true, ..Wanted::default() };
    let recording = reading::open_all(sources, options, clock)?;
    replay_observed(station, recording, &wanted, &mut |seen| states.take(&seen))?;
    Ok(states)
}

/// Fills the displays with what points are.
pub(crate) fn show_displays(station: &StationFile, states: &States, outcome: &mut Outcome) {
    for display in &station.station.displays {
        let of = |name: &Reference| states.of(&station.station, name).map(|(value, _)| value);
        let (rows, findings) = display.rows(&of);
        outcome.displays.insert(display.name.clone(), rows);
        outcome.findings.extend(findings);
    }
}

/// Prints an outcome, for people or as JSON.
pub(crate) fn print(station: &StationFile, outcome: &Outcome, json: bool, out: &mut Out) -> Result<(), Failure> {
    if !json {
        return tables::print(&station.station, outcome, out);
    }
    out.json(&Summary::new(&station.station, outcome))
}

/// Reads what really happened.
fn read_truth(path: &Path) -> Result<TruthFile, Failure> {
    let text =
        read_text(path, small_file::Wanted::Json, "--truth wants the file that `reigen simulate --truth` wrote")?;
    serde_json::from_str(&text).map_err(|error| Failure::Unreadable {
        file: path.display().to_string(),
        why: error.to_string(),
        help: "--truth wants the file that `reigen simulate --truth` wrote".to_owned(),
    })
}

/// Bounds the threads of all work to come.
fn bound_threads(threads: Option<u16>) {
    if let Some(threads) = threads {
        // It fails only where the threads are at work already, and then they stay as they are.
        let _ = rayon::ThreadPoolBuilder::new().num_threads(usize::from(threads)).build_global();
    }
}
