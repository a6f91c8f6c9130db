//! What points kept in earlier sessions.

use crate::error::HistoryError;
use crate::store::Store;
use reigen_core::engine::Retained;
use reigen_core::time::Nanos;
use reigen_run::retain::KeptState;
use rusqlite::{Connection, params};
use std::time::{SystemTime, UNIX_EPOCH};

/// Of each point the last that it kept with each of its settings; whether that was in the last session; and what stands in the
/// file of it. A station that is as it was before another finds its own.
const LAST: &str = "
SELECT retained.point, retained.session = (SELECT max(id) FROM session), settings, state,
    until_ns - time_ns, began_unix_ns + until_ns
FROM (SELECT point, max(session) AS last FROM retained GROUP BY point, settings) AS newest
JOIN retained ON retained.point = newest.point AND retained.session = newest.last
JOIN session ON session.id = retained.session
ORDER BY retained.session, retained.point";

impl Store {
    /// What points kept when they were last at work, as it is now.
    ///
    /// # Errors
    /// Where the history cannot be read.
    pub fn kept(&self) -> Result<Vec<KeptState>, HistoryError> {
        kept(&self.connection).map_err(HistoryError::of(&self.path))
    }
}

fn kept(connection: &Connection) -> rusqlite::Result<Vec<KeptState>> {
    let now_ns = unix_now_ns();
    let mut statement = connection.prepare(LAST)?;
    let mut rows = statement.query([])?;
    let mut kept = Vec::new();
    while let Some(row) = rows.next()? {
        let (text, quiet_ns, ended_ns): (String, i64, i64) = (row.get(3)?, row.get(4)?, row.get(5)?);
        // What cannot be read was written by nobody, and is no reason not to begin.
        let Ok(state) = serde_json::from_str::<Retained>(&text) else { continue };
        // A clock that was set back meanwhile tells of no outage.
        let state = state.later(nanos(quiet_ns)).after_outage(nanos(now_ns.saturating_sub(ended_ns)));
        kept.push(KeptState { point: row.get(0)?, is_of_last_run: row.get(1)?, settings: row.get(2)?, state });
    }
    Ok(kept)
}

/// What points kept when what is left of a session began.
pub(crate) fn at_start(connection: &Connection, session: i64) -> rusqlite::Result<Vec<(String, String)>> {
    let query = "SELECT point, state FROM retained_earlier JOIN session ON session.id = session
        WHERE session = ?1 AND time_ns = from_ns ORDER BY point";
    let mut statement = connection.prepare(query)?;
    statement.query_map(params![session], |row| Ok((row.get(0)?, row.get(1)?)))?.collect()
}

/// The time now, in nanoseconds since 1970.
pub(crate) fn unix_now_ns() -> i64 {
    let now = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default().as_nanos();
    i64::try_from(now).unwrap_or(i64::MAX)
}

fn nanos(time_ns: i64) -> Nanos {
    Nanos(u64::try_from(time_ns).unwrap_or_default())
}
