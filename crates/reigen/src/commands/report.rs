//! `reigen report`: one page to hand over, without anything outside it.

use crate::cli::ReportArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading;
use crate::views::diagram::{DiagramOptions, worked};
use crate::views::run::show_displays;
use askama::Template;
use reigen_io::output_file::put_in_place;
use reigen_run::displays::DisplayWatch;
use reigen_run::points::numbers_of;
use reigen_run::station_file::StationFile;
use std::io::Write;

use crate::views::report::report;

/// Runs the command.
pub(crate) fn run(arguments: &ReportArguments, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::open(&arguments.station)?;
    let points = numbers_of(&station.station, &arguments.points)?;
    let span = arguments.recording.span;
    let chosen = DiagramOptions { points, from: span.from, to: span.to, ..DiagramOptions::default() };
    let recording = reading::open(&arguments.recording)?;
    let taken_for = recording.taken_for();
    let mut displays = DisplayWatch::new(&station.station);
    let (diagram, mut outcome) = worked(&station, recording, &chosen, &mut displays)?;
    show_displays(displays, &mut outcome);
    let page = report(&station, &outcome, diagram, taken_for)?;
    let text = page.render().map_err(|error| Failure::Print(std::io::Error::other(error)))?;
    let mut file = out.outputs().create(&arguments.output)?;
    file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
    put_in_place([file.finish()?])?;
    out.line(format!("{}: {} kB, open it in any browser", arguments.output.display(), text.len().div_ceil(1000)))
}
