//! `reigen demo`: the work shown on an example that ships inside the program.

use crate::cli::live::LiveArguments;
use crate::cli::{DemoArguments, ReadingArguments, WhyArguments};
use crate::done::Completion;
use crate::failure::Failure;
use crate::live_run::run_live;
use crate::print::Out;
use crate::reading::replay;
use crate::simulation;
use crate::stand_in::each_change;
use crate::stop::Stop;
use crate::tables::remedies;
use crate::views::more::CommandPlace;
use crate::views::{check, debounce, diagram, run, survey, verify, why};
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::measure::advice::Wish;
use reigen_core::time::Nanos;
use reigen_io::options::ReadOptions;
use reigen_io::output_file::{OutputError, put_in_place};
use reigen_io::recording::Recording;
use reigen_io::write::{Format, begin};
use reigen_link::lines::LinePrinter;
use reigen_run::displays::DisplayWatch;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::source::station_lines;
use reigen_run::outcome::Outcome;
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_run::stretch::Stretch;
use reigen_station::simulate::Simulation;
use reigen_station::simulate::truth::TruthFile;
use std::io::{Cursor, Write};
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::Duration;

const STATION: &str = include_str!("../../../../demo/station.toml");
const SCENARIO: &str = include_str!("../../../../demo/scenario.toml");
const CAPTURES: &str = include_str!("../../../../demo/captures.csv");
const SEED: u64 = 1;
/// What is written for whoever goes on from there.
pub(crate) const FILES: [&str; 5] = ["station.toml", "scenario.toml", "recording.vcd", "truth.json", "captures.csv"];

/// What the walk mends in the station, and what it puts in its place, the wiring first.
const WIRING: [(&str, &str); 3] = [
    ("common = \"plus\"", "common = \"zero\""),
    ("cable = \"3 m\"", "cable = \"3 m\"\nwiring = { supply = \"3.3 V\" }"),
    ("filter = \"10 us\"", "filter = \"10 us\"\ntied_to_zero = [\"P7\"]"),
];
const TOO_SHORT: &str = "time = \"1 ms\"";
/// The whole line that it stands in.
const SHORT_DEBOUNCE: &str = "debounce = { method = \"stable\", time = \"1 ms\" }";
/// How long the machine runs live, and how late what it prints may be.
const LIVE: Nanos = Nanos(120_000_000_000);
const LATENESS: Nanos = Nanos(100_000_000);
/// How wide pictures are drawn.
const WIDTH: u32 = 100;

/// The ropewalk's recording and what really happened.
struct Walk {
    recording: Vec<u8>,
    truth: TruthFile,
}

impl Walk {
    fn new() -> Result<Self, Failure> {
        let scenario = simulation::parse("scenario.toml", SCENARIO)?;
        let mut simulation = Simulation::new(&scenario, SEED, scenario.duration);
        let mut recording = Vec::new();
        let heading = simulation::heading(&simulation);
        simulation::write_all(&mut simulation, begin((Format::Vcd, None), &heading, &mut recording)?)?;
        Ok(Self { recording, truth: simulation.truth() })
    }

    fn recording(&self) -> Result<Recording, Failure> {
        let bytes = Box::new(Cursor::new(self.recording.clone()));
        Ok(Recording::from_bytes("recording.vcd".to_owned(), bytes, &ReadOptions::default())?)
    }

    fn run(&self, station: &StationFile, truth: bool) -> Result<Outcome, Failure> {
        let wanted = RunOptions { truth: truth.then_some(&self.truth), ..RunOptions::default() };
        replay(station, self.recording()?, &wanted, &mut [])
    }
}

/// Runs the command.
pub(crate) fn run(arguments: &DemoArguments, stop: &Stop, out: &mut Out) -> Result<Completion, Failure> {
    let walk = Walk::new()?;
    match &arguments.into {
        Some(folder) => write_into(folder, &walk, out),
        None if arguments.live => return show_live(&walk, arguments.length, stop, out),
        None if arguments.all => show_all(&walk, out),
        None => show(&walk, out),
    }?;
    Ok(Completion::Fine)
}

