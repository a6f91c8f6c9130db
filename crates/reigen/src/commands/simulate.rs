//! `reigen simulate`: a recording with known truth.

use crate::cli::SimulateArguments;
use crate::failure::Failure;
use crate::replay::read_text;
use reigen_core::simulate::scenario::{self, Scenario};
use reigen_core::simulate::{Change, Simulation, Value};
use reigen_core::time::{Nanos, Origin};
use reigen_io::output_file::{OutputFile, put_in_place};
use reigen_io::small_file::Wanted;
use reigen_io::write::{Changes, Format, Heading, Line, begin_file};
use std::io;

/// Runs the command.
pub(crate) fn run(arguments: &SimulateArguments) -> Result<(), Failure> {
    let name = arguments.scenario.display().to_string();
    let source = read_text(&arguments.scenario, Wanted::Toml, "the argument is the scenario file")?;
    let scenario = parse(&name, &source)?;
    let end = arguments.length.unwrap_or(scenario.duration);
    if end == Nanos(0) {
        return Err(Failure::Usage {
            message: "a recording of no length has nothing in it".to_owned(),
            help: "give it a length: --for 10s, or duration = \"10 s\" in the scenario".to_owned(),
        });
    }
    let format = Format::of_output(&arguments.output, Format::Vcd)?;
    let truth = arguments.truth.as_deref().map(OutputFile::create).transpose()?;
    let mut simulation = Simulation::new(&scenario, arguments.seed, end);
    let heading = heading(&simulation);
    let mut file = OutputFile::create(&arguments.output)?;
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

/// The lines of a simulation, which begins at 0.
pub(crate) fn heading(simulation: &Simulation) -> Heading {
    let line = |(name, value): (&String, &Value)| Line {
        name: name.clone(),
        aliases: Vec::new(),
        number: matches!(value, Value::Number(_)),
    };
    let lines = simulation.names().iter().zip(simulation.start()).map(line).collect();
    Heading { lines, scope: Some("scenario"), origin: Origin(0), step: Nanos(0) }
}

/// Writes all changes of a simulation, the values that lines begin with first.
pub(crate) fn write_all(simulation: &mut Simulation, mut out: Box<dyn Changes + '_>) -> io::Result<()> {
    for (line, value) in simulation.start().to_vec().into_iter().enumerate() {
        out.take(Change { time: Nanos(0), line, value })?;
    }
    for change in simulation.by_ref() {
        out.take(change)?;
    }
    out.finish(simulation.end())
}

/// Reads a scenario's text.
pub(crate) fn parse(name: &str, source: &str) -> Result<Scenario, Failure> {
    scenario::parse(source).map_err(|errors| Failure::Station {
        file: name.to_owned(),
        source: source.to_owned(),
        errors,
    })
}
