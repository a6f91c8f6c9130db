//! `reigen why`: the reason for an edge, a count, a state.

use crate::cli::WhyArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading;
use crate::views::why::{print, why, why_display};
use reigen_run::points::number_of;
use reigen_run::station_file::StationFile;

/// Runs the command.
pub(crate) fn run(arguments: &WhyArguments, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::open(&arguments.station)?;
    let displays = &station.station.displays;
    let told = match displays.iter().position(|display| display.name == arguments.point) {
        Some(display) => why_display(&station, reading::open(&arguments.recording)?, display, arguments)?,
        None => {
            let point = number_of(&station.station, &arguments.point)?;
            why(&station, reading::open(&arguments.recording)?, point, arguments)?
        }
    };
    match arguments.json {
        true => out.json(&told),
        false => print(&told, out),
    }
}
