//! `lines`: JSON Lines as a microcontroller prints them, from standard input, a socket or a serial port.

use crate::line_table::LineTable;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_io::live_row;
use reigen_run::live::board::Board;
use reigen_run::live::event::{LineValue, LiveEvent};
use reigen_run::live::inbox::RunClock;
use reigen_run::live::passes::Retry;
use std::collections::BTreeMap;
use std::io::{self, BufRead, BufReader, Read, Write as _};
use std::net::{SocketAddr, TcpListener, TcpStream};
use std::sync::mpsc::SyncSender;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::Duration;

/// So many values are told at once at most.
const MOST_AT_ONCE: usize = 4096;
/// The longest line; what is longer is malformed, and left out up to its end.
const LONGEST: u64 = 1 << 20;
/// The longest that a listener may leave what is printed for it.
const LONGEST_WRITE: Duration = Duration::from_secs(1);
/// So much is read at once.
const ROOM: usize = 1 << 16;

/// A link that reads lines of text.
#[derive(Debug)]
pub struct LinesLink {
    /// Its number among the links of the run.
    pub link: usize,
    /// The lines of the run.
    pub table: LineTable,
    /// The clock of the run.
    pub clock: RunClock,
    /// Where it tells what it reads.
    pub events: SyncSender<LiveEvent>,
}

/// What has been read and not yet told.
#[derive(Default)]
struct Batch {
    values: Vec<LineValue>,
    malformed: u64,
    first: Option<String>,
}

/// Lines of text over TCP, reached again and again.
pub struct TcpLines {
    /// Host and port.
    pub address: String,
    /// What reads them.
    pub lines: LinesLink,
    /// What says that the run is over.
    pub board: Board,
}

/// Prints changes of lines to whoever connects, as a device does.
#[derive(Debug, Clone)]
pub struct LineServer {
    address: SocketAddr,
    listeners: Arc<Mutex<Listeners>>,
}

/// Who listens, and the last value of each line, which whoever comes later is told.
#[derive(Debug, Default)]
struct Listeners {
    streams: Vec<TcpStream>,
    last: BTreeMap<String, String>,
}

impl LineServer {
    /// Listens at an address.
    ///
    /// # Errors
    /// Where nothing can listen there.
    pub fn start(address: &str) -> io::Result<Self> {
        let listener = TcpListener::bind(address)?;
        let server = Self { address: listener.local_addr()?, listeners: Arc::default() };
        let shared = server.clone();
        thread::spawn(move || {
            for mut stream in listener.incoming().flatten() {
                let mut listeners = shared.listeners();
                let text: String = listeners.last.values().cloned().collect();
                // Whoever takes nothing for so long counts as gone: the others are not held up.
                let is_ready = stream.set_write_timeout(Some(LONGEST_WRITE)).is_ok();
                if is_ready && stream.write_all(text.as_bytes()).is_ok() {
                    listeners.streams.push(stream);
                }
            }
        });
        Ok(server)
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    fn listeners(&self) -> MutexGuard<'_, Listeners> {
        self.listeners.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A line takes a value at a time of the device's own clock.
    pub fn print(&self, Nanos(time_ns): Nanos, line: &str, value: Value) {
        let value = match value {
            Value::Level(high) => u8::from(high).to_string(),
            Value::Number(number) => format!("{number:?}"),
            Value::Unknown => "null".to_owned(),
        };
        let text = format!("{{\"time_ns\":{time_ns},\"line\":{},\"value\":{value}}}\n", quoted(line));
        let mut listeners = self.listeners();
        // Whoever has gone listens no more.
        listeners.streams.retain_mut(|stream| stream.write_all(text.as_bytes()).is_ok());
        listeners.last.insert(line.to_owned(), text);
    }
}

/// A name as a JSON string.
fn quoted(name: &str) -> String {
    serde_json::Value::from(name).to_string()
}

/// How often a quiet connection looks whether the run goes on.
const LOOK: Duration = Duration::from_millis(200);

impl TcpLines {
    /// Works until the run is over.
    pub fn run(&self) {
        let mut retry = Retry::default();
        loop {
            let why = match TcpStream::connect(&self.address) {
                Err(error) => format!("{}: {error}", self.address),
                Ok(stream) => {
                    retry = Retry::default();
                    if !self.lines.tell_reached(None) || stream.set_read_timeout(Some(LOOK)).is_err() {
                        return;
                    }
                    if !self.lines.read_some(Patient { stream, board: &self.board }) {
                        return;
                    }
                    format!("{} has closed the connection", self.address)
                }
            };
            let goes_on = self.lines.tell_reached(Some(why));
            if !goes_on || !self.board.sleep(Duration::from_nanos(retry.wait().0)) {
                return;
            }
        }
    }
}

/// A connection that may be quiet for any time, as long as the run goes on.
struct Patient<'a> {
    stream: TcpStream,
    board: &'a Board,
}

