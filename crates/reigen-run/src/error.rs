//! Why a station cannot be worked.

use reigen_core::names::counted;
use reigen_io::error::RecordingError;
use reigen_io::output_file::OutputError;
use reigen_station::station::StationError;

/// Why a station cannot be worked over lines. How it is told to a person is up to whoever shows it.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// The station file is wrong.
    #[error("{file} has {}", counted(errors.len() as u64, "error"))]
    Station {
        /// Its name.
        file: String,
        /// Its text, in which the errors have their places.
        source_text: String,
        /// What is wrong.
        errors: Vec<StationError>,
    },
    /// A file that a person wrote cannot be read.
    #[error("cannot read {file}: {why}")]
    Unreadable {
        /// Its name.
        file: String,
        /// Why.
        why: String,
        /// What to do.
        help: String,
    },
    /// The recording is wrong.
    #[error(transparent)]
    Recording(Box<RecordingError>),
    /// An output cannot be written.
    #[error(transparent)]
    Output(#[from] OutputError),
    /// What was asked for does not fit the recording or the station.
    #[error("{message}")]
    Request {
        /// What does not fit.
        message: String,
        /// What to do.
        help: String,
    },
}

impl From<RecordingError> for RunError {
    fn from(error: RecordingError) -> Self {
        Self::Recording(Box::new(error))
    }
}
