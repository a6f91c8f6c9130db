//! A stand-in for a Modbus device: it holds what a link names, and refuses all else.

use crate::write::DeviceWrite;
use reigen_core::change::Value;
use reigen_run::live::inbox::RunClock;
use reigen_station::links::modbus::{BitAddress, ModbusAddress, ModbusLink, Table};
use std::collections::BTreeMap;
use std::future::{Ready, ready};
use std::io;
use std::sync::mpsc::Sender;
use std::sync::{Arc, Mutex, PoisonError};
use tokio_modbus::server::Service;
use tokio_modbus::server::tcp::{Server, accept_tcp_connection};
use tokio_modbus::{ExceptionCode, Request, Response, SlaveRequest};

use super::requests::words_of;

/// What the device holds: a bit is 0 or 1.
type Image = BTreeMap<(Table, u16), u16>;

/// A stand-in for a device.
#[derive(Debug, Clone)]
pub struct ModbusDevice {
    unit: u8,
    image: Arc<Mutex<Image>>,
    lines: Arc<Vec<(String, ModbusAddress)>>,
    /// For each place that is written the point behind it.
    outputs: Arc<Vec<(String, ModbusAddress)>>,
    writes: Sender<DeviceWrite>,
    clock: RunClock,
}

impl ModbusDevice {
    /// The device behind a link; what is written to it is told to `writes`.
    pub fn new(link: &ModbusLink, clock: RunClock, writes: Sender<DeviceWrite>) -> Self {
        let beat = link.heartbeat.map(ModbusAddress::Bit);
        let outputs = link.outputs.all.iter().map(|output| (output.point.clone(), output.place));
        let outputs: Vec<(String, ModbusAddress)> = outputs.collect();
        let named = link.lines.iter().chain(&outputs).map(|(_, address)| *address).chain(beat);
        let places = named.flat_map(|address| {
            let (from, until) = address.span();
            (from..until).filter_map(move |at| Some(((address.table(), u16::try_from(at).ok()?), 0)))
        });
        let image = Arc::new(Mutex::new(places.collect()));
        let (lines, outputs) = (Arc::new(link.lines.clone()), Arc::new(outputs));
        Self { unit: link.unit, image, lines, outputs, writes, clock }
    }

    /// The unit that it answers for.
    pub fn unit(&self) -> u8 {
        self.unit
    }

    /// A line takes a value; one that the link does not name is passed over.
    pub fn set(&self, line: &str, value: Value) {
        let Some((_, address)) = self.lines.iter().find(|(name, _)| name == line) else { return };
        let mut image = self.image.lock().unwrap_or_else(PoisonError::into_inner);
        match (*address, value) {
            (ModbusAddress::Bit(bit), Value::Level(high)) => set_bit(&mut image, bit, high),
            (ModbusAddress::Number(number), value) => {
                let value = match value {
                    Value::Number(value) => value,
                    Value::Level(high) => f64::from(u8::from(high)),
                    Value::Unknown => return,
                };
                for (at, word) in (number.at..).zip(words_of(number, value)) {
                    image.insert((number.table, at), word);
                }
            }
            _ => {}
        }
    }

    /// Answers every client that connects, without an end.
    ///
    /// # Errors
    /// Where nobody can connect any more.
    pub fn serve(&self, listener: std::net::TcpListener) -> io::Result<()> {
        listener.set_nonblocking(true)?;
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
        runtime.block_on(async {
            let listener = tokio::net::TcpListener::from_std(listener)?;
            let device = self.clone();
            let connected = move |stream: tokio::net::TcpStream, peer| {
                let device = device.clone();
                async move {
                    stream.set_nodelay(true)?;
                    accept_tcp_connection(stream, peer, move |_| Ok(Some(device.clone())))
                }
            };
            Server::new(listener).serve(&connected, |_| {}).await
        })
    }

    fn read(&self, table: Table, from: u16, count: u16) -> Result<Vec<u16>, ExceptionCode> {
        let image = self.image.lock().unwrap_or_else(PoisonError::into_inner);
        let addresses = (0..count).map(|number| from.checked_add(number));
        let read = addresses.map(|at| image.get(&(table, at?)).copied()).collect::<Option<Vec<u16>>>();
        read.ok_or(ExceptionCode::IllegalDataAddress)
    }

