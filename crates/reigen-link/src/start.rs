//! The links of a station at work, each in a thread of its own.

use crate::gpio::{GpioPins, pins};
use crate::lines::{DeviceLines, LinesReader};
use crate::modbus::{ModbusClient, Route, SerialBus};
use crate::mqtt::MqttClient;
use crate::nats::{FleetLines, RowSender, publishing};
use reigen_core::lines::RecordedLine;
use reigen_core::time::Nanos;
use reigen_run::line_table::LineTable;
use reigen_run::live::board::Board;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::teller::LinkTeller;
use reigen_station::links::connection::{Connection, SerialPort};
use reigen_station::links::{Link, Protocol};
use std::collections::HashMap;
use std::io;
use std::sync::mpsc::SyncSender;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread::{self, JoinHandle};
use std::time::Duration;

/// How late the edges of pins may arrive: the kernel has told their times, and hands them over at once.
const PIN_LATENESS: Nanos = Nanos(5_000_000);

/// What all links of a run share.
#[derive(Debug, Clone)]
pub struct Shared<'a> {
    /// The lines of the run.
    pub lines: &'a [RecordedLine],
    /// Its clock.
    pub clock: RunClock,
    /// Where links tell what they read.
    pub events: SyncSender<LiveEvent>,
    /// What points are.
    pub board: Board,
    /// Whether outputs are written.
    pub drives: bool,
}

/// A link before it works.
pub struct ReadyLink(Box<dyn FnOnce() + Send>, Rest);

/// Whether the end of the run waits for a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Rest {
    /// It may have outputs to bring to rest.
    Awaited,
    /// It only reads: an address may be tried for minutes, and a read may never end.
    Left,
}

/// The links of a run before they work.
#[derive(Default)]
pub struct ReadyLinks {
    /// In their order.
    pub links: Vec<ReadyLink>,
    /// What those that publish are to be given the lines by.
    pub publishers: Vec<RowSender>,
}

/// The links of a run at work.
#[derive(Debug)]
pub struct RunningLinks {
    threads: Vec<JoinHandle<()>>,
    at_work: AtWork,
}

/// How many links are still at work that the end of the run waits for.
#[derive(Debug, Clone, Default)]
pub struct AtWork(Arc<(Mutex<usize>, Condvar)>);

/// One of them.
struct Work(AtWork);

impl AtWork {
    fn begin(&self) -> Work {
        *self.count() += 1;
        Work(self.clone())
    }

    fn count(&self) -> MutexGuard<'_, usize> {
        self.0.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Waits until all have brought their outputs to rest, for so long at most; gives whether they have.
    pub fn wait(&self, at_most: Duration) -> bool {
        let waited = self.0.1.wait_timeout_while(self.count(), at_most, |count| *count > 0);
        *waited.unwrap_or_else(PoisonError::into_inner).0 == 0
    }
}

impl Drop for Work {
    fn drop(&mut self) {
        let mut count = self.0.count();
        *count = count.saturating_sub(1);
        self.0.0.1.notify_all();
    }
}

impl RunningLinks {
    /// Links begin to work.
    pub fn start(links: Vec<ReadyLink>) -> Self {
        let (mut threads, at_work) = (Vec::new(), AtWork::default());
        for ReadyLink(work, rest) in links {
            if rest == Rest::Left {
                thread::spawn(work);
                continue;
            }
            let begun = at_work.begin();
            threads.push(thread::spawn(move || {
                work();
                drop(begun);
            }));
        }
        Self { threads, at_work }
    }

    /// What tells whether they are at work, for whoever cannot wait for ever.
    pub fn at_work(&self) -> AtWork {
        self.at_work.clone()
    }

    /// Waits until all have brought their outputs to rest.
    pub fn end(self) {
        // A panic has been told already.
        self.threads.into_iter().for_each(|thread| drop(thread.join()));
    }
}

impl ReadyLink {
    /// A link that the end of the run waits for.
    pub(crate) fn awaited(work: impl FnOnce() + Send + 'static) -> Self {
        Self(Box::new(work), Rest::Awaited)
    }

    /// Standard input, as the link with this number.
    pub fn standard_input(number: usize, shared: &Shared<'_>) -> Self {
        let reader = shared.reader(number, true);
        Self(Box::new(move || reader.read(io::stdin())), Rest::Left)
    }
}

impl Shared<'_> {
    fn teller(&self, number: usize) -> LinkTeller {
        LinkTeller::new(number, self.events.clone(), self.clock)
    }

    fn reader(&self, number: usize, may_wait: bool) -> LinesReader {
        let teller = self.teller(number);
        let teller = if may_wait { teller.may_wait() } else { teller };
        LinesReader { table: LineTable::new(self.lines), teller }
    }

    /// The numbers of lines with these names.
    fn numbers<P>(&self, lines: &[(String, P)]) -> Vec<Option<usize>> {
        let number = |name: &str| self.lines.iter().position(|line| line.name == name);
        lines.iter().map(|(name, _)| number(name)).collect()
    }
}

