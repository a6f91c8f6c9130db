//! `reigen verify`: a station's expectations against recordings.

use crate::Done;
use crate::cli::VerifyArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading;
use crate::replay::{StationFile, Wanted, read_options, replay, replay_observed};
use crate::states::States;
use crate::tables::{held, left, print_findings, table};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};
use rayon::prelude::*;
use reigen_core::finding::Finding;
use reigen_core::findings::inputs::InputWatch;
use reigen_core::logic::expect::ExpectSummary;
use reigen_core::names::counted;
use reigen_core::station::{Kind, Point};
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, seconds_short};
use reigen_io::options::ReadOptions;
use reigen_io::output_file::{OutputFile, put_in_place};
use reigen_io::recording::Recording;
use reigen_io::source::Source;
use reigen_io::write::Format;
use serde::Serialize;
use std::io::Write;
use std::path::{Path, PathBuf};

/// One expectation against one recording.
#[derive(Debug, Serialize)]
struct Held {
    recording: String,
    expectation: String,
    pass: bool,
    detail: String,
    failed_at_ns: Option<i64>,
    /// The values of its names at that time.
    values: Vec<String>,
}

#[derive(Serialize)]
struct Json<'a> {
    station: Option<&'a str>,
    pass: bool,
    expectations: &'a [Held],
    /// What looks wrong with the inputs, by recording.
    findings: &'a [Told],
}

/// Something wrong with an input of one recording.
#[derive(Debug, Serialize)]
struct Told {
    recording: String,
    #[serde(flatten)]
    finding: Finding,
}

/// What came of one recording.
#[derive(Debug, Default)]
struct Verified {
    held: Vec<Held>,
    findings: Vec<Told>,
}

/// Runs the command.
pub(crate) fn run(arguments: &VerifyArguments, out: &mut Out) -> Result<Done, Failure> {
    let options = read_options(&arguments.reading)?;
    let station = StationFile::open(&arguments.station)?;
    let expects = |point: &Point| matches!(point.kind, Kind::Expect(_));
    if !station.station.points.iter().any(expects) {
        return Err(Failure::Usage {
            message: format!("{} expects nothing", station.name),
            help: "add such as [expect.lamp] with that = \"lamp\" and by = \"3 s\"".to_owned(),
        });
    }
    let recordings = recordings(&arguments.recordings)?;
    let told: Vec<Result<Verified, Failure>> =
        recordings.par_iter().map(|path| verify(&station, path, &options)).collect();
    let (mut all, mut findings) = (Vec::new(), Vec::new());
    for told in told {
        let told = told?;
        all.extend(told.held);
        findings.extend(told.findings);
    }
    if let Some(path) = &arguments.junit {
        write_junit(&station, &all, path)?;
    }
    let pass = all.iter().all(|told| told.pass);
    match arguments.json {
        true => out.json(&Json {
            station: station.station.title.as_deref(),
            pass,
            expectations: &all,
            findings: &findings,
        })?,
        false => print(&all, &findings, recordings.len(), out)?,
    }
    Ok(if pass { Done::Fine } else { Done::Differs })
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
fn verify(station: &StationFile, path: &Path, options: &ReadOptions) -> Result<Verified, Failure> {
    let source = Source::reopenable(path)?;
    expectations(station, &|| reading::open_source(&source, options))
}

/// Holds the expectations against a recording that can be opened again, and prints what comes of it.
pub(crate) fn show(
    station: &StationFile,
    recording: &dyn Fn() -> Result<Recording, Failure>,
    out: &mut Out,
) -> Result<(), Failure> {
    let told = expectations(station, recording)?;
    print(&told.held, &told.findings, 1, out)
}

/// The expectations, each with the values of its names where it first failed.
fn expectations(
    station: &StationFile,
    recording: &dyn Fn() -> Result<Recording, Failure>,
) -> Result<Verified, Failure> {
    let outcome = replay(station, recording()?, &Wanted { values_enough: Some(1), ..Wanted::default() })?;
    let states = |at: i64| -> Result<States, Failure> {
        let mut states = States::default();
        let wanted = Wanted { to: Some(at), counted_before: true, values_enough: Some(1), ..Wanted::default() };
        replay_observed(station, recording()?, &wanted, &mut |seen| states.take(&seen))?;
        Ok(states)
    };
    let of_inputs = outcome.findings.iter().filter(|finding| InputWatch::CODES.contains(&finding.code));
    let findings =
        of_inputs.map(|finding| Told { recording: outcome.recording.clone(), finding: finding.clone() }).collect();
    let mut all = Vec::new();
    for (point, summary) in station.station.points.iter().zip(&outcome.points) {
        let PointSummary::Expectation(ExpectSummary { pass, detail, failed_at }) = summary else { continue };
        let failed_at = failed_at.map(|time: Nanos| outcome.origin.file_time_ns(time));
        let values = match failed_at {
            Some(at) => values(station, point, &states(at)?),
            None => Vec::new(),
        };
        all.push(Held {
            recording: outcome.recording.clone(),
            expectation: point.name.clone(),
            pass: *pass,
            detail: detail.clone(),
            failed_at_ns: failed_at,
            values,
        });
    }
    Ok(Verified { held: all, findings })
}

/// The values of an expectation's names.
fn values(station: &StationFile, point: &Point, states: &States) -> Vec<String> {
    let expressions = point.kind.expressions();
    let mut names: Vec<_> =
        expressions.iter().flat_map(|(_, field)| field.expression.names()).map(|(name, _)| name).collect();
    names.sort();
    names.dedup();
    let value = |name| states.of(&station.station, name).map_or("unknown".to_owned(), |(value, _)| value.to_string());
    names.into_iter().map(|name| format!("{name} = {}", value(name))).collect()
}

fn print(all: &[Held], findings: &[Told], recordings: usize, out: &mut Out) -> Result<(), Failure> {
    let mut rows = table(&["recording", "expectation", "held", "how", "first failure", "values there"]);
    for told in all {
        rows.add_row([
            told.recording.clone(),
            told.expectation.clone(),
            held(told.pass).to_owned(),
            told.detail.clone(),
            told.failed_at_ns.map_or(String::new(), |at| format!("{} s", seconds_short(at))),
            told.values.join(", "),
        ]);
    }
    (1..6).for_each(|column| left(&mut rows, column));
    out.table(rows)?;
    let failed = all.iter().filter(|told| !told.pass).count();
    out.line(format!(
        "\n{} of {} held, in {}",
        all.len() - failed,
        counted(all.len() as u64, "expectation"),
        counted(recordings as u64, "recording")
    ))?;
    for one in all.chunk_by(|one, other| one.recording == other.recording) {
        let recording = one.first().map_or("", |held| held.recording.as_str());
        let findings: Vec<Finding> =
            findings.iter().filter(|told| told.recording == recording).map(|told| told.finding.clone()).collect();
        if recordings > 1 && !findings.is_empty() {
            out.line(format!("\nin {recording}:"))?;
        }
        print_findings(&findings, out)?;
    }
    Ok(())
}

fn write_junit(station: &StationFile, all: &[Held], path: &Path) -> Result<(), Failure> {
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
    let mut file = OutputFile::create(path)?;
    let text = report.to_string().map_err(|error| Failure::Print(std::io::Error::other(error)))?;
    file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
    Ok(put_in_place([file.finish()?])?)
}
