//! A thread that passes over a Modbus device: it reads, waits until the station has worked what was read, and writes.

use super::exception::{in_words, remedy};
use super::pass_read::PassRead;
use super::requests::{Answer, ReadRequest, requests, words_of};
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;
use reigen_run::live::board::Board;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::passes::{PassClock, Retry};
use reigen_station::links::ModbusLink;
use reigen_station::links::modbus::{ModbusAddress, Table};
use std::convert::Infallible;
use std::sync::mpsc::SyncSender;
use std::time::{Duration, Instant};
use tokio::net::TcpStream;
use tokio::runtime::Runtime;
use tokio::time::timeout;
use tokio_modbus::client::{Client as _, Context, tcp};
use tokio_modbus::{ExceptionCode, Request, Response, Slave};

/// So many time-outs in a row lose a device.
const TIMEOUTS: u32 = 3;
/// What is written is written again after this time, though it has not changed.
const REFRESH: Duration = Duration::from_secs(1);

/// A link to a Modbus device over TCP.
pub struct ModbusClient {
    /// Its number among the links of the run.
    pub link: usize,
    /// What the station says of it.
    pub settings: ModbusLink,
    /// For each of its lines the number among those of the run; `None` where the station does not name it.
    pub lines: Vec<Option<usize>>,
    /// Whether outputs are written.
    pub drives: bool,
    /// The clock of the run.
    pub clock: RunClock,
    /// Where it tells what it reads.
    pub events: SyncSender<LiveEvent>,
    /// What points are.
    pub board: Board,
}

/// Why a request had no answer.
enum Fault {
    /// The device refused it.
    Refused(ExceptionCode),
    /// No answer came in time.
    TimedOut,
    /// The connection is lost, or what came was no answer to it.
    Lost(String),
}

/// A connection to the device.
struct Connection {
    context: Context,
    /// Time-outs in a row.
    timeouts: u32,
}

/// What was written last, over all connections.
struct Written {
    /// Of each output its value; when, unless a new connection makes it due again. `None` where it was never written.
    outputs: Vec<Option<(Value, Option<Instant>)>>,
    /// The heartbeat, where there was one yet.
    beat: Option<bool>,
}

/// The run is over.
struct Over;

impl ModbusClient {
    /// Works until the run is over.
    pub fn run(&self) {
        let runtime = match tokio::runtime::Builder::new_current_thread().enable_all().build() {
            Ok(runtime) => runtime,
            Err(error) => {
                // Whoever listened may be gone, and then there is nobody to tell.
                let _ = self.tell_lost(&format!("the link cannot start: {error}"));
                return;
            }
        };
        let mut written = Written { outputs: vec![None; self.settings.outputs.len()], beat: None };
        let mut connection = None;
        let Err(Over) = self.keep_up(&runtime, &mut connection, &mut written);
        if self.drives && self.settings.off_at_end {
            runtime.block_on(self.bring_to_rest(connection, &written));
        }
        // A name that is still looked up holds nobody up.
        runtime.shutdown_background();
    }

    /// Reaches the device again and again, until the run is over; then the connection is that at the end.
    fn keep_up(
        &self,
        runtime: &Runtime,
        connection: &mut Option<Connection>,
        written: &mut Written,
    ) -> Result<Infallible, Over> {
        let mut retry = Retry::default();
        let mut passes = PassClock::new(self.settings.every);
        loop {
            match runtime.block_on(self.connect()) {
                Err(why) => self.tell_lost(&why)?,
                Ok(reached) => {
                    passes.go_on(self.clock.now());
                    written.outputs.iter_mut().flatten().for_each(|(_, at)| *at = None);
                    self.pass_on_and_on(runtime, connection.insert(reached), written, (&mut passes, &mut retry))?;
                    *connection = None;
                }
            }
            self.sleep(retry.wait())?;
        }
    }

