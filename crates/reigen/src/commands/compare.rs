//! `reigen compare`: two recordings under one station, or two stations over one recording.

use crate::cli::CompareArguments;
use crate::done::Completion;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::{self, read_options, replay};
use crate::views::compare::{CompareReport, CompareResult, RunSide, contacts, print};
use crate::views::instruments::{InstrumentReport, print_instruments};
use reigen_core::time::Nanos;
use reigen_io::recording::Clock;
use reigen_io::source::Source;
use reigen_run::compare::Courses;
use reigen_run::instruments::fit;
use reigen_run::points::number_of;
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_station::station::Station;
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &CompareArguments, out: &mut Out) -> Result<Completion, Failure> {
    let first = StationFile::open(&arguments.station)?;
    if !arguments.instruments.is_empty() {
        return instruments(&first, arguments, out);
    }
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
        true => out.json(&CompareResult::Runs(&report))?,
        false => print(&report, out)?,
    }
    Ok(if report.differs { Completion::Differs } else { Completion::Fine })
}

/// Compares two numbers of one recording.
fn instruments(station: &StationFile, arguments: &CompareArguments, out: &mut Out) -> Result<Completion, Failure> {
    let usage = |message: &str| Failure::Usage {
        message: message.to_owned(),
        help: "reigen compare STATION FILE.vcd --instruments drum,drum_counted".to_owned(),
    };
    let ([one, two], [path]) = (arguments.instruments.as_slice(), arguments.recordings.as_slice()) else {
        return Err(usage("two instruments of one recording are compared"));
    };
    if arguments.settle == Nanos(0) {
        return Err(Failure::Usage {
            message: "--settle must be above zero".to_owned(),
            help: "means over this time are compared, such as --settle 500ms".to_owned(),
        });
    }
    let numbers = [number_of(&station.station, one)?, number_of(&station.station, two)?];
    let side = side(station, path, arguments)?;
    let [first, second] = numbers.map(|number| side.courses.points.get(number));
    let (Some(first), Some(second)) = (first, second) else { return Err(usage("the recording is empty")) };
    if let Some((name, _)) = [(one, first), (two, second)].into_iter().find(|(_, course)| course.is_bit()) {
        return Err(usage(&format!("`{name}` is no number")));
    }
    let fit = fit([first, second], side.courses.end, arguments.settle);
    let units = numbers.map(|number| unit_of(&station.station, number));
    let report = InstrumentReport::new([one, two], units, fit, first.is_cut() || second.is_cut());
    match arguments.json {
        true => out.json(&CompareResult::Instruments(&report))?,
        false => print_instruments(&report, &side.outcome, out)?,
    }
    Ok(if report.differs(arguments.tolerance) { Completion::Differs } else { Completion::Fine })
}

fn unit_of(station: &Station, number: usize) -> String {
    station.points.get(number).and_then(|point| point.kind.unit()).unwrap_or_default().to_owned()
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
