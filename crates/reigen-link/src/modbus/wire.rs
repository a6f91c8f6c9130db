//! How requests reach a Modbus device: over a connection of its own, or over a bus that it shares.

use super::bus::SerialBus;
use reigen_core::time::Nanos;
use reigen_io::error::system_words;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::TcpStream;
use tokio::time::{sleep, timeout};
use tokio_modbus::client::{Client as _, Context, tcp};
use tokio_modbus::{ExceptionCode, Request, Response, Slave};

/// Why a request had no answer.
pub(super) enum Fault {
    /// The device refused it.
    Refused(ExceptionCode),
    /// No answer came in time, or none that could be read.
    NoAnswer(String),
    /// What came was no answer to it.
    Foreign(String),
    /// The connection is lost.
    Lost(String),
}

/// Where a device is.
#[derive(Debug, Clone)]
pub enum Route {
    /// Behind a host and port of its own.
    Tcp(String),
    /// On a bus.
    Serial(Arc<SerialBus>),
}

/// A way to the device that is open.
pub(super) enum Wire {
    Own(Context),
    Shared(Arc<SerialBus>),
}

impl Wire {
    /// Opens the way to a unit.
    pub(super) async fn open(route: &Route, unit: u8, longest: Nanos) -> Result<Self, String> {
        let address = match route {
            Route::Tcp(address) => address,
            Route::Serial(bus) => {
                bus.open().await?;
                return Ok(Self::Shared(bus.clone()));
            }
        };
        let stream = match timeout(Duration::from_nanos(longest.0), TcpStream::connect(address)).await {
            Err(_) => return Err(format!("{address} does not answer within {longest}")),
            Ok(Err(error)) => return Err(format!("{address}: {}", system_words(&error))),
            Ok(Ok(stream)) => stream,
        };
        // Small requests that wait for their answers.
        stream.set_nodelay(true).map_err(|error| format!("{address}: {}", system_words(&error)))?;
        Ok(Self::Own(tcp::attach_slave(stream, Slave(unit))))
    }

    /// The answer of a unit to a request, if it comes in time.
    pub(super) async fn ask(&mut self, unit: u8, request: Request<'_>, longest: Nanos) -> Result<Response, Fault> {
        match self {
            Self::Own(context) => within(context, request, longest).await,
            Self::Shared(bus) => {
                let mut turn = bus.turn().await;
                let Some(context) = turn.to(unit) else {
                    return Err(Fault::Lost("the serial port was closed".to_owned()));
                };
                match within(context, request, longest).await {
                    // Another device's answer, or a broken one, says nothing about the port.
                    Err(Fault::Foreign(why)) => {
                        turn.end();
                        Err(Fault::NoAnswer(why))
                    }
                    Err(Fault::Lost(why)) => {
                        turn.close();
                        Err(Fault::Lost(why))
                    }
                    Err(Fault::NoAnswer(why)) => {
                        // What comes as late as this again is thrown away with the next request.
                        sleep(Duration::from_nanos(longest.0)).await;
                        turn.end();
                        Err(Fault::NoAnswer(why))
                    }
                    answer => {
                        turn.end();
                        answer
                    }
                }
            }
        }
    }

    /// Whether others use it, too.
    pub(super) fn is_shared(&self) -> bool {
        matches!(self, Self::Shared(_))
    }

    /// Ends the connection; a bus goes on for others.
    pub(super) async fn close(&mut self) {
        if let Self::Own(context) = self {
            // The answers have come: closing adds nothing to that.
            let _ = context.disconnect().await;
        }
    }
}

async fn within(context: &mut Context, request: Request<'_>, longest: Nanos) -> Result<Response, Fault> {
    match timeout(Duration::from_nanos(longest.0), context.call(request)).await {
        Err(_) => Err(Fault::NoAnswer(format!("no answer within {longest}"))),
        Ok(Ok(Ok(answer))) => Ok(answer),
        Ok(Ok(Err(code))) => Err(Fault::Refused(code)),
        Ok(Err(tokio_modbus::Error::Protocol(error))) => Err(Fault::Foreign(error.to_string())),
        Ok(Err(tokio_modbus::Error::Transport(error))) => Err(Fault::Lost(system_words(&error))),
    }
}
