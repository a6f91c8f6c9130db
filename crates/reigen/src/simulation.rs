//! A scenario simulated, and its lines written.

use crate::failure::Failure;
use reigen_core::time::{Nanos, Origin};
use reigen_io::write::{Changes, Heading, Line};
use reigen_station::simulate::scenario::{self, Scenario};
use reigen_station::simulate::{Change, Simulation, Value};
use std::io;

/// The lines of a simulation, which begins at 0.
pub(crate) fn heading(simulation: &Simulation) -> Heading {
    let line = |(name, value): (&String, &Value)| Line {
        name: name.clone(),
        aliases: Vec::new(),
        number: matches!(value, Value::Number(_)),
        step: None,
    };
    let lines = simulation.names().iter().zip(simulation.start()).map(line).collect();
    Heading { lines, scope: Some("scenario"), origin: Origin(0), step: Nanos(0), resumed: Vec::new() }
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