impl Read for Patient<'_> {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        loop {
            match self.stream.read(room) {
                Err(error) if matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) => {
                    if !self.board.goes_on() {
                        return Ok(0);
                    }
                }
                read => return read,
            }
        }
    }
}

impl LinesLink {
    /// Reads to the end, and tells that.
    pub fn read(&self, input: impl Read) {
        if self.read_some(input) {
            // Whoever listened may be gone, and then there is nobody to tell.
            let _ = self.events.send(LiveEvent::Ended { link: self.link });
        }
    }

    /// Tells that the device is reached, or why it is lost; false where nobody listens any more.
    fn tell_reached(&self, lost: Option<String>) -> bool {
        self.events.send(LiveEvent::Reached { link: self.link, at: self.clock.now(), lost }).is_ok()
    }

    /// Reads to the end; false where nobody listens any more.
    fn read_some(&self, input: impl Read) -> bool {
        let mut input = BufReader::with_capacity(ROOM, input);
        let mut batch = Batch::default();
        let mut text = Vec::new();
        while let Ok(true) = next_line(&mut input, &mut text) {
            self.take(&text, &mut batch);
            // Whatever has arrived is told before more is waited for.
            let waits = !input.buffer().contains(&b'\n');
            if (waits || batch.values.len() >= MOST_AT_ONCE) && !self.tell(&mut batch) {
                return false;
            }
        }
        self.tell(&mut batch)
    }

    fn take(&self, text: &[u8], batch: &mut Batch) {
        if text.iter().all(u8::is_ascii_whitespace) {
            return;
        }
        let read = live_row(text).and_then(|row| {
            let Some((name, value)) = row.change else { return Ok(None) };
            Ok(self.table.value(&name, value)?.map(|(line, value)| (line, value, row.time_ns)))
        });
        match read {
            Ok(Some((line, value, own_time_ns))) => {
                batch.values.push(LineValue { line, value, arrived: self.clock.now(), own_time_ns });
            }
            Ok(None) => {}
            Err(why) => {
                batch.malformed += 1;
                batch.first.get_or_insert(why);
            }
        }
    }

    /// Tells what has been read; false where nobody listens any more.
    fn tell(&self, batch: &mut Batch) -> bool {
        let Batch { values, malformed, first } = std::mem::take(batch);
        let link = self.link;
        let values = (!values.is_empty()).then_some(LiveEvent::Values { link, values });
        let first = first.map(|first| LiveEvent::Malformed { link, count: malformed, first });
        [first, values].into_iter().flatten().all(|event| self.events.send(event).is_ok())
    }
}

/// Reads the next line; false at the end. Of a line that is too long only its beginning is kept.
fn next_line(input: &mut impl BufRead, text: &mut Vec<u8>) -> io::Result<bool> {
    text.clear();
    let length = input.by_ref().take(LONGEST).read_until(b'\n', text)?;
    if length as u64 == LONGEST && text.last() != Some(&b'\n') {
        pass_line(input)?;
    }
    Ok(length > 0)
}

/// Passes the rest of a line.
fn pass_line(input: &mut impl BufRead) -> io::Result<()> {
    loop {
        let bytes = input.fill_buf()?;
        let end = bytes.iter().position(|byte| *byte == b'\n');
        let length = end.map_or(bytes.len(), |end| end + 1);
        input.consume(length);
        if end.is_some() || length == 0 {
            return Ok(());
        }
    }
}
