//! The file of a history: made where there is none, and held by one program at a time.

use crate::error::HistoryError;
use rusqlite::{Connection, OpenFlags, OptionalExtension as _};
use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};

/// What the file says of itself: that it is a history, and of which form.
const APPLICATION: i32 = 0x5265_6967;
const VERSION: i32 = 2;

/// The tables. Times are nanoseconds since the start of their session.
const TABLES: &str = "
CREATE TABLE session (
    id INTEGER PRIMARY KEY,
    began_unix_ns INTEGER NOT NULL,
    station TEXT NOT NULL,
    from_ns INTEGER NOT NULL DEFAULT 0,
    until_ns INTEGER NOT NULL DEFAULT 0,
    ended INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE line (
    id INTEGER PRIMARY KEY,
    session INTEGER NOT NULL REFERENCES session,
    name TEXT NOT NULL,
    is_number INTEGER NOT NULL,
    step_ns INTEGER
);
CREATE TABLE change (line INTEGER NOT NULL REFERENCES line, time_ns INTEGER NOT NULL, value);
CREATE TABLE point (
    id INTEGER PRIMARY KEY,
    session INTEGER NOT NULL REFERENCES session,
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    unit TEXT
);
CREATE TABLE point_change (point INTEGER NOT NULL REFERENCES point, time_ns INTEGER NOT NULL, value);
CREATE TABLE retained (
    point TEXT NOT NULL,
    session INTEGER NOT NULL REFERENCES session,
    settings TEXT NOT NULL,
    time_ns INTEGER NOT NULL,
    state TEXT NOT NULL,
    PRIMARY KEY (point, session)
) WITHOUT ROWID;
CREATE TABLE retained_earlier (
    session INTEGER NOT NULL REFERENCES session,
    time_ns INTEGER NOT NULL,
    point TEXT NOT NULL,
    state TEXT NOT NULL,
    PRIMARY KEY (session, time_ns, point)
) WITHOUT ROWID;
CREATE TABLE signoff (
    id INTEGER PRIMARY KEY,
    point TEXT NOT NULL,
    at_unix_ns INTEGER NOT NULL,
    by_whom TEXT NOT NULL,
    result TEXT NOT NULL
);
CREATE TABLE holder (pid INTEGER NOT NULL);
";

/// A history that this program writes.
#[derive(Debug)]
pub struct Store {
    pub(crate) path: PathBuf,
    pub(crate) connection: Connection,
    /// Locked for as long as the history is held.
    _held: File,
}

impl Store {
    /// Opens a history to write it; makes one where there is none.
    ///
    /// # Errors
    /// Where the file is none, is held by another program, or cannot be written.
    pub fn open(path: &Path) -> Result<Self, HistoryError> {
        let io = |source| HistoryError::Io { path: path.to_owned(), source };
        let held = File::options().read(true).write(true).create(true).truncate(false).open(path).map_err(io)?;
        match held.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                return Err(HistoryError::InUse { path: path.to_owned(), holder: holder(path) });
            }
            Err(TryLockError::Error(source)) => return Err(io(source)),
        }
        let failed = HistoryError::of(path);
        let connection = Connection::open(path).map_err(&failed)?;
        check(&connection, path)?;
        // Others read while this one writes; what is committed is on the disk.
        let journal = connection.query_row("PRAGMA journal_mode = WAL", [], |row| row.get::<_, String>(0));
        journal.and_then(|_| connection.execute_batch("PRAGMA synchronous = FULL")).map_err(&failed)?;
        let note = connection
            .execute_batch("DELETE FROM holder")
            .and_then(|()| connection.execute("INSERT INTO holder (pid) VALUES (?1)", [std::process::id()]).map(drop));
        note.map_err(&failed)?;
        Ok(Self { path: path.to_owned(), connection, _held: held })
    }

    /// Lets the file grow to so many pages of the database at most; the history stops there.
    ///
    /// # Errors
    /// Where the database refuses.
    pub fn limit_pages(&self, pages: u32) -> Result<(), HistoryError> {
        let limit = self.connection.query_row(&format!("PRAGMA max_page_count = {pages}"), [], |_| Ok(()));
        limit.map_err(HistoryError::of(&self.path))
    }
}

/// Makes the tables of a new file, and refuses one that is no history.
fn check(connection: &Connection, path: &Path) -> Result<(), HistoryError> {
    let failed = HistoryError::of(path);
    let number = |pragma: &str| connection.query_row(&format!("PRAGMA {pragma}"), [], |row| row.get::<_, i32>(0));
    let tables = "SELECT 1 FROM sqlite_schema LIMIT 1";
    let is_new = connection.query_row(tables, [], |_| Ok(())).optional().map_err(&failed)?.is_none();
    if is_new {
        let made =
            format!("BEGIN; {TABLES} PRAGMA application_id = {APPLICATION}; PRAGMA user_version = {VERSION}; COMMIT");
        return connection.execute_batch(&made).map_err(&failed);
    }
    match (number("application_id").map_err(&failed)?, number("user_version").map_err(&failed)?) {
        (APPLICATION, VERSION) => Ok(()),
        (APPLICATION, _) => Err(HistoryError::OtherVersion(path.to_owned())),
        _ => Err(HistoryError::Foreign(path.to_owned())),
    }
}

/// The process that holds a history.
fn holder(path: &Path) -> Option<u32> {
    let connection = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY).ok()?;
    connection.query_row("SELECT pid FROM holder", [], |row| row.get(0)).ok()
}

/// Opens a history to read it, also while another program writes it.
pub(crate) fn open_to_read(path: &Path) -> Result<Connection, HistoryError> {
    let failed = HistoryError::of(path);
    let connection = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY).map_err(&failed)?;
    // Without tables it is no history yet: the program that writes it makes them.
    let tables: i64 =
        connection.query_row("SELECT count(*) FROM sqlite_schema", [], |row| row.get(0)).map_err(&failed)?;
    if tables == 0 {
        return Err(HistoryError::Foreign(path.to_owned()));
    }
    check(&connection, path)?;
    Ok(connection)
}
