//! `reigen live`: a station worked on live lines.

use crate::cli::live::LiveArguments;
use crate::done::Completion;
use crate::failure::Failure;
use crate::print::Out;
use crate::stop::Stop;
use crate::summary::Summary;
use crate::views::live::ChangeLines;
use crate::views::run::{Detail, print};
use reigen_core::summary::PointSummary;
use reigen_io::output_file::{OutputFile, put_in_place};
use reigen_io::write::{Format, begin_file};
use reigen_link::line_table::LineTable;
use reigen_link::lines::LinesLink;
use reigen_run::live::changes::PointChanges;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::ChannelInbox;
use reigen_run::live::recorder::{LineRecorder, heading};
use reigen_run::live::source::{LiveSettings, LiveSource, station_lines};
use reigen_run::observer::Observer;
use reigen_run::outcome::Outcome;
use reigen_run::points::numbers_of;
use reigen_run::replay::{RunOptions, replay};
use reigen_run::session::Binding;
use reigen_run::station_file::StationFile;
use std::thread;

/// Runs the command.
pub(crate) fn run(arguments: &LiveArguments, stop: &Stop, out: &mut Out) -> Result<Completion, Failure> {
    let station = StationFile::open(&arguments.station)?;
    let points = numbers_of(&station.station, &arguments.points)?;
    if arguments.input.is_none() {
        return Err(Failure::Usage {
            message: "no link: where do the lines come from?".to_owned(),
            help: "`-` reads their changes from standard input".to_owned(),
        });
    }
    let lines = station_lines(&station.station);
    let (inbox, events, clock) = ChannelInbox::new();
    let settings = LiveSettings {
        name: "live".to_owned(),
        links: vec!["standard input".to_owned()],
        lateness: arguments.lateness,
        length: arguments.length,
    };
    let link = LinesLink { link: 0, table: LineTable::new(&lines), clock, events: events.clone() };
    let (source, mut next_due) = LiveSource::new(settings, lines, inbox);
    let binding = Binding::new(&station, &source)?;
    let mut file = arguments.record.as_deref().map(|path| out.outputs().create(path)).transpose()?;
    let mut recorder = file.as_mut().map(|file| recorder(file, &binding, &source.lines_of(&binding))).transpose()?;
    // Nobody waits for the thread: a read of standard input may never end.
    thread::spawn(move || link.read(std::io::stdin()));
    stop.listen(move || drop(events.send(LiveEvent::Stop)));
    let all = station.station.points.len();
    let mut changes = PointChanges::new(all, &points, ChangeLines::new(&station.station, &points, arguments.json, out));
    let mut observers: Vec<&mut dyn Observer> = vec![&mut next_due, &mut changes];
    observers.extend(recorder.as_mut().map(|recorder| recorder as &mut dyn Observer));
    let outcome = replay(&station, source, &RunOptions::default(), &mut observers)?;
    drop(recorder);
    if let Some(file) = file {
        put_in_place([file.finish()?])?;
    }
    tell(&station, &outcome, arguments, out)
}

/// Tells what came of the run.
fn tell(
    station: &StationFile,
    outcome: &Outcome,
    arguments: &LiveArguments,
    out: &mut Out,
) -> Result<Completion, Failure> {
    match arguments.json {
        true => out.json_line(&EndLine { summary: Summary::new(&station.station, outcome) })?,
        false => {
            out.line("")?;
            let detail = Detail { all: false, findings: false, points: arguments.points.clone() };
            print(&station.station, outcome, &detail, None, out)?;
        }
    }
    let failed = outcome.points.iter().any(|point| matches!(point, PointSummary::Expectation(told) if !told.pass));
    Ok(if failed { Completion::Differs } else { Completion::Fine })
}

/// The last line of the JSON.
#[derive(serde::Serialize)]
struct EndLine<'a> {
    summary: Summary<'a>,
}

/// What writes the lines that the station reads into a file.
fn recorder<'a>(
    file: &'a mut OutputFile,
    binding: &Binding,
    [levels, numbers]: &[Vec<String>; 2],
) -> Result<LineRecorder<'a>, Failure> {
    let path = file.path().to_owned();
    let format = Format::of_output(&path, Format::JsonLines)?;
    let lines = [binding.signals.len(), binding.numbers.len()];
    let out = begin_file(file, format, &heading(levels, numbers))?;
    Ok(LineRecorder::new(out, lines, path)?)
}
