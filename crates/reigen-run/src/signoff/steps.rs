//! Which points are tried, in which order: as the list of wires goes, and what is in no list as the station file goes.

use super::input::InputStep;
use reigen_core::time::Nanos;
use reigen_station::electrical::check;
use reigen_station::station::{Point, Station};
use std::collections::HashMap;

/// A point to try.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Its number in the station, and its name.
    pub number: usize,
    /// Its name.
    pub point: String,
    /// Where it is wired, for people.
    pub place: String,
    /// What is tried.
    pub what: Trial,
}

/// What is tried at a point.
#[derive(Debug, Clone, PartialEq)]
pub enum Trial {
    /// It is actuated once.
    Input(InputStep),
    /// It is turned forward, once around.
    Encoder,
    /// It is given two values.
    Analog {
        /// The unit of its readings.
        unit: String,
        /// The least and the most that is valid.
        range: Option<[f64; 2]>,
    },
    /// It is switched on and off.
    Output,
}

impl Trial {
    /// Its word.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Input(_) => "input",
            Self::Encoder => "encoder",
            Self::Analog { .. } => "analog",
            Self::Output => "output",
        }
    }
}

/// All points to try; `lines` are the names of the lines of two levels.
pub fn steps(station: &Station, lines: &[String]) -> Vec<Step> {
    let mut order: HashMap<&str, usize> = HashMap::new();
    let wires = check(station).wires;
    for (place, point) in wires.iter().flat_map(|wire| &wire.points).enumerate() {
        if let Some(point) = station.points.iter().find(|known| known.name == *point) {
            order.entry(&point.name).or_insert(place);
        }
    }
    let step = |(number, point): (usize, &Point)| {
        let what = trial(point, lines)?;
        Some(Step { number, point: point.name.clone(), place: place(point), what })
    };
    let mut steps: Vec<Step> = station.points.iter().enumerate().filter_map(step).collect();
    steps.sort_by_key(|step| order.get(step.point.as_str()).copied().unwrap_or(usize::MAX));
    steps
}

fn trial(point: &Point, lines: &[String]) -> Option<Trial> {
    let kind = &point.kind;
    if kind.is_settable() {
        return Some(Trial::Output);
    }
    if kind.encoder().is_some() {
        return Some(Trial::Encoder);
    }
    if let (Some(input), Some(line)) = (kind.input(), kind.line()) {
        let line = lines.iter().position(|known| *known == line.name)?;
        let times = input.debounce.times();
        let debounce = times.map_or(Nanos(0), |times| times.on.max(times.off));
        return Some(Trial::Input(InputStep { line, on_while_high: input.on_while_high, debounce }));
    }
    // What comes as a number and is scaled; a running count is tried by what moves it.
    kind.number_line()?;
    let unit = kind.unit()?.to_owned();
    (!kind.is_register()).then(|| Trial::Analog { unit, range: kind.valid() })
}

/// Its lines, its terminal and its address.
fn place(point: &Point) -> String {
    let lines = point.kind.lines().into_iter().chain(point.kind.number_lines()).map(|line| line.name.clone());
    let terminal =
        point.kind.wired().and_then(|wired| wired.terminal.as_ref()).map(|terminal| terminal.get_ref().clone());
    let parts: Vec<String> = lines.chain(terminal).chain(point.described.address.clone()).collect();
    parts.join(", ")
}
