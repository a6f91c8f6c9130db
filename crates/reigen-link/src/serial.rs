//! Serial ports as they are set in the station.

use reigen_station::links::connection::{Parity, SerialPort};
use std::time::Duration;
use tokio_serial::{DataBits, SerialPortBuilder, StopBits};

/// A port that is ready to be opened.
pub(crate) fn builder(port: &SerialPort) -> SerialPortBuilder {
    let parity = match port.parity {
        Parity::None => tokio_serial::Parity::None,
        Parity::Even => tokio_serial::Parity::Even,
        Parity::Odd => tokio_serial::Parity::Odd,
    };
    let stop_bits = if port.two_stop_bits { StopBits::Two } else { StopBits::One };
    tokio_serial::new(&port.path, port.baud).data_bits(DataBits::Eight).parity(parity).stop_bits(stop_bits)
}

/// How long so many bytes take.
pub(crate) fn time_of_bytes(port: &SerialPort, bytes: f64) -> Duration {
    // A start bit, eight bits, and a parity bit or a second stop bit in most settings.
    Duration::from_secs_f64(bytes * 11.0 / f64::from(port.baud.max(1)))
}

/// Why a port cannot be opened, in words.
pub(crate) fn in_words(port: &SerialPort, error: &tokio_serial::Error) -> String {
    format!("{}: {error}", port.path)
}
