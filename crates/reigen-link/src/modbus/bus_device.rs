//! A stand-in for the devices of a serial bus.

use super::device::ModbusDevice;
use crate::pty::Name;
use crate::serial::{builder, in_words};
use reigen_station::links::connection::SerialPort;
use std::future::Ready;
use std::io;
use std::path::Path;
use tokio_modbus::server::Service;
use tokio_modbus::server::rtu::Server;
use tokio_modbus::{ExceptionCode, Response, SlaveRequest};
use tokio_serial::{SerialPort as _, SerialStream};

/// The devices of a bus: each answers what its unit is asked.
#[derive(Clone)]
pub struct BusDevices {
    port: SerialPort,
    devices: Vec<ModbusDevice>,
}

impl BusDevices {
    /// The devices at a port.
    pub fn new(port: &SerialPort, devices: Vec<ModbusDevice>) -> Self {
        Self { port: port.clone(), devices }
    }

    /// Answers for ever, at the port, or at a pseudo-terminal where there is none; `keep` gets the name of that, which is
    /// gone once nobody keeps it.
    ///
    /// # Errors
    /// Where the port cannot be opened, or is gone.
    pub(crate) fn serve(self, keep: impl FnOnce(Name)) -> io::Result<()> {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
        runtime.block_on(async move {
            if Path::new(&self.port.path).exists() {
                let stream = SerialStream::open(&builder(&self.port));
                let stream = stream.map_err(|error| io::Error::other(in_words(&self.port, &error)))?;
                return Server::new(stream).serve_forever(self).await;
            }
            let (ours, theirs) = SerialStream::pair()?;
            let name = theirs.name().unwrap_or_default();
            keep(Name::new(&name, Path::new(&self.port.path))?);
            Server::new(ours).serve_forever(self).await
        })
    }
}

impl Service for BusDevices {
    type Request = SlaveRequest<'static>;
    type Response = Option<Response>;
    type Exception = ExceptionCode;
    type Future = Ready<Result<Option<Response>, ExceptionCode>>;

    fn call(&self, request: Self::Request) -> Self::Future {
        match self.devices.iter().find(|device| device.unit() == request.slave) {
            Some(device) => device.call(request),
            None => std::future::ready(Ok(None)),
        }
    }
}
