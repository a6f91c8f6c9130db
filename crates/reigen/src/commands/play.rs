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
            message: "the station has no link: there is no device to stand in for".to_owned(),
            help: "add a [link.NAME] to the station file".to_owned(),
        });
    }
    for (link, _) in &devices {
        let line = format!("{} is {} at {}", link.name, link.protocol.word(), link.protocol.address());
        out.line(line)?;
    }
    out.pass_on()?;
    let log = arguments.writes.as_deref().map(|path| out.outputs().create(path)).transpose()?;
    if arguments.speed <= 0.0 {
        return Err(Failure::Usage {
            message: format!("--speed {} is no pace", arguments.speed),
            help: "10 is ten times as fast as the recording".to_owned(),
        });
    }
    let named = station_lines(&station.station).into_iter().map(|line| line.name).collect();
    let mut player = Player {
        devices,
        named,
        writes,
        clock,
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
    Modbus(ModbusDevice),
    Lines(LineServer),
}

/// The devices of all links, at work.
fn devices<'a>(
    links: &'a [Link],
    clock: RunClock,
    writes: &Sender<DeviceWrite>,
) -> Result<Vec<(&'a Link, Device)>, Failure> {
    let taken = |link: &Link, error: std::io::Error| Failure::Usage {
        message: format!("nothing can listen at {}: {error}", link.protocol.address()),
        help: "is something else there already? Or is it an address of another machine?".to_owned(),
    };
    let start = |link: &'a Link| {
        let device = match &link.protocol {
            Protocol::ModbusTcp(modbus) => {
                let device = ModbusDevice::new(modbus, clock, writes.clone());
                let served = device.clone();
                let listener = std::net::TcpListener::bind(&modbus.address).map_err(|error| taken(link, error))?;
                // It answers for as long as the program runs.
                thread::spawn(move || drop(served.serve(listener)));
                Device::Modbus(device)
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
            self.wait_until(time)?;
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

    /// Waits for a time of the recording, and tells meanwhile what is written.
    fn wait_until(&mut self, time: Nanos) -> Result<(), Failure> {
        let due = Duration::from_secs_f64(time.seconds() / self.speed);
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
        if let Some(log) = &mut self.log {
            let told = serde_json::json!({ "time_ns": write.time.0, "place": place, "value": write.value });
            writeln!(log, "{told}").map_err(|error| log.explain(error))?;
        }
        let name = self.name_of(write);
        // A heartbeat belongs to no point, and says nothing new.
        if name.is_empty() {
            return Ok(());
        }
        let time = format!("{} s", seconds_short(i64::try_from(write.time.0).unwrap_or(i64::MAX)));
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
    fn set(&self, time: Nanos, line: &str, value: Value) {
        match self {
            Self::Modbus(device) => device.set(line, value),
            Self::Lines(server) => server.print(time, line, value),
        }
    }
}
