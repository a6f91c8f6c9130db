//! `reigen demo`: the work shown on an example that ships inside the program.

use crate::cli::DemoArguments;
use crate::commands::{run, simulate};
use crate::failure::Failure;
use crate::print::Out;
use crate::replay::{Outcome, StationFile, Wanted, replay};
use reigen_core::simulate::Simulation;
use reigen_core::simulate::truth::TruthFile;
use reigen_io::options::ReadOptions;
use reigen_io::output_file::{OutputError, OutputFile};
use reigen_io::recording::Recording;
use reigen_io::simulated::{Format, write};
use std::io::{Cursor, Write};
use std::path::Path;

const STATION: &str = include_str!("../../../../demo/station.toml");
const SCENARIO: &str = include_str!("../../../../demo/scenario.toml");
const SEED: u64 = 1;

/// The line of the station that the walk mends, and what it puts in its place.
const TOO_SHORT: &str = "debounce = { method = \"stable\", time = \"1 ms\" }";
const LONG_ENOUGH: &str = "debounce = { method = \"stable\", time = \"25 ms\" }";

/// The ropewalk's recording and what really happened.
struct Walk {
    recording: Vec<u8>,
    truth: TruthFile,
}

impl Walk {
    fn new() -> Result<Self, Failure> {
        let scenario = simulate::parse("scenario.toml", SCENARIO)?;
        let mut simulation = Simulation::new(&scenario, SEED, scenario.duration);
        let mut recording = Vec::new();
        write(&mut simulation, Format::Vcd, &mut recording)?;
        Ok(Self { recording, truth: simulation.truth() })
    }

    fn run(&self, station: &StationFile, truth: bool) -> Result<Outcome, Failure> {
        let bytes = Box::new(Cursor::new(self.recording.clone()));
        let recording = Recording::from_bytes("recording.vcd".to_owned(), bytes, &ReadOptions::default())?;
        let wanted = Wanted { truth: truth.then_some(&self.truth), ..Wanted::default() };
        replay(station, recording, &wanted)
    }
}

/// Runs the command.
pub(crate) fn run(arguments: &DemoArguments, out: &mut Out) -> Result<(), Failure> {
    let walk = Walk::new()?;
    match &arguments.into {
        Some(folder) => write_into(folder, &walk, out),
        None => show(&walk, out),
    }
}

fn show(walk: &Walk, out: &mut Out) -> Result<(), Failure> {
    out.line("A ropewalk lays rope and winds it onto spools: push buttons for start and stop, a guard door with a")?;
    out.line("changeover contact, a Hall sensor that sees six magnets on the drum. Three things are wrong with it.")?;
    out.line("\nFirst two minutes of it, made by a scenario, so that the truth is known:\n")?;
    out.line("$ reigen simulate scenario.toml -o recording.vcd --truth truth.json")?;
    out.line("\nWhat should the controller have seen?\n")?;
    out.line("$ reigen run station.toml recording.vcd")?;
    let station = StationFile::parse("station.toml".to_owned(), STATION.to_owned())?;
    run::print(&station, &walk.run(&station, false)?, false, out)?;
    out.line("\nThe door's two sides disagreed, so `guard_disagrees` went on: one of them sticks. But did the")?;
    out.line("rest count right? The truth is known here, so it can be asked:\n")?;
    out.line("$ reigen run station.toml recording.vcd --truth truth.json")?;
    crate::tables::print_judgements(&walk.run(&station, true)?, out)?;
    out.line(
        "\nThe stop button is worn and bounces for longer than its debounce of 1 ms; one magnet is too weak to be",
    )?;
    out.line("seen at speed. The magnet wants glue and the door switch a new spring; the debounce is mended here:\n")?;
    out.line("$ sed -i '/stop_button/,/debounce/ s/1 ms/25 ms/' station.toml")?;
    out.line("$ reigen run station.toml recording.vcd --truth truth.json")?;
    let mended = StationFile::parse("station.toml".to_owned(), STATION.replacen(TOO_SHORT, LONG_ENOUGH, 1))?;
    crate::tables::print_judgements(&walk.run(&mended, true)?, out)?;
    out.line("\nTo try it yourself: reigen demo --into ropewalk")
}

fn write_into(folder: &Path, walk: &Walk, out: &mut Out) -> Result<(), Failure> {
    let refuse = |source| OutputError::Io { path: folder.to_owned(), source };
    std::fs::create_dir_all(folder).map_err(refuse)?;
    let truth = serde_json::to_vec_pretty(&walk.truth).map_err(std::io::Error::from)?;
    let files: [(&str, &[u8]); 4] = [
        ("station.toml", STATION.as_bytes()),
        ("scenario.toml", SCENARIO.as_bytes()),
        ("recording.vcd", &walk.recording),
        ("truth.json", &truth),
    ];
    for (name, _) in files {
        let path = folder.join(name);
        if path.exists() {
            return Err(Failure::Usage {
                message: format!("{} is there already", path.display()),
                help: "name a new folder, or move the file away".to_owned(),
            });
        }
    }
    for (name, bytes) in files {
        let mut file = OutputFile::create(&folder.join(name))?;
        file.write_all(bytes).map_err(|error| file.explain(error))?;
        file.finish()?;
    }
    let shown = folder.display();
    out.line(format!("Written into {shown}: station.toml, scenario.toml, recording.vcd, truth.json. Go on with:\n"))?;
    out.line(format!("  reigen run {shown}/station.toml {shown}/recording.vcd"))
}
