//! Station files, and other texts that a person wrote.

use crate::error::RunError;
use reigen_io::small_file::{self, SmallFileError};
use reigen_station::station::{self, Station};
use std::path::Path;

/// A station file that has been read and checked.
#[derive(Debug)]
pub struct StationFile {
    /// Its name, for messages.
    pub name: String,
    /// Its text.
    pub source: String,
    /// What it says.
    pub station: Station,
}

impl StationFile {
    /// Reads and checks a station file.
    ///
    /// # Errors
    /// Where it cannot be read, or is wrong.
    pub fn open(path: &Path) -> Result<Self, RunError> {
        let name = path.display().to_string();
        let help = "the station comes first, then the recording: reigen run station.toml recording.vcd";
        match small_file::read_text(path, small_file::TextKind::Toml) {
            Ok(text) => Self::parse(name, text),
            Err(SmallFileError::Recording(what)) => Err(RunError::Request {
                message: format!("`{name}` is a recording ({what}): the station comes first"),
                help: help.to_owned(),
            }),
            Err(error) => Err(unreadable(name, &error, help)),
        }
    }

    /// Checks the text of a station file.
    ///
    /// # Errors
    /// Where it is wrong.
    pub fn parse(name: String, source: String) -> Result<Self, RunError> {
        match station::parse(&source) {
            Ok(station) => Ok(Self { name, source, station }),
            Err(errors) => Err(RunError::Station { file: name, source_text: source, errors }),
        }
    }
}

/// Reads a text file that a person wrote; `help` is what to say where it is not there.
///
/// # Errors
/// Where it cannot be read, or is no text.
pub fn read_text(path: &Path, wanted: small_file::TextKind, help: &str) -> Result<String, RunError> {
    small_file::read_text(path, wanted).map_err(|error| unreadable(path.display().to_string(), &error, help))
}

fn unreadable(file: String, error: &SmallFileError, help: &str) -> RunError {
    let is_text = !matches!(error, SmallFileError::NoText { .. });
    RunError::Unreadable {
        file,
        help: if is_text { help } else { "save it as UTF-8" }.to_owned(),
        why: error.to_string(),
    }
}
