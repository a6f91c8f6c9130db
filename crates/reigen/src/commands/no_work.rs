//! `reigen work` where this build has no NATS.

use crate::cli::work::WorkArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::stop::Stop;

/// Says so.
pub(crate) fn run(_: &WorkArguments, _: &Stop, _: &mut Out) -> Result<(), Failure> {
    Err(Failure::Usage {
        message: "this build works no fleet".to_owned(),
        help: "build with `--features nats`".to_owned(),
    })
}
