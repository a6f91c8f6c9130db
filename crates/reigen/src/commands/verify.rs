//! `reigen verify`: a station's expectations against recordings.

use crate::archive::{SetAside, verify_by_workers};
use crate::cli::{SpanArguments, VerifyArguments};
use crate::done::Completion;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::{self, read_options};
use crate::views::verify::{ExpectationResult, Json, NotChecked, VerifyReport, expectations, print, print_not_checked};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};
use rayon::prelude::*;
use reigen_io::options::ReadOptions;
use reigen_io::output_file::{Outputs, put_in_place};
use reigen_io::recording::Clock;
use reigen_io::source::Source;
use reigen_io::write::Format;
use reigen_run::points::number_of;
use reigen_run::station_file::StationFile;
use reigen_station::station::{Kind, Point};
use std::io::Write;
use std::path::{Path, PathBuf};

/// Runs the command.
pub(crate) fn run(arguments: &VerifyArguments, out: &mut Out) -> Result<Completion, Failure> {
    let options = read_options(&arguments.reading)?;
    let station = StationFile::open(&arguments.station)?;
    let expects = |point: &Point| matches!(point.kind, Kind::Expect(_));
    if !station.station.points.iter().any(expects) {
        return Err(Failure::Usage {
            message: format!("{} has no expectations", station.name),
            help: "add such as [expect.lamp] with that = \"lamp\" and by = \"3 s\"".to_owned(),
        });
    }
    for name in &arguments.points {
        let number = number_of(&station.station, name)?;
        if !station.station.points.get(number).is_some_and(expects) {
            return Err(Failure::Usage {
                message: format!("`{name}` is not an expectation"),
                help: "--points names expectations here, such as those under [expect.NAME]".to_owned(),
            });
        }
    }
    let recordings = recordings(&arguments.recordings)?;
    let (VerifyReport { held: mut all, findings }, set_aside) = match &arguments.queue {
        Some(server) => verify_by_workers(&station, &recordings, server)?,
        None => {
            let told: Vec<Result<VerifyReport, Failure>> =
                recordings.par_iter().map(|path| verify(&station, path, &options, arguments.span)).collect();
            let mut all = VerifyReport::default();
            for told in told {
                let told = told?;
                all.held.extend(told.held);
                all.findings.extend(told.findings);
            }
            (all, SetAside::new())
        }
    };
    let wanted = |name: &String| arguments.points.is_empty() || arguments.points.contains(name);
    all.retain(|held| wanted(&held.expectation));
    if let Some(path) = &arguments.junit {
        write_junit(&station, &all, path, out.outputs())?;
    }
    let pass = all.iter().all(|told| told.pass) && set_aside.is_empty();
    let set_aside: Vec<NotChecked> = set_aside.into_iter().map(NotChecked::from).collect();
    match arguments.json {
        true => out.json(&Json {
            station: station.station.title.as_deref(),
            pass,
            expectations: &all,
            findings: &findings,
            not_checked: &set_aside,
        })?,
        false => {
            print(&all, &findings, recordings.len() - set_aside.len(), out)?;
            print_not_checked(&set_aside, out)?;
        }
    }
    Ok(if pass { Completion::Fine } else { Completion::Differs })
}

/// The files that are named, and those in the folders that are named, by name.
fn recordings(paths: &[PathBuf]) -> Result<Vec<PathBuf>, Failure> {
    let mut found = Vec::new();
    for path in paths {
        if !path.is_dir() {
            found.push(path.clone());
            continue;
        }
        let entries = std::fs::read_dir(path).map_err(|error| Failure::Unreadable {
            file: path.display().to_string(),
            why: error.to_string(),
            help: "name a folder of recordings that may be read".to_owned(),
        })?;
        let is_recording = |path: &PathBuf| path.is_file() && Format::of(path).is_ok();
        let mut within: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).filter(is_recording).collect();
        within.sort();
        if within.is_empty() {
            return Err(Failure::Usage {
                message: format!("there is no recording in {}", path.display()),
                help: "recordings end in .vcd, .csv, .jsonl, .parquet or .bin, also with .gz or .zst behind".to_owned(),
            });
        }
        found.extend(within);
    }
    Ok(found)
}

/// Holds the expectations against one recording.
fn verify(
    station: &StationFile,
    path: &Path,
    options: &ReadOptions,
    span: SpanArguments,
) -> Result<VerifyReport, Failure> {
    let source = [Source::reopenable(path)?];
    expectations(station, &|| reading::open_all(&source, options, Clock::default()), span)
}

fn write_junit(
    station: &StationFile,
    all: &[ExpectationResult],
    path: &Path,
    outputs: &Outputs,
) -> Result<(), Failure> {
    let mut report = Report::new(station.station.title.as_deref().unwrap_or(&station.name));
    let mut suites: Vec<TestSuite> = Vec::new();
    for told in all {
        let status = match told.pass {
            true => TestCaseStatus::success(),
            false => {
                let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
                status.set_message(format!("{}; {}", told.detail, told.values.join(", ")));
                status
            }
        };
        let case = TestCase::new(told.expectation.as_str(), status);
        match suites.last_mut().filter(|suite| suite.name.as_str() == told.recording) {
            Some(suite) => drop(suite.add_test_case(case)),
            None => {
                let mut suite = TestSuite::new(told.recording.as_str());
                suite.add_test_case(case);
                suites.push(suite);
            }
        }
    }
    report.add_test_suites(suites);
    let mut file = outputs.create(path)?;
    let text = report.to_string().map_err(|error| Failure::Print(std::io::Error::other(error)))?;
    file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
    Ok(put_in_place([file.finish()?])?)
}
