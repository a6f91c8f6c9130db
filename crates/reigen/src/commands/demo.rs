//! `reigen demo`: the work shown on an example that ships inside the program.

use crate::cli::DemoArguments;
use crate::commands::run;
use crate::failure::Failure;
use crate::print::Out;
use crate::replay::{StationFile, Wanted, replay};
use reigen_io::options::ReadOptions;
use reigen_io::output_file::{OutputError, OutputFile};
use reigen_io::recording::Recording;
use std::io::{Cursor, Write};
use std::path::Path;

const STATION: &str = include_str!("../../../../demo/station.toml");
const RECORDING: &str = include_str!("../../../../demo/recording.vcd");

/// Runs the command.
pub(crate) fn run(arguments: &DemoArguments, out: &mut Out) -> Result<(), Failure> {
    if let Some(folder) = &arguments.into {
        return write_into(folder, out);
    }
    out.line("A ropewalk lays rope and winds it onto spools. A bouncing push button starts it; a Hall sensor")?;
    out.line("sees six magnets on the drum. What should the controller have seen?\n")?;
    out.line("$ cat station.toml")?;
    out.line(STATION)?;
    out.line("$ reigen run station.toml recording.vcd")?;
    let station = StationFile::parse("station.toml".to_owned(), STATION.to_owned())?;
    let bytes = Box::new(Cursor::new(RECORDING.as_bytes()));
    let recording = Recording::from_bytes("recording.vcd".to_owned(), bytes, &ReadOptions::default())?;
    let outcome = replay(&station, recording, &Wanted::default())?;
    run::print(&station, &outcome, false, out)?;
    out.line("\nTo try it yourself: reigen demo --into ropewalk")
}

fn write_into(folder: &Path, out: &mut Out) -> Result<(), Failure> {
    let refuse = |source| OutputError::Io { path: folder.to_owned(), source };
    std::fs::create_dir_all(folder).map_err(refuse)?;
    let files = [("station.toml", STATION), ("recording.vcd", RECORDING)];
    for (name, _) in files {
        let path = folder.join(name);
        if path.exists() {
            return Err(Failure::Usage {
                message: format!("{} is there already", path.display()),
                help: "name a new folder, or move the file away".to_owned(),
            });
        }
    }
    for (name, text) in files {
        let mut file = OutputFile::create(&folder.join(name))?;
        file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
        file.finish()?;
    }
    let shown = folder.display();
    out.line(format!("Written: {shown}/station.toml and {shown}/recording.vcd. Go on with:\n"))?;
    out.line(format!("  reigen run {shown}/station.toml {shown}/recording.vcd"))
}
