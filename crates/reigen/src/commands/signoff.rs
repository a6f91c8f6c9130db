//! `reigen signoff`: every wired point tried at the machine, and a page to sign.

use crate::cli::live::{LiveArguments, SignoffArguments};
use crate::done::Completion;
use crate::failure::Failure;
use crate::live_run::run_live;
use crate::print::Out;
use crate::signoff::{Answers, LastTrials, Sheet, SignoffGuest, SignoffPlan, write_sheet};
use crate::stop::Stop;
use reigen_core::lines::LineKind;
use reigen_history::{Store, is_history, trials};
use reigen_io::output_file::put_in_place;
use reigen_run::live::source::station_lines;
use reigen_run::points::number_of;
use reigen_run::signoff::Verdict;
use reigen_run::signoff::steps::{Step, plan};
use reigen_run::station_file::StationFile;

/// Runs the command.
pub(crate) fn run(arguments: &SignoffArguments, stop: &Stop, out: &mut Out) -> Result<Completion, Failure> {
    let station = StationFile::open(&arguments.station)?;
    for name in &arguments.points {
        number_of(&station.station, name)?;
    }
    let lines = station_lines(&station.station).into_iter().filter(|line| line.kind == LineKind::Level);
    let all = plan(&station.station, &lines.map(|line| line.name).collect::<Vec<_>>()).steps;
    if all.is_empty() {
        return Err(Failure::Usage {
            message: "the station has nothing to try: no input, encoder, analog value or output".to_owned(),
            help: "add the points that are wired".to_owned(),
        });
    }
    if !arguments.sheet {
        walk(&station, arguments, &all, stop, out)?;
    }
    let last = last(arguments)?;
    let points = all.into_iter().map(|step| {
        let kind = step.what.word();
        (step.point, step.place, kind)
    });
    let title = station.station.title.clone().unwrap_or_else(|| "Station".to_owned());
    let sheet = Sheet::new(title, station.name.clone(), points.collect(), &last);
    if let Some(path) = &arguments.output {
        put_in_place([write_sheet(&sheet, path, out.outputs())?])?;
    }
    match arguments.json {
        true => out.json(&sheet)?,
        false => out.line(sheet.verdict())?,
    }
    Ok(if sheet.is_done() { Completion::Fine } else { Completion::Differs })
}

/// Of each point the last word so far.
fn last(arguments: &SignoffArguments) -> Result<LastTrials, Failure> {
    let path = &arguments.history;
    if arguments.sheet || is_history(path) {
        let all = trials(path)?;
        return Ok(all.into_iter().map(|trial| (trial.result.point.clone(), trial)).collect());
    }
    Ok(LastTrials::new())
}

/// Tries what is left to try.
fn walk(
    station: &StationFile,
    arguments: &SignoffArguments,
    all: &[Step],
    stop: &Stop,
    out: &mut Out,
) -> Result<(), Failure> {
    // Who else holds it is told before anything is asked.
    drop(Store::open(&arguments.history)?);
    let before = last(arguments)?;
    let is_settled = |point: &str| {
        let verdict = before.get(point).map(|trial| trial.result.verdict);
        // What was skipped for want of driving is tried once it is driven.
        let is_output = all.iter().any(|step| step.point == point && step.what.word() == "output");
        verdict == Some(Verdict::Passed) || (verdict == Some(Verdict::Skipped) && !(is_output && arguments.drive))
    };
    let is_named = |point: &str| arguments.points.is_empty() || arguments.points.iter().any(|name| name == point);
    let wants =
        |point: &str| is_named(point) && (arguments.again || !arguments.points.is_empty() || !is_settled(point));
    if !all.iter().any(|step| wants(&step.point)) {
        return Ok(());
    }
    let answers = arguments.answers.as_deref().map(Answers::read).transpose()?;
    let mut guest = SignoffGuest::new(SignoffPlan {
        station: &station.station,
        wants: &wants,
        drives: arguments.drive,
        by: arguments.by.clone().unwrap_or_default(),
        answers,
        prints: !arguments.json,
    });
    let live = LiveArguments {
        station: arguments.station.clone(),
        history: Some(arguments.history.clone()),
        drive: arguments.drive,
        allow_set: arguments.drive,
        lateness: reigen_core::time::Nanos(100_000_000),
        ..LiveArguments::default()
    };
    run_live(station, &live, stop, out, Some(&mut guest)).map(drop)
}
