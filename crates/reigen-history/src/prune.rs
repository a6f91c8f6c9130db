//! What is older than wanted goes, a part after each commit: a session then begins later, from what its lines and its
//! retained points were there.

use crate::retained::unix_now_ns;
use reigen_core::time::Nanos;
use rusqlite::{Connection, OptionalExtension as _, params};

/// So many rows go at once.
const AT_ONCE: i64 = 50_000;

/// What is still to go.
#[derive(Debug, Default)]
pub(crate) struct Pruning {
    /// The next row that may go, and the first that stays: of the changes of lines, and of points.
    lines: Option<(i64, i64)>,
    points: Option<(i64, i64)>,
}

impl Pruning {
    /// Moves the start of the history up to what is wanted still; what lies before it is still to go.
    pub(crate) fn begin(connection: &Connection, keep: Nanos) -> rusqlite::Result<Self> {
        let cutoff = unix_now_ns().saturating_sub(i64::try_from(keep.0).unwrap_or(i64::MAX));
        connection.execute("UPDATE session SET from_ns = until_ns WHERE began_unix_ns + until_ns < ?1", [cutoff])?;
        let first =
            "SELECT id, ?1 - began_unix_ns FROM session WHERE began_unix_ns + until_ns >= ?1 ORDER BY id LIMIT 1";
        let found: Option<(i64, i64)> =
            connection.query_row(first, [cutoff], |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
        let Some((session, from_ns)) = found else { return Ok(Self::default()) };
        // It can begin where it is known what its points kept.
        let begin = "SELECT max(time_ns) FROM retained_earlier WHERE session = ?1 AND time_ns <= ?2";
        let kept: Option<i64> = connection.query_row(begin, params![session, from_ns], |row| row.get(0))?;
        let keeps = "SELECT 1 FROM retained_earlier WHERE session = ?1 LIMIT 1";
        let has_any = connection.query_row(keeps, [session], |_| Ok(())).optional()?.is_some();
        let from_ns = if has_any { kept.unwrap_or(0) } else { from_ns.max(0) };
        connection.execute("UPDATE session SET from_ns = max(from_ns, ?2) WHERE id = ?1", params![session, from_ns])?;
        let earlier = "DELETE FROM retained_earlier WHERE session < ?1 OR (session = ?1 AND time_ns < ?2)";
        connection.execute(earlier, params![session, from_ns])?;
        let span = |table: &str, owner: &str| span(connection, table, owner, session, from_ns);
        Ok(Self { lines: span("change", "line")?, points: span("point_change", "point")? })
    }

    /// Whether all is gone.
    pub(crate) fn is_done(&self) -> bool {
        self.lines.is_none() && self.points.is_none()
    }

    /// Lets the next part go.
    pub(crate) fn step(&mut self, connection: &Connection) -> rusqlite::Result<()> {
        self.lines = step(connection, "change", "line", self.lines)?;
        self.points = step(connection, "point_change", "point", self.points)?;
        Ok(())
    }
}

/// The rows of a table before a time of a session; rows follow one another in time, so that they are found by halving.
fn span(
    connection: &Connection,
    table: &str,
    owner: &str,
    session: i64,
    from_ns: i64,
) -> rusqlite::Result<Option<(i64, i64)>> {
    let range = format!("SELECT min(rowid), max(rowid) FROM {table}");
    let (Some(first), Some(last)) =
        connection.query_row(&range, [], |row| Ok((row.get::<_, Option<i64>>(0)?, row.get::<_, Option<i64>>(1)?)))?
    else {
        return Ok(None);
    };
    let query = format!(
        "SELECT {table}.rowid, {owner}.session, time_ns FROM {table} JOIN {owner} ON {owner}.id = {owner}
         WHERE {table}.rowid >= ?1 ORDER BY {table}.rowid LIMIT 1"
    );
    let mut row = connection.prepare(&query)?;
    let (mut before, mut after) = (first - 1, last + 1);
    while before + 1 < after {
        let middle = before + (after - before) / 2;
        let at: (i64, i64, i64) = row.query_row([middle], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?;
        let goes = at.1 < session || (at.1 == session && at.2 < from_ns);
        if goes { before = at.0 } else { after = middle }
    }
    Ok((before >= first).then_some((first, before + 1)))
}

/// Lets rows go, but the last of each line or point before the first row that stays: it tells what that was then.
fn step(
    connection: &Connection,
    table: &str,
    owner: &str,
    left: Option<(i64, i64)>,
) -> rusqlite::Result<Option<(i64, i64)>> {
    let Some((from, until)) = left else { return Ok(None) };
    let to = until.min(from.saturating_add(AT_ONCE));
    // The last one of a part may be followed by another of its owner in a later part: then it goes the next time.
    let delete = format!(
        "DELETE FROM {table} WHERE rowid >= ?1 AND rowid < ?2
         AND rowid NOT IN (SELECT max(rowid) FROM {table} WHERE rowid >= ?1 AND rowid < ?2 GROUP BY {owner})"
    );
    connection.prepare_cached(&delete)?.execute(params![from, to])?;
    Ok((to < until).then_some((to, until)))
}
