//! What a run is asked to do.

use reigen_core::time::Nanos;
use reigen_io::output_file::Outputs;
use reigen_station::simulate::truth::TruthFile;
use std::path::Path;

/// What a run is asked to do beside the sums.
#[derive(Debug, Default)]
pub struct RunOptions<'a> {
    /// What knows the files that are in the making.
    pub outputs: Outputs,
    /// Where a trace of the points goes.
    pub trace: Option<&'a Path>,
    /// Where their events go.
    pub events: Option<&'a Path>,
    /// Where each text of the displays goes.
    pub display_log: Option<&'a Path>,
    /// What really happened.
    pub truth: Option<&'a TruthFile>,
    /// The points whose happenings the engine keeps, for an observer that takes them.
    pub remembered: Option<Vec<usize>>,
    /// Before the stretch too: what is counted there counts, as in the whole file.
    pub counted_before: bool,
    /// At which multiples of a step readings are taken.
    pub readings_every: Option<Nanos>,
    /// About so many values of each number in a window are enough; all are wanted where this is `None`.
    pub values_enough: Option<u64>,
    /// The stretch that counts begins here, in the source's own times.
    pub from: Option<i64>,
    /// And ends here.
    pub to: Option<i64>,
}