    async fn connect(&self) -> Result<Connection, String> {
        let ModbusLink { address, unit, timeout: longest, .. } = &self.settings;
        let connected = timeout(Duration::from_nanos(longest.0), TcpStream::connect(address)).await;
        let stream = match connected {
            Err(_) => return Err(format!("{address} does not answer within {longest}")),
            Ok(Err(error)) => return Err(format!("{address}: {error}")),
            Ok(Ok(stream)) => stream,
        };
        // Small requests that wait for their answers.
        stream.set_nodelay(true).map_err(|error| format!("{address}: {error}"))?;
        Ok(Connection { context: tcp::attach_slave(stream, Slave(*unit)), timeouts: 0 })
    }

    /// Passes over the device until it is lost; fails where the run is over.
    fn pass_on_and_on(
        &self,
        runtime: &Runtime,
        connection: &mut Connection,
        written: &mut Written,
        (passes, retry): (&mut PassClock, &mut Retry),
    ) -> Result<(), Over> {
        let named = self.settings.lines.iter().zip(&self.lines);
        let lines: Vec<(usize, ModbusAddress)> =
            named.filter_map(|((_, address), line)| Some(((*line)?, *address))).collect();
        let requests = requests(&lines);
        let mut is_reached = false;
        loop {
            self.sleep(passes.due().saturating_sub(self.clock.now()))?;
            passes.begin(self.clock.now());
            let PassRead { values, refused, malformed, first_malformed, lost } =
                runtime.block_on(self.read(connection, &requests));
            if let Some(why) = lost {
                return self.tell_lost(&why);
            }
            if !is_reached && connection.timeouts == 0 {
                is_reached = true;
                *retry = Retry::default();
                self.tell(LiveEvent::Reached { link: self.link, at: self.clock.now(), lost: None })?;
            }
            for (what, remedy) in refused {
                self.tell(LiveEvent::Refused { link: self.link, what, remedy })?;
            }
            if let Some(first) = first_malformed {
                self.tell(LiveEvent::Malformed { link: self.link, count: malformed, first })?;
            }
            let newest = values.iter().map(|value| value.arrived).max();
            if !values.is_empty() {
                self.tell(LiveEvent::Values { link: self.link, values })?;
            }
            if self.drives && (!self.settings.outputs.is_empty() || self.settings.heartbeat.is_some()) {
                // What is written follows from what was read in this very pass. Where another link has its values put in
                // order, results come later than the pass: it does not wait for them.
                let longest = Duration::from_nanos(self.settings.every.0 / 2);
                if !self.board.wait_until_worked(newest.unwrap_or_default(), longest) {
                    return Err(Over);
                }
                if let Err(why) = runtime.block_on(self.write(connection, written)) {
                    return self.tell_lost(&why);
                }
            }
            passes.end(self.clock.now());
            self.tell(LiveEvent::Passed { link: self.link, passes: passes.told })?;
        }
    }

    /// All reads, up to the first that loses the device.
    async fn read(&self, connection: &mut Connection, requests: &[ReadRequest]) -> PassRead {
        let mut read = PassRead::default();
        for request in requests {
            let asked = self.clock.now();
            let answer = self.ask(connection, request).await;
            let answered = self.clock.now();
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
                    connection.timeouts = 0;
                    match request.values(&answer) {
                        None => read.lost = Some(format!("the answer to {} is too short", what())),
                        Some(values) => {
                            values.into_iter().for_each(|(line, value)| read.take(line, value, arrived, &what))
                        }
                    }
                }
                Err(Fault::Refused(code)) => {
                    connection.timeouts = 0;
                    read.refused.push((format!("{}: {}", what(), in_words(code)), remedy(code)));
                }
                Err(Fault::TimedOut) => {
                    connection.timeouts += 1;
                    let is_lost = connection.timeouts >= TIMEOUTS;
                    let why = || format!("no answer within {} three times in a row", self.settings.timeout);
                    read.lost = is_lost.then(why);
                }
                Err(Fault::Lost(why)) => read.lost = Some(why),
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
        match (table, self.within(connection.context.call(asked)).await?) {
            (Table::Coil, Response::ReadCoils(bits)) | (Table::Discrete, Response::ReadDiscreteInputs(bits)) => {
                Ok(Answer::Bits(bits))
            }
            (Table::Holding, Response::ReadHoldingRegisters(words))
            | (Table::Input, Response::ReadInputRegisters(words)) => Ok(Answer::Registers(words)),
            _ => Err(Fault::Lost(format!("the answer does not belong to the request for {}", table.word()))),
        }
    }

