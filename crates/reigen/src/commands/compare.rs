//! `reigen compare`: two recordings under one station, or two stations over one recording.

use crate::cli::CompareArguments;
use crate::done::Completion;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::{self, read_options, replay};
use crate::views::compare::{CompareReport, RunSide, contacts, print};
use reigen_io::recording::Clock;
use reigen_io::source::Source;
use reigen_run::compare::Courses;
use reigen_run::points::number_of;
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &CompareArguments, out: &mut Out) -> Result<Completion, Failure> {
    let first = StationFile::open(&arguments.station)?;
    let second = arguments.station_b.as_deref().map(StationFile::open).transpose()?;
    let (one, two) = match (arguments.recordings.as_slice(), &second) {
        ([one, two], None) => (one, two),
        ([one], Some(_)) => (one, one),
        (_, None) => {
            return Err(Failure::Usage {
                message: "two recordings are compared, or two stations over one".to_owned(),
                help:
                    "reigen compare STATION OLD.vcd NEW.vcd, or reigen compare STATION FILE.vcd --station-b OTHER.toml"
                        .to_owned(),
            });
        }
        (_, Some(_)) => {
            return Err(Failure::Usage {
                message: "with --station-b both stations are compared over one recording".to_owned(),
                help: "name one recording".to_owned(),
            });
        }
    };
    for name in &arguments.points {
        number_of(&first.station, name)?;
        second.as_ref().map_or(Ok(0), |second| number_of(&second.station, name))?;
    }
    let sides = [side(&first, one, arguments)?, side(second.as_ref().unwrap_or(&first), two, arguments)?];
    let wanted = |name: &str| arguments.points.is_empty() || arguments.points.iter().any(|point| point == name);
    let mut report = CompareReport::new(&sides, arguments.tolerance, wanted);
    if report.points.is_empty() {
        return Err(Failure::Usage {
            message: "the two stations have no point in common".to_owned(),
            help: "points are compared by their names: give those that mean the same the same name".to_owned(),
        });
    }
    if second.is_none() {
        report.contacts = contacts(&sides, [one, two], &read_options(&arguments.reading)?, arguments.span, wanted)?;
    }
    match arguments.json {
        true => out.json(&report)?,
        false => print(&report, out)?,
    }
    Ok(if report.differs { Completion::Differs } else { Completion::Fine })
}

/// Works one side.
fn side<'a>(station: &'a StationFile, path: &Path, arguments: &CompareArguments) -> Result<RunSide<'a>, Failure> {
    let source = [Source::reopenable(path)?];
    let recording = reading::open_all(&source, &read_options(&arguments.reading)?, Clock::default())?;
    let options = RunOptions { from: arguments.span.from, to: arguments.span.to, ..RunOptions::default() };
    let mut courses = Courses::default();
    let outcome = replay(station, recording, &options, &mut [&mut courses])?;
    Ok(RunSide { station, outcome, courses })
}
