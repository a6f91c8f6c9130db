//! The terminal list: what a person wires from.

use super::circuit::Circuit;
use super::feed::CircuitSummary;
use super::solved::Summary;
use super::{levels, outputs};
use crate::wiring::Wiring;
use crate::wiring::connection::ReadAs;
use crate::wiring::place::Group;
use crate::wiring::range::Range;
use reigen_core::finding::Finding;
use reigen_core::units::Metres;
use serde::Serialize;
use std::collections::HashMap;

/// A row of the terminal list.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct TerminalRow {
    /// Card and terminal.
    pub terminal: String,
    /// The point there.
    pub point: Option<String>,
    /// The recording's name of the wire.
    pub wire: Option<String>,
    /// Its length in metres.
    pub cable_m: Option<Metres>,
    /// The kind of its sensor, or of its load.
    pub sensor: Option<String>,
    /// What stands there while the sensor is actuated or the output on, in volts.
    pub actuated_v: Option<Range>,
    /// What stands there otherwise, in volts.
    pub resting_v: Option<Range>,
    /// Whether the terminal reads it as high while actuated, by its own thresholds; nothing where neither is certain.
    pub actuated_high: Option<bool>,
    /// The codes of the findings.
    pub findings: Vec<&'static str>,
}

/// All terminals, in the order of the file; a wire that has none comes last.
pub(super) fn list(wiring: &Wiring, circuits: &[CircuitSummary<'_, '_>], findings: &[Finding]) -> Vec<TerminalRow> {
    let mut rows = Vec::new();
    let codes = Codes::new(findings);
    let mut placed: HashMap<(&str, &str), Vec<&CircuitSummary<'_, '_>>> = HashMap::new();
    for both in circuits {
        if let Some(place) = both.0.place {
            placed.entry(place.key()).or_default().push(both);
        }
    }
    for place in wiring.terminals() {
        let terminal = format!("{}.{}", place.card.name, place.terminal);
        let here = placed.get(&place.key()).into_iter().flatten();
        let before = rows.len();
        rows.extend(here.map(|(circuit, summary)| row(circuit, summary, &terminal, &codes)));
        if rows.len() == before {
            let tied = match place.group {
                Group::Input(group) if group.tied_to_zero.iter().any(|tied| tied == place.terminal) => Some("0 V"),
                Group::Input(group) if group.tied_to_plus.iter().any(|tied| tied == place.terminal) => Some("plus"),
                _ => None,
            };
            let findings = codes.of(&terminal);
            rows.push(TerminalRow {
                terminal,
                point: None,
                wire: tied.map(|rail| format!("tied to {rail}")),
                cable_m: None,
                sensor: None,
                actuated_v: None,
                resting_v: None,
                actuated_high: None,
                findings,
            });
        }
    }
    rows
}

fn row(circuit: &Circuit<'_>, summary: &Summary, terminal: &str, codes: &Codes<'_>) -> TerminalRow {
    let [actuated, resting] = levels::by_actuation(circuit, summary.measured);
    let mut high = actuated.and_then(|measured| measured.high);
    let [mut actuated, mut resting] = [actuated, resting].map(|measured| measured.map(|measured| measured.volts));
    if let (ReadAs::Output, Some(Group::Output(group))) =
        (&circuit.wired.read_as, circuit.place.map(|place| place.group))
    {
        actuated = outputs::level(group);
        high = actuated.map(|volts| volts.least > 0.0);
    } else if let Some([low, high]) = summary.ends {
        (resting, actuated) = (Some(low), Some(high));
    }
    let wire = circuit.wired.line().map(str::to_owned);
    let load = circuit.wired.load.map(|load| load.kind.words().to_owned());
    TerminalRow {
        terminal: terminal.to_owned(),
        point: Some(circuit.name.to_owned()),
        wire,
        cable_m: Some(circuit.wired.cable).filter(|cable| cable.0 > 0.0),
        sensor: circuit.sensor.as_ref().map(|sensor| sensor.name.clone()).or(load),
        actuated_v: actuated,
        resting_v: resting,
        actuated_high: high,
        findings: codes.of(circuit.name),
    }
}

/// The codes of what was found, by subject, each once.
struct Codes<'a>(HashMap<&'a str, Vec<&'static str>>);

impl<'a> Codes<'a> {
    fn new(findings: &'a [Finding]) -> Self {
        let mut codes: HashMap<&str, Vec<&str>> = HashMap::new();
        for finding in findings {
            let of_subject = codes.entry(&finding.subject).or_default();
            if !of_subject.contains(&finding.code) {
                of_subject.push(finding.code);
            }
        }
        Self(codes)
    }

    fn of(&self, subject: &str) -> Vec<&'static str> {
        self.0.get(subject).cloned().unwrap_or_default()
    }
}