    /// The answer to a request, if it comes in time.
    async fn within<T>(
        &self,
        answer: impl Future<Output = Result<Result<T, ExceptionCode>, tokio_modbus::Error>>,
    ) -> Result<T, Fault> {
        match timeout(Duration::from_nanos(self.settings.timeout.0), answer).await {
            Err(_) => Err(Fault::TimedOut),
            Ok(Ok(Ok(answer))) => Ok(answer),
            Ok(Ok(Err(code))) => Err(Fault::Refused(code)),
            Ok(Err(error)) => Err(Fault::Lost(error.to_string())),
        }
    }

    /// Writes what has changed, and what was written long ago; fails where the device is lost.
    async fn write(&self, connection: &mut Connection, written: &mut Written) -> Result<(), String> {
        for ((point, address), last) in self.settings.outputs.iter().zip(&mut written.outputs) {
            let Some(value) = self.board.value(point) else { continue };
            let is_fresh = |at: Option<Instant>| at.is_some_and(|at| at.elapsed() < REFRESH);
            if last.is_some_and(|(last, at)| last == value && is_fresh(at)) {
                continue;
            }
            // What is on its way to the device counts as written, whether an answer comes or not.
            *last = Some((value, None));
            self.put(connection, *address, value).await?;
            *last = Some((value, Some(Instant::now())));
        }
        if let Some(heartbeat) = self.settings.heartbeat {
            let beat = !written.beat.unwrap_or(false);
            written.beat = Some(beat);
            self.put(connection, ModbusAddress::Bit(heartbeat), Value::Bit(beat)).await?;
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
        let answer = connection.context.call(asked);
        match self.within(answer).await {
            Ok(_) => Ok(()),
            Err(Fault::Refused(code)) => {
                let what = format!("to write {address}: {}", in_words(code));
                // Where nobody listens the next event tells so.
                let _ = self.tell(LiveEvent::Refused { link: self.link, what, remedy: remedy(code) });
                Ok(())
            }
            Err(Fault::TimedOut) => Err(format!("no answer within {} to a write", self.settings.timeout)),
            Err(Fault::Lost(why)) => Err(why),
        }
    }

    /// The run is over: bits that were written go off, over the connection that there is, else over a new one.
    async fn bring_to_rest(&self, connection: Option<Connection>, written: &Written) {
        let outputs = self.settings.outputs.iter().zip(&written.outputs);
        let bits = outputs.filter(|((_, address), last)| address.is_bit() && last.is_some());
        let beat = self.settings.heartbeat.filter(|_| written.beat.is_some()).map(ModbusAddress::Bit);
        let places: Vec<ModbusAddress> = bits.map(|((_, address), _)| *address).chain(beat).collect();
        if places.is_empty() {
            return;
        }
        if let Some(mut connection) = connection
            && self.switch_off(&mut connection, &places).await.is_ok()
        {
            return;
        }
        // What cannot be reached any more stays as it is.
        if let Ok(mut connection) = self.connect().await {
            let _ = self.switch_off(&mut connection, &places).await;
        }
    }

    async fn switch_off(&self, connection: &mut Connection, places: &[ModbusAddress]) -> Result<(), String> {
        for place in places {
            self.put(connection, *place, Value::Bit(false)).await?;
        }
        // The answers have come: closing adds nothing to that.
        let _ = connection.context.disconnect().await;
        Ok(())
    }

    fn tell_lost(&self, why: &str) -> Result<(), Over> {
        self.tell(LiveEvent::Reached { link: self.link, at: self.clock.now(), lost: Some(why.to_owned()) })
    }

    fn tell(&self, event: LiveEvent) -> Result<(), Over> {
        self.events.send(event).map_err(|_| Over)
    }

    fn sleep(&self, length: Nanos) -> Result<(), Over> {
        if self.board.sleep(Duration::from_nanos(length.0)) { Ok(()) } else { Err(Over) }
    }
}
