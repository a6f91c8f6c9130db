//! A thread that passes over a Modbus device: it reads, waits until the station has worked what was read, and writes.

use super::requests::{Answer, ReadRequest, requests, words_of};
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;
use reigen_run::live::board::Board;
use reigen_run::live::event::{LineValue, LiveEvent};
use reigen_run::live::inbox::RunClock;
use reigen_run::live::passes::{PassClock, Retry};
use reigen_station::links::ModbusLink;
use reigen_station::links::modbus::{ModbusAddress, Table};
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

/// A connection, and what was written last.
struct Device {
    context: Context,
    written: Vec<Option<(Value, Instant)>>,
    beat: bool,
    timeouts: u32,
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
                let _ = self.tell_lost(&format!("no thread for it: {error}"));
                return;
            }
        };
        let _ = self.keep_up(&runtime);
    }

    /// Reaches the device again and again.
    fn keep_up(&self, runtime: &Runtime) -> Result<(), Over> {
        let mut retry = Retry::default();
        let mut passes = PassClock::new(self.settings.every);
        loop {
            match runtime.block_on(self.connect()) {
                Err(why) => self.tell_lost(&why)?,
                Ok(context) => {
                    let outputs = self.settings.outputs.len();
                    let mut device = Device { context, written: vec![None; outputs], beat: false, timeouts: 0 };
                    passes.go_on(self.clock.now());
                    let ended = self.pass_on_and_on(runtime, &mut device, &mut passes, &mut retry);
                    if ended.is_err() {
                        runtime.block_on(self.bring_to_rest(&mut device));
                    }
                    ended?;
                    // Closing what is lost already may fail too.
                    let _ = runtime.block_on(device.context.disconnect());
                }
            }
            self.sleep(retry.wait())?;
        }
    }

    async fn connect(&self) -> Result<Context, String> {
        let ModbusLink { address, unit, timeout: longest, .. } = &self.settings;
        let connected = timeout(Duration::from_nanos(longest.0), TcpStream::connect(address)).await;
        let stream = match connected {
            Err(_) => return Err(format!("{address} does not answer within {longest}")),
            Ok(Err(error)) => return Err(format!("{address}: {error}")),
            Ok(Ok(stream)) => stream,
        };
        // Small requests that wait for their answers.
        stream.set_nodelay(true).map_err(|error| format!("{address}: {error}"))?;
        Ok(tcp::attach_slave(stream, Slave(*unit)))
    }

    /// Passes over the device until it is lost; fails where the run is over.
    fn pass_on_and_on(
        &self,
        runtime: &Runtime,
        device: &mut Device,
        passes: &mut PassClock,
        retry: &mut Retry,
    ) -> Result<(), Over> {
        let named = self.settings.lines.iter().zip(&self.lines);
        let lines: Vec<(usize, ModbusAddress)> =
            named.filter_map(|((_, address), line)| Some(((*line)?, *address))).collect();
        let requests = requests(&lines);
        let mut is_reached = false;
        loop {
            self.sleep(passes.due().saturating_sub(self.clock.now()))?;
            passes.begin(self.clock.now());
            let read = runtime.block_on(self.read(device, &requests));
            let (values, refused, lost) = read;
            if let Some(why) = lost {
                return self.tell_lost(&why);
            }
            if !is_reached && device.timeouts == 0 {
                is_reached = true;
                *retry = Retry::default();
                self.tell(LiveEvent::Reached { link: self.link, at: self.clock.now(), lost: None })?;
            }
            for what in refused {
                self.tell(LiveEvent::Refused { link: self.link, what })?;
            }
            let newest = values.iter().map(|value| value.arrived).max();
            if !values.is_empty() {
                self.tell(LiveEvent::Values { link: self.link, values })?;
            }
            if self.drives && (!self.settings.outputs.is_empty() || self.settings.heartbeat.is_some()) {
                // What is written follows from what was read in this very pass.
                let longest = Duration::from_nanos(self.settings.every.0);
                if !self.board.wait_until_worked(newest.unwrap_or_default(), longest) {
                    return Err(Over);
                }
                if let Err(why) = runtime.block_on(self.write(device)) {
                    return self.tell_lost(&why);
                }
            }
            passes.end(self.clock.now());
            self.tell(LiveEvent::Passed { link: self.link, passes: passes.told })?;
        }
    }

    /// All reads: the values, what was refused, and why the device is lost where it is.
    async fn read(
        &self,
        device: &mut Device,
        requests: &[ReadRequest],
    ) -> (Vec<LineValue>, Vec<String>, Option<String>) {
        let (mut values, mut refused) = (Vec::new(), Vec::new());
        for request in requests {
            let asked = self.clock.now();
            let answer = self.ask(device, request).await;
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
                    device.timeouts = 0;
                    let Some(read) = request.values(&answer) else {
                        return (values, refused, Some(format!("the answer to {} is too short", what())));
                    };
                    let value = |(line, value)| LineValue { line, value, arrived, own_time_ns: None };
                    values.extend(read.into_iter().map(value));
                }
                Err(Fault::Refused(code)) => {
                    device.timeouts = 0;
                    refused.push(format!("{}: {}", what(), in_words(code)));
                }
                Err(Fault::TimedOut) => {
                    device.timeouts += 1;
                    if device.timeouts >= TIMEOUTS {
                        let why = format!("no answer within {} three times in a row", self.settings.timeout);
                        return (values, refused, Some(why));
                    }
                }
                Err(Fault::Lost(why)) => return (values, refused, Some(why)),
            }
        }
        (values, refused, None)
    }

    async fn ask(&self, device: &mut Device, request: &ReadRequest) -> Result<Answer, Fault> {
        let ReadRequest { table, from, count, .. } = *request;
        let asked = match table {
            Table::Coil => Request::ReadCoils(from, count),
            Table::Discrete => Request::ReadDiscreteInputs(from, count),
            Table::Holding => Request::ReadHoldingRegisters(from, count),
            Table::Input => Request::ReadInputRegisters(from, count),
        };
        // Asked as a request of any kind: what a device answers wrongly is looked at here, and no fault of the program.
        match (table, self.within(device.context.call(asked)).await?) {
            (Table::Coil, Response::ReadCoils(bits)) | (Table::Discrete, Response::ReadDiscreteInputs(bits)) => {
                Ok(Answer::Bits(bits))
            }
            (Table::Holding, Response::ReadHoldingRegisters(words))
            | (Table::Input, Response::ReadInputRegisters(words)) => Ok(Answer::Registers(words)),
            _ => Err(Fault::Lost(format!("{} was asked for, and something else answered", table.word()))),
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
    async fn write(&self, device: &mut Device) -> Result<(), String> {
        for (number, (point, address)) in self.settings.outputs.iter().enumerate() {
            let Some(value) = self.board.value(point) else { continue };
            let last = device.written.get(number).copied().flatten();
            if last.is_some_and(|(last, at)| last == value && at.elapsed() < REFRESH) {
                continue;
            }
            self.put(device, *address, value).await?;
            device.written.iter_mut().skip(number).take(1).for_each(|last| *last = Some((value, Instant::now())));
        }
        if let Some(beat) = self.settings.heartbeat {
            device.beat = !device.beat;
            self.put(device, ModbusAddress::Bit(beat), Value::Bit(device.beat)).await?;
        }
        Ok(())
    }

    /// Writes one value.
    async fn put(&self, device: &mut Device, address: ModbusAddress, value: Value) -> Result<(), String> {
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
        let answer = device.context.call(asked);
        match self.within(answer).await {
            Ok(_) => Ok(()),
            Err(Fault::Refused(code)) => {
                let what = format!("to write {address}: {}", in_words(code));
                // Where nobody listens the next event tells so.
                let _ = self.tell(LiveEvent::Refused { link: self.link, what });
                Ok(())
            }
            Err(Fault::TimedOut) => Err(format!("no answer within {} to a write", self.settings.timeout)),
            Err(Fault::Lost(why)) => Err(why),
        }
    }

    /// The run is over: bits that were written go off, unless they are to stay.
    async fn bring_to_rest(&self, device: &mut Device) {
        if !self.drives || !self.settings.off_at_end {
            return;
        }
        let bits = self.settings.outputs.iter().map(|(_, address)| *address).filter(|address| address.is_bit());
        let beat = self.settings.heartbeat.map(ModbusAddress::Bit);
        for address in bits.chain(beat) {
            // What cannot be reached any more stays as it is.
            let _ = self.put(device, address, Value::Bit(false)).await;
        }
        let _ = device.context.disconnect().await;
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

/// An exception by its name (Modbus Application Protocol V1.1b3, 7).
fn in_words(code: ExceptionCode) -> String {
    let word = match code {
        ExceptionCode::IllegalFunction => "illegal function",
        ExceptionCode::IllegalDataAddress => "illegal data address",
        ExceptionCode::IllegalDataValue => "illegal data value",
        ExceptionCode::ServerDeviceFailure => "server device failure",
        ExceptionCode::Acknowledge => "acknowledge",
        ExceptionCode::ServerDeviceBusy => "server device busy",
        ExceptionCode::MemoryParityError => "memory parity error",
        ExceptionCode::GatewayPathUnavailable => "gateway path unavailable",
        ExceptionCode::GatewayTargetDevice => "gateway target device failed to respond",
        ExceptionCode::Custom(_) => "an exception of its own",
    };
    format!("{word} (exception {})", u8::from(code))
}
