//! The page to sign, and the same as JSON.

use super::LastTrials;
use askama::Template;
use reigen_io::output_file::{FinishedFile, Outputs};
use reigen_run::signoff::{StepResult, Verdict};
use serde::Serialize;
use std::collections::BTreeMap;
use std::io::Write as _;
use std::path::Path;

/// What came of all points.
#[derive(Debug, Serialize, schemars::JsonSchema, Template)]
#[template(path = "signoff.html")]
pub(crate) struct Sheet {
    /// What the station is called.
    title: String,
    /// Its file.
    station: String,
    /// How many passed.
    passed: usize,
    /// How many failed.
    failed: usize,
    /// How many were skipped.
    skipped: usize,
    /// How many have not been tried.
    open: usize,
    /// The points in the order in which they are tried.
    points: Vec<Row>,
    #[serde(skip)]
    version: &'static str,
}

/// A point on the sheet.
#[derive(Debug, Serialize, schemars::JsonSchema)]
struct Row {
    /// Its name.
    point: String,
    /// Its lines, its terminal and its address.
    place: String,
    /// `input`, `encoder`, `analog` or `output`.
    kind: String,
    /// `passed`, `failed`, `skipped` or `open`.
    verdict: &'static str,
    /// What was seen, or why it was skipped.
    message: String,
    /// What to do about it.
    remedy: String,
    /// When it was tried last (RFC 3339, UTC).
    at: Option<String>,
    /// Who tried it.
    by: Option<String>,
    /// How often it has been tried.
    tries: i64,
    /// Figures by name; each name ends in its unit.
    #[serde(serialize_with = "as_map")]
    #[schemars(with = "BTreeMap<String, f64>")]
    figures: Vec<(String, f64)>,
}

impl Row {
    /// A date and time as a person reads it.
    fn when(&self, at: &str) -> String {
        at.replace('T', " ").trim_end_matches('Z').to_owned()
    }
}

fn as_map<S: serde::Serializer>(figures: &[(String, f64)], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_map(figures.iter().map(|(name, value)| (name, value)))
}

impl Sheet {
    /// The sheet of these points: their names, places and kinds.
    pub(crate) fn new(title: String, station: String, points: Vec<(String, String, &str)>, last: &LastTrials) -> Self {
        let rows: Vec<Row> = points
            .into_iter()
            .map(|(point, place, kind)| {
                let trial = last.get(&point);
                let result = trial.map(|trial| &trial.result);
                let text = |of: fn(&StepResult) -> &String| result.map(of).cloned().unwrap_or_default();
                Row {
                    verdict: result.map_or("open", |result| result.verdict.word()),
                    message: text(|result| &result.message),
                    remedy: text(|result| &result.remedy),
                    at: trial.map(reigen_history::Trial::at),
                    by: trial.map(|trial| trial.by.clone()).filter(|by| !by.is_empty()),
                    tries: trial.map_or(0, |trial| trial.tries),
                    figures: result.map(|result| result.figures.clone()).unwrap_or_default(),
                    kind: kind.to_owned(),
                    point,
                    place,
                }
            })
            .collect();
        let count = |verdict: &str| rows.iter().filter(|row| row.verdict == verdict).count();
        let [passed, failed, skipped] =
            [Verdict::Passed, Verdict::Failed, Verdict::Skipped].map(|verdict| count(verdict.word()));
        let open = count("open");
        let version = env!("CARGO_PKG_VERSION");
        Self { title, station, passed, failed, skipped, open, points: rows, version }
    }

    /// Whether every point has passed, or been skipped for a reason.
    pub(crate) fn is_done(&self) -> bool {
        self.failed + self.open == 0
    }

    /// How many of each.
    pub(crate) fn verdict(&self) -> String {
        let Self { passed, failed, skipped, open, .. } = self;
        format!("{passed} passed, {failed} failed, {skipped} skipped, {open} open")
    }
}

/// Writes the page.
pub(crate) fn write_sheet(
    sheet: &Sheet,
    path: &Path,
    outputs: &Outputs,
) -> Result<FinishedFile, crate::failure::Failure> {
    let text =
        sheet.render().map_err(|error| crate::failure::Failure::Print(std::io::Error::other(error.to_string())))?;
    let mut file = outputs.create(path)?;
    file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
    Ok(file.finish()?)
}