/// How late a message of a link with a time of its own may be, where `lateness` is that of messages.
pub fn lateness_of(link: &Link, lateness: Nanos) -> Nanos {
    if matches!(link.protocol, Protocol::Gpio(_)) { PIN_LATENESS.min(lateness) } else { lateness }
}

/// Why a link cannot work, however long it is tried.
#[derive(Debug, thiserror::Error)]
#[error("the link {link} cannot work: {why}")]
pub struct StartError {
    /// The link.
    pub link: String,
    /// In words.
    pub why: String,
}

/// The links of a station, by their numbers.
///
/// # Errors
/// Where one misses something on this computer: a password, a certificate, what this build leaves out.
pub fn ready(links: &[Link], shared: &Shared<'_>) -> Result<ReadyLinks, StartError> {
    let mut buses: HashMap<String, Arc<SerialBus>> = HashMap::new();
    let mut all = ReadyLinks::default();
    for (number, link) in links.iter().enumerate() {
        let explain = |why| StartError { link: link.name.clone(), why };
        let ready = match &link.protocol {
            Protocol::Nats(fleet) if fleet.publish => {
                let made = publishing(fleet, shared.clock, shared.teller(number), shared.board.clone());
                made.map(|(publisher, ready)| {
                    all.publishers.push(publisher);
                    ready
                })
            }
            _ => ready_link(number, link, shared, &mut buses),
        };
        all.links.push(ready.map_err(explain)?);
    }
    Ok(all)
}

fn ready_link(
    number: usize,
    link: &Link,
    shared: &Shared<'_>,
    buses: &mut HashMap<String, Arc<SerialBus>>,
) -> Result<ReadyLink, String> {
    let (drives, board, teller) = (shared.drives, shared.board.clone(), shared.teller(number));
    Ok(match &link.protocol {
        Protocol::Modbus(settings) => {
            let route = match &settings.at {
                Connection::Tcp(address) => Route::Tcp(address.clone()),
                Connection::Serial(port) => Route::Serial(bus_of(port, buses).map_err(|error| error.to_string())?),
            };
            let (settings, lines) = (settings.clone(), shared.numbers(&settings.lines));
            let client = ModbusClient { settings, route, lines, drives, teller, board };
            ReadyLink::awaited(move || client.run())
        }
        Protocol::Mqtt(settings) => {
            let table = LineTable::new(shared.lines);
            let client = MqttClient::new(settings.clone(), table, drives, (teller, board))?;
            ReadyLink::awaited(move || client.run())
        }
        Protocol::Lines(settings) => {
            let rest = if drives && !settings.outputs.all.is_empty() { Rest::Awaited } else { Rest::Left };
            let device =
                DeviceLines { settings: settings.clone(), reader: shared.reader(number, false), drives, board };
            ReadyLink(Box::new(move || device.run()), rest)
        }
        Protocol::Nats(settings) => {
            let lines = FleetLines::new(settings, shared.reader(number, false), board)?;
            ReadyLink(Box::new(move || lines.run()), Rest::Left)
        }
        Protocol::Gpio(settings) => {
            let (pins, lines) = (pins(settings), shared.numbers(&settings.lines));
            let link = GpioPins { settings: settings.clone(), pins, lines, drives, teller, board };
            ReadyLink::awaited(move || link.run())
        }
    })
}

fn bus_of(port: &SerialPort, buses: &mut HashMap<String, Arc<SerialBus>>) -> io::Result<Arc<SerialBus>> {
    if let Some(bus) = buses.get(&port.path) {
        return Ok(bus.clone());
    }
    let bus = SerialBus::new(port)?;
    buses.insert(port.path.clone(), bus.clone());
    Ok(bus)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::mpsc::channel;

    #[test]
    fn whoever_cannot_wait_for_ever_is_told_whether_links_are_at_rest() {
        let (end, is_over) = channel::<()>();
        let awaited = ReadyLink(Box::new(move || assert!(is_over.recv().is_err())), Rest::Awaited);
        let left = ReadyLink(
            Box::new(|| {
                loop {
                    thread::park()
                }
            }),
            Rest::Left,
        );
        let running = RunningLinks::start(vec![awaited, left]);
        let at_work = running.at_work();
        assert!(!at_work.wait(Duration::from_millis(20)));
        drop(end);
        assert!(at_work.wait(Duration::from_secs(60)));
        running.end();
    }
}
