//! The scenario file: which sources there are, what they do, and what is wrong with their wires.

mod check;
mod tables;

use super::profile::Profile;
use crate::station::{StationError, translate};
use crate::table::finite::not_finite;
use check::Check;
use indexmap::IndexMap;
use reigen_core::time::Nanos;

/// A checked scenario.
#[derive(Debug)]
pub struct Scenario {
    /// What people call it.
    pub title: Option<String>,
    /// How long a recording of it is, if nobody says otherwise.
    pub duration: Nanos,
    pub(in crate::simulate) sources: Vec<(String, Kind)>,
    pub(in crate::simulate) wires: Vec<(String, Wire)>,
    shafts: IndexMap<String, Profile>,
}

/// What a source is.
#[derive(Debug)]
pub(in crate::simulate) enum Kind {
    Contact(Contact),
    Changeover(Changeover),
    Wheel(Wheel),
    Encoder(Encoder),
    Chain(Chain),
    Echo(Echo),
    Analog(Analog),
    Floating(Floating),
    Register(Register),
    Port(Port),
    SetValue(SetValue),
}

/// When something is actuated, in nanoseconds.
#[derive(Debug, Clone)]
pub(in crate::simulate) enum PressTimes {
    Given(Vec<(u64, u64)>),
    Random { every: u64, hold: u64 },
}

/// How a contact bounces when it is made, or broken.
#[derive(Debug, Clone, Copy)]
pub(in crate::simulate) struct Bounce {
    pub(in crate::simulate) least: u64,
    pub(in crate::simulate) most: u64,
    pub(in crate::simulate) within: u64,
    pub(in crate::simulate) rings: bool,
}

#[derive(Debug, Clone, Copy)]
pub(in crate::simulate) struct Bounces {
    pub(in crate::simulate) closing: Bounce,
    pub(in crate::simulate) opening: Bounce,
}

#[derive(Debug, Clone)]
pub(in crate::simulate) struct Contact {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) rest_level: bool,
    pub(in crate::simulate) presses: PressTimes,
    pub(in crate::simulate) bounces: Bounces,
}

#[derive(Debug, Clone)]
pub(in crate::simulate) struct Changeover {
    pub(in crate::simulate) no: String,
    pub(in crate::simulate) nc: String,
    pub(in crate::simulate) closed_level: bool,
    pub(in crate::simulate) presses: PressTimes,
    pub(in crate::simulate) bounces: Bounces,
    pub(in crate::simulate) transit: u64,
}

#[derive(Debug, Clone)]
pub(in crate::simulate) struct Wheel {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) shaft: String,
    pub(in crate::simulate) marks: usize,
    pub(in crate::simulate) width: f64,
    pub(in crate::simulate) seen_level: bool,
    pub(in crate::simulate) uneven: f64,
    pub(in crate::simulate) runout: f64,
    pub(in crate::simulate) weak: Option<Weak>,
}

/// A mark that is not seen above a speed.
#[derive(Debug, Clone, Copy)]
pub(in crate::simulate) struct Weak {
    pub(in crate::simulate) mark: usize,
    pub(in crate::simulate) above_rpm: f64,
}

#[derive(Debug, Clone)]
pub(in crate::simulate) struct Encoder {
    pub(in crate::simulate) a: String,
    pub(in crate::simulate) b: String,
    pub(in crate::simulate) index: Option<String>,
    pub(in crate::simulate) shaft: String,
    pub(in crate::simulate) pulses_per_rev: usize,
    pub(in crate::simulate) phase_error_degrees: f64,
    pub(in crate::simulate) duty: f64,
    pub(in crate::simulate) lost: Vec<u64>,
    /// The mean time between two trembles at standstill.
    pub(in crate::simulate) dither: Option<u64>,
}

#[derive(Debug, Clone)]
pub(in crate::simulate) struct Floating {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) half_wave: u64,
}

#[derive(Debug, Clone)]
pub(in crate::simulate) struct Wire {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) glitches_every: Option<u64>,
    pub(in crate::simulate) glitch: u64,
    pub(in crate::simulate) stuck: Vec<(u64, u64)>,
    pub(in crate::simulate) crosstalk: Option<Crosstalk>,
}

