//! `reigen simulate`: a recording with known truth.

use crate::cli::SimulateArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::simulation::{heading, parse, write_all};
use reigen_core::time::Nanos;
use reigen_io::output_file::put_in_place;
use reigen_io::small_file::TextKind;
use reigen_io::write::{Format, begin_file};
use reigen_run::station_file::read_text;
use reigen_station::simulate::Simulation;

/// Runs the command.
pub(crate) fn run(arguments: &SimulateArguments, out: &Out) -> Result<(), Failure> {
    let name = arguments.scenario.display().to_string();
    let source = read_text(&arguments.scenario, TextKind::Toml, "the argument must be a scenario file")?;
    let scenario = parse(&name, &source)?;
    let end = arguments.length.unwrap_or(scenario.duration);
    if end == Nanos(0) {
        return Err(Failure::Usage {
            message: "the length of a recording must be above zero".to_owned(),
            help: "set its length: --for 10s, or duration = \"10 s\" in the scenario".to_owned(),
        });
    }
    let format = Format::of_output(&arguments.output, Format::Vcd)?;
    let truth = arguments.truth.as_deref().map(|path| out.outputs().create(path)).transpose()?;
    let mut simulation = Simulation::new(&scenario, arguments.seed, end);
    let heading = heading(&simulation);
    let mut file = out.outputs().create(&arguments.output)?;
    let written = write_all(&mut simulation, begin_file(&mut file, format, &heading)?);
    written.map_err(|error| file.explain(error))?;
    let mut finished = vec![file.finish()?];
    if let Some(mut file) = truth {
        let told = serde_json::to_writer_pretty(&mut file, &simulation.truth());
        told.map_err(|error| file.explain(error.into()))?;
        finished.push(file.finish()?);
    }
    Ok(put_in_place(finished)?)
}
