//! The lines of a machine, as they are told to the server from now on.

use super::address_of;
use crate::lines::{Begins, LinesReader};
use reigen_fleet::read::LineMessages;
use reigen_fleet::server::ServerAddress;
use reigen_run::live::board::Board;
use reigen_run::live::passes::Retry;
use reigen_run::live::teller::RunOver;
use reigen_station::links::nats::NatsLink;
use std::time::Duration;

/// How often a wait looks whether the run goes on.
const LOOK: Duration = Duration::from_millis(100);

/// A link that reads the lines of a machine.
pub struct FleetLines {
    station: String,
    address: ServerAddress,
    reader: LinesReader,
    board: Board,
}

impl FleetLines {
    /// A link as the station says.
    ///
    /// # Errors
    /// In words, where the password is not there.
    pub fn new(link: &NatsLink, reader: LinesReader, board: Board) -> Result<Self, String> {
        Ok(Self { station: link.station.clone(), address: address_of(link)?, reader, board })
    }

    /// Works until the run is over.
    pub fn run(&self) {
        // The run may be over: then nobody listens.
        let _ = self.keep_up();
    }

    fn keep_up(&self) -> Result<(), RunOver> {
        let mut retry = Retry::default();
        // The last message that was read: one that came while the server was away is read later.
        let mut last = None;
        while self.board.goes_on() {
            let why = match LineMessages::open(&self.address, &self.station, last) {
                Err(error) => error.to_string(),
                Ok(mut messages) => {
                    retry = Retry::default();
                    last = last.or(Some(messages.before()));
                    self.reader.teller.reached()?;
                    self.read(&mut messages, &mut last)?
                }
            };
            self.reader.teller.lost(why)?;
            if !self.board.sleep(Duration::from_nanos(retry.wait().0)) {
                break;
            }
        }
        Ok(())
    }

    /// Reads as long as there is a connection; gives why there is none any more.
    fn read(&self, messages: &mut LineMessages, last: &mut Option<u64>) -> Result<String, RunOver> {
        while self.board.goes_on() {
            match messages.next(LOOK) {
                Ok(None) => {}
                Ok(Some(message)) => {
                    *last = Some(message.sequence);
                    self.reader.read_some(message.rows.as_ref(), Begins::WithALine)?;
                }
                Err(error) => return Ok(error.to_string()),
            }
        }
        Err(RunOver)
    }
}
