//! A session of a history as a recording: the text of JSON Lines, made as it is read.

use crate::error::HistoryError;
use crate::retained::at_start;
use crate::store::open_to_read;
use rusqlite::types::Value as Cell;
use rusqlite::{Connection, params};
use serde_json::json;
use std::collections::{BTreeMap, HashMap};
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// What the file of a database begins with.
const MAGIC: &[u8; 16] = b"SQLite format 3\0";
/// So many rows are read at once.
const PAGE: i64 = 8192;

/// Whether a file is a database, as histories are.
pub fn is_history(path: &Path) -> bool {
    let mut begin = [0; 16];
    path.is_file() && File::open(path).and_then(|mut file| file.read_exact(&mut begin)).is_ok() && begin == *MAGIC
}

/// A session of a history.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Session {
    /// Its number.
    pub number: i64,
    /// When it began, in nanoseconds since 1970.
    pub began_unix_ns: i64,
    /// Its station.
    pub station: String,
    /// Where it begins: later than at 0 where what was before it has been dropped.
    pub from_ns: i64,
    /// How far it goes.
    pub until_ns: i64,
    /// Whether it ended by itself.
    pub ended: bool,
}

/// The sessions of a history, the oldest first.
///
/// # Errors
/// Where it cannot be read.
pub fn sessions(path: &Path) -> Result<Vec<Session>, HistoryError> {
    let connection = open_to_read(path)?;
    sessions_of(&connection).map_err(HistoryError::of(path))
}

fn sessions_of(connection: &Connection) -> rusqlite::Result<Vec<Session>> {
    let query = "SELECT id, began_unix_ns, station, from_ns, until_ns, ended FROM session ORDER BY id";
    let mut statement = connection.prepare(query)?;
    let session = |row: &rusqlite::Row<'_>| {
        Ok(Session {
            number: row.get(0)?,
            began_unix_ns: row.get(1)?,
            station: row.get(2)?,
            from_ns: row.get(3)?,
            until_ns: row.get(4)?,
            ended: row.get(5)?,
        })
    };
    statement.query_map([], session)?.collect()
}

/// The text of a session.
#[derive(Debug)]
pub struct SessionText {
    path: PathBuf,
    connection: Connection,
    /// Its lines by the numbers of their rows: what stands before a value.
    lines: HashMap<i64, String>,
    /// The first and the last of these numbers.
    range: (i64, i64),
    /// Up to which change it has been read, and the last one that there was when it was opened.
    read: i64,
    last: i64,
    from_ns: i64,
    until_ns: i64,
    /// What lines were last before the start, which they still are there; `None` once that has been told.
    carried: Option<BTreeMap<i64, String>>,
    is_over: bool,
    text: Vec<u8>,
    given: usize,
    description: String,
}

impl SessionText {
    /// A session, by its number; else the last.
    ///
    /// # Errors
    /// Where the file cannot be read, or has no such session.
    pub fn open(path: &Path, session: Option<i64>) -> Result<Self, HistoryError> {
        let connection = open_to_read(path)?;
        // What is written meanwhile is left for the next time: who reads slower than it comes would never end.
        let seen = connection.unchecked_transaction().map_err(HistoryError::of(path))?;
        let all = sessions_of(&seen).map_err(HistoryError::of(path))?;
        let last = last_change(&seen).map_err(HistoryError::of(path))?;
        let found = match session {
            None => all.last(),
            Some(number) => all.iter().find(|session| session.number == number),
        };
        let Some(found) = found else {
            let known = match (all.first(), all.last()) {
                (Some(first), Some(last)) => format!("{} to {}", first.number, last.number),
                _ => "none".to_owned(),
            };
            return Err(HistoryError::NoSession { path: path.to_owned(), asked: session.unwrap_or_default(), known });
        };
        let (from_ns, until_ns, description) = (found.from_ns, found.until_ns, describe(found, &all));
        let (lines, text) = declared(&seen, found).map_err(HistoryError::of(path))?;
        let range = (lines.keys().min().copied().unwrap_or(0), lines.keys().max().copied().unwrap_or(-1));
        let read = first_change(&seen, range, last).map_err(HistoryError::of(path))?;
        drop(seen);
        let path = path.to_owned();
        let carried = Some(BTreeMap::new());
        let (is_over, given) = (false, 0);
        Ok(Self {
            path,
            connection,
            lines,
            range,
            read,
            last,
            from_ns,
            until_ns,
            carried,
            is_over,
            text,
            given,
            description,
        })
    }

    /// Which session it is, in words.
    pub fn description(&self) -> &str {
        &self.description
    }

