//! A connection to a device that prints lines, whichever way it is reached.

use crate::drive::LOOK;
use crate::serial::{builder, in_words};
use reigen_io::error::system_words;
use reigen_station::links::connection::Connection;
use std::io::{self, Read, Write};
use std::net::TcpStream;
use tokio_serial::SerialPort;

/// An open connection.
pub(super) enum Stream {
    Tcp(TcpStream),
    Serial(Box<dyn SerialPort>),
}

impl Stream {
    /// Opens the connection; a read waits for no longer than a look takes.
    ///
    /// # Errors
    /// In words.
    pub(super) fn open(at: &Connection) -> Result<Self, String> {
        match at {
            Connection::Tcp(address) => {
                let opened = TcpStream::connect(address).and_then(|stream| {
                    stream.set_read_timeout(Some(LOOK))?;
                    stream.set_write_timeout(Some(LOOK * 5))?;
                    stream.set_nodelay(true)?;
                    Ok(stream)
                });
                opened.map(Self::Tcp).map_err(|error| format!("{address}: {}", system_words(&error)))
            }
            Connection::Serial(port) => {
                let opened = builder(port).timeout(LOOK).open();
                opened.map(Self::Serial).map_err(|error| in_words(port, &error))
            }
        }
    }

    /// The same connection for another thread.
    pub(super) fn another(&self) -> io::Result<Self> {
        Ok(match self {
            Self::Tcp(stream) => Self::Tcp(stream.try_clone()?),
            Self::Serial(port) => Self::Serial(port.try_clone()?),
        })
    }
}

impl Read for Stream {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        match self {
            Self::Tcp(stream) => stream.read(room),
            Self::Serial(port) => port.read(room),
        }
    }
}

impl Write for Stream {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Self::Tcp(stream) => stream.write(bytes),
            Self::Serial(port) => port.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Self::Tcp(stream) => stream.flush(),
            Self::Serial(port) => port.flush(),
        }
    }
}

/// A connection that may be quiet for any time, as long as it is of use.
pub(super) struct Patient<F> {
    pub(super) stream: Stream,
    pub(super) goes_on: F,
}

impl<F: Fn() -> bool> Read for Patient<F> {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        loop {
            match self.stream.read(room) {
                Err(error) if matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) => {
                    if !(self.goes_on)() {
                        return Ok(0);
                    }
                }
                read => return read,
            }
        }
    }
}
