//! A thread that passes over a Modbus device: it reads, waits until the station has worked what was read, and writes.

use super::beat::Beat;
use super::exception::{in_words, remedy};
use super::pass_read::{PassRead, Refused};
use super::requests::{Answer, ReadRequest, requests, words_of};
use super::wire::{Fault, Route, Wire};
use crate::drive::Driven;
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;
use reigen_run::live::board::Board;
use reigen_run::live::passes::{PassClock, Retry};
use reigen_run::live::teller::{LinkTeller, RunOver};
use reigen_station::links::modbus::{ModbusAddress, ModbusLink, Table};
use std::convert::Infallible;
use std::io;
use std::sync::Arc;
use std::time::Duration;
use tokio::runtime::Runtime;
use tokio_modbus::{Request, Response};

/// So many requests without an answer in a row lose a device.
const TIMEOUTS: u32 = 3;

/// A link to a Modbus device.
pub struct ModbusClient {
    /// What the station says of it.
    pub settings: ModbusLink,
    /// How the device is reached.
    pub route: Route,
    /// For each of its lines the number among those of the run; `None` where the station does not name it.
    pub lines: Vec<Option<usize>>,
    /// Whether outputs are written.
    pub drives: bool,
    /// Where it tells what it reads.
    pub teller: LinkTeller,
    /// What points are.
    pub board: Board,
}

/// A connection to the device.
struct Connection {
    wire: Wire,
    /// Requests without an answer in a row.
    timeouts: u32,
    /// Whether there was any answer.
    has_answered: bool,
}

/// What was written last, over all connections.
struct Written {
    outputs: Driven<ModbusAddress>,
    beat: Option<Beat>,
}

/// What drives a connection.
enum Driver {
    Own(Runtime),
    Bus(Arc<super::bus::SerialBus>),
}

impl Driver {
    fn of(route: &Route) -> io::Result<Self> {
        Ok(match route {
            Route::Tcp(_) => Self::Own(tokio::runtime::Builder::new_current_thread().enable_all().build()?),
            Route::Serial(bus) => Self::Bus(bus.clone()),
        })
    }

    fn runtime(&self) -> &Runtime {
        match self {
            Self::Own(runtime) => runtime,
            Self::Bus(bus) => &bus.runtime,
        }
    }
}

impl ModbusClient {
    /// Works until the run is over.
    pub fn run(&self) {
        let driver = match Driver::of(&self.route) {
            Ok(driver) => driver,
            Err(error) => {
                // An error says that the listener has ended: then there is nobody to tell.
                let _ = self.teller.lost(format!("the link cannot start: {error}"));
                return;
            }
        };
        let mut written =
            Written { outputs: Driven::new(&self.settings.outputs), beat: self.settings.heartbeat.map(Beat::new) };
        let mut connection = None;
        let Err(RunOver) = self.keep_up(driver.runtime(), &mut connection, &mut written);
        if self.drives {
            driver.runtime().block_on(self.bring_to_rest(connection, &written));
        }
        if let Driver::Own(runtime) = driver {
            // A name that is still looked up holds nobody up.
            runtime.shutdown_background();
        }
    }

    /// Reaches the device again and again, until the run is over; then the connection is that at the end.
    fn keep_up(
        &self,
        runtime: &Runtime,
        connection: &mut Option<Connection>,
        written: &mut Written,
    ) -> Result<Infallible, RunOver> {
        let mut retry = Retry::default();
        let mut passes = PassClock::new(self.settings.every);
        loop {
            match runtime.block_on(self.connect()) {
                Err(why) => self.teller.lost(why)?,
                Ok(reached) => {
                    passes.go_on(self.teller.now());
                    written.outputs.reconnected();
                    self.pass_on_and_on(runtime, connection.insert(reached), written, (&mut passes, &mut retry))?;
                    *connection = None;
                }
            }
            self.sleep(retry.wait())?;
        }
    }

    async fn connect(&self) -> Result<Connection, String> {
        let wire = Wire::open(&self.route, self.settings.unit, self.settings.timeout).await?;
        Ok(Connection { wire, timeouts: 0, has_answered: false })
    }