    /// Makes the text of the next changes; at the end that of how far the session goes.
    fn more(&mut self) -> rusqlite::Result<()> {
        let query =
            "SELECT rowid, line, time_ns, value FROM change WHERE rowid > ?1 AND rowid <= ?2 ORDER BY rowid LIMIT ?3";
        self.text.clear();
        self.given = 0;
        let mut statement = self.connection.prepare_cached(query)?;
        let mut rows = statement.query(params![self.read, self.last, PAGE])?;
        let (mut count, mut last_ns) = (0, None);
        while let Some(row) = rows.next()? {
            (self.read, count) = (row.get(0)?, count + 1);
            let (line, time_ns): (i64, i64) = (row.get(1)?, row.get(2)?);
            let Some(name) = self.lines.get(&line) else {
                // The changes of a session follow one another.
                self.is_over = line > self.range.1;
                continue;
            };
            let value = match row.get::<_, Cell>(3)? {
                Cell::Integer(level) => level.to_string(),
                Cell::Real(number) => format!("{number:?}"),
                _ => "null".to_owned(),
            };
            if time_ns < self.from_ns {
                self.carried.iter_mut().for_each(|carried| drop(carried.insert(line, value.clone())));
                continue;
            }
            tell_carried(&mut self.text, self.carried.take(), &self.lines, self.from_ns);
            last_ns = Some(time_ns);
            self.text.extend_from_slice(format!("{{\"time_ns\":{time_ns},{name}{value}}}\n").as_bytes());
        }
        self.until_ns = self.until_ns.max(last_ns.unwrap_or(0));
        if count == 0 || self.is_over {
            self.is_over = true;
            tell_carried(&mut self.text, self.carried.take(), &self.lines, self.from_ns);
            self.text.extend_from_slice(format!("{{\"time_ns\":{}}}\n", self.until_ns).as_bytes());
        }
        Ok(())
    }
}

/// What lines were at the start already.
fn tell_carried(
    text: &mut Vec<u8>,
    carried: Option<BTreeMap<i64, String>>,
    lines: &HashMap<i64, String>,
    from_ns: i64,
) {
    for (line, value) in carried.into_iter().flatten() {
        let Some(name) = lines.get(&line) else { continue };
        text.extend_from_slice(format!("{{\"time_ns\":{from_ns},{name}{value}}}\n").as_bytes());
    }
}

/// A session among all, in words.
fn describe(found: &Session, all: &[Session]) -> String {
    let last = all.last().map_or(found.number, |session| session.number);
    let began = jiff::Timestamp::from_nanosecond(i128::from(found.began_unix_ns)).unwrap_or_default();
    let state = if found.ended { "" } else { ", not ended" };
    format!("history, session {} of {last}, began {began:.0} on {}{state}", found.number, found.station)
}

impl Read for SessionText {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        if self.given == self.text.len() {
            if self.is_over {
                return Ok(0);
            }
            self.more().map_err(|error| io::Error::other(HistoryError::of(&self.path)(error)))?;
        }
        let left = self.text.get(self.given..).unwrap_or_default();
        let length = left.len().min(room.len());
        room.iter_mut().zip(left).for_each(|(to, from)| *to = *from);
        self.given += length;
        Ok(length)
    }
}

/// What is in a text before the values of each line, and the text that names all lines.
fn declared(connection: &Connection, session: &Session) -> rusqlite::Result<(HashMap<i64, String>, Vec<u8>)> {
    let mut statement =
        connection.prepare("SELECT id, name, is_number, step_ns FROM line WHERE session = ?1 ORDER BY id")?;
    let mut rows = statement.query([session.number])?;
    let (mut lines, mut text) = (HashMap::new(), Vec::new());
    while let Some(row) = rows.next()? {
        let (id, name, is_number, step): (i64, String, bool, Option<i64>) =
            (row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?);
        lines.insert(id, format!("\"line\":{},\"value\":", json!(name)));
        let mut declared = json!({ "time_ns": session.from_ns, "line": name, "value": null });
        if let Some(object) = declared.as_object_mut() {
            is_number.then(|| object.insert("number".to_owned(), json!(true)));
            step.map(|step| object.insert("step_ns".to_owned(), json!(step)));
        }
        text.extend_from_slice(format!("{declared}\n").as_bytes());
    }
    for (point, state) in at_start(connection, session.number)? {
        let Ok(state) = serde_json::from_str::<serde_json::Value>(&state) else { continue };
        let resumed = json!({ "time_ns": session.from_ns, "point": point, "resumes": state });
        text.extend_from_slice(format!("{resumed}\n").as_bytes());
    }
    Ok((lines, text))
}

/// The last change that there is.
fn last_change(connection: &Connection) -> rusqlite::Result<i64> {
    let last: Option<i64> = connection.query_row("SELECT max(rowid) FROM change", [], |row| row.get(0))?;
    Ok(last.unwrap_or(0))
}

/// The row before the first change of lines in a range: they come one after another, so that it is found by halving.
fn first_change(connection: &Connection, (first, _): (i64, i64), last: i64) -> rusqlite::Result<i64> {
    let (mut before, mut at) = (0, last + 1);
    let mut line = connection.prepare("SELECT line FROM change WHERE rowid >= ?1 ORDER BY rowid LIMIT 1")?;
    while before + 1 < at {
        let middle = before + (at - before) / 2;
        let of: i64 = line.query_row([middle], |row| row.get(0))?;
        if of < first { before = middle } else { at = middle }
    }
    Ok(before)
}
