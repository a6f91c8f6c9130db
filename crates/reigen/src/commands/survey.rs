//! `reigen survey`: what is on each line, without a station file.

use crate::cli::SurveyArguments;
use crate::failure::Failure;
use crate::first_station::first_station;
use crate::gauge::{StateTable, check_step};
use crate::print::Out;
use crate::reading;
use crate::views::survey::{Json, SurveyReport, print, survey};
use reigen_core::names::counted;
use reigen_io::output_file::{Outputs, put_in_place};
use std::io::Write as _;
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &SurveyArguments, out: &mut Out) -> Result<(), Failure> {
    let recording = reading::open(&arguments.recording)?;
    let stretch = reading::stretch(&arguments.recording.span, &recording)?;
    check_step(arguments.every)?;
    let mut states = arguments.every.map(|step| StateTable::new(step, (!arguments.json).then_some(&mut *out)));
    let mut surveyed = survey(recording, stretch, &arguments.lines, states.as_mut())?;
    if let Some(states) = states {
        let (table, left_out) = states.finish()?;
        surveyed.survey.findings.extend(left_out);
        surveyed.every = table;
    }
    let written = arguments.output.as_deref().map(|path| write_station(&surveyed, path, out.outputs())).transpose()?;
    match arguments.json {
        true => return out.json(&Json::new(&surveyed)),
        false => print(&surveyed, out)?,
    }
    match written {
        Some((path, points)) => {
            let from = &surveyed.recording;
            let is_stream = arguments.recording.recordings.iter().any(|path| path == Path::new("-"));
            let recording = if is_stream { "RECORDING" } else { from };
            let next = match points {
                0 => "complete the lines that are commented out".to_owned(),
                _ => format!("reigen run {path} {recording}"),
            };
            out.line(format!("\nwrote {path} with {}; next: {next}", counted(points as u64, "point")))
        }
        None => Ok(()),
    }
}

/// Writes a first station file; gives its name and how many points it has.
fn write_station(surveyed: &SurveyReport, path: &Path, outputs: &Outputs) -> Result<(String, usize), Failure> {
    let (text, points) = first_station(&surveyed.recording, &surveyed.survey.lines, &surveyed.nameable);
    let mut file = outputs.create(path)?;
    file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
    put_in_place([file.finish()?])?;
    Ok((path.display().to_string(), points))
}
