//! `reigen work`: a worker of a fleet of stations.

use crate::archive::do_job;
use crate::cli::work::WorkArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::stop::Stop;
use crate::views::run::{Detail, print, print_json};
use crate::views::work::{StandingRow, event_words, print_job, print_list};
use reigen_core::finding::Finding;
use reigen_core::time::{Nanos, Origin};
use reigen_fleet::jobs::{JobWorker, work_jobs};
use reigen_fleet::server::ServerAddress;
use reigen_fleet::standing::standings;
use reigen_fleet::station::{FleetStation, station_files};
use reigen_fleet::worker::{WorkerSettings, WorkerStop, work};
use reigen_io::error::system_words;
use reigen_run::continued_run::{BoundStation, ContinuedRun};
use reigen_run::outcome::Outcome;
use std::path::Path;
use std::sync::mpsc::channel;
use std::thread;
use std::time::Duration;

/// The shortest time between two states, and of a lease.
const SHORTEST: Nanos = Nanos(100_000_000);

/// Runs the command.
pub(crate) fn run(arguments: &WorkArguments, stop: &Stop, out: &mut Out) -> Result<(), Failure> {
    if let Some(archive) = &arguments.verify {
        return keep_checking(archive, arguments, stop, out);
    }
    let folder = arguments.stations.as_deref().unwrap_or(Path::new("."));
    let mut stations = Vec::new();
    for path in station_files(folder)? {
        stations.push(FleetStation::open(&path)?);
    }
    arguments.anew.iter().chain(&arguments.show).try_for_each(|name| check_known(name, &stations))?;
    let address = ServerAddress { address: arguments.nats.clone(), user: user(arguments)? };
    if let Some(name) = &arguments.show {
        stations.retain(|station| station.name == *name);
        return show(&stations, &address, arguments, out);
    }
    if arguments.list {
        let standings = standings(&stations, &address)?;
        let rows = stations.iter().zip(&standings);
        let rows: Vec<StandingRow> = rows.map(|(station, standing)| StandingRow::new(station, standing)).collect();
        return if arguments.json { out.json(&rows) } else { print_list(&rows, out) };
    }
    keep_working(stations, &address, arguments, stop, out)
}

fn check_known(name: &String, stations: &[FleetStation]) -> Result<(), Failure> {
    let names: Vec<&str> = stations.iter().map(|station| station.name.as_str()).collect();
    match names.contains(&name.as_str()) {
        true => Ok(()),
        false => Err(Failure::Usage {
            message: format!("there is no station `{name}` in the folder"),
            help: format!("the stations are {}", names.join(", ")),
        }),
    }
}

fn user(arguments: &WorkArguments) -> Result<Option<(String, String)>, Failure> {
    let Some((user, variable)) = arguments.user.as_ref().zip(arguments.password_env.as_ref()) else {
        return Ok(None);
    };
    let password = std::env::var(variable).map_err(|_| Failure::Usage {
        message: format!("the environment has no {variable} with the password"),
        help: "set it before the start".to_owned(),
    })?;
    Ok(Some((user.clone(), password)))
}

/// How long a time is.
fn length(Nanos(ns): Nanos) -> Duration {
    Duration::from_nanos(ns)
}

/// Refuses steps that would only wear the server.
fn check_steps(arguments: &WorkArguments) -> Result<(), Failure> {
    match arguments.keep_every < SHORTEST || arguments.lease < SHORTEST {
        false => Ok(()),
        true => Err(Failure::Usage {
            message: "the server is not asked more than ten times a second".to_owned(),
            help: "use 100 ms or more for --keep-every and --lease".to_owned(),
        }),
    }
}

