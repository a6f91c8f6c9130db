//! A station's expectations held against recordings.

use super::verdict::{by_weight, expectations as expectations_line, findings as findings_line};
use crate::cli::SpanArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::replay;
use crate::table_view::Table;
use crate::tables::{held, print_findings};
use reigen_core::finding::Finding;
use reigen_core::logic::expect::ExpectSummary;
use reigen_core::names::counted;
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;
use reigen_io::recording::Recording;
use reigen_run::replay::RunOptions;
use reigen_run::states::States;
use reigen_run::station_file::StationFile;
use reigen_station::findings::inputs::InputWatch;
use reigen_station::station::Point;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// One expectation against one recording.
#[derive(Debug, Serialize, Deserialize, schemars::JsonSchema)]
pub(crate) struct ExpectationResult {
    pub(crate) recording: String,
    pub(crate) expectation: String,
    pub(crate) pass: bool,
    pub(crate) detail: String,
    pub(crate) failed_at_ns: Option<i64>,
    /// The values of its names at that time.
    pub(crate) values: Vec<String>,
}

#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct Json<'a> {
    pub(crate) station: Option<&'a str>,
    pub(crate) pass: bool,
    pub(crate) expectations: &'a [ExpectationResult],
    /// What looks wrong with the inputs, by recording.
    pub(crate) findings: &'a [RecordingFinding],
    /// Recordings that no worker could check.
    #[serde(skip_serializing_if = "<[NotChecked]>::is_empty")]
    pub(crate) not_checked: &'a [NotChecked],
}

/// A recording that no worker could check.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct NotChecked {
    recording: String,
    why: String,
}

impl From<(PathBuf, String)> for NotChecked {
    fn from((path, why): (PathBuf, String)) -> Self {
        Self { recording: path.display().to_string(), why }
    }
}

/// Prints which recordings no worker could check.
pub(crate) fn print_not_checked(all: &[NotChecked], out: &mut Out) -> Result<(), Failure> {
    all.iter().try_for_each(|told| out.words(&format!("not checked: {}: {}", told.recording, told.why)))
}

/// Something wrong with an input of one recording.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct RecordingFinding {
    pub(crate) recording: String,
    #[serde(flatten)]
    pub(crate) finding: Finding,
}

/// What came of one recording.
#[derive(Debug, Default)]
pub(crate) struct VerifyReport {
    pub(crate) held: Vec<ExpectationResult>,
    pub(crate) findings: Vec<RecordingFinding>,
}

/// Holds the expectations against a recording that can be opened again, and prints what comes of it.
pub(crate) fn show(
    station: &StationFile,
    recording: &dyn Fn() -> Result<Recording, Failure>,
    out: &mut Out,
) -> Result<(), Failure> {
    let told = expectations(station, recording, SpanArguments::default())?;
    print(&told.held, &told.findings, 1, out)
}

/// The expectations, each with the values of its names where it first failed.
pub(crate) fn expectations(
    station: &StationFile,
    recording: &dyn Fn() -> Result<Recording, Failure>,
    SpanArguments { from, to }: SpanArguments,
) -> Result<VerifyReport, Failure> {
    let wanted = RunOptions { values_enough: Some(1), from, to, ..RunOptions::default() };
    let outcome = replay(station, recording()?, &wanted, &mut [])?;
    let states = |at: i64| -> Result<States, Failure> {
        let mut states = States::default();
        let wanted = RunOptions { to: Some(at), counted_before: true, values_enough: Some(1), ..RunOptions::default() };
        replay(station, recording()?, &wanted, &mut [&mut states])?;
        Ok(states)
    };
    let sorted = by_weight(&outcome.findings, &station.station);
    let of_inputs = sorted.into_iter().filter(|finding| InputWatch::CODES.contains(&finding.code));
    let findings = of_inputs
        .map(|finding| RecordingFinding { recording: outcome.recording.clone(), finding: finding.clone() })
        .collect();
    let mut all = Vec::new();
    for (point, summary) in station.station.points.iter().zip(&outcome.points) {
        let PointSummary::Expectation(ExpectSummary { pass, detail, failed_at }) = summary else { continue };
        let failed_at = failed_at.map(|time: Nanos| outcome.origin.file_time_ns(time));
        let values = match failed_at {
            Some(at) => values(station, point, &states(at)?),
            None => Vec::new(),
        };
        all.push(ExpectationResult {
            recording: outcome.recording.clone(),
            expectation: point.name.clone(),
            pass: *pass,
            detail: detail.clone(),
            failed_at_ns: failed_at,
            values,
        });
    }
    Ok(VerifyReport { held: all, findings })
}

/// The values of an expectation's names.
fn values(station: &StationFile, point: &Point, states: &States) -> Vec<String> {
    let expressions = point.kind.expressions();
    let mut names: Vec<_> =
        expressions.iter().flat_map(|(_, field)| field.expression.names()).map(|(name, _)| name).collect();
    names.sort();
    names.dedup();
    let value = |name| states.of(&station.station, name).map_or("unknown".to_owned(), |(value, _)| value.to_string());
    // Whether a link answers is no point's value.
    names.retain(|name| !station.station.is_online_line(&name.to_string()));
    names.into_iter().map(|name| format!("{name} = {}", value(name))).collect()
}

/// Prints the verdict, then what looks wrong with the inputs, then each expectation: those that failed come first.
pub(crate) fn print(
    all: &[ExpectationResult],
    findings: &[RecordingFinding],
    recordings: usize,
    out: &mut Out,
) -> Result<(), Failure> {
    let failed = all.iter().filter(|told| !told.pass).count();
    let told = expectations_line(all.len(), failed).unwrap_or_else(|| "no expectations".to_owned());
    let found: Vec<Finding> = findings.iter().map(|told| told.finding.clone()).collect();
    out.line(format!("{told}, in {}; {}", counted(recordings as u64, "recording"), findings_line(&found)))?;
    for one in findings.chunk_by(|one, other| one.recording == other.recording) {
        if let Some(first) = one.first().filter(|_| recordings > 1) {
            out.line(format!("\nin {}:", first.recording))?;
        }
        print_findings(&one.iter().map(|told| told.finding.clone()).collect::<Vec<_>>(), out)?;
    }
    let mut rows = Table::new(&["recording", "expectation", "held", "how", "values there"]);
    let sorted = all.iter().filter(|told| !told.pass).chain(all.iter().filter(|told| told.pass));
    for told in sorted {
        rows.add_row([
            told.recording.clone(),
            told.expectation.clone(),
            held(told.pass).to_owned(),
            told.detail.clone(),
            told.values.join(", "),
        ]);
    }
    (1..5).for_each(|column| rows.left(column));
    out.line("")?;
    out.table(&rows)
}
