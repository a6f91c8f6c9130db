//! `reigen check`: the wiring, before power goes on.

use crate::Done;
use crate::cli::CheckArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::replay::StationFile;
use crate::tables;
use reigen_core::finding::{Finding, Severity};
use reigen_core::wiring::terminals::TerminalRow;
use reigen_core::wiring::{Checked, check};
use serde::Serialize;

/// The result as JSON.
#[derive(Serialize)]
struct Summary<'a> {
    station: Option<&'a str>,
    findings: &'a [Finding],
    terminals: &'a [TerminalRow],
}

/// Runs the command.
pub(crate) fn run(arguments: &CheckArguments, out: &mut Out) -> Result<Done, Failure> {
    let station = StationFile::open(&arguments.station)?;
    print(&station, arguments.json, out)
}

/// Checks a station and prints what comes of it.
pub(crate) fn print(station: &StationFile, json: bool, out: &mut Out) -> Result<Done, Failure> {
    let checked = check(&station.station);
    let title = station.station.title.as_deref();
    match json {
        true => {
            let Checked { findings, terminals } = &checked;
            out.json(&Summary { station: title, findings, terminals })?;
        }
        false => tables::print_check(title, &checked, out)?,
    }
    let wrong = checked.findings.iter().any(|finding| finding.severity == Severity::Error);
    Ok(if wrong { Done::Differs } else { Done::Fine })
}
