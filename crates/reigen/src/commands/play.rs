//! `reigen play`: a stand-in for the devices of a station, from a recording or a scenario.

use crate::cli::live::PlayArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::{open_all, read_options};
use crate::simulation;
use crate::stand_in::each_change;
use reigen_core::change::Value;
use reigen_core::names::counted;
use reigen_core::time::{Nanos, seconds_short};
use reigen_io::options::ReadOptions;
use reigen_io::recording::{Clock, Recording};
use reigen_io::small_file::TextKind;
use reigen_io::source::Source;
use reigen_io::write::{Format, begin};
use reigen_link::lines::LineServer;
use reigen_link::modbus::{DeviceWrite, ModbusDevice};
use reigen_run::live::inbox::RunClock;
use reigen_run::live::source::station_lines;
use reigen_run::station_file::{StationFile, read_text};
use reigen_station::links::modbus::ModbusAddress;
use reigen_station::links::{Link, Protocol};
use reigen_station::simulate::Simulation;
use std::io::{Cursor, Write as _};
use std::net::TcpListener;
use std::path::Path;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::thread;
use std::time::Duration;

/// The seed of a scenario.
const SEED: u64 = 1;

/// Runs the command.
pub(crate) fn run(arguments: &PlayArguments, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::open(&arguments.station)?;
    // What cannot be played is refused before anybody connects.
    let mut recording = open(&arguments.recording)?;
    let clock = RunClock::start();
    let (sender, writes) = channel();
    let devices = devices(&station.station.links, clock, &sender)?;
    if devices.is_empty() {
        return Err(Failure::Usage {
            message: "the station has no link, so there is no device to simulate".to_owned(),
            help: "add a [link.NAME] to the station file".to_owned(),
        });
    }
    let log = arguments.writes.as_deref().map(|path| out.outputs().create(path)).transpose()?;
    let named = station_lines(&station.station).into_iter().map(|line| line.name).collect();
    let mut player = Player {
        devices,
        named,
        writes,
        clock,
        began: None,
        out,
        log,
        speed: arguments.speed,
        offset: Nanos(0),
        length: arguments.length,
    };
    loop {
        let end = player.play(recording)?;
        player.offset += end;
        if !arguments.repeat || end == Nanos(0) || player.is_over(player.offset) {
            break;
        }
        recording = open(&arguments.recording)?;
    }
    player.finish()
}

/// A recording, or what a scenario makes.
fn open(path: &Path) -> Result<Recording, Failure> {
    if path.extension().is_none_or(|ending| ending != "toml") {
        let options = read_options(&Default::default())?;
        return open_all(&[Source::from(&path.to_owned())], &options, Clock::default());
    }
    let name = path.display().to_string();
    let source = read_text(path, TextKind::Toml, "the argument must be a recording or a scenario file")?;
    let scenario = simulation::parse(&name, &source)?;
    let mut made = Simulation::new(&scenario, SEED, scenario.duration);
    let mut bytes = Vec::new();
    let heading = simulation::heading(&made);
    let written =
        begin((Format::JsonLines, None), &heading, &mut bytes).and_then(|out| simulation::write_all(&mut made, out));
    written.map_err(Failure::Print)?;
    Ok(Recording::from_bytes(format!("{name}.jsonl"), Box::new(Cursor::new(bytes)), &ReadOptions::default())?)
}

/// What stands in for a device.
enum Device {
    /// With where it is to listen, until it does.
    Modbus(ModbusDevice, Option<TcpListener>),
    Lines(LineServer),
}

/// The devices of all links. Those that are asked answer only once they have their first values: a bit that is none yet is no 0.
fn devices<'a>(
    links: &'a [Link],
    clock: RunClock,
    writes: &Sender<DeviceWrite>,
) -> Result<Vec<(&'a Link, Device)>, Failure> {
    let taken = |link: &Link, error: std::io::Error| Failure::Usage {
        message: format!("nothing can listen at {}: {error}", link.protocol.address()),
        help: "another program may already use this address, or it belongs to another machine".to_owned(),
    };
    let start = |link: &'a Link| {
        let device = match &link.protocol {
            Protocol::ModbusTcp(modbus) => {
                let device = ModbusDevice::new(modbus, clock, writes.clone());
                let listener = TcpListener::bind(&modbus.address).map_err(|error| taken(link, error))?;
                Device::Modbus(device, Some(listener))
            }
            Protocol::Lines { address } => {
                Device::Lines(LineServer::start(address).map_err(|error| taken(link, error))?)
            }
        };
        Ok((link, device))
    };
    links.iter().map(start).collect()
}

/// Plays changes at their times.
struct Player<'a> {
    devices: Vec<(&'a Link, Device)>,
    /// The lines that the station names.
    named: Vec<String>,
    writes: Receiver<DeviceWrite>,
    clock: RunClock,
    /// When the devices began to answer.
    began: Option<Nanos>,
    out: &'a mut Out,
    log: Option<reigen_io::output_file::OutputFile>,
    speed: f64,
    /// How long what was played before took, in its own time.
    offset: Nanos,
    length: Option<Nanos>,
}

