//! The rows of a session, as they are put into the tables.

use crate::batch::WindowBatch;
use crate::retained::unix_now_ns;
use crate::writer::{KeptPoint, NewSession};
use reigen_core::change::{Change, Value};
use reigen_core::engine::Retained;
use reigen_core::lines::LineKind;
use reigen_core::logic::expression::Value as PointValue;
use reigen_core::time::Nanos;
use reigen_run::live::changes::PointChange;
use rusqlite::types::Value as Cell;
use rusqlite::{Connection, Error, Transaction, params};
use std::collections::HashMap;

/// The numbers of a session's rows, and what its points keep.
pub(crate) struct Rows {
    session: i64,
    /// Of each line, and of each point by its number in the station.
    lines: Vec<i64>,
    points: HashMap<usize, i64>,
    /// The points that keep their state: their names, and what they keep since a time.
    retaining: HashMap<usize, (String, Option<(Nanos, Retained)>)>,
    /// Those whose state is not in the tables yet.
    changed: Vec<usize>,
}

impl Rows {
    /// Puts in a session, its lines and its points, and what those go on from.
    pub(crate) fn begin(connection: &mut Connection, session: &NewSession<'_>) -> rusqlite::Result<Self> {
        let transaction = connection.transaction()?;
        let insert = "INSERT INTO session (began_unix_ns, station) VALUES (?1, ?2)";
        transaction.execute(insert, params![unix_now_ns(), session.station])?;
        let number = transaction.last_insert_rowid();
        let mut lines = Vec::new();
        for line in session.lines {
            let is_number = line.kind != LineKind::Level;
            let step = line.step.and_then(|step| i64::try_from(step.0).ok());
            let insert = "INSERT INTO line (session, name, is_number, step_ns) VALUES (?1, ?2, ?3, ?4)";
            transaction.execute(insert, params![number, line.name, is_number, step])?;
            lines.push(transaction.last_insert_rowid());
        }
        let (mut points, mut retaining) = (HashMap::new(), HashMap::new());
        for KeptPoint { number: point, name, kind, unit, retains } in session.points {
            let insert = "INSERT INTO point (session, name, kind, unit) VALUES (?1, ?2, ?3, ?4)";
            transaction.execute(insert, params![number, name, kind, unit])?;
            points.insert(*point, transaction.last_insert_rowid());
            let Some((settings, resumed)) = retains else { continue };
            retaining.insert(*point, (name.clone(), None));
            let Some(state) = resumed else {
                // Until it has a state of its own there is none to go on from.
                transaction.execute(
                    "INSERT INTO retained (point, session, settings, time_ns, state) VALUES (?1, ?2, ?3, 0, 'null')",
                    params![name, number, settings],
                )?;
                continue;
            };
            let text = text(state)?;
            let insert = "INSERT INTO retained (point, session, settings, time_ns, state) VALUES (?1, ?2, ?3, 0, ?4)";
            transaction.execute(insert, params![name, number, settings, text])?;
            let insert = "INSERT INTO retained_earlier (session, time_ns, point, state) VALUES (?1, 0, ?2, ?3)";
            transaction.execute(insert, params![number, name, text])?;
        }
        transaction.commit()?;
        Ok(Self { session: number, lines, points, retaining, changed: Vec::new() })
    }

    /// Puts in what happened in a window; what points keep waits for [`put_retained`](Self::put_retained).
    pub(crate) fn put(&mut self, transaction: &Transaction<'_>, window: WindowBatch) -> rusqlite::Result<()> {
        self.until(transaction, window.last(), false)?;
        let mut insert = transaction.prepare_cached("INSERT INTO change (line, time_ns, value) VALUES (?1, ?2, ?3)")?;
        for Change { time, line, value } in window.lines {
            let Some(line) = self.lines.get(line) else { continue };
            insert.execute(params![line, nanos(time), cell(value)])?;
        }
        let insert = "INSERT INTO point_change (point, time_ns, value) VALUES (?1, ?2, ?3)";
        let mut insert = transaction.prepare_cached(insert)?;
        for PointChange { time, point, value } in window.points {
            let Some(point) = self.points.get(&point) else { continue };
            insert.execute(params![point, nanos(time), point_cell(value)])?;
        }
        for (point, state) in window.retained {
            let Some((_, kept)) = self.retaining.get_mut(&point) else { continue };
            *kept = Some((window.until, state));
            if !self.changed.contains(&point) {
                self.changed.push(point);
            }
        }
        Ok(())
    }

    /// Puts in what points keep now.
    pub(crate) fn put_retained(&mut self, transaction: &Transaction<'_>) -> rusqlite::Result<()> {
        let update = "UPDATE retained SET time_ns = ?1, state = ?2 WHERE point = ?3 AND session = ?4";
        let mut update = transaction.prepare_cached(update)?;
        for point in std::mem::take(&mut self.changed) {
            let Some((name, Some((at, state)))) = self.retaining.get(&point) else { continue };
            update.execute(params![nanos(*at), text(state)?, name, self.session])?;
        }
        Ok(())
    }

    /// Puts in what points keep at a time, for a session that may begin there once what is before it is gone.
    pub(crate) fn keep_retained(&self, transaction: &Transaction<'_>, until: Nanos) -> rusqlite::Result<()> {
        let insert = "INSERT INTO retained_earlier (session, time_ns, point, state) VALUES (?1, ?2, ?3, ?4)";
        let mut insert = transaction.prepare_cached(insert)?;
        for (name, kept) in self.retaining.values() {
            let Some((at, state)) = kept else { continue };
            let state = state.later(until.saturating_sub(*at));
            insert.execute(params![self.session, nanos(until), name, text(&state)?])?;
        }
        Ok(())
    }

    /// The session is over.
    pub(crate) fn end(&self, transaction: &Transaction<'_>, end: Nanos) -> rusqlite::Result<()> {
        self.until(transaction, end, true)
    }

    fn until(&self, transaction: &Transaction<'_>, time: Nanos, ended: bool) -> rusqlite::Result<()> {
        let update = "UPDATE session SET until_ns = ?1, ended = ?2 WHERE id = ?3";
        transaction.prepare_cached(update)?.execute(params![nanos(time), ended, self.session]).map(drop)
    }
}

fn text(state: &Retained) -> rusqlite::Result<String> {
    serde_json::to_string(state).map_err(|error| Error::ToSqlConversionFailure(Box::new(error)))
}

fn nanos(Nanos(time): Nanos) -> i64 {
    i64::try_from(time).unwrap_or(i64::MAX)
}

fn cell(value: Value) -> Cell {
    match value {
        Value::Level(high) => Cell::Integer(i64::from(high)),
        Value::Number(number) => Cell::Real(number),
        Value::Unknown => Cell::Null,
    }
}

fn point_cell(value: PointValue) -> Cell {
    match value {
        PointValue::Bit(on) => Cell::Integer(i64::from(on)),
        PointValue::Integer(count) => Cell::Integer(count),
        PointValue::Real(number) => Cell::Real(number),
    }
}
