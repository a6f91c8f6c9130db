//! `reigen live`: a station worked on live lines.

use crate::cli::live::LiveArguments;
use crate::done::Completion;
use crate::failure::Failure;
use crate::live_run::run_live;
use crate::print::Out;
use crate::stop::Stop;
use reigen_run::station_file::StationFile;

/// Runs the command.
pub(crate) fn run(arguments: &LiveArguments, stop: &Stop, out: &mut Out) -> Result<Completion, Failure> {
    run_live(&StationFile::open(&arguments.station)?, arguments, stop, out, None)
}
