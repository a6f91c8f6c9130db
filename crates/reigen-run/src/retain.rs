//! What points keep from one live run to the next: what of it fits a station that may have changed since.

use crate::station_file::StationFile;
use reigen_core::engine::Retained;
use reigen_core::finding::Finding;
use reigen_station::station::{Station, meaning_of};

/// What a point kept, and the settings that it had then.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptState {
    /// The point.
    pub point: String,
    /// Its settings, as [`settings_of`] told them.
    pub settings: String,
    /// What it kept.
    pub state: Retained,
    /// Whether the last run had it; else one before that.
    pub is_of_last_run: bool,
}

/// The settings that give the state of a point its meaning, as text that is compared.
pub fn settings_of(file: &StationFile, point: usize) -> String {
    let name = file.station.points.get(point).map(|point| point.name.as_str()).unwrap_or_default();
    meaning_of(&file.source, name)
}

/// What of the past fits a station, and what does not.
#[derive(Debug, Default)]
pub struct Fitting {
    /// What each point begins from, by its name.
    pub resumed: Vec<(String, Retained)>,
    /// What was dropped.
    pub findings: Vec<Finding>,
}

/// Sorts what was kept into what a station goes on from, and what it drops.
pub fn fitting(file: &StationFile, kept: Vec<KeptState>) -> Fitting {
    let mut fitting = Fitting::default();
    let wanted = file.station.retained();
    let number = |name: &str| file.station.points.iter().position(|known| known.name == name);
    let mut others = Vec::new();
    for kept in kept {
        match number(&kept.point).filter(|number| wanted.contains(number)) {
            Some(number) if settings_of(file, number) == kept.settings => {
                fitting.resumed.push((kept.point, kept.state));
            }
            _ => others.push(kept),
        }
    }
    // What an earlier run had and the last had not is no news.
    for KeptState { point, state, .. } in others.into_iter().filter(|kept| kept.is_of_last_run) {
        if fitting.resumed.iter().any(|(resumed, _)| *resumed == point) {
            continue;
        }
        let why = match number(&point) {
            None => "the station has it no more",
            Some(number) if !wanted.contains(&number) => "it is not set to retain any more",
            Some(_) => "its settings are others now",
        };
        fitting.findings.push(dropped(&point, &state, why));
    }
    fitting
}

/// A point that does not go on from what it kept.
pub(crate) fn dropped(point: &str, state: &Retained, why: &str) -> Finding {
    let message = format!("it {} when the last run ended, and begins anew: {why}", in_words(state));
    let remedy = match state {
        Retained::Counter(_) => {
            "to go on from there, run the station with the settings that it had: the history still has the count"
        }
        _ => {
            "check that the machine is where the point says it is; with the settings that it had it goes on from there"
        }
    };
    Finding::warning("state-dropped", point, message, remedy)
}

/// What a point was, after its name.
fn in_words(state: &Retained) -> String {
    match state {
        Retained::Counter(counter) => format!("was at {}", counter.value),
        Retained::Encoder(encoder) => format!("was at {} counts", encoder.position),
        Retained::Latch(on) | Retained::Toggle(on) => format!("was {}", if *on { "on" } else { "off" }),
        Retained::Timer(timer) => format!("was {}", if timer.on { "on" } else { "off" }),
        Retained::Register(register) => format!("had counted {}", register.count),
    }
}

/// The points of a station that go on from what a source tells, by their numbers.
pub(crate) fn numbered(station: &Station, resumed: &[(String, Retained)]) -> Vec<(usize, Retained)> {
    let wanted = station.retained();
    let number = |name: &str| wanted.iter().copied().find(|number| is_named(station, *number, name));
    resumed.iter().filter_map(|(name, state)| Some((number(name)?, state.clone()))).collect()
}

fn is_named(station: &Station, number: usize, name: &str) -> bool {
    station.points.get(number).is_some_and(|point| point.name == name)
}
