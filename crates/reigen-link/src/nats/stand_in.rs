//! A stand-in for a machine that tells its lines to a fleet.

use super::address_of;
use crate::lines::change_text;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_fleet::publish::BlockingPublisher;
use reigen_station::links::nats::NatsLink;
use std::io;
use std::sync::mpsc::{Sender, channel};
use std::thread;

/// Publishes changes of lines.
pub struct MachineLines(Sender<String>);

impl MachineLines {
    /// Reaches the server of a link.
    ///
    /// # Errors
    /// Where it cannot be reached.
    pub fn start(link: &NatsLink) -> io::Result<Self> {
        let address = address_of(link).map_err(io::Error::other)?;
        let mut publisher = BlockingPublisher::reach(&address, &link.station).map_err(io::Error::other)?;
        let (sender, rows) = channel::<String>();
        thread::spawn(move || {
            while let Ok(mut message) = rows.recv() {
                message.extend(rows.try_iter());
                publisher.publish(message);
            }
        });
        Ok(Self(sender))
    }

    /// A line takes a value at a time of the machine's own clock.
    pub fn publish(&self, time: Nanos, line: &str, value: Value) {
        // The thread lives as long as this does.
        let _ = self.0.send(change_text(time, line, value));
    }
}
