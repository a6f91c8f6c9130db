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
    for KeptState { point, settings, state, is_of_last_run } in kept {
        let number = file.station.points.iter().position(|known| known.name == point);
        let why = match number {
            // What an earlier run had and the last had not is no news.
            None if !is_of_last_run => continue,
            Some(number) if !wanted.contains(&number) && !is_of_last_run => continue,
            None => Some("the station has it no more"),
            Some(number) if !wanted.contains(&number) => Some("it is not set to retain any more"),
            Some(number) if settings_of(file, number) != settings => Some("its settings are others now"),
            Some(_) => None,
        };
        match why {
            Some(why) => fitting.findings.push(dropped(&point, &state, why)),
            None => fitting.resumed.push((point, state)),
        }
    }
    fitting
}

/// A point that does not go on from what it kept.
pub(crate) fn dropped(point: &str, state: &Retained, why: &str) -> Finding {
    let message = format!("it {} when the last run ended, and begins anew: {why}", in_words(state));
    let remedy = match state {
        Retained::Counter(_) => {
            "if the count must go on, set `start` to it for one run, or run the station as it was; the history still has it"
        }
        _ => "check that the machine is where the point says; the history still has what it was",
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