/// Checks recordings for whoever asks.
fn keep_checking(archive: &Path, arguments: &WorkArguments, stop: &Stop, out: &mut Out) -> Result<(), Failure> {
    check_steps(arguments)?;
    let archive = archive.canonicalize().map_err(|error| Failure::Unreadable {
        file: archive.display().to_string(),
        why: system_words(&error),
        help: "name the folder with the recordings".to_owned(),
    })?;
    let asked = WorkerStop::default();
    let ask = asked.clone();
    stop.listen(move || ask.ask());
    let address = ServerAddress { address: arguments.nats.clone(), user: user(arguments)? };
    let mut failed = None;
    let worker = JobWorker {
        name: arguments.name.clone().unwrap_or_else(usual_name),
        silence: length(arguments.lease),
        until_idle: arguments.until_idle.map(length),
        work: move |body: &serde_json::Value| do_job(body, &archive),
        tell: |event| {
            let told = print_job(&event, arguments.json, out);
            failed = failed.take().or(told.err());
        },
    };
    work_jobs(&address, worker, &asked)?;
    failed.map_or(Ok(()), Err)
}

fn keep_working(
    stations: Vec<FleetStation>,
    address: &ServerAddress,
    arguments: &WorkArguments,
    stop: &Stop,
    out: &mut Out,
) -> Result<(), Failure> {
    check_steps(arguments)?;
    let settings = WorkerSettings {
        name: arguments.name.clone().unwrap_or_else(usual_name),
        lease: length(arguments.lease),
        keep_every: length(arguments.keep_every),
        until_idle: arguments.until_idle.map(length),
        anew: arguments.anew.clone(),
    };
    let (sender, events) = channel();
    let (asked, address) = (WorkerStop::default(), address.clone());
    let ask = asked.clone();
    stop.listen(move || ask.ask());
    let worker = thread::spawn(move || work(stations, &address, &settings, sender, &asked));
    for event in events {
        match arguments.json {
            true => out.json_line(&event)?,
            false => out.words(&event_words(&event))?,
        }
        out.pass_on()?;
    }
    match worker.join() {
        Ok(done) => Ok(done?),
        // It has been told.
        Err(_) => Ok(()),
    }
}

/// The name of a worker that nobody names.
fn usual_name() -> String {
    let host = std::env::var("HOSTNAME").ok().or_else(|| std::fs::read_to_string("/etc/hostname").ok());
    let host = host.unwrap_or_else(|| "worker".to_owned());
    format!("{}-{}", host.trim(), std::process::id())
}

fn show(
    stations: &[FleetStation],
    address: &ServerAddress,
    arguments: &WorkArguments,
    out: &mut Out,
) -> Result<(), Failure> {
    let standings = standings(stations, address)?;
    let Some((station, standing)) = stations.iter().zip(standings).next() else { return Ok(()) };
    let name = &station.name;
    let nothing = |message: String, help: &str| Failure::Usage { message, help: help.to_owned() };
    if let Some(why) = standing.unreadable {
        return Err(nothing(why, "begin the station anew: --anew NAME"));
    }
    let none = || nothing(format!("nobody has worked `{name}` yet"), "start a worker, and --list");
    let kept = standing.kept.ok_or_else(none)?;
    if kept.version != station.version {
        return Err(nothing(
            format!("the file is version {}, and the counts were kept with version {}", station.version, kept.version),
            "put the former file back, or begin the station anew: --anew NAME",
        ));
    }
    let bound = BoundStation::new(&station.file)?;
    let refused = |why: String| nothing(why, "begin the station anew: --anew NAME");
    let state = kept.run().map_err(|error| refused(error.to_string()))?.ok_or_else(none)?;
    let run = ContinuedRun::resume(&bound, state).map_err(|error| refused(error.to_string()))?;
    let (origin, to) = run.stretch().unwrap_or((Origin(0), Nanos(0)));
    let outcome = Outcome {
        recording: format!("the messages of {name} up to {}", kept.sequence),
        origin,
        from: Nanos(0),
        to,
        lines: bound.line_count(),
        edges: kept.changes,
        points: run.finish()?,
        findings: vec![Finding::note(
            "counts-only",
            name,
            "workers count and read; they look for no faults of the lines".to_owned(),
            "record the lines at the machine: `reigen run` tells what is wrong with them",
        )],
        displays: Default::default(),
        gauge: None,
        judgements: Default::default(),
    };
    match arguments.json {
        true => print_json(&station.file, &outcome, out),
        false => print(&station.file.station, &outcome, &Detail::default(), None, out),
    }
}
