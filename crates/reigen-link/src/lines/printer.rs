//! A simulated device that prints its lines, over TCP to each client or at a serial port.

use super::reader::next_line;
use super::text::{change_text, state_text};
use crate::pty::{Pty, Wire};
use crate::serial::builder;
use crate::write::DeviceWrite;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_run::live::inbox::RunClock;
use reigen_station::links::LinesLink;
use reigen_station::links::connection::{Connection, SerialPort};
use reigen_station::links::output::Outputs;
use std::collections::BTreeMap;
use std::io::{self, BufReader, Read, Write};
use std::net::{SocketAddr, TcpListener};
use std::path::Path;
use std::sync::mpsc::{Sender, channel};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::Duration;

/// The longest that a listener may leave what is printed for it.
const LONGEST_WRITE: Duration = Duration::from_secs(1);

/// Prints changes of lines, as a device does.
#[derive(Clone)]
pub struct LinePrinter {
    /// Where it listens, if over TCP.
    address: Option<SocketAddr>,
    listeners: Arc<Mutex<Listeners>>,
    taker: Taker,
}

/// The clients, and the last value of each line: a client that comes later is told those first.
#[derive(Default)]
struct Listeners {
    streams: Vec<Box<dyn Write + Send>>,
    last: BTreeMap<String, String>,
    /// Taken away with the printer.
    pty: Option<Pty>,
}

/// Takes what the device is told.
#[derive(Clone)]
struct Taker {
    /// For each line that is written the point behind it.
    points: Arc<BTreeMap<String, String>>,
    clock: RunClock,
    writes: Sender<DeviceWrite>,
}

impl LinePrinter {
    /// Prints where a link looks for its device; what is written to it is told to `writes`.
    ///
    /// # Errors
    /// Where nothing can listen there.
    pub fn start(link: &LinesLink, clock: RunClock, writes: Sender<DeviceWrite>) -> io::Result<Self> {
        let points = link.outputs.all.iter().map(|output| (output.place.clone(), output.point.clone())).collect();
        let taker = Taker { points: Arc::new(points), clock, writes };
        let mut printer = Self { address: None, listeners: Arc::default(), taker };
        match &link.at {
            Connection::Tcp(address) => {
                let listener = TcpListener::bind(address)?;
                printer.address = Some(listener.local_addr()?);
                printer.clone().listen(listener);
            }
            Connection::Serial(port) => printer.open(port)?,
        }
        Ok(printer)
    }

    /// Prints to every client that connects on this computer, at a free port.
    ///
    /// # Errors
    /// Where none is.
    pub fn on_loopback(clock: RunClock) -> io::Result<Self> {
        let at = Connection::Tcp("127.0.0.1:0".to_owned());
        let outputs = Outputs { all: Vec::new(), refresh: Nanos(1) };
        Self::start(&LinesLink { at, outputs }, clock, channel().0)
    }

    /// Where it listens; `None` at a serial port.
    pub fn address(&self) -> Option<SocketAddr> {
        self.address
    }

    fn listen(self, listener: TcpListener) {
        thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                // A client that takes nothing for so long counts as gone: the others are not held up.
                let is_ready = stream.set_write_timeout(Some(LONGEST_WRITE)).is_ok();
                if let Ok(reader) = stream.try_clone()
                    && is_ready
                {
                    self.add(Box::new(stream), reader);
                }
            }
        });
    }

    /// Opens the port, or makes a pseudo-terminal where there is none.
    fn open(&self, port: &SerialPort) -> io::Result<()> {
        if Path::new(&port.path).exists() {
            let opened = builder(port).timeout(Duration::MAX).open()?;
            let reader = opened.try_clone()?;
            self.add(Box::new(opened), reader);
            return Ok(());
        }
        let pty = Pty::at(Path::new(&port.path))?;
        let (writer, reader) = (Wire(pty.device.try_clone()?), Wire(pty.device.try_clone()?));
        self.listeners().pty = Some(pty);
        self.add(Box::new(writer), reader);
        Ok(())
    }

    fn add(&self, mut writer: Box<dyn Write + Send>, reader: impl Read + Send + 'static) {
        let mut listeners = self.listeners();
        let text: String = listeners.last.values().cloned().collect();
        if writer.write_all(text.as_bytes()).is_ok() {
            listeners.streams.push(writer);
            let taker = self.taker.clone();
            thread::spawn(move || taker.read(reader));
        }
    }

    fn listeners(&self) -> MutexGuard<'_, Listeners> {
        self.listeners.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A line takes a value at a time of the device's own clock.
    pub fn print(&self, time: Nanos, line: &str, value: Value) {
        let text = change_text(time, line, value);
        let mut listeners = self.listeners();
        // Clients that are gone are dropped.
        listeners.streams.retain_mut(|stream| stream.write_all(text.as_bytes()).is_ok());
        listeners.last.insert(line.to_owned(), state_text(line, value));
    }
}

impl Taker {
    /// Takes changes of lines until nothing more comes.
    fn read(&self, reader: impl Read) {
        let (mut reader, mut text) = (BufReader::new(reader), Vec::new());
        while let Ok(true) = next_line(&mut reader, &mut text) {
            let Ok(told) = serde_json::from_slice::<serde_json::Value>(&text) else { continue };
            let Some(line) = told.get("line").and_then(serde_json::Value::as_str) else { continue };
            let value = told.get("value").cloned().unwrap_or_default();
            let point = self.points.get(line).cloned().unwrap_or_default();
            // The client may be gone.
            let _ = self.writes.send(DeviceWrite { time: self.clock.now(), place: line.to_owned(), point, value });
        }
    }
}
