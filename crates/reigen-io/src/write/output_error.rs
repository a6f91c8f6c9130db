//! Why an output cannot be written, and what to do about it.

use crate::error::system_words;
use std::io;
use std::path::{Path, PathBuf};
use thiserror::Error;

/// Why an output file could not be written.
#[derive(Debug, Error)]
pub enum OutputError {
    /// Its folder does not exist.
    #[error("cannot write {}: there is no folder {}", path.display(), folder.display())]
    NoFolder {
        /// The file.
        path: PathBuf,
        /// The folder that is not there.
        folder: PathBuf,
    },
    /// A folder has its name.
    #[error("cannot write {}: it is a folder", .0.display())]
    IsFolder(PathBuf),
    /// Nobody may write to it.
    #[error("cannot write {}: it may only be read", .0.display())]
    ReadOnly(PathBuf),
    /// Its ending tells no format.
    #[error("cannot tell the format of {} by its ending", path.display())]
    Ending {
        /// The file.
        path: PathBuf,
        /// The endings that are known.
        known: &'static str,
    },
    /// A table that packs its own columns was to be packed once more.
    #[error("cannot write {}: Parquet packs its columns itself", .0.display())]
    PackedInside(PathBuf),
    /// This program was built without Parquet.
    #[error("cannot write {}: this program was built without Parquet", .0.display())]
    NoParquet(PathBuf),
    /// Packed samples cannot hold what is to be written.
    #[error("cannot write {}: {why}", path.display())]
    NotPacked {
        /// The file.
        path: PathBuf,
        /// What is in the way.
        why: String,
    },
    /// The system says no.
    #[error("cannot write {}: {}", named(path), system_words(source))]
    Io {
        /// The file.
        path: PathBuf,
        /// What the system says.
        source: io::Error,
    },
}

impl OutputError {
    /// What to do about it.
    pub fn help(&self) -> Option<String> {
        match self {
            Self::NoFolder { .. } => Some("create the folder first, or name another".to_owned()),
            Self::IsFolder(_) => Some("name a file".to_owned()),
            Self::Ending { known, .. } => Some(format!("known endings: {known}")),
            Self::PackedInside(_) => Some("name it .parquet".to_owned()),
            Self::NoParquet(_) => Some("build it with --features parquet, or write .csv or .jsonl".to_owned()),
            Self::ReadOnly(path) => Some(format!("name another file, or allow it: chmod u+w {}", path.display())),
            Self::Io { source, .. } => system_help(source).map(str::to_owned),
            Self::NotPacked { .. } => None,
        }
    }

    /// Whether the reader of the output has closed it.
    pub fn is_closed_pipe(&self) -> bool {
        matches!(self, Self::Io { path, source } if path == Path::new("-") && source.kind() == io::ErrorKind::BrokenPipe)
    }
}

fn named(path: &Path) -> String {
    if path == Path::new("-") { "standard output".to_owned() } else { path.display().to_string() }
}

/// What to do about what the system says.
pub fn system_help(error: &io::Error) -> Option<&'static str> {
    match error.kind() {
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
            Some("make room on that disk, or name a file on another")
        }
        io::ErrorKind::PermissionDenied => Some("name a file in a folder that you may write to, or get permission"),
        io::ErrorKind::ReadOnlyFilesystem => Some("name a file on a disk that can be written to"),
        io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => Some("check the path: a folder in it is missing"),
        io::ErrorKind::InvalidFilename => Some("use a shorter name"),
        io::ErrorKind::FileTooLarge => Some("use a longer --step, a part with --from and --to, or another format"),
        _ => None,
    }
}
