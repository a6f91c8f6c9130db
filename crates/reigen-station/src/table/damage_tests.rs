//! Files with mistakes in them: whatever is typed, the answer is a station or errors with a place, and never a panic.

use crate::electrical::check;
use crate::simulate::scenario;
use crate::station::{self, plan::compile};
use crate::table::StationError;
use proptest::prelude::*;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::time::Nanos;

const STATION: &str = include_str!("../../../../demo/station.toml");
const SCENARIO: &str = include_str!("../../../../demo/scenario.toml");

/// A mistake that a person makes in a file.
#[derive(Debug, Clone)]
enum Damage {
    /// A line is left out.
    Omit(usize),
    /// A line is there twice.
    Double(usize),
    /// Two lines change places.
    Swap(usize, usize),
    /// A character is another one.
    Type(usize, char),
    /// The text ends early.
    Cut(usize),
    /// A value is that of another line.
    Value(usize, usize),
}

fn damage() -> impl Strategy<Value = Damage> {
    let place = any::<usize>;
    let typed = prop_oneof![
        Just('"'),
        Just('\''),
        Just('='),
        Just('['),
        Just('}'),
        Just('#'),
        Just('\n'),
        Just('-'),
        Just('9'),
        Just('µ'),
        Just('\u{0}'),
        any::<char>(),
    ];
    prop_oneof![
        place().prop_map(Damage::Omit),
        place().prop_map(Damage::Double),
        (place(), place()).prop_map(|(one, other)| Damage::Swap(one, other)),
        (place(), typed).prop_map(|(at, typed)| Damage::Type(at, typed)),
        place().prop_map(Damage::Cut),
        (place(), place()).prop_map(|(one, other)| Damage::Value(one, other)),
    ]
}

impl Damage {
    fn apply(&self, text: &str) -> String {
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let count = lines.len().max(1);
        lines.resize(count, String::new());
        let letters: Vec<char> = text.chars().collect();
        match *self {
            Damage::Omit(line) => drop(lines.remove(line % count)),
            Damage::Double(line) => lines.insert(line % count, lines[line % count].clone()),
            Damage::Swap(one, other) => lines.swap(one % count, other % count),
            Damage::Type(at, typed) => {
                let mut letters = letters;
                if let Some(place) = at.checked_rem(letters.len()) {
                    letters[place] = typed;
                }
                return letters.into_iter().collect();
            }
            Damage::Cut(at) => return letters.iter().take(at % (letters.len() + 1)).collect(),
            Damage::Value(one, other) => {
                let value = lines[other % count].split_once('=').map(|(_, value)| value.to_owned());
                let line = &mut lines[one % count];
                if let Some((key, value)) = line.split_once('=').zip(value).map(|((key, _), value)| (key, value)) {
                    *line = format!("{key}={value}");
                }
            }
        }
        lines.join("\n")
    }
}

/// Each error has a place within the text, between whole letters, and says something.
fn holds(errors: &[StationError], source: &str) -> Result<(), TestCaseError> {
    prop_assert!(!errors.is_empty());
    for error in errors {
        prop_assert!(source.get(error.span.clone()).is_some(), "{error:?} has no place in {} bytes", source.len());
        let said = error.to_string();
        prop_assert!(!said.is_empty() && said.len() < 2_000 && !said.contains('\0'), "{said}");
    }
    Ok(())
}

/// The lines that the station's file names, all of two levels.
fn recorded() -> Vec<RecordedLine> {
    let scenario = scenario::parse(SCENARIO).unwrap();
    let simulation = crate::simulate::Simulation::new(&scenario, 1, scenario.duration);
    let line = |(signal, name): (usize, &String)| RecordedLine {
        name: name.clone(),
        signal,
        kind: LineKind::Level,
        step: None,
    };
    simulation.names().iter().enumerate().map(line).collect()
}

proptest! {
    #[test]
    fn a_damaged_station_is_a_station_or_has_errors_with_places(damages in prop::collection::vec(damage(), 1..4)) {
        let source = damages.iter().fold(STATION.to_owned(), |text, damage| damage.apply(&text));
        match station::parse(&source) {
            Err(errors) => holds(&errors, &source)?,
            Ok(station) => {
                check(&station);
                match compile(&station, &recorded(), Nanos(1)) {
                    Ok(plan) => drop(plan.program.start().summaries(Nanos(0))),
                    Err(errors) => holds(&errors, &source)?,
                }
            }
        }
    }

    #[test]
    fn a_damaged_scenario_is_a_scenario_or_has_errors_with_places(damages in prop::collection::vec(damage(), 1..4)) {
        let source = damages.iter().fold(SCENARIO.to_owned(), |text, damage| damage.apply(&text));
        match scenario::parse(&source) {
            Err(errors) => holds(&errors, &source)?,
            Ok(scenario) => {
                let mut simulation = crate::simulate::Simulation::new(&scenario, 1, Nanos(1_000_000_000));
                let times: Vec<Nanos> = simulation.by_ref().take(2_000).map(|change| change.time).collect();
                prop_assert!(times.is_sorted());
            }
        }
    }

    #[test]
    fn comments_blank_lines_and_line_ends_mean_nothing(places in prop::collection::vec(any::<usize>(), 1..9), windows in any::<bool>()) {
        let mut lines: Vec<&str> = STATION.lines().collect();
        for place in places {
            let at = place % lines.len();
            lines.insert(at, ["", "# 9 = [", "\t"][place % 3]);
        }
        let source = lines.join(if windows { "\r\n" } else { "\n" });
        let programs = [STATION, &source].map(|text| {
            let station = station::parse(text).unwrap();
            compile(&station, &numbers_too(), Nanos(1)).unwrap().program
        });
        prop_assert_eq!(&programs[0], &programs[1]);
    }
}

/// The demo's lines as they are: one of them is of numbers.
fn numbers_too() -> Vec<RecordedLine> {
    let mut lines = recorded();
    if let Some(number) = lines.iter_mut().find(|line| line.name == "TENSION_MA") {
        (number.kind, number.signal) = (LineKind::Real, 0);
    }
    lines
}