    /// Passes over the device until it is lost; fails where the run is over.
    fn pass_on_and_on(
        &self,
        runtime: &Runtime,
        connection: &mut Connection,
        written: &mut Written,
        (passes, retry): (&mut PassClock, &mut Retry),
    ) -> Result<(), RunOver> {
        let named = self.settings.lines.iter().zip(&self.lines);
        let lines: Vec<(usize, ModbusAddress)> =
            named.filter_map(|((_, address), line)| Some(((*line)?, *address))).collect();
        let requests = requests(&lines);
        let mut is_reached = false;
        loop {
            self.sleep(passes.due().saturating_sub(self.teller.now()))?;
            passes.begin(self.teller.now());
            let PassRead { values, refused, malformed, first_malformed, lost } =
                runtime.block_on(self.read(connection, &requests));
            if let Some(why) = lost {
                return self.teller.lost(why);
            }
            if !is_reached && connection.timeouts == 0 {
                is_reached = true;
                *retry = Retry::default();
                self.teller.reached()?;
            }
            for Refused { what, remedy, lines } in refused {
                self.teller.refused(what, remedy, lines)?;
            }
            if let Some(first) = first_malformed {
                self.teller.malformed(malformed, first)?;
            }
            let newest = values.iter().map(|value| value.arrived).max();
            self.teller.values(values)?;
            if self.drives && (!written.outputs.is_empty() || self.settings.heartbeat.is_some()) {
                // What is written follows from what was read in this very pass. Where another link has its values put in
                // order, results come later than the pass: it does not wait for them.
                let longest = Duration::from_nanos(self.settings.every.0 / 2);
                if !self.board.wait_until_worked(newest.unwrap_or_default(), longest) {
                    return Err(RunOver);
                }
                if let Err(why) = runtime.block_on(self.write(connection, written)) {
                    return self.teller.lost(why);
                }
            }
            passes.end(self.teller.now());
            self.teller.passed(passes.told)?;
        }
    }

    /// All reads, up to the first that loses the device.
    async fn read(&self, connection: &mut Connection, requests: &[ReadRequest]) -> PassRead {
        let mut read = PassRead::default();
        for request in requests {
            let asked = self.teller.now();
            let answer = self.ask(connection, request).await;
            let answered = self.teller.now();
            // In the middle between request and answer it was so.
            let arrived = asked + Nanos((answered - asked).0 / 2);
            let what = || {
                format!(
                    "{} {} to {}",
                    request.table.word(),
                    request.from,
                    request.from.saturating_add(request.count - 1)
                )
            };
            match answer {
                Ok(answer) => {
                    (connection.timeouts, connection.has_answered) = (0, true);
                    match request.values(&answer) {
                        None => read.lost = Some(format!("the answer to {} is too short", what())),
                        Some(values) => {
                            values.into_iter().for_each(|(line, value)| read.take(line, value, arrived, &what))
                        }
                    }
                }
                Err(Fault::Refused(code)) => {
                    (connection.timeouts, connection.has_answered) = (0, true);
                    let lines = request.lines.iter().map(|(line, _)| *line).collect();
                    let what = format!("{}: {}", what(), in_words(code));
                    read.refused.push(Refused { what, remedy: remedy(code), lines });
                }
                Err(Fault::NoAnswer(why)) => {
                    connection.timeouts += 1;
                    // On a bus others wait for their turn: one that has never answered is not asked on and on.
                    let is_lost = connection.wire.is_shared() && !connection.has_answered;
                    let times = if is_lost { "" } else { " three times in a row" };
                    let is_lost = is_lost || connection.timeouts >= TIMEOUTS;
                    read.lost = is_lost.then(|| format!("{why}{times}"));
                }
                Err(Fault::Foreign(why) | Fault::Lost(why)) => read.lost = Some(why),
            }
            if read.lost.is_some() {
                break;
            }
        }
        read
    }

    async fn ask(&self, connection: &mut Connection, request: &ReadRequest) -> Result<Answer, Fault> {
        let ReadRequest { table, from, count, .. } = *request;
        let asked = match table {
            Table::Coil => Request::ReadCoils(from, count),
            Table::Discrete => Request::ReadDiscreteInputs(from, count),
            Table::Holding => Request::ReadHoldingRegisters(from, count),
            Table::Input => Request::ReadInputRegisters(from, count),
        };
        // Asked as a request of any kind: what a device answers wrongly is looked at here, and no fault of the program.
        match (table, self.answer(connection, asked).await?) {
            (Table::Coil, Response::ReadCoils(bits)) | (Table::Discrete, Response::ReadDiscreteInputs(bits)) => {
                Ok(Answer::Bits(bits))
            }
            (Table::Holding, Response::ReadHoldingRegisters(words))
            | (Table::Input, Response::ReadInputRegisters(words)) => Ok(Answer::Registers(words)),
            _ => Err(Fault::Lost(format!("the answer does not belong to the request for {}", table.word()))),
        }
    }

