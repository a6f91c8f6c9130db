//! Where this build has no NATS: no workers check recordings.

use crate::failure::Failure;
use crate::views::verify::VerifyReport;
use reigen_run::station_file::StationFile;
use std::path::PathBuf;

/// Recordings that no worker could check, with the reason.
pub(crate) type SetAside = Vec<(PathBuf, String)>;

/// Says so.
pub(crate) fn verify_by_workers(_: &StationFile, _: &[PathBuf], _: &str) -> Result<(VerifyReport, SetAside), Failure> {
    Err(Failure::Usage {
        message: "this build asks no workers".to_owned(),
        help: "build with `--features nats`, or remove --queue".to_owned(),
    })
}
