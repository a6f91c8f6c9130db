//! The lines of a run told to the server, as they change.

use super::address_of;
use crate::lines::change_text;
use crate::start::ReadyLink;
use reigen_core::time::Nanos;
use reigen_fleet::publish::{BlockingPublisher, Published};
use reigen_fleet::server::ServerAddress;
use reigen_run::error::RunError;
use reigen_run::line_changes::LineChanges;
use reigen_run::live::board::Board;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::passes::Retry;
use reigen_run::live::teller::{LinkTeller, RunOver};
use reigen_run::observer::{Observer, WindowView};
use reigen_station::links::nats::NatsLink;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, Sender, TryRecvError, channel};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// So much waits at most while the server is away; what is more is left out, and told.
const MOST_WAITING: usize = 64 << 20;
/// A message is closed at this size.
const LARGEST_MESSAGE: usize = 256 << 10;
/// The longest that the end of the run waits until the server has all.
const LONGEST_REST: Duration = Duration::from_secs(2);
/// How long it waits for rows at once.
const LOOK: Duration = Duration::from_millis(100);

/// The end of a run that tells its lines.
pub struct RowSender {
    names: Vec<String>,
    changes: LineChanges,
    /// The time since 1970 at which the run began.
    origin_ns: u64,
    sender: Sender<String>,
    waiting: Arc<Waiting>,
}

/// What has not reached the server.
#[derive(Debug, Default)]
struct Waiting {
    bytes: AtomicUsize,
    /// Rows that had no room.
    left_out: AtomicUsize,
}

/// The thread that tells them.
struct LinePublisher {
    station: String,
    address: ServerAddress,
    rows: Receiver<String>,
    waiting: Arc<Waiting>,
    teller: LinkTeller,
    board: Board,
}

/// A link that publishes, and what it is given the lines by.
///
/// # Errors
/// In words, where the password is not there.
pub fn publishing(
    link: &NatsLink,
    clock: RunClock,
    teller: LinkTeller,
    board: Board,
) -> Result<(RowSender, ReadyLink), String> {
    let (sender, rows) = channel();
    let waiting = Arc::<Waiting>::default();
    let since_1970 = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    let now_ns = u64::try_from(since_1970.as_nanos()).unwrap_or(u64::MAX);
    let origin_ns = now_ns.saturating_sub(clock.now().0);
    let publisher = LinePublisher {
        station: link.station.clone(),
        address: address_of(link)?,
        rows,
        waiting: waiting.clone(),
        teller,
        board,
    };
    let sender = RowSender { names: Vec::new(), changes: LineChanges::new(0), origin_ns, sender, waiting };
    Ok((sender, ReadyLink::awaited(move || publisher.run())))
}

impl RowSender {
    /// For lines of these names: those of two levels, then those of numbers.
    pub fn of_lines(self, [levels, numbers]: [Vec<String>; 2]) -> Self {
        Self { changes: LineChanges::new(levels.len()), names: [levels, numbers].concat(), ..self }
    }
}

impl Observer for RowSender {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let mut rows = String::new();
        for change in self.changes.of_window(view.lines) {
            let Some(name) = self.names.get(change.line) else { continue };
            rows += &change_text(Nanos(self.origin_ns) + change.time, name, change.value);
        }
        if rows.is_empty() {
            return Ok(());
        }
        if self.waiting.bytes.load(Ordering::Relaxed) + rows.len() > MOST_WAITING {
            self.waiting.left_out.fetch_add(rows.lines().count(), Ordering::Relaxed);
            return Ok(());
        }
        self.waiting.bytes.fetch_add(rows.len(), Ordering::Relaxed);
        // The publisher lives as long as the run.
        let _ = self.sender.send(rows);
        Ok(())
    }
}

impl LinePublisher {
    fn run(&self) {
        // The run may be over: then nobody listens.
        let _ = self.keep_up();
    }

    fn keep_up(&self) -> Result<(), RunOver> {
        let mut retry = Retry::default();
        let mut publisher = loop {
            match BlockingPublisher::reach(&self.address, &self.station) {
                Ok(publisher) => break publisher,
                Err(error) => self.teller.lost(error.to_string())?,
            }
            if !self.board.sleep(Duration::from_nanos(retry.wait().0)) {
                return Ok(());
            }
        };
        self.teller.reached()?;
        while let Some(rows) = self.next_message() {
            let (mut told, began) = (false, Instant::now());
            let since_end = std::cell::Cell::new(None::<Instant>);
            let published = publisher.publish_while(rows.clone(), |why| {
                if !told && began.elapsed() > LOOK {
                    told = true;
                    let left_out = self.waiting.left_out.load(Ordering::Relaxed);
                    let left_out =
                        if left_out > 0 { format!("; {left_out} changes had no room") } else { String::new() };
                    // Where the run is over nobody listens.
                    let _ = self.teller.lost(format!("{}: {why}{left_out}", self.address.address));
                }
                if !self.board.goes_on() && since_end.get().is_none() {
                    since_end.set(Some(Instant::now()));
                }
                since_end.get().is_none_or(|since| since.elapsed() < LONGEST_REST)
            });
            self.waiting.bytes.fetch_sub(rows.len(), Ordering::Relaxed);
            if published == Published::GivenUp {
                return Ok(());
            }
            if told {
                self.teller.reached()?;
            }
        }
        Ok(())
    }

    /// The rows that have come; `None` once the run is over and there are no more.
    fn next_message(&self) -> Option<String> {
        let mut message = self.rows.recv().ok()?;
        while message.len() < LARGEST_MESSAGE {
            match self.rows.try_recv() {
                Ok(rows) => message += &rows,
                Err(TryRecvError::Empty | TryRecvError::Disconnected) => break,
            }
        }
        Some(message)
    }
}
