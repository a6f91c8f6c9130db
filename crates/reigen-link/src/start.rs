//! The links of a station at work, each in a thread of its own.

use crate::gpio::{GpioPins, pins};
use crate::line_table::LineTable;
use crate::lines::{DeviceLines, LinesReader};
use crate::modbus::{ModbusClient, Route, SerialBus};
use crate::mqtt::MqttClient;
use reigen_core::lines::RecordedLine;
use reigen_core::time::Nanos;
use reigen_run::live::board::Board;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::teller::LinkTeller;
use reigen_station::links::connection::{Connection, SerialPort};
use reigen_station::links::{Link, Protocol};
use std::collections::HashMap;
use std::io;
use std::sync::Arc;
use std::sync::mpsc::SyncSender;
use std::thread::{self, JoinHandle};

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

/// A link at work.
#[derive(Debug)]
pub struct RunningLink(Option<JoinHandle<()>>);

impl ReadyLink {
    /// Standard input, as the link with this number.
    pub fn standard_input(number: usize, shared: &Shared<'_>) -> Self {
        let reader = shared.reader(number, true);
        Self(Box::new(move || reader.read(io::stdin())), Rest::Left)
    }

    /// Begins to work.
    pub fn start(self) -> RunningLink {
        let Self(work, rest) = self;
        let thread = thread::spawn(work);
        RunningLink((rest == Rest::Awaited).then_some(thread))
    }
}

impl RunningLink {
    /// Waits until it has brought its outputs to rest.
    pub fn end(self) {
        // A panic has been told already.
        self.0.into_iter().for_each(|thread| drop(thread.join()));
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

/// The links of a station, by their numbers.
///
/// # Errors
/// Where the system has no room for what drives a serial bus.
pub fn ready(links: &[Link], shared: &Shared<'_>) -> io::Result<Vec<ReadyLink>> {
    let mut buses: HashMap<String, Arc<SerialBus>> = HashMap::new();
    links.iter().enumerate().map(|(number, link)| ready_link(number, link, shared, &mut buses)).collect()
}

fn ready_link(
    number: usize,
    link: &Link,
    shared: &Shared<'_>,
    buses: &mut HashMap<String, Arc<SerialBus>>,
) -> io::Result<ReadyLink> {
    let (drives, board, teller) = (shared.drives, shared.board.clone(), shared.teller(number));
    let awaited = |work: Box<dyn FnOnce() + Send>| ReadyLink(work, Rest::Awaited);
    Ok(match &link.protocol {
        Protocol::Modbus(settings) => {
            let route = match &settings.at {
                Connection::Tcp(address) => Route::Tcp(address.clone()),
                Connection::Serial(port) => Route::Serial(bus_of(port, buses)?),
            };
            let (settings, lines) = (settings.clone(), shared.numbers(&settings.lines));
            let client = ModbusClient { settings, route, lines, drives, teller, board };
            awaited(Box::new(move || client.run()))
        }
        Protocol::Mqtt(settings) => {
            let (name, settings, table) = (link.name.clone(), settings.clone(), LineTable::new(shared.lines));
            let client = MqttClient { name, settings, table, drives, teller, board };
            awaited(Box::new(move || client.run()))
        }
        Protocol::Lines(settings) => {
            let rest = if drives && !settings.outputs.all.is_empty() { Rest::Awaited } else { Rest::Left };
            let device =
                DeviceLines { settings: settings.clone(), reader: shared.reader(number, false), drives, board };
            ReadyLink(Box::new(move || device.run()), rest)
        }
        Protocol::Gpio(settings) => {
            let (pins, lines) = (pins(settings), shared.numbers(&settings.lines));
            let link = GpioPins { settings: settings.clone(), pins, lines, drives, teller, board };
            awaited(Box::new(move || link.run()))
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
