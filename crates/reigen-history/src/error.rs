//! What can be wrong with a history.

use std::path::PathBuf;

/// Why a history cannot be opened, read or written.
#[derive(Debug, thiserror::Error)]
pub enum HistoryError {
    /// Another program writes it.
    #[error("{} is written by another program{}", path.display(), holder.map_or(String::new(), |pid| format!(", process {pid}")))]
    InUse {
        /// The file.
        path: PathBuf,
        /// Its process, where that is known.
        holder: Option<u32>,
    },
    /// It is a database, and no history of this program.
    #[error("{} is a database of another program", .0.display())]
    Foreign(PathBuf),
    /// Another version has written it.
    #[error("{} was written by another version of this program", .0.display())]
    OtherVersion(PathBuf),
    /// It is broken.
    #[error("{} is damaged: {why}", path.display())]
    Damaged {
        /// The file.
        path: PathBuf,
        /// What the database says.
        why: String,
    },
    /// It has no such session.
    #[error("{} has no session {asked}: it has {known}", path.display())]
    NoSession {
        /// The file.
        path: PathBuf,
        /// Which was asked for.
        asked: i64,
        /// Which there are, in words.
        known: String,
    },
    /// The file cannot be opened.
    #[error("{}: {}", path.display(), reigen_io::error::system_words(source))]
    Io {
        /// The file.
        path: PathBuf,
        /// What the system says.
        source: std::io::Error,
    },
    /// The database refuses.
    #[error("{}: {source}", path.display())]
    Database {
        /// The file.
        path: PathBuf,
        /// What it says.
        source: rusqlite::Error,
    },
}

impl HistoryError {
    /// What to do about it.
    pub fn help(&self) -> &'static str {
        match self {
            Self::InUse { .. } => "end that program, or use another file",
            Self::Foreign(_) | Self::OtherVersion(_) => "use another file",
            Self::Damaged { .. } => "keep the file as it is, and use another one",
            Self::NoSession { .. } => "name one of these with --session",
            Self::Io { .. } | Self::Database { .. } => "check the path, the rights and the room on the disk",
        }
    }

    /// From what the database says of a file.
    pub(crate) fn of(path: &std::path::Path) -> impl Fn(rusqlite::Error) -> Self + use<> {
        use rusqlite::ErrorCode::{DatabaseCorrupt, NotADatabase};
        let path = path.to_owned();
        move |source| match source.sqlite_error_code() {
            Some(DatabaseCorrupt | NotADatabase) => Self::Damaged { path: path.clone(), why: source.to_string() },
            _ => Self::Database { path: path.clone(), source },
        }
    }
}
