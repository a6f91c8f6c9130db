//! The thread that writes a history: what it is told is on the disk soon after, batch by batch.

use crate::batch::Batch;
use crate::error::HistoryError;
use crate::store::Store;
use reigen_core::change::{Change, Value};
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::logic::expression::Value as PointValue;
use reigen_core::time::Nanos;
use reigen_run::live::changes::PointChange;
use rusqlite::types::Value as Cell;
use rusqlite::{Transaction, params};
use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, TrySendError, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::{self, JoinHandle};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// So often what has come is put on the disk.
const COMMIT: Duration = Duration::from_millis(100);
/// So many batches wait at most; a disk that is slower than that ends the history, and not the run.
const ROOM: usize = 8192;

/// A session that begins.
#[derive(Debug)]
pub struct NewSession<'a> {
    /// What the station is called.
    pub station: &'a str,
    /// Its lines, in the order of the changes: those of two levels, then those of numbers.
    pub lines: &'a [RecordedLine],
    /// The points that are kept.
    pub points: &'a [KeptPoint],
}

/// A point whose changes are kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptPoint {
    /// Its number in the station.
    pub number: usize,
    /// Its name.
    pub name: String,
    /// What its values are: `bit`, `count` or `reading`.
    pub kind: &'static str,
    /// Their unit.
    pub unit: Option<String>,
}

/// Writes a session of a history.
#[derive(Debug, Clone)]
pub struct HistoryWriter {
    batches: SyncSender<Batch>,
    stopped: Arc<Mutex<Option<String>>>,
    thread: Arc<Mutex<Option<JoinHandle<()>>>>,
}

/// The numbers of a session's rows.
struct Rows {
    session: i64,
    /// Of each line, and of each point by its number in the station.
    lines: Vec<i64>,
    points: Vec<Option<i64>>,
}

impl HistoryWriter {
    /// Begins a session.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn begin(mut store: Store, session: &NewSession<'_>) -> Result<Self, HistoryError> {
        let rows = begin(&mut store, session).map_err(HistoryError::of(&store.path))?;
        let (batches, told) = sync_channel(ROOM);
        let stopped: Arc<Mutex<Option<String>>> = Arc::default();
        let why = stopped.clone();
        let thread = thread::spawn(move || {
            if let Err(error) = write(&mut store, &rows, &told) {
                *why.lock().unwrap_or_else(PoisonError::into_inner) = Some(error.to_string());
            }
        });
        Ok(Self { batches, stopped, thread: Arc::new(Mutex::new(Some(thread))) })
    }

    /// Tells the writer. Once it has stopped it is told nothing more: a history has no gaps.
    pub(crate) fn tell(&self, batch: Batch) {
        let mut stopped = self.stopped.lock().unwrap_or_else(PoisonError::into_inner);
        if stopped.is_none()
            && let Err(TrySendError::Full(_)) = self.batches.try_send(batch)
        {
            *stopped = Some("the disk is slower than what comes".to_owned());
        }
    }

    /// Ends the session, and waits until it is on the disk; gives why the history stopped before, if it did.
    pub(crate) fn end(&self, end: Nanos) -> Option<String> {
        let is_whole = self.stopped.lock().unwrap_or_else(PoisonError::into_inner).is_none();
        // The writer may have ended with an error: then nobody listens.
        let _ = self.batches.send(Batch::End(is_whole.then_some(end)));
        let thread = self.thread.lock().unwrap_or_else(PoisonError::into_inner).take();
        thread.into_iter().for_each(|thread| drop(thread.join()));
        self.stopped.lock().unwrap_or_else(PoisonError::into_inner).take()
    }
}

fn begin(store: &mut Store, session: &NewSession<'_>) -> rusqlite::Result<Rows> {
    let now = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default().as_nanos();
    let transaction = store.connection.transaction()?;
    let began = i64::try_from(now).unwrap_or(i64::MAX);
    transaction
        .execute("INSERT INTO session (began_unix_ns, station) VALUES (?1, ?2)", params![began, session.station])?;
    let number = transaction.last_insert_rowid();
    let mut lines = Vec::new();
    for line in session.lines {
        let is_number = line.kind != LineKind::Level;
        let step = line.step.and_then(|step| i64::try_from(step.0).ok());
        let insert = "INSERT INTO line (session, name, is_number, step_ns) VALUES (?1, ?2, ?3, ?4)";
        transaction.execute(insert, params![number, line.name, is_number, step])?;
        lines.push(transaction.last_insert_rowid());
    }
    let mut points = Vec::new();
    for KeptPoint { number: point, name, kind, unit } in session.points {
        let insert = "INSERT INTO point (session, name, kind, unit) VALUES (?1, ?2, ?3, ?4)";
        transaction.execute(insert, params![number, name, kind, unit])?;
        points.resize(points.len().max(point + 1), None);
        points.iter_mut().skip(*point).take(1).for_each(|slot| *slot = Some(transaction.last_insert_rowid()));
    }
    transaction.commit()?;
    Ok(Rows { session: number, lines, points })
}

/// Writes what comes until the session is over, or nobody tells any more.
fn write(store: &mut Store, rows: &Rows, told: &Receiver<Batch>) -> rusqlite::Result<()> {
    let mut is_over = false;
    while !is_over {
        // Nothing is written while nothing comes.
        let Ok(first) = told.recv() else { return Ok(()) };
        let until = Instant::now() + COMMIT;
        let transaction = store.connection.transaction()?;
        is_over = put(&transaction, rows, first)?;
        while !is_over {
            match told.recv_timeout(until.saturating_duration_since(Instant::now())) {
                Ok(batch) => is_over = put(&transaction, rows, batch)?,
                Err(RecvTimeoutError::Timeout) => break,
                Err(RecvTimeoutError::Disconnected) => is_over = true,
            }
        }
        transaction.commit()?;
    }
    Ok(())
}

/// Writes a batch; gives whether the session is over.
fn put(transaction: &Transaction<'_>, rows: &Rows, batch: Batch) -> rusqlite::Result<bool> {
    let until = |time: Nanos, ended: bool| {
        let update = "UPDATE session SET until_ns = ?1, ended = ?2 WHERE id = ?3";
        transaction.prepare_cached(update)?.execute(params![nanos(time), ended, rows.session])
    };
    match batch {
        Batch::Lines(changes, known_until) => {
            let mut insert =
                transaction.prepare_cached("INSERT INTO change (line, time_ns, value) VALUES (?1, ?2, ?3)")?;
            for Change { time, line, value } in changes {
                let Some(line) = rows.lines.get(line) else { continue };
                insert.execute(params![line, nanos(time), cell(value)])?;
            }
            until(known_until, false)?;
        }
        Batch::Points(changes) => {
            let insert = "INSERT INTO point_change (point, time_ns, value) VALUES (?1, ?2, ?3)";
            let mut insert = transaction.prepare_cached(insert)?;
            for PointChange { time, point, value } in changes {
                let Some(Some(point)) = rows.points.get(point) else { continue };
                insert.execute(params![point, nanos(time), point_cell(value)])?;
            }
        }
        Batch::End(end) => {
            end.map_or(Ok(0), |end| until(end, true))?;
            return Ok(true);
        }
    }
    Ok(false)
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
