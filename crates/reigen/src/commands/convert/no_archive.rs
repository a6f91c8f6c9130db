//! Where this build has no Parquet: no archive.

use crate::cli::ConvertArguments;
use crate::failure::Failure;
use crate::print::Out;
use reigen_io::output_file::OutputError;
use std::path::Path;

/// Says so.
pub(super) fn run(_: &ConvertArguments, folder: &Path, _: &mut Out) -> Result<(), Failure> {
    Err(OutputError::NoParquet(folder.to_owned()).into())
}
