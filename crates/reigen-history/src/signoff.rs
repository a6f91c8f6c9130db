//! What came of trying points at the machine, kept beside the sessions.

use crate::error::HistoryError;
use crate::retained::unix_now_ns;
use crate::store::open_to_read;
use reigen_run::signoff::StepResult;
use rusqlite::{Connection, Transaction, params};
use std::path::Path;

/// A trial of a point.
#[derive(Debug, Clone, PartialEq)]
pub struct Trial {
    /// What came of it.
    pub result: StepResult,
    /// When, in nanoseconds since 1970.
    pub at_unix_ns: i64,
    /// Who did it.
    pub by: String,
    /// How often the point has been tried, this one included.
    pub tries: i64,
}

impl Trial {
    /// When, as a date and time of RFC 3339 in UTC.
    pub fn at(&self) -> String {
        let at = jiff::Timestamp::from_nanosecond(i128::from(self.at_unix_ns)).unwrap_or_default();
        format!("{at:.0}")
    }
}

/// Of each point the last trial, in the order in which they were made.
const LAST: &str = "
SELECT result, at_unix_ns, by_whom, (SELECT count(*) FROM signoff AS every WHERE every.point = signoff.point)
FROM signoff WHERE id IN (SELECT max(id) FROM signoff GROUP BY point) ORDER BY id";

/// Of each point of a history the last trial.
///
/// # Errors
/// Where the history cannot be read.
pub fn trials(path: &Path) -> Result<Vec<Trial>, HistoryError> {
    let connection = open_to_read(path)?;
    read(&connection).map_err(HistoryError::of(path))
}

fn read(connection: &Connection) -> rusqlite::Result<Vec<Trial>> {
    let mut statement = connection.prepare(LAST)?;
    let mut rows = statement.query([])?;
    let mut trials = Vec::new();
    while let Some(row) = rows.next()? {
        // What cannot be read was written by nobody.
        let Ok(result) = serde_json::from_str::<StepResult>(&row.get::<_, String>(0)?) else { continue };
        trials.push(Trial { result, at_unix_ns: row.get(1)?, by: row.get(2)?, tries: row.get(3)? });
    }
    Ok(trials)
}

/// Puts in a trial.
pub(crate) fn put(transaction: &Transaction<'_>, result: &StepResult, by: &str) -> rusqlite::Result<()> {
    let text =
        serde_json::to_string(result).map_err(|error| rusqlite::Error::ToSqlConversionFailure(Box::new(error)))?;
    let insert = "INSERT INTO signoff (point, at_unix_ns, by_whom, result) VALUES (?1, ?2, ?3, ?4)";
    transaction.execute(insert, params![result.point, unix_now_ns(), by, text]).map(drop)
}
