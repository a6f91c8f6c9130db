//! The thread that writes a history: what it is told is on the disk soon after, batch by batch.

use crate::batch::{Batch, WindowBatch};
use crate::error::HistoryError;
use crate::prune::Pruning;
use crate::rows::Rows;
use crate::signoff;
use crate::store::Store;
use reigen_core::engine::Retained;
use reigen_core::lines::RecordedLine;
use reigen_core::time::Nanos;
use reigen_run::live::on_disk::OnDisk;
use reigen_run::signoff::StepResult;
use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, TrySendError, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::{self, JoinHandle};
use std::time::{Duration, Instant};

/// So often what has come is put on the disk.
const COMMIT: Duration = Duration::from_millis(100);
/// So often the run is woken in a quiet hour, and tells how far it is.
const IDLE: Duration = Duration::from_secs(1);
/// So often it is kept what points keep, and what is too old goes.
const KEEP_EVERY: Nanos = Nanos(600_000_000_000);
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
    /// How long rows are kept; `None` for ever.
    pub keep: Option<Nanos>,
}

/// A point whose changes are kept.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptPoint {
    /// Its number in the station.
    pub number: usize,
    /// Its name.
    pub name: String,
    /// What its values are: `bit`, `count` or `reading`.
    pub kind: &'static str,
    /// Their unit.
    pub unit: Option<String>,
    /// Its settings, where it keeps its state from one session to the next, and what it goes on from.
    pub retains: Option<(String, Option<Retained>)>,
}

/// Writes a session of a history.
#[derive(Debug, Clone)]
pub struct HistoryWriter {
    batches: SyncSender<Batch>,
    stopped: Arc<Mutex<Option<String>>>,
    thread: Arc<Mutex<Option<JoinHandle<()>>>>,
    on_disk: OnDisk,
}

/// The thread's own.
struct Writing {
    store: Store,
    rows: Rows,
    keep: Option<Nanos>,
    pruning: Pruning,
    kept_at: Option<Nanos>,
    on_disk: OnDisk,
    wake: Box<dyn Fn() + Send>,
}

impl HistoryWriter {
    /// Begins a session. `wake` is called after each commit, and once a second where nothing comes: the run has to look on
    /// then, though no line changes.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn begin(mut store: Store, session: &NewSession<'_>, wake: Box<dyn Fn() + Send>) -> Result<Self, HistoryError> {
        let rows = Rows::begin(&mut store.connection, session).map_err(HistoryError::of(&store.path))?;
        let (batches, told) = sync_channel(ROOM);
        let (stopped, on_disk): (Arc<Mutex<Option<String>>>, OnDisk) = Default::default();
        let why = stopped.clone();
        let (pruning, kept_at) = (Pruning::default(), None);
        let mut writing = Writing { store, rows, keep: session.keep, pruning, kept_at, on_disk: on_disk.clone(), wake };
        let thread = thread::spawn(move || {
            if let Err(error) = writing.write(&told) {
                *why.lock().unwrap_or_else(PoisonError::into_inner) = Some(error.to_string());
            }
            writing.on_disk.all();
            (writing.wake)();
        });
        Ok(Self { batches, stopped, thread: Arc::new(Mutex::new(Some(thread))), on_disk })
    }

    /// Up to when the session is on the disk.
    pub fn on_disk(&self) -> OnDisk {
        self.on_disk.clone()
    }

    /// Keeps what came of trying a point, and who did it.
    pub fn keep_trial(&self, result: StepResult, by: String) {
        self.tell(Batch::Trial(result, by));
    }

    /// Tells the writer. Once it has stopped it is told nothing more: a history has no gaps.
    pub(crate) fn tell(&self, batch: Batch) {
        let mut stopped = self.stopped.lock().unwrap_or_else(PoisonError::into_inner);
        if stopped.is_none()
            && let Err(TrySendError::Full(_)) = self.batches.try_send(batch)
        {
            *stopped = Some("the disk is slower than what comes".to_owned());
            self.on_disk.all();
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

impl Writing {
    /// Writes what comes until the session is over, or nobody tells any more.
    fn write(&mut self, told: &Receiver<Batch>) -> rusqlite::Result<()> {
        loop {
            let first = match told.recv_timeout(IDLE) {
                Ok(batch) => batch,
                Err(RecvTimeoutError::Timeout) => {
                    self.prune()?;
                    (self.wake)();
                    continue;
                }
                Err(RecvTimeoutError::Disconnected) => return Ok(()),
            };
            let (reached, is_over) = self.commit(first, told)?;
            self.on_disk.reached(reached);
            (self.wake)();
            if is_over {
                return Ok(());
            }
            self.prune()?;
        }
    }

    /// Writes what comes within the time of one commit; gives up to when all is on the disk, and whether the session is over.
    fn commit(&mut self, first: Batch, told: &Receiver<Batch>) -> rusqlite::Result<(Nanos, bool)> {
        let ends = Instant::now() + COMMIT;
        let transaction = self.store.connection.transaction()?;
        let (mut next, mut reached, mut is_over) = (Some(first), Nanos(0), false);
        while let Some(batch) = next.take() {
            match batch {
                Batch::Window(window) => {
                    reached = window.until;
                    self.rows.put(&transaction, window)?;
                }
                Batch::Trial(result, by) => signoff::put(&transaction, &result, &by)?,
                Batch::End(end) => {
                    end.map_or(Ok(()), |end| self.rows.end(&transaction, end))?;
                    is_over = true;
                    break;
                }
            }
            // Something may always be there: what has come by then is enough.
            let Some(left) = ends.checked_duration_since(Instant::now()) else { break };
            match told.recv_timeout(left) {
                Ok(batch) => next = Some(batch),
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => is_over = true,
            }
        }
        self.rows.put_retained(&transaction)?;
        if self.kept_at.is_none_or(|at| reached.saturating_sub(at) >= KEEP_EVERY) {
            let is_first = self.kept_at.replace(reached).is_none();
            if !is_first {
                self.rows.keep_retained(&transaction, reached)?;
            }
            if let Some(keep) = self.keep {
                self.pruning = Pruning::begin(&transaction, keep)?;
            }
        }
        transaction.commit()?;
        Ok((reached, is_over))
    }

    /// Lets a part of what is too old go.
    fn prune(&mut self) -> rusqlite::Result<()> {
        if self.pruning.is_done() {
            return Ok(());
        }
        let transaction = self.store.connection.transaction()?;
        self.pruning.step(&transaction)?;
        transaction.commit()
    }
}

impl WindowBatch {
    /// The last time that is known.
    pub(crate) fn last(&self) -> Nanos {
        self.until.saturating_sub(Nanos(1))
    }
}