/// The machine as a device of its own, on this computer alone, and its station live.
fn show_live(walk: &Walk, length: Option<Nanos>, stop: &Stop, out: &mut Out) -> Result<Completion, Failure> {
    let clock = RunClock::start();
    let machine = LinePrinter::on_loopback(clock).map_err(Failure::Print)?;
    let address = machine.address().map(|address| address.to_string()).unwrap_or_default();
    let link = format!("[link.machine]\nprotocol = \"lines\"\naddress = \"{address}\"\n");
    // Keys stand before tables, and links are tables: so they go to the end.
    let station = StationFile::parse("station.toml".to_owned(), format!("{STATION}\n{link}"))?;
    let names: Vec<String> = station_lines(&station.station).into_iter().map(|line| line.name).collect();
    let recording = walk.recording()?;
    // It plays for as long as the program runs.
    thread::spawn(move || {
        let printed = each_change(recording, &names, &mut |time, name, value| {
            thread::sleep(Duration::from_nanos(time.saturating_sub(clock.now()).0));
            machine.print(time, name, value);
            Ok(ControlFlow::Continue(()))
        });
        drop(printed);
    });
    let length = length.unwrap_or(LIVE);
    let arguments = LiveArguments { length: Some(length), lateness: LATENESS, ..LiveArguments::default() };
    // Some of its expectations fail, as they do in the recording.
    run_live(&station, &arguments, stop, out, None).map(|_| Completion::Fine)
}

/// The point that the short demo is about.
const STOP_BUTTON: &str = "stop_button";

/// The stop button's story on one screen: pressed three times and counted more often, why, the line to change, and the count after it.
fn show(walk: &Walk, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::parse("station.toml".to_owned(), STATION.to_owned())?;
    out.line("A rope-laying machine, recorded for two minutes. Its stop button was pressed three times.")?;
    out.line("\n$ reigen run station.toml recording.vcd --points stop_button")?;
    print_run(walk, &station, &of_stop_button(), out)?;
    out.line("\nWhy are there more counts than presses?\n")?;
    out.line("$ reigen why station.toml recording.vcd stop_button --most 5")?;
    let point = reigen_run::points::number_of(&station.station, STOP_BUTTON)?;
    let asked = WhyArguments { most: 5, ..WhyArguments::default() };
    why::print(&why::why(&station, walk.recording()?, point, &asked)?, out)?;
    let outcome = walk.run(&station, false)?;
    let finding = outcome.findings.iter().find(|finding| finding.subject == STOP_BUTTON);
    let advised = finding.and_then(|finding| remedies(finding).into_iter().next()).unwrap_or_default();
    out.line(format!("\nIts line in the station is {SHORT_DEBOUNCE}: write the advised one there.\n"))?;
    out.line("$ reigen run station.toml recording.vcd --points stop_button")?;
    let station = StationFile::parse("station.toml".to_owned(), mended(STATION, &[(SHORT_DEBOUNCE, &advised)]))?;
    print_run(walk, &station, &of_stop_button(), out)?;
    out.line("\nThe whole work, from the wiring to the report: reigen demo --all")?;
    out.line("The files, to try it yourself:               reigen demo --into ropewalk")
}

fn of_stop_button() -> run::Detail {
    run::Detail { points: vec![STOP_BUTTON.to_owned()], ..run::Detail::default() }
}

/// A run of the recording, as `reigen run station.toml recording.vcd` prints it.
fn print_run(walk: &Walk, station: &StationFile, detail: &run::Detail, out: &mut Out) -> Result<(), Failure> {
    let outcome = walk.run(station, false)?;
    let (file, recordings) = (Path::new("station.toml"), [PathBuf::from("recording.vcd")]);
    let more = CommandPlace::new(&station.station, file, &recordings, &ReadingArguments::default(), outcome.origin);
    run::print(&station.station, &outcome, detail, more.as_ref(), out)
}