    fn bits(&self, table: Table, from: u16, count: u16) -> Result<Vec<bool>, ExceptionCode> {
        Ok(self.read(table, from, count)?.into_iter().map(|bit| bit != 0).collect())
    }

    /// Takes values from an address on, all or none.
    fn write(&self, table: Table, from: u16, values: &[u16]) -> Result<(), ExceptionCode> {
        let mut image = self.image.lock().unwrap_or_else(PoisonError::into_inner);
        let places: Option<Vec<u16>> =
            (0..values.len()).map(|number| from.checked_add(u16::try_from(number).ok()?)).collect();
        let places = places.filter(|places| places.iter().all(|at| image.contains_key(&(table, *at))));
        for (at, value) in places.ok_or(ExceptionCode::IllegalDataAddress)?.into_iter().zip(values) {
            image.insert((table, at), *value);
            // An error says that the listener has ended.
            let _ = self.writes.send(DeviceWrite {
                time: self.clock.now(),
                place: format!("{} {at}", table.word()),
                point: self.point_at(table, at),
                value: (*value).into(),
            });
        }
        Ok(())
    }

    /// The point that is written at an address.
    fn point_at(&self, table: Table, at: u16) -> String {
        let is_there = |address: &ModbusAddress| {
            let (from, until) = address.span();
            address.table() == table && (from..until).contains(&u32::from(at))
        };
        let found = self.outputs.iter().find(|(_, address)| is_there(address));
        found.map(|(point, _)| point.clone()).unwrap_or_default()
    }

    fn answer(&self, request: Request<'static>) -> Result<Response, ExceptionCode> {
        Ok(match request {
            Request::ReadCoils(from, count) => Response::ReadCoils(self.bits(Table::Coil, from, count)?),
            Request::ReadDiscreteInputs(from, count) => {
                Response::ReadDiscreteInputs(self.bits(Table::Discrete, from, count)?)
            }
            Request::ReadHoldingRegisters(from, count) => {
                Response::ReadHoldingRegisters(self.read(Table::Holding, from, count)?)
            }
            Request::ReadInputRegisters(from, count) => {
                Response::ReadInputRegisters(self.read(Table::Input, from, count)?)
            }
            Request::WriteSingleCoil(at, on) => {
                self.write(Table::Coil, at, &[u16::from(on)])?;
                Response::WriteSingleCoil(at, on)
            }
            Request::WriteMultipleCoils(from, bits) => {
                let values: Vec<u16> = bits.iter().map(|bit| u16::from(*bit)).collect();
                self.write(Table::Coil, from, &values)?;
                Response::WriteMultipleCoils(from, u16::try_from(values.len()).unwrap_or_default())
            }
            Request::WriteSingleRegister(at, word) => {
                self.write(Table::Holding, at, &[word])?;
                Response::WriteSingleRegister(at, word)
            }
            Request::WriteMultipleRegisters(from, words) => {
                self.write(Table::Holding, from, &words)?;
                Response::WriteMultipleRegisters(from, u16::try_from(words.len()).unwrap_or_default())
            }
            Request::MaskWriteRegister(at, and, or) => {
                let [word] = self.read(Table::Holding, at, 1)?[..] else {
                    return Err(ExceptionCode::IllegalDataAddress);
                };
                self.write(Table::Holding, at, &[word & and | or & !and])?;
                Response::MaskWriteRegister(at, and, or)
            }
            _ => return Err(ExceptionCode::IllegalFunction),
        })
    }
}

fn set_bit(image: &mut Image, BitAddress { table, at, bit }: BitAddress, high: bool) {
    let place = image.entry((table, at)).or_default();
    match bit {
        None => *place = u16::from(high),
        Some(bit) if high => *place |= 1 << bit,
        Some(bit) => *place &= !(1 << bit),
    }
}

impl Service for ModbusDevice {
    type Request = SlaveRequest<'static>;
    // Another unit's requests have no answer.
    type Response = Option<Response>;
    type Exception = ExceptionCode;
    type Future = Ready<Result<Option<Response>, ExceptionCode>>;

    fn call(&self, request: Self::Request) -> Self::Future {
        ready(match request.slave == self.unit {
            true => self.answer(request.request).map(Some),
            false => Ok(None),
        })
    }
}