    /// The answer to a request, if it comes in time.
    async fn answer(&self, connection: &mut Connection, request: Request<'_>) -> Result<Response, Fault> {
        connection.wire.ask(self.settings.unit, request, self.settings.timeout).await
    }

    /// Writes what has changed, and what was written long ago; fails where the device is lost.
    async fn write(&self, connection: &mut Connection, written: &mut Written) -> Result<(), String> {
        for due in written.outputs.due(&self.board) {
            written.outputs.begin(&due);
            self.put(connection, due.place, due.value).await?;
            written.outputs.end(&due);
        }
        if let Some(beat) = &mut written.beat {
            if beat.is_due() {
                self.read_back(connection, beat).await?;
            }
            self.put(connection, ModbusAddress::Bit(beat.coil), Value::Bit(beat.turn())).await?;
        }
        Ok(())
    }

    /// Looks whether somebody else turns the heartbeat.
    async fn read_back(&self, connection: &mut Connection, beat: &mut Beat) -> Result<(), String> {
        let found = match self.answer(connection, Request::ReadCoils(beat.coil.at, 1)).await {
            Ok(Response::ReadCoils(bits)) => bits.first().copied(),
            Ok(_) | Err(Fault::Refused(_)) => None,
            Err(Fault::NoAnswer(why) | Fault::Foreign(why) | Fault::Lost(why)) => return Err(why),
        };
        if beat.take(found) {
            // Where nobody listens the next event tells so.
            let _ =
                self.teller.driven_twice(format!("the heartbeat {} is changed by it", ModbusAddress::Bit(beat.coil)));
        }
        Ok(())
    }

    /// Writes one value.
    async fn put(&self, connection: &mut Connection, address: ModbusAddress, value: Value) -> Result<(), String> {
        let asked = match (address, value) {
            (ModbusAddress::Bit(bit), Value::Bit(on)) if bit.table == Table::Coil => {
                Request::WriteSingleCoil(bit.at, on)
            }
            (ModbusAddress::Bit(bit), Value::Bit(on)) => {
                let mask = 1u16 << bit.bit.unwrap_or_default();
                Request::MaskWriteRegister(bit.at, !mask, if on { mask } else { 0 })
            }
            (ModbusAddress::Number(number), value) => {
                let words = words_of(number, value.as_real().unwrap_or_default());
                Request::WriteMultipleRegisters(number.at, words.into())
            }
            _ => return Ok(()),
        };
        match self.answer(connection, asked).await {
            Ok(_) => Ok(()),
            Err(Fault::Refused(code)) => {
                let what = format!("to write {address}: {}", in_words(code));
                // Where nobody listens the next event tells so.
                let _ = self.teller.refused(what, remedy(code), Vec::new());
                Ok(())
            }
            Err(Fault::NoAnswer(why)) => Err(format!("{why} to a write")),
            Err(Fault::Foreign(why) | Fault::Lost(why)) => Err(why),
        }
    }

    /// The run is over: what was written comes to rest, over the connection that there is, else over a new one.
    async fn bring_to_rest(&self, connection: Option<Connection>, written: &Written) {
        let beat = written.beat.iter().filter(|beat| beat.last.is_some());
        let beat = beat.map(|beat| (ModbusAddress::Bit(beat.coil), Value::Bit(false)));
        let rest: Vec<(ModbusAddress, Value)> = written.outputs.at_rest().into_iter().chain(beat).collect();
        if rest.is_empty() {
            return;
        }
        if let Some(mut connection) = connection
            && self.put_all(&mut connection, &rest).await.is_ok()
        {
            return;
        }
        // What cannot be reached any more stays as it is.
        if let Ok(mut connection) = self.connect().await {
            let _ = self.put_all(&mut connection, &rest).await;
        }
    }

    async fn put_all(&self, connection: &mut Connection, rest: &[(ModbusAddress, Value)]) -> Result<(), String> {
        for (place, value) in rest {
            self.put(connection, *place, *value).await?;
        }
        connection.wire.close().await;
        Ok(())
    }

    fn sleep(&self, length: Nanos) -> Result<(), RunOver> {
        if self.board.sleep(Duration::from_nanos(length.0)) { Ok(()) } else { Err(RunOver) }
    }
}