fn show_all(walk: &Walk, out: &mut Out) -> Result<(), Failure> {
    out.line("A rope-laying machine winds rope onto spools: push buttons for start and stop, a guard door with a")?;
    out.line("changeover contact, a Hall sensor that sees six magnets on the drum.")?;
    out.line("\nBefore power-on: will it work as it is wired?\n")?;
    out.line("$ reigen check station.toml")?;
    let station = StationFile::parse("station.toml".to_owned(), STATION.to_owned())?;
    check::print(&station, &reigen_station::electrical::check(&station.station), false, false, out)?;
    out.line("\nTie the common of the doors to 0 V, feed the Hall sensor with 3.3 V, and tie the spare pin:\n")?;
    for (from, to) in WIRING {
        out.line(format!("$ sed -i 's/{from}/{}/' station.toml", to.replace('\n', "\\n")))?;
    }
    out.line("$ reigen check station.toml")?;
    let wired = mended(STATION, &WIRING);
    let station = StationFile::parse("station.toml".to_owned(), wired.clone())?;
    check::print(&station, &reigen_station::electrical::check(&station.station), false, false, out)?;
    out.line("\nNow with power on, three more things are wrong. Two minutes are simulated from a scenario, so the truth is known:\n")?;
    out.line("$ reigen simulate scenario.toml -o recording.vcd --truth truth.json")?;
    out.line("\nWhat is on the lines?\n")?;
    out.line("$ reigen survey recording.vcd")?;
    survey::print(&survey::survey(walk.recording()?, Stretch::default(), &[], None)?, out)?;
    show_start_button(walk, &station, out)?;
    out.line("\nWhat should the controller have seen?\n")?;
    out.line("$ reigen run station.toml recording.vcd")?;
    print_run(walk, &station, &run::Detail::default(), out)?;
    out.line("\nThe contacts of the door disagreed, so `guard_disagrees` went on: one of them sticks. Did the")?;
    out.line("rest count right? The truth is known here, so compare:\n")?;
    out.line("$ reigen run station.toml recording.vcd --truth truth.json")?;
    crate::tables::print_judgements(&walk.run(&station, true)?, out)?;
    let stop = measured(walk, "PB_STOP", Contact::NormallyClosed)?;
    let time = stop.stable_time();
    out.line(
        "\nThe stop button is worn and bounces for longer than its debounce of 1 ms; one magnet is too weak to be",
    )?;
    out.line(
        "seen at speed, so its speeds read low; the plug of the capstan loses a pulse; the chain is polled too slowly",
    )?;
    out.line(
        "for one press. Fix the magnet and replace the door switch; the debounce is the one that a survey advises:\n",
    )?;
    out.line(format!("$ sed -i '/stop_button/,/debounce/ s/1 ms/{time}/' station.toml"))?;
    out.line("$ reigen run station.toml recording.vcd --truth truth.json")?;
    let long_enough = format!("time = \"{time}\"");
    let station = StationFile::parse("station.toml".to_owned(), mended(&wired, &[(TOO_SHORT, &long_enough)]))?;
    crate::tables::print_judgements(&walk.run(&station, true)?, out)?;
    out.line("\nCheck the recording against the expectations of the station:\n")?;
    out.line("$ reigen verify station.toml recording.vcd")?;
    verify::show(&station, &|| walk.recording(), out)?;
    out.line("\nThe guard is faulty: its two contacts disagree for longer than 50 ms. Why?\n")?;
    out.line("$ reigen why station.toml recording.vcd guard --at 50s")?;
    let guard = reigen_run::points::number_of(&station.station, "guard")?;
    let asked = WhyArguments { at: Some(50_000_000_000), most: 1, ..WhyArguments::default() };
    why::print(&why::why(&station, walk.recording()?, guard, &asked)?, out)?;
    out.line("\nWhat does the operator see at 100 s?\n")?;
    out.line("$ reigen run station.toml recording.vcd --display-at 100s")?;
    show_panel(walk, &station, out)?;
    out.line("\nTo try it yourself: reigen demo --into ropewalk")
}

