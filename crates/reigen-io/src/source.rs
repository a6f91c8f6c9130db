//! Where a recording comes from: a file, or what a pipe gave.

use crate::error::RecordingError;
use std::fs::File;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Where a recording comes from.
#[derive(Debug, Clone)]
pub enum Source {
    /// A path; `-` is standard input.
    Path(PathBuf),
    /// What a pipe gave, kept in a file without a name.
    Kept {
        /// The recording's name, for messages.
        name: String,
        /// All that it gave.
        file: Arc<File>,
    },
}

impl Source {
    /// A source that can be opened again and again: what standard input, a pipe or a device gives is kept.
    ///
    /// # Errors
    /// Where it cannot be read, or there is no room to keep it.
    pub fn reopenable(path: &Path) -> Result<Self, RecordingError> {
        let name = name_of(path);
        let explain = |source| RecordingError::Io { file: name.clone(), source };
        let mut given: Box<dyn Read> = match is_standard_input(path) {
            true => Box::new(io::stdin()),
            false if path.metadata().is_ok_and(|data| !data.is_file() && !data.is_dir()) => {
                Box::new(File::open(path).map_err(explain)?)
            }
            false => return Ok(Self::Path(path.to_owned())),
        };
        let mut file = tempfile::tempfile().map_err(explain)?;
        io::copy(&mut given, &mut file).and_then(|_| file.flush()).map_err(explain)?;
        Ok(Self::Kept { name, file: Arc::new(file) })
    }
}

impl From<&PathBuf> for Source {
    fn from(path: &PathBuf) -> Self {
        Self::Path(path.clone())
    }
}

/// Whether a path stands for standard input.
pub(crate) fn is_standard_input(path: &Path) -> bool {
    path == Path::new("-")
}

/// What a recording is called in messages.
pub(crate) fn name_of(path: &Path) -> String {
    if is_standard_input(path) { "standard input".to_owned() } else { path.display().to_string() }
}