impl Player<'_> {
    /// Plays a recording; gives how long it is.
    fn play(&mut self, recording: Recording) -> Result<Nanos, Failure> {
        let end = each_change(recording, &self.wanted(), &mut |time, name, value| {
            let time = self.offset + time;
            if self.is_over(time) {
                return Ok(());
            }
            if time > Nanos(0) {
                self.wait_until(time)?;
            }
            self.devices.iter().for_each(|(_, device)| device.set(time, name, value));
            Ok(())
        })?;
        if !self.is_over(self.offset + end) {
            self.wait_until(self.offset + end)?;
        }
        Ok(end)
    }

    /// The lines that the devices have; of those that print lines, all that the station names.
    fn wanted(&self) -> Vec<String> {
        let links = self.devices.iter().map(|(link, _)| &link.protocol);
        let placed = links.clone().flat_map(Protocol::lines).map(|(name, _)| name.to_owned());
        let mut names: Vec<String> = placed.collect();
        if links.clone().any(|protocol| matches!(protocol, Protocol::Lines { .. })) {
            let others: Vec<String> = self.named.iter().filter(|name| !names.contains(name)).cloned().collect();
            names.extend(others);
        }
        names
    }

    fn is_over(&self, time: Nanos) -> bool {
        self.length.is_some_and(|length| time > length)
    }

    /// The devices answer from now on, if they do not yet; gives since when.
    fn begin(&mut self) -> Result<Nanos, Failure> {
        if let Some(began) = self.began {
            return Ok(began);
        }
        for (link, device) in &mut self.devices {
            device.begin();
            self.out.line(format!("{} is {} at {}", link.name, link.protocol.word(), link.protocol.address()))?;
        }
        self.out.pass_on()?;
        Ok(*self.began.insert(self.clock.now()))
    }

    /// Waits for a time of the recording, and tells meanwhile what is written.
    fn wait_until(&mut self, time: Nanos) -> Result<(), Failure> {
        let began = Duration::from_nanos(self.begin()?.0);
        let after = Duration::try_from_secs_f64(time.seconds() / self.speed).unwrap_or(Duration::MAX);
        let due = began.saturating_add(after);
        loop {
            let left = due.saturating_sub(Duration::from_nanos(self.clock.now().0));
            match self.writes.recv_timeout(left) {
                Ok(write) => self.tell(&write)?,
                Err(RecvTimeoutError::Timeout) => return Ok(()),
                Err(RecvTimeoutError::Disconnected) => thread::sleep(left),
            }
        }
    }

    fn tell(&mut self, write: &DeviceWrite) -> Result<(), Failure> {
        let place = format!("{} {}", write.table.word(), write.at);
        let written = write.time.saturating_sub(self.began.unwrap_or_default());
        if let Some(log) = &mut self.log {
            let told = serde_json::json!({ "time_ns": written.0, "place": place, "value": write.value });
            writeln!(log, "{told}").map_err(|error| log.explain(error))?;
        }
        let name = self.name_of(write);
        // A heartbeat belongs to no point, and says nothing new.
        if name.is_empty() {
            return Ok(());
        }
        let time = format!("{} s", seconds_short(i64::try_from(written.0).unwrap_or(i64::MAX)));
        let line = format!("{time:>16}  {place:12} {:>6}  {name}", write.value);
        self.out.line(line.trim_end())?;
        self.out.pass_on()
    }

    /// The point that is written there.
    fn name_of(&self, write: &DeviceWrite) -> String {
        let outputs = self.devices.iter().flat_map(|(link, _)| match &link.protocol {
            Protocol::ModbusTcp(modbus) => modbus.outputs.as_slice(),
            Protocol::Lines { .. } => &[],
        });
        let is_there = |address: &ModbusAddress| {
            let (from, until) = address.span();
            address.table() == write.table && (from..until).contains(&u32::from(write.at))
        };
        outputs.clone().find(|(_, address)| is_there(address)).map(|(name, _)| name.clone()).unwrap_or_default()
    }

    fn finish(mut self) -> Result<(), Failure> {
        while let Ok(write) = self.writes.try_recv() {
            self.tell(&write)?;
        }
        if let Some(log) = self.log {
            reigen_io::output_file::put_in_place([log.finish()?])?;
        }
        self.out.line(format!("played {}, {}", self.offset, counted(self.devices.len() as u64, "device")))
    }
}

impl Device {
    /// Answers from now on, for as long as the program runs.
    fn begin(&mut self) {
        if let Self::Modbus(device, listener) = self
            && let Some(listener) = listener.take()
        {
            let served = device.clone();
            thread::spawn(move || drop(served.serve(listener)));
        }
    }

    fn set(&self, time: Nanos, line: &str, value: Value) {
        match self {
            Self::Modbus(device, _) => device.set(line, value),
            Self::Lines(server) => server.print(time, line, value),
        }
    }
}
