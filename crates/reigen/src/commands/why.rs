//! `reigen why`: the reason for an edge, a count, a state.

use crate::cli::WhyArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading;
use crate::views::why::{print, why};
use reigen_run::points::number_of;
use reigen_run::station_file::StationFile;

/// Runs the command.
pub(crate) fn run(arguments: &WhyArguments, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::open(&arguments.station)?;
    let point = number_of(&station.station, &arguments.point)?;
    let recording = reading::open(&arguments.recording)?;
    let told = why(&station, recording, point, arguments)?;
    match arguments.json {
        true => out.json(&told),
        false => print(&told, out),
    }
}
