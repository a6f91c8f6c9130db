//! `reigen simulate`: a recording with known truth.

use crate::cli::SimulateArguments;
use crate::failure::Failure;
use crate::overwrite::refuse_overwriting;
use crate::print::Out;
use crate::replay::read_text;
use reigen_core::simulate::Simulation;
use reigen_core::simulate::scenario::{self, Scenario};
use reigen_core::time::Nanos;
use reigen_io::output_file::OutputFile;
use reigen_io::simulated::{Format, write};
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &SimulateArguments, out: &mut Out) -> Result<(), Failure> {
    let name = arguments.scenario.display().to_string();
    let source = read_text(&arguments.scenario, "the argument is the scenario file")?;
    let scenario = parse(&name, &source)?;
    let end = arguments.length.unwrap_or(scenario.duration);
    if end == Nanos(0) {
        return Err(Failure::Usage {
            message: "a recording of no length has nothing in it".to_owned(),
            help: "give it a length: --for 10s, or duration = \"10 s\" in the scenario".to_owned(),
        });
    }
    refuse_overwriting(&[Some(&arguments.output), arguments.truth.as_deref()], &[&arguments.scenario])?;
    let to_pipe = arguments.output == Path::new("-");
    let format = if to_pipe { Format::Vcd } else { Format::of(&arguments.output)? };
    let truth = arguments.truth.as_deref().map(OutputFile::create).transpose()?;
    let mut simulation = Simulation::new(&scenario, arguments.seed, end);
    if to_pipe {
        write(&mut simulation, format, out.writer())?;
    } else {
        let mut file = OutputFile::create(&arguments.output)?;
        write(&mut simulation, format, &mut file).map_err(|error| file.explain(error))?;
        file.finish()?;
    }
    if let Some(mut file) = truth {
        let told = serde_json::to_writer_pretty(&mut file, &simulation.truth());
        told.map_err(|error| file.explain(error.into()))?;
        file.finish()?;
    }
    Ok(())
}

/// Reads a scenario's text.
pub(crate) fn parse(name: &str, source: &str) -> Result<Scenario, Failure> {
    scenario::parse(source).map_err(|errors| Failure::Station {
        file: name.to_owned(),
        source: source.to_owned(),
        errors,
    })
}
