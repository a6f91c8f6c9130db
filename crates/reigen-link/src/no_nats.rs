//! Where this build has no NATS: no link to a fleet.

use crate::lines::LinesReader;
use crate::start::ReadyLink;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_run::error::RunError;
use reigen_run::live::board::Board;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::teller::LinkTeller;
use reigen_run::observer::{Observer, WindowView};
use reigen_station::links::nats::NatsLink;
use std::io;

const MISSING: &str = "this build has no NATS: build with `--features nats`";

/// Never there.
pub enum FleetLines {}

/// Never there.
pub enum RowSender {}

/// Never there.
pub enum MachineLines {}

impl FleetLines {
    /// Refused.
    ///
    /// # Errors
    /// Always.
    pub fn new(_: &NatsLink, _: LinesReader, _: Board) -> Result<Self, String> {
        Err(MISSING.to_owned())
    }

    /// Never called.
    pub fn run(&self) {
        match *self {}
    }
}

/// Refused.
///
/// # Errors
/// Always.
pub fn publishing(_: &NatsLink, _: RunClock, _: LinkTeller, _: Board) -> Result<(RowSender, ReadyLink), String> {
    Err(MISSING.to_owned())
}

impl RowSender {
    /// Never called.
    pub fn of_lines(self, _: [Vec<String>; 2]) -> Self {
        self
    }
}

impl Observer for RowSender {
    fn take(&mut self, _: &mut WindowView<'_>) -> Result<(), RunError> {
        match *self {}
    }
}

impl MachineLines {
    /// Refused.
    ///
    /// # Errors
    /// Always.
    pub fn start(_: &NatsLink) -> io::Result<Self> {
        Err(io::Error::new(io::ErrorKind::Unsupported, MISSING))
    }

    /// Never called.
    pub fn publish(&self, _: Nanos, _: &str, _: Value) {
        match *self {}
    }
}
