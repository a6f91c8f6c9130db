//! What the program tells of its work: on standard error as much as is wished, and in a log file.

use crate::cli::Manner;
use crate::failure::{FILE_ONLY, Failure};
use reigen_io::output_file::OutputError;
use std::fs::File;
use std::io;
use std::path::Path;
use std::sync::Mutex;
use tracing_subscriber::filter::{LevelFilter, filter_fn};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::{Layer, fmt, registry};

/// Begins telling, in the manner that was asked for.
///
/// # Errors
/// Where the log file cannot be written.
pub(crate) fn begin(manner: &Manner) -> Result<(), Failure> {
    let level = match (manner.quiet, manner.verbose) {
        (true, _) => LevelFilter::OFF,
        (false, true) => LevelFilter::INFO,
        (false, false) => LevelFilter::WARN,
    };
    let stderr = fmt::layer()
        .with_writer(io::stderr)
        .with_ansi(false)
        .without_time()
        .with_target(false)
        .with_level(false)
        .with_filter(level)
        .with_filter(filter_fn(|told| told.target() != FILE_ONLY));
    let file = manner.log.as_deref().map(append_to).transpose()?.map(|file| {
        let layer = fmt::layer().with_writer(Mutex::new(file)).with_ansi(false).with_target(false);
        layer.with_filter(LevelFilter::INFO)
    });
    // It fails only where something tells already, and that is what was wanted.
    let _ = tracing::subscriber::set_global_default(registry().with(file).with(stderr));
    Ok(())
}

/// Whether it may tell anything at all beside results and errors.
pub(crate) fn is_quiet() -> bool {
    !tracing::enabled!(tracing::Level::WARN)
}

fn append_to(path: &Path) -> Result<File, Failure> {
    let file = File::options().create(true).append(true).open(path);
    Ok(file.map_err(|source| OutputError::Io { path: path.to_owned(), source })?)
}
