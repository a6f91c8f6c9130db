//! What came of a run: the verdict, findings by weight, then the points; or all of it as JSON.

use super::more::CommandPlace;
use super::overview::{Part, overview};
use super::verdict::{by_weight, findings, verdict};
use crate::failure::Failure;
use crate::print::Out;
use crate::summary::Summary;
use crate::tables;
use reigen_core::finding::{Finding, Severity};
use reigen_core::names::counted;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::place;
use reigen_core::units::short_time;
use reigen_run::displays::DisplayWatch;
use reigen_run::outcome::Outcome;
use reigen_run::station_file::StationFile;
use reigen_station::station::Station;

/// No more findings than these are shown where nobody asks for all.
const MOST_SHOWN: usize = 7;

/// How much of a run is shown.
#[derive(Debug, Default, Clone)]
pub(crate) struct Detail {
    /// All points in full, and all findings with their calculations.
    pub(crate) all: bool,
    /// Findings alone.
    pub(crate) findings: bool,
    /// These points alone, in full; all of them where it is empty.
    pub(crate) points: Vec<String>,
}

impl Detail {
    /// Whether findings have their calculations, and notes are among them.
    fn is_full(&self) -> bool {
        self.all || self.findings || !self.points.is_empty()
    }

    fn shows(&self, name: &str) -> bool {
        self.points.is_empty() || self.points.iter().any(|point| point == name)
    }
}

/// Tells what the displays show at the end.
pub(crate) fn show_displays(displays: DisplayWatch<'_>, outcome: &mut Outcome) {
    let (rows, findings) = displays.finish();
    outcome.displays = rows;
    outcome.findings.extend(findings);
}

/// Prints an outcome as JSON.
pub(crate) fn print_json(station: &StationFile, outcome: &Outcome, out: &mut Out) -> Result<(), Failure> {
    out.json(&Summary::new(&station.station, outcome))
}

/// Prints an outcome for people; `more` makes the commands that show more.
pub(crate) fn print(
    station: &Station,
    outcome: &Outcome,
    detail: &Detail,
    more: Option<&CommandPlace<'_>>,
    out: &mut Out,
) -> Result<(), Failure> {
    out.line(heading(station, outcome))?;
    out.line(verdict(outcome))?;
    let told = by_weight(&outcome.findings, station);
    let told: Vec<&Finding> = told.into_iter().filter(|finding| detail.shows(&finding.subject)).collect();
    let full = detail.is_full();
    // A few are all shown; of many, those that matter.
    let few = told.len() <= MOST_SHOWN;
    let wanted = told.iter().filter(|finding| full || few || finding.severity > Severity::Note);
    let shown: Vec<&Finding> = wanted.take(if full { usize::MAX } else { MOST_SHOWN }).copied().collect();
    if !shown.is_empty() {
        out.line("")?;
    }
    shown
        .iter()
        .try_for_each(|finding| tables::print_finding(finding, full, more.map(|more| more.command(finding)), out))?;
    let rest: Vec<Finding> = told.iter().skip(shown.len()).map(|finding| (*finding).clone()).collect();
    if !rest.is_empty() {
        out.line(format!("{} more: --findings shows all, with calculations", findings(&rest)))?;
    }
    if !detail.findings {
        print_points(station, outcome, detail, out)?;
        tables::print_displays(&outcome.displays, out)?;
    }
    tables::print_judgements(outcome, out)
}

fn heading(station: &Station, outcome: &Outcome) -> String {
    let title = station.title.as_ref().filter(|title| **title != outcome.recording);
    let title = title.map(|title| format!("{}: ", on_one_line(title))).unwrap_or_default();
    format!(
        "{title}{}, {} from {} on, {}, {}",
        outcome.recording,
        short_time(outcome.to.saturating_sub(outcome.from)),
        place(outcome.origin.file_time_ns(outcome.from)),
        counted(outcome.lines as u64, "line"),
        counted(outcome.edges, "edge"),
    )
}

fn print_points(station: &Station, outcome: &Outcome, detail: &Detail, out: &mut Out) -> Result<(), Failure> {
    if detail.is_full() {
        for table in tables::of_run(station, outcome, |name| detail.shows(name)) {
            out.line("")?;
            out.table(&table)?;
        }
        return Ok(());
    }
    let mut after_line = false;
    for part in overview(station, &outcome.points) {
        let is_line = matches!(part, Part::Line(_));
        if matches!(part, Part::Table(_)) || is_line && !after_line {
            out.line("")?;
        }
        after_line = is_line;
        match part {
            Part::Table(table) => out.table(&table)?,
            Part::Line(line) | Part::Under(line) => out.words(&line)?,
        }
    }
    Ok(())
}
