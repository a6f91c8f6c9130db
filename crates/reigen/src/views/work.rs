//! What a worker of a fleet tells, and how the stations stand.

use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use reigen_core::names::counted;
use reigen_core::time::place;
use reigen_fleet::event::FleetEvent;
use reigen_fleet::jobs::{JobEvent, JobOutcome, MOST_TRIES};
use reigen_fleet::standing::Standing;
use reigen_fleet::station::FleetStation;
use serde::Serialize;
use serde_json::Value;

/// How a station stands, as JSON and as a row.
#[derive(Debug, Serialize)]
pub(crate) struct StandingRow {
    station: String,
    /// Who works it now.
    worker: Option<String>,
    /// The last message that is in its counts.
    sequence: u64,
    /// The newest message of its lines.
    newest_message: Option<u64>,
    /// Changes of its lines so far.
    changes: u64,
    /// Rows that meant nothing.
    malformed: u64,
    /// Changes that were older than one before them.
    late: u64,
    /// The time of the newest change.
    newest_ns: Option<i64>,
    state: StandingWord,
}

/// How a station stands, in a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
enum StandingWord {
    /// All messages are in its counts.
    UpToDate,
    /// Messages wait.
    Behind,
    /// Nobody has told anything of its lines.
    NoMessage,
    /// What was kept belongs to another version of the file.
    OtherVersion,
    /// What was kept cannot be read.
    Unreadable,
}

impl StandingWord {
    fn words(self) -> &'static str {
        match self {
            Self::UpToDate => "up to date",
            Self::Behind => "messages wait",
            Self::NoMessage => "no message yet",
            Self::OtherVersion => "the file has changed",
            Self::Unreadable => "what was kept cannot be read",
        }
    }
}

impl StandingRow {
    /// Of a station.
    pub(crate) fn new(station: &FleetStation, standing: &Standing) -> Self {
        let kept = standing.kept.as_ref();
        let sequence = kept.map_or(0, |kept| kept.sequence);
        let state = match standing.newest_message {
            _ if standing.unreadable.is_some() => StandingWord::Unreadable,
            _ if kept.is_some_and(|kept| kept.version != station.version) => StandingWord::OtherVersion,
            None => StandingWord::NoMessage,
            Some(newest) if newest > sequence => StandingWord::Behind,
            Some(_) => StandingWord::UpToDate,
        };
        Self {
            station: standing.station.clone(),
            worker: standing.worker.clone(),
            sequence,
            newest_message: standing.newest_message,
            changes: kept.map_or(0, |kept| kept.changes),
            malformed: kept.map_or(0, |kept| kept.malformed),
            late: kept.map_or(0, |kept| kept.late),
            newest_ns: kept.and_then(|kept| kept.newest_ns),
            state,
        }
    }
}

/// Prints how stations stand.
pub(crate) fn print_list(rows: &[StandingRow], out: &mut Out) -> Result<(), Failure> {
    let mut table = Table::new(&[
        "station",
        "worker",
        "state",
        "changes",
        "newest at",
        "counted to",
        "newest message",
        "late",
        "left out",
    ]);
    table.left(1);
    table.left(2);
    for row in rows {
        let number = |number: Option<u64>| number.map_or("-".to_owned(), |number| number.to_string());
        table.add_row([
            row.station.clone(),
            row.worker.clone().unwrap_or_else(|| "nobody".to_owned()),
            row.state.words().to_owned(),
            row.changes.to_string(),
            row.newest_ns.map_or("-".to_owned(), place),
            number(Some(row.sequence).filter(|sequence| *sequence > 0)),
            number(row.newest_message),
            row.late.to_string(),
            row.malformed.to_string(),
        ]);
    }
    out.table(&table)
}

/// An event in a sentence.
pub(crate) fn event_words(event: &FleetEvent) -> String {
    match event {
        FleetEvent::Took { station, sequence: 0 } => format!("{station}: begins"),
        FleetEvent::Took { station, sequence } => format!("{station}: goes on behind message {sequence}"),
        FleetEvent::Gave { station, sequence } => format!("{station}: given back, counted to message {sequence}"),
        FleetEvent::Overtaken { station, worker, sequence } => {
            format!("{station}: stopped here: {worker} has counted to message {sequence}, and goes on")
        }
        FleetEvent::Refused { station, why, help } => format!("{station}: not worked: {why}. {help}"),
        FleetEvent::Malformed { station, sequence, rows, first } => {
            format!("{station}: message {sequence}: {} left out: {first}", counted(*rows, "row"))
        }
        FleetEvent::Dropped { station, sequence, first_kept } => format!(
            "{station}: messages between {sequence} and {first_kept} are no longer on the server: changes may be missing. \
             Let the stream keep more (its limits of age and size)"
        ),
        FleetEvent::Waiting { why } => waiting_words(why),
    }
}

/// What a worker on recordings tells, as JSON.
#[derive(Serialize)]
#[serde(tag = "event", rename_all = "snake_case")]
enum JobLine<'a> {
    Began { recording: &'a str, tries: i64 },
    Checked { recording: &'a str },
    Failed { recording: &'a str, why: &'a str },
    SetAside { recording: &'a str, why: &'a str },
    Waiting { why: &'a str },
}

/// Prints what a worker on recordings tells.
pub(crate) fn print_job(event: &JobEvent, json: bool, out: &mut Out) -> Result<(), Failure> {
    let recording = |body: &'_ Value| body.get("recording").and_then(Value::as_str).unwrap_or("?").to_owned();
    let name = match event {
        JobEvent::Began(body, _) | JobEvent::Ended(body, _) | JobEvent::Failed(body, _) => recording(body),
        JobEvent::Waiting(_) => String::new(),
    };
    let recording = name.as_str();
    let (line, words) = match event {
        JobEvent::Began(_, 1) => (JobLine::Began { recording, tries: 1 }, format!("{name}: begins")),
        JobEvent::Began(_, tries) => {
            (JobLine::Began { recording, tries: *tries }, format!("{name}: try {tries} of {MOST_TRIES}"))
        }
        JobEvent::Ended(_, JobOutcome::Done(_)) => (JobLine::Checked { recording }, format!("{name}: done")),
        JobEvent::Ended(_, JobOutcome::SetAside(why)) => {
            (JobLine::SetAside { recording, why }, format!("{name}: set aside: {why}"))
        }
        JobEvent::Failed(_, why) => (JobLine::Failed { recording, why }, format!("{name}: {why}; it is tried again")),
        JobEvent::Waiting(why) => (JobLine::Waiting { why }, waiting_words(why)),
    };
    if json {
        out.json_line(&line)?
    } else {
        out.words(&words)?
    }
    out.pass_on()
}

fn waiting_words(why: &str) -> String {
    format!("the server does not answer: {why}; trying again")
}
