//! The stations of a fleet: the files of a folder.

use reigen_run::error::RunError;
use reigen_run::station_file::StationFile;
use reigen_station::links::nats::{check_station_name, usable_station_name};
use reigen_station::station::version_of;
use std::path::{Path, PathBuf};

/// A station of a fleet.
#[derive(Debug)]
pub struct FleetStation {
    /// What it is called: its file's name without the ending. Its lines are on the subject of that name.
    pub name: String,
    /// Its file.
    pub file: StationFile,
    /// The version of what its file says.
    pub version: String,
}

impl FleetStation {
    /// Reads a station file.
    ///
    /// # Errors
    /// Where it is wrong, or its name is none that a subject can have.
    pub fn open(path: &Path) -> Result<Self, RunError> {
        let name = path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        check_station_name(&name).map_err(|why| RunError::Request {
            message: format!("{}: {why}", path.display()),
            help: format!("rename the file, such as to {}.toml", usable_station_name(&name)),
        })?;
        Self::new(name, StationFile::open(path)?)
    }

    /// A station of a name.
    ///
    /// # Errors
    /// Where it is wrong.
    pub fn new(name: String, file: StationFile) -> Result<Self, RunError> {
        Ok(Self { version: version_of(&file.source), name, file })
    }
}

/// The station files of a folder, in the order of their names.
///
/// # Errors
/// Where the folder cannot be read or has none.
pub fn station_files(folder: &Path) -> Result<Vec<PathBuf>, RunError> {
    let unreadable = |error: std::io::Error| RunError::Unreadable {
        file: folder.display().to_string(),
        why: reigen_io::error::system_words(&error),
        help: "name the folder with the station files".to_owned(),
    };
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).map_err(unreadable)? {
        let path = entry.map_err(unreadable)?.path();
        if path.extension().is_some_and(|ending| ending == "toml") {
            found.push(path);
        }
    }
    found.sort();
    match found.is_empty() {
        false => Ok(found),
        true => Err(RunError::Request {
            message: format!("{} has no station file", folder.display()),
            help: "put a file NAME.toml for each station there".to_owned(),
        }),
    }
}
