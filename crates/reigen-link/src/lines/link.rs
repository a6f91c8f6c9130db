//! A device that prints its lines: it is reached again and again, read, and given its outputs.

use super::reader::{Begins, LinesReader};
use super::stream::{Patient, Stream};
use super::text::change_text;
use crate::drive::Driven;
use reigen_core::change::Value;
use reigen_core::logic::expression::Value as PointValue;
use reigen_io::error::system_words;
use reigen_run::live::board::Board;
use reigen_run::live::passes::Retry;
use reigen_run::live::teller::RunOver;
use reigen_station::links::LinesLink;
use reigen_station::links::connection::Connection;
use std::io::Write as _;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::Duration;

/// A link to a device that prints lines.
pub struct DeviceLines {
    /// What the station says of it.
    pub settings: LinesLink,
    /// What reads them.
    pub reader: LinesReader,
    /// Whether outputs are written.
    pub drives: bool,
    /// What points are, and whether the run goes on.
    pub board: Board,
}

impl DeviceLines {
    /// Works until the run is over.
    pub fn run(&self) {
        let mut driven = Driven::new(&self.settings.outputs);
        // The run may be over: then nobody listens.
        let _ = self.keep_up(&mut driven);
        let rest = driven.at_rest();
        if !rest.is_empty()
            && let Ok(mut stream) = Stream::open(&self.settings.at)
        {
            // What cannot be reached any more stays as it is.
            let _ = rest.iter().try_for_each(|(line, value)| self.put(&mut stream, line, *value));
        }
    }

    fn keep_up(&self, driven: &mut Driven<String>) -> Result<(), RunOver> {
        let mut retry = Retry::default();
        loop {
            let why = match Stream::open(&self.settings.at) {
                Err(why) => why,
                Ok(stream) => {
                    retry = Retry::default();
                    self.reader.teller.reached()?;
                    driven.reconnected();
                    let why = self.work(stream, driven)?;
                    why.unwrap_or_else(|| format!("{} has closed the connection", self.settings.at))
                }
            };
            self.reader.teller.lost(why)?;
            if !self.board.sleep(Duration::from_nanos(retry.wait().0)) {
                return Err(RunOver);
            }
        }
    }

    /// Reads to the end of the connection, and writes meanwhile; gives why nothing can be written, if so.
    fn work(&self, stream: Stream, driven: &mut Driven<String>) -> Result<Option<String>, RunOver> {
        let writer = (self.drives && !driven.is_empty()).then(|| stream.another());
        let is_over = AtomicBool::new(false);
        let is_gone = || is_over.load(Ordering::Relaxed);
        thread::scope(|scope| {
            let written = writer.map(|writer| {
                scope.spawn(|| {
                    let written = writer.map_err(|error| error.to_string());
                    let written = written.and_then(|mut writer| self.write(&mut writer, driven, is_gone));
                    is_over.store(true, Ordering::Relaxed);
                    written
                })
            });
            let goes_on = || self.board.goes_on() && !is_gone();
            let begins = match self.settings.at {
                Connection::Tcp(_) => Begins::WithALine,
                Connection::Serial(_) => Begins::Anywhere,
            };
            let read = self.reader.read_some(Patient { stream, goes_on }, begins);
            is_over.store(true, Ordering::Relaxed);
            let written = written.and_then(|thread| thread.join().ok()).unwrap_or(Ok(()));
            read.map(|()| written.err())
        })
    }

    /// Writes until the connection `is_gone`, or the run is over and all is at rest.
    fn write(
        &self,
        stream: &mut Stream,
        driven: &mut Driven<String>,
        is_gone: impl Fn() -> bool,
    ) -> Result<(), String> {
        if !driven.keep_written(&self.board, is_gone, |line, value| self.put(stream, line, value))? {
            driven.at_rest().iter().try_for_each(|(line, value)| self.put(stream, line, *value))?;
            driven.rested();
        }
        Ok(())
    }

    fn put(&self, stream: &mut Stream, line: &str, value: PointValue) -> Result<(), String> {
        let value = match value {
            PointValue::Bit(on) => Value::Level(on),
            value => value.as_real().map_or(Value::Unknown, Value::Number),
        };
        let text = change_text(self.reader.teller.now(), line, value);
        stream.write_all(text.as_bytes()).map_err(|error| format!("{}: {}", self.settings.at, system_words(&error)))
    }
}
