//! What came of a run: displays, tables, or all of it as JSON.

use crate::failure::Failure;
use crate::print::Out;
use crate::summary::Summary;
use crate::tables;
use reigen_core::logic::expression::Reference;
use reigen_run::outcome::Outcome;
use reigen_run::states::States;
use reigen_run::station_file::StationFile;

/// Fills the displays with what points are.
pub(crate) fn show_displays(station: &StationFile, states: &States, outcome: &mut Outcome) {
    for display in &station.station.displays {
        let of = |name: &Reference| states.of(&station.station, name).map(|(value, _)| value);
        let (rows, findings) = display.rows(&of);
        outcome.displays.insert(display.name.clone(), rows);
        outcome.findings.extend(findings);
    }
}

/// Prints an outcome, for people or as JSON.
pub(crate) fn print(station: &StationFile, outcome: &Outcome, json: bool, out: &mut Out) -> Result<(), Failure> {
    if !json {
        return tables::print(&station.station, outcome, out);
    }
    out.json(&Summary::new(&station.station, outcome))
}