#[derive(Debug, Clone)]
pub(in crate::simulate) struct Crosstalk {
    pub(in crate::simulate) from: String,
    pub(in crate::simulate) chance: f64,
}

/// Switches behind a chain of shift registers.
#[derive(Debug, Clone)]
pub(in crate::simulate) struct Chain {
    pub(in crate::simulate) load: String,
    pub(in crate::simulate) clock: String,
    pub(in crate::simulate) data: String,
    /// The points from D0 of the nearest chip on; an empty name is an unused input.
    pub(in crate::simulate) points: Vec<String>,
    /// The level of a switch that is on.
    pub(in crate::simulate) on_level: bool,
    pub(in crate::simulate) period: u64,
    pub(in crate::simulate) clock_period: u64,
    /// For each point when it is on.
    pub(in crate::simulate) presses: Vec<PressTimes>,
}

/// A distance measured by the time of an echo.
#[derive(Debug, Clone)]
pub(in crate::simulate) struct Echo {
    pub(in crate::simulate) trigger: String,
    pub(in crate::simulate) echo: String,
    pub(in crate::simulate) every: u64,
    /// Metres over time.
    pub(in crate::simulate) distance: Profile,
    pub(in crate::simulate) metres_per_second: f64,
    /// The probability that an echo is lost.
    pub(in crate::simulate) lost: f64,
}

/// A number that a sensor gives.
#[derive(Debug, Clone)]
pub(in crate::simulate) struct Analog {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) every: u64,
    pub(in crate::simulate) value: Profile,
    /// The deviation of the noise.
    pub(in crate::simulate) noise: f64,
    pub(in crate::simulate) hum: f64,
    pub(in crate::simulate) hum_hz: f64,
    pub(in crate::simulate) clip: Option<(f64, f64)>,
    /// Stretches with a broken wire, and what it reads then.
    pub(in crate::simulate) broken: Vec<(u64, u64, f64)>,
}

/// A running count of a shaft that is polled.
#[derive(Debug, Clone)]
pub(in crate::simulate) struct Register {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) shaft: String,
    pub(in crate::simulate) pulses_per_rev: usize,
    pub(in crate::simulate) every: u64,
    pub(in crate::simulate) bits: u32,
    pub(in crate::simulate) start: u64,
    /// When the device begins anew, ascending.
    pub(in crate::simulate) restarts: Vec<u64>,
}

/// Switches on the bits of a number.
#[derive(Debug, Clone)]
pub(in crate::simulate) struct Port {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) every: u64,
    /// The points from bit 0 on, and when each is on.
    pub(in crate::simulate) points: Vec<String>,
    pub(in crate::simulate) presses: Vec<Vec<(u64, u64)>>,
}

/// A number that is set.
#[derive(Debug, Clone)]
pub(in crate::simulate) struct SetValue {
    pub(in crate::simulate) line: String,
    pub(in crate::simulate) from: f64,
    pub(in crate::simulate) steps: Vec<(u64, f64)>,
}

/// The form of a scenario file as JSON Schema (draft 2020-12), by which editors complete and check it.
pub fn schema() -> schemars::Schema {
    schemars::schema_for!(tables::File)
}

/// Reads a scenario file.
///
/// # Errors
/// Everything that is wrong with it, in the order of the file; one error alone where the text is no TOML or
/// a table is not of its kind.
pub fn parse(source: &str) -> Result<Scenario, Vec<StationError>> {
    let file: tables::File = crate::table::reader::read(source).map_err(|error| vec![translate(&error, source)])?;
    let mut check = Check::default();
    let scenario = check.scenario(file);
    if check.errors.is_empty() {
        check.errors = not_finite(source);
    }
    check.errors.sort_by_key(|error| error.span.start);
    if check.errors.is_empty() { Ok(scenario) } else { Err(check.errors) }
}

impl Scenario {
    /// The speed of a shaft over time; standing still where there is none of that name.
    pub(in crate::simulate) fn shaft(&self, name: &str) -> Profile {
        self.shafts.get(name).cloned().unwrap_or(Profile { from: 0.0, pieces: Vec::new() })
    }
}
