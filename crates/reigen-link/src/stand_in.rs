//! Stand-ins for the devices of a station.

use crate::lines::LinePrinter;
use crate::modbus::{BusDevices, ModbusDevice};
use crate::mqtt::LinePublisher;
use crate::nats::MachineLines;
use crate::pty::Name;
use crate::serial::builder;
use crate::write::DeviceWrite;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_run::live::inbox::RunClock;
use reigen_station::links::connection::{Connection, SerialPort};
use reigen_station::links::modbus::ModbusLink;
use reigen_station::links::{Link, Protocol};
use std::io;
use std::net::TcpListener;
use std::path::Path;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread;

/// The stand-ins for the devices of some links.
#[derive(Default)]
pub struct StandIns {
    all: Vec<StandIn>,
    /// The devices of each bus, until they answer.
    buses: Vec<(SerialPort, Vec<ModbusDevice>)>,
    /// The names of pseudo-terminals, which go with the stand-ins.
    names: Vec<Receiver<Name>>,
}

/// What stands in for a device.
enum StandIn {
    /// With where it is to listen, until it does; on a bus it is reached with the others there.
    Modbus(ModbusDevice, Option<TcpListener>),
    Lines(LinePrinter),
    Mqtt(LinePublisher),
    Machine(MachineLines),
}

impl StandIns {
    /// Adds that for the device of a link, and tells `writes` what is written to it. Those that are asked answer only once
    /// they `begin`.
    ///
    /// # Errors
    /// Where nothing can stand there.
    pub fn add(&mut self, link: &Link, clock: RunClock, writes: &Sender<DeviceWrite>) -> io::Result<()> {
        let stand_in = match &link.protocol {
            Protocol::Modbus(modbus) => self.modbus(modbus, ModbusDevice::new(modbus, clock, writes.clone()))?,
            Protocol::Lines(lines) => StandIn::Lines(LinePrinter::start(lines, clock, writes.clone())?),
            Protocol::Mqtt(mqtt) => StandIn::Mqtt(LinePublisher::start(mqtt, clock, writes.clone())?),
            // It tells its lines, and gets none.
            Protocol::Nats(nats) if nats.publish => return Ok(()),
            Protocol::Nats(nats) => StandIn::Machine(MachineLines::start(nats)?),
            Protocol::Gpio(_) => {
                let message = "pins of a computer cannot be simulated: use a link of `lines` for a try";
                return Err(io::Error::new(io::ErrorKind::Unsupported, message));
            }
        };
        self.all.push(stand_in);
        Ok(())
    }

    fn modbus(&mut self, link: &ModbusLink, device: ModbusDevice) -> io::Result<StandIn> {
        let listener = match &link.at {
            Connection::Tcp(address) => Some(TcpListener::bind(address)?),
            Connection::Serial(port) => {
                if Path::new(&port.path).exists() {
                    // Whoever cannot open it is told before anything is played.
                    drop(builder(port).open()?);
                }
                match self.buses.iter_mut().find(|(known, _)| known.path == port.path) {
                    Some((_, devices)) => devices.push(device.clone()),
                    None => self.buses.push((port.clone(), vec![device.clone()])),
                }
                None
            }
        };
        Ok(StandIn::Modbus(device, listener))
    }

    /// All answer from now on, for as long as the program runs.
    pub fn begin(&mut self) {
        for stand_in in &mut self.all {
            if let StandIn::Modbus(device, listener) = stand_in
                && let Some(listener) = listener.take()
            {
                let served = device.clone();
                thread::spawn(move || drop(served.serve(listener)));
            }
        }
        for (port, devices) in self.buses.drain(..) {
            let (keep, kept) = channel();
            let serve = move || BusDevices::new(&port, devices).serve(move |name| drop(keep.send(name)));
            thread::spawn(move || drop(serve()));
            self.names.push(kept);
        }
    }

    /// A line takes a value, at a time of the devices' own clock.
    pub fn set(&self, time: Nanos, line: &str, value: Value) {
        for stand_in in &self.all {
            match stand_in {
                StandIn::Modbus(device, _) => device.set(line, value),
                StandIn::Lines(printer) => printer.print(time, line, value),
                StandIn::Mqtt(publisher) => publisher.publish(time, line, value),
                StandIn::Machine(machine) => machine.publish(time, line, value),
            }
        }
    }
}