/// A button of the walk that closes to ground, measured.
fn measured(walk: &Walk, line: &str, contact: Contact) -> Result<debounce::DebounceReport, Failure> {
    let question =
        debounce::Question { lines: &[line.to_owned()], asserted: Some(Asserted::Low), contact, wish: Wish::default() };
    let none = || Failure::Usage { message: format!("`{line}` was not measured"), help: String::new() };
    debounce::measure(walk.recording()?, Stretch::default(), &question)?.pop().ok_or_else(none)
}

/// The start button: its bounce, the debounce for it, the picture of a press, and the reason for an edge.
fn show_start_button(walk: &Walk, station: &StationFile, out: &mut Out) -> Result<(), Failure> {
    out.line("\nHow does the start button bounce, and is its debounce of 8 ms right?\n")?;
    out.line("$ reigen debounce recording.vcd --lines PB_START --asserted low")?;
    let start = measured(walk, "PB_START", Contact::NormallyOpen)?;
    debounce::print(&start, None, out)?;
    out.line("\nYes, 8 ms is the advice. A press, with the raw line above the clean point:\n")?;
    out.line("$ reigen draw station.toml recording.vcd --points start_button --from 1.495s --to 1.515s")?;
    let (from, to) = (Some(1_495_000_000), Some(1_515_000_000));
    let point = reigen_run::points::number_of(&station.station, "start_button")?;
    let chosen = diagram::DiagramOptions { points: vec![point], from, to, ..diagram::DiagramOptions::default() };
    diagram::print(&diagram::diagram(station, walk.recording()?, &chosen)?, WIDTH, out)?;
    out.line("\nWhy was its second edge rejected?\n")?;
    out.line("$ reigen why station.toml recording.vcd start_button --edge 2")?;
    let asked = WhyArguments { edge: Some(2), most: 1, ..WhyArguments::default() };
    why::print(&why::why(station, walk.recording()?, point, &asked)?, out)
}

/// The displays at 100 s.
fn show_panel(walk: &Walk, station: &StationFile, out: &mut Out) -> Result<(), Failure> {
    let mut displays = DisplayWatch::new(&station.station);
    let wanted = RunOptions { to: Some(100_000_000_000), counted_before: true, ..RunOptions::default() };
    let mut outcome = replay(station, walk.recording()?, &wanted, &mut [&mut displays])?;
    run::show_displays(displays, &mut outcome);
    crate::tables::print_displays(&outcome.displays, out)
}

/// The station with some of its words put right.
fn mended(station: &str, pairs: &[(&str, &str)]) -> String {
    pairs.iter().fold(station.to_owned(), |text, (from, to)| text.replacen(from, to, 1))
}

fn write_into(folder: &Path, walk: &Walk, out: &mut Out) -> Result<(), Failure> {
    let refuse = |source| OutputError::Io { path: folder.to_owned(), source };
    let folders = out.outputs().create_folders(folder).map_err(refuse)?;
    let truth = serde_json::to_vec_pretty(&walk.truth).map_err(std::io::Error::from)?;
    let contents: [&[u8]; FILES.len()] =
        [STATION.as_bytes(), SCENARIO.as_bytes(), &walk.recording, &truth, CAPTURES.as_bytes()];
    let mut finished = Vec::new();
    for (name, bytes) in FILES.into_iter().zip(contents) {
        let mut file = out.outputs().create(&folder.join(name))?;
        file.write_all(bytes).map_err(|error| file.explain(error))?;
        finished.push(file.finish()?);
    }
    put_in_place(finished)?;
    folders.keep();
    let shown = folder.display();
    out.line(format!(
        "Written into {shown}: station.toml, scenario.toml, recording.vcd, truth.json, captures.csv.\nGo on with:\n"
    ))?;
    out.line(format!("  reigen check {shown}/station.toml"))?;
    out.line(format!("  reigen run {shown}/station.toml {shown}/recording.vcd"))
}
