//! Recordings of an archive checked by workers: what a job asks, how a worker does it, and what comes back.

use crate::failure::Failure;
use crate::reading::warn;
use crate::views::verify::{ExpectationResult, RecordingFinding, VerifyReport};
use reigen_core::finding::{Finding, Severity};
use reigen_fleet::error::FleetError;
use reigen_fleet::jobs::{Answer, AskEvent, JobOutcome, ask};
use reigen_fleet::server::ServerAddress;
use reigen_run::station_file::StationFile;
use reigen_station::findings::inputs::InputWatch;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A recording to be checked.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct VerifyJob {
    /// The text of the station file.
    station: String,
    /// The recording, under the path that all computers know it by.
    pub(crate) recording: PathBuf,
}

/// What a check came to.
#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum VerifyAnswer {
    /// The JSON of `reigen verify`.
    Checked(Checked),
    /// Why it was refused: what is wrong with the recording, or with the station on it.
    Refused(String),
}

#[derive(Debug, Serialize, Deserialize)]
struct Checked {
    expectations: Vec<ExpectationResult>,
    findings: Vec<ToldFinding>,
}

/// A finding as JSON tells it.
#[derive(Debug, Serialize, Deserialize)]
struct ToldFinding {
    recording: String,
    code: String,
    severity: Severity,
    subject: String,
    message: String,
    remedy: String,
    sum: Option<String>,
}

/// Recordings that no worker could check, with the reason.
pub(crate) type SetAside = Vec<(PathBuf, String)>;

impl From<FleetError> for Failure {
    fn from(error: FleetError) -> Self {
        Self::Usage { message: error.to_string(), help: error.help().to_owned() }
    }
}

/// Has recordings checked by workers; gives what came of those that were, and those that were not.
pub(crate) fn verify_by_workers(
    station: &StationFile,
    recordings: &[PathBuf],
    server: &str,
) -> Result<(VerifyReport, SetAside), Failure> {
    let absolute = |path: &PathBuf| std::path::absolute(path).unwrap_or_else(|_| path.clone());
    let paths: Vec<PathBuf> = recordings.iter().map(absolute).collect();
    let job = |path: &PathBuf| VerifyJob { station: station.source.clone(), recording: path.clone() };
    let bodies: Result<Vec<Value>, _> = paths.iter().map(|path| serde_json::to_value(job(path))).collect();
    let bodies = bodies.map_err(|error| FleetError::Local(format!("a recording's path is no text: {error}")))?;
    let address = ServerAddress { address: server.to_owned(), user: None };
    let mut is_told = false;
    let answers = ask(&address, bodies, &mut |event| match event {
        AskEvent::Answered(answer) => {
            let path = recordings.get(answer.number).map(|path| path.display().to_string()).unwrap_or_default();
            tracing::info!("{path}: checked by {}", answer.worker);
        }
        AskEvent::Silence if !std::mem::replace(&mut is_told, true) => {
            let message = format!("no worker at {server} has answered for 10 s; still waiting");
            let remedy = "start workers, if there are none: reigen work --verify FOLDER";
            warn(&Finding::note("no-worker", "verify", message, remedy));
        }
        AskEvent::Silence => {}
    })?;
    let (mut report, mut set_aside) = (VerifyReport::default(), SetAside::new());
    for Answer { number, outcome, .. } in answers {
        let Some(path) = recordings.get(number) else { continue };
        let why = match outcome {
            JobOutcome::Done(told) => match serde_json::from_value(told) {
                Ok(VerifyAnswer::Checked(told)) => {
                    let name = path.display().to_string();
                    let of_here = |held| ExpectationResult { recording: name.clone(), ..held };
                    report.held.extend(told.expectations.into_iter().map(of_here));
                    report.findings.extend(told.findings.into_iter().filter_map(|told| told.finding(&name)));
                    continue;
                }
                Ok(VerifyAnswer::Refused(why)) => why,
                Err(error) => format!("its worker is of another version: {error}"),
            },
            JobOutcome::SetAside(why) => why,
        };
        set_aside.push((path.clone(), why));
    }
    Ok((report, set_aside))
}

impl ToldFinding {
    /// As a finding of a recording; `None` for one that this version does not know.
    fn finding(self, recording: &str) -> Option<RecordingFinding> {
        let code = InputWatch::CODES.iter().find(|code| **code == self.code)?;
        let Self { severity, subject, message, remedy, sum, .. } = self;
        let finding = Finding { code, severity, subject, message, remedy, at: None, sum, remedies: None };
        Some(RecordingFinding { recording: recording.to_owned(), finding })
    }
}

/// Does a job in a process of its own: a recording that ends it does not end the worker. Only recordings in the folder are
/// read: anybody who reaches the server could ask for any file.
pub(crate) fn do_job(body: &Value, archive: &Path) -> Result<Value, String> {
    let job: VerifyJob = serde_json::from_value(body.clone()).map_err(|error| error.to_string())?;
    let is_within = job.recording.canonicalize().is_ok_and(|path| path.starts_with(archive));
    let answer = match is_within {
        true => check(&job)?,
        false => VerifyAnswer::Refused(format!("it is not in {}, the folder of the worker", archive.display())),
    };
    serde_json::to_value(answer).map_err(|error| error.to_string())
}

/// Runs `reigen verify`.
fn check(job: &VerifyJob) -> Result<VerifyAnswer, String> {
    let folder = tempfile::tempdir().map_err(|error| format!("there is no temporary folder: {error}"))?;
    let station = folder.path().join("station.toml");
    std::fs::write(&station, &job.station).map_err(|error| format!("the station cannot be written: {error}"))?;
    let program = std::env::current_exe().map_err(|error| format!("the program is gone: {error}"))?;
    let mut command = Command::new(program);
    command.arg("verify").arg(&station).arg(&job.recording).args(["--json", "--quiet"]);
    let said = command.output().map_err(|error| format!("the program does not start: {error}"))?;
    match said.status.code() {
        Some(0 | 1) => {
            serde_json::from_slice(&said.stdout).map(VerifyAnswer::Checked).map_err(|error| error.to_string())
        }
        Some(2) => Ok(VerifyAnswer::Refused(refusal(&String::from_utf8_lossy(&said.stderr)))),
        _ => Err(format!("the check ended with {}", said.status)),
    }
}

/// Why something was refused, without what stands around it.
fn refusal(told: &str) -> String {
    let first = told.lines().next().unwrap_or_default();
    first.strip_prefix("error: ").unwrap_or(first).to_owned()
}
