//! `reigen play`: a stand-in for the devices of a station, from a recording or a scenario.

use crate::cli::live::PlayArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::{open_all, read_options};
use crate::simulation;
use crate::stand_in::each_change;
use crate::stop::Stop;
use reigen_core::names::counted;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::{Nanos, seconds_short};
use reigen_io::options::ReadOptions;
use reigen_io::recording::{Clock, Recording};
use reigen_io::small_file::TextKind;
use reigen_io::source::Source;
use reigen_io::write::{Format, begin};
use reigen_link::stand_in::StandIns;
use reigen_link::write::DeviceWrite;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::source::station_lines;
use reigen_run::station_file::{StationFile, read_text};
use reigen_station::links::{Link, Protocol};
use reigen_station::simulate::Simulation;
use std::io::{Cursor, ErrorKind, Write as _};
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::thread;
use std::time::Duration;

/// The seed of a scenario.
const SEED: u64 = 1;
/// How often a wait looks whether somebody asks for the end.
const LOOK: Duration = Duration::from_millis(100);

/// Runs the command.
pub(crate) fn run(arguments: &PlayArguments, stop: &Stop, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::open(&arguments.station)?;
    // What cannot be played is refused before anybody connects.
    let mut recording = open(&arguments.recording)?;
    let clock = RunClock::start();
    let (sender, writes) = channel();
    let links = chosen(&station.station.links, &arguments.links)?;
    let (links, devices) = devices(&links, clock, &sender)?;
    if links.is_empty() {
        return Err(Failure::Usage {
            message: "the station has no link, so there is no device to simulate".to_owned(),
            help: "add a [link.NAME] to the station file".to_owned(),
        });
    }
    let log = arguments.writes.as_deref().map(|path| out.outputs().create(path)).transpose()?;
    let named = station_lines(&station.station).into_iter().map(|line| line.name).collect();
    let mut player = Player {
        links,
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
        is_stopped: Arc::default(),
    };
    let is_stopped = player.is_stopped.clone();
    stop.listen(move || is_stopped.store(true, Ordering::Relaxed));
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

/// The links of these names; all where none is named.
fn chosen<'a>(links: &'a [Link], names: &[String]) -> Result<Vec<&'a Link>, Failure> {
    if names.is_empty() {
        return Ok(links.iter().collect());
    }
    let known = || links.iter().map(|link| link.name.as_str()).collect::<Vec<_>>().join(", ");
    let find = |name: &String| {
        let found = links.iter().find(|link| link.name == *name);
        found.ok_or_else(|| Failure::Usage {
            message: format!("the station has no link `{name}`"),
            help: format!("its links: {}", known()),
        })
    };
    names.iter().map(find).collect()
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

/// The devices of all links that can be simulated.
fn devices<'a>(
    links: &[&'a Link],
    clock: RunClock,
    writes: &Sender<DeviceWrite>,
) -> Result<(Vec<&'a Link>, StandIns), Failure> {
    let (mut played, mut devices) = (Vec::new(), StandIns::default());
    for &link in links {
        match devices.add(link, clock, writes) {
            Ok(()) => played.push(link),
            Err(error) if error.kind() == ErrorKind::Unsupported => tracing::warn!("{}: {error}", link.name),
            Err(error) => {
                return Err(Failure::Usage {
                    message: format!("the device of {} cannot be simulated at {}: {error}", link.name, link.protocol.address()),
                    help: "another program may already use this address, it may belong to another machine, or the broker is not there".to_owned(),
                });
            }
        }
    }
    Ok((played, devices))
}

/// Plays changes at their times.
struct Player<'a> {
    links: Vec<&'a Link>,
    devices: StandIns,
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
    /// Whether somebody asks for the end.
    is_stopped: Arc<AtomicBool>,
}

impl Player<'_> {
    /// Plays a recording; gives how long it is, as far as it was played.
    fn play(&mut self, recording: Recording) -> Result<Nanos, Failure> {
        let end = each_change(recording, &self.wanted(), &mut |time, name, value| {
            let time = self.offset + time;
            if time > Nanos(0) {
                let within = self.length.map_or(time, |length| time.min(length));
                self.wait_until(within)?;
            }
            if self.is_over(time) {
                return Ok(ControlFlow::Break(()));
            }
            self.devices.set(time, name, value);
            Ok(ControlFlow::Continue(()))
        })?;
        if !self.is_over(self.offset + end) {
            self.wait_until(self.offset + end)?;
        }
        Ok(end)
    }

    /// The lines that the devices have; of those that print lines, all that the station names.
    fn wanted(&self) -> Vec<String> {
        let links = self.links.iter().map(|link| &link.protocol);
        let placed = links.clone().flat_map(Protocol::lines).map(|(name, _)| name.to_owned());
        let mut names: Vec<String> = placed.collect();
        if links.clone().any(Protocol::has_any_line) {
            let others: Vec<String> = self.named.iter().filter(|name| !names.contains(name)).cloned().collect();
            names.extend(others);
        }
        names
    }

    fn is_over(&self, time: Nanos) -> bool {
        self.is_stopped.load(Ordering::Relaxed) || self.length.is_some_and(|length| time > length)
    }

    /// The devices answer from now on, if they do not yet; gives since when.
    fn begin(&mut self) -> Result<Nanos, Failure> {
        if let Some(began) = self.began {
            return Ok(began);
        }
        self.devices.begin();
        for link in &self.links {
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
        while !self.is_stopped.load(Ordering::Relaxed) {
            let left = due.saturating_sub(Duration::from_nanos(self.clock.now().0));
            match self.writes.recv_timeout(left.min(LOOK)) {
                Ok(write) => self.tell(&write)?,
                Err(RecvTimeoutError::Timeout) if left > LOOK => {}
                Err(RecvTimeoutError::Timeout) => return Ok(()),
                Err(RecvTimeoutError::Disconnected) => thread::sleep(left.min(LOOK)),
            }
        }
        Ok(())
    }

    fn tell(&mut self, write: &DeviceWrite) -> Result<(), Failure> {
        let DeviceWrite { time, place, point, value } = write;
        let written = time.saturating_sub(self.began.unwrap_or_default());
        if let Some(log) = &mut self.log {
            let told = serde_json::json!({ "time_ns": written.0, "place": place, "value": value });
            writeln!(log, "{told}").map_err(|error| log.explain(error))?;
        }
        // A heartbeat belongs to no point, and says nothing new.
        if point.is_empty() {
            return Ok(());
        }
        let time = format!("{} s", seconds_short(i64::try_from(written.0).unwrap_or(i64::MAX)));
        let line = format!("{time:>16}  {place:12} {:>6}  {point}", value.to_string());
        self.out.line(on_one_line(&line).trim_end())?;
        self.out.pass_on()
    }

    fn finish(mut self) -> Result<(), Failure> {
        while let Ok(write) = self.writes.try_recv() {
            self.tell(&write)?;
        }
        if let Some(log) = self.log {
            reigen_io::output_file::put_in_place([log.finish()?])?;
        }
        let played = self.length.map_or(self.offset, |length| self.offset.min(length));
        self.out.line(format!("played {played}, {}", counted(self.links.len() as u64, "device")))
    }
}
