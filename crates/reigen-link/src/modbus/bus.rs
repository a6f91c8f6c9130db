//! A serial bus with Modbus devices: they are spoken to in turn (Modbus over serial line V1.02).

use crate::serial::{builder, in_words, time_of_bytes};
use reigen_station::links::connection::SerialPort;
use std::fmt;
use std::io;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context as TaskContext, Poll, ready};
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio::runtime::Runtime;
use tokio::sync::{Mutex, MutexGuard};
use tokio::time::{Instant, sleep_until};
use tokio_modbus::client::{Context, rtu};
use tokio_modbus::slave::Slave;
use tokio_serial::SerialStream;

/// Above this speed the gap between frames no longer shrinks (Modbus over serial line V1.02, 2.5.1.1).
const FAST_BAUD: u32 = 19_200;
const SHORTEST_GAP: Duration = Duration::from_micros(1750);
/// The gap between frames, in bytes.
const GAP_BYTES: f64 = 3.5;

/// A serial bus, shared by the links to its devices.
pub struct SerialBus {
    port: SerialPort,
    gap: Duration,
    /// What drives the port, whichever link speaks.
    pub(super) runtime: Runtime,
    wire: Mutex<Wire>,
}

/// The open port, and when something was on it last.
#[derive(Default)]
struct Wire {
    context: Option<Context>,
    quiet_since: Option<Instant>,
}

/// The port while one link speaks.
pub(super) struct Turn<'a>(MutexGuard<'a, Wire>);

impl fmt::Debug for SerialBus {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("SerialBus").field("port", &self.port).finish_non_exhaustive()
    }
}

impl SerialBus {
    /// The bus at a port, which is opened once a link speaks.
    ///
    /// # Errors
    /// Where no thread can be started for it.
    pub fn new(port: &SerialPort) -> io::Result<Arc<Self>> {
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(1).enable_all().build()?;
        let gap = if port.baud > FAST_BAUD { SHORTEST_GAP } else { time_of_bytes(port, GAP_BYTES) };
        Ok(Arc::new(Self { port: port.clone(), gap, runtime, wire: Mutex::default() }))
    }

    /// Opens the port, if it is not open.
    pub(super) async fn open(&self) -> Result<(), String> {
        let mut wire = self.wire.lock().await;
        if wire.context.is_none() {
            let stream = SerialStream::open(&builder(&self.port)).map_err(|error| in_words(&self.port, &error))?;
            wire.context = Some(rtu::attach_slave(Drained { stream, has_read: true }, Slave(0)));
        }
        Ok(())
    }

    /// Waits for the turn to speak to a device, and for the gap before it.
    pub(super) async fn turn(&self) -> Turn<'_> {
        let wire = self.wire.lock().await;
        if let Some(since) = wire.quiet_since {
            sleep_until(since + self.gap).await;
        }
        Turn(wire)
    }
}

impl Turn<'_> {
    /// The connection to a unit, where the port is open.
    pub(super) fn to(&mut self, unit: u8) -> Option<&mut Context> {
        let context = self.0.context.as_mut()?;
        tokio_modbus::slave::SlaveContext::set_slave(context, Slave(unit));
        Some(context)
    }

    /// The answer has come, or is not waited for any more.
    pub(super) fn end(mut self) {
        self.0.quiet_since = Some(Instant::now());
    }

    /// Closes a port that has failed; the next device that speaks opens it again.
    pub(super) fn close(mut self) {
        self.0.context = None;
    }
}

/// A port that throws away the rest of an earlier answer before a request is written: frames of this protocol have no
/// numbers, so a late answer would be read as the answer to the next request.
struct Drained {
    stream: SerialStream,
    /// Whether it has been read from since the last write.
    has_read: bool,
}

impl AsyncRead for Drained {
    fn poll_read(
        mut self: Pin<&mut Self>,
        context: &mut TaskContext<'_>,
        room: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        self.has_read = true;
        Pin::new(&mut self.stream).poll_read(context, room)
    }
}

impl AsyncWrite for Drained {
    fn poll_write(mut self: Pin<&mut Self>, context: &mut TaskContext<'_>, bytes: &[u8]) -> Poll<io::Result<usize>> {
        if self.has_read {
            let mut rest = [0; 256];
            while self.stream.try_read(&mut rest).is_ok_and(|length| length > 0) {}
        }
        let written = ready!(Pin::new(&mut self.stream).poll_write(context, bytes));
        self.has_read = false;
        Poll::Ready(written)
    }

    fn poll_flush(mut self: Pin<&mut Self>, context: &mut TaskContext<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.stream).poll_flush(context)
    }

    fn poll_shutdown(mut self: Pin<&mut Self>, context: &mut TaskContext<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.stream).poll_shutdown(context)
    }
}
