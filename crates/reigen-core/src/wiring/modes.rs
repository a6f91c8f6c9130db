//! Terminals: each in its right mode, and used once.

use super::card::{InputGroup, Mode};
use super::connection::ReadAs;
use super::sensor::{Drive, OutputKind, Sensor};
use super::{Circuit, Group, Place};
use crate::finding::Finding;
use std::collections::HashMap;

/// Checks that a sensor and a terminal are of one kind.
pub(super) fn check(circuit: &Circuit<'_>, findings: &mut Vec<Finding>) {
    let Some(Place { group, terminal, .. }) = circuit.place else { return };
    let is_output = matches!(circuit.wired.read_as, ReadAs::Output);
    let wrong = match group {
        Group::Input(_) if is_output => Some(("an output point", "an input", "give it a terminal of an output group")),
        Group::Output(_) if !is_output => Some(("an input", "an output", "give it a terminal of an input group")),
        _ => None,
    };
    if let Some((point, place, remedy)) = wrong {
        let message = format!("{point} is on the terminal `{terminal}`, which is {place}");
        findings.push(Finding::error("wrong-mode", circuit.name, message, remedy));
    }
    if let (Group::Input(group), Some(sensor)) = (group, circuit.sensor) {
        check_mode(circuit, sensor, group, terminal, findings);
    }
}

fn check_mode(circuit: &Circuit<'_>, sensor: &Sensor, group: &InputGroup, terminal: &str, findings: &mut Vec<Finding>) {
    let name = circuit.name;
    if !group.takes(sensor.output) && group.mode == Mode::Digital && sensor.output.drive() != Drive::Analog {
        let message = format!("{} is on an input that reads sensors by their current", sensor.output.words());
        findings.push(Finding::error("wrong-mode", name, message, "take an input of type 1, 2 or 3 (IEC 61131-2)"));
        return;
    }
    if sensor.output == OutputKind::Iec60947Part5Section6 && !group.takes(sensor.output) {
        let message =
            "a sensor by IEC 60947-5-6 is read by its current: 1.2 mA or less is one state, 2.1 mA or more the other"
                .to_owned();
        let sum = "8.2 V over 1 kΩ, between 1.2 and 2.1 mA: no level that a common input can tell apart".to_owned();
        let remedy = "a switching amplifier between them, or an input by IEC 60947-5-6";
        findings.push(Finding::error("needs-amplifier", name, message, remedy).with_sum(sum));
        return;
    }
    let right = match sensor.output {
        OutputKind::Voltage => Mode::Voltage,
        OutputKind::CurrentLoop => Mode::Current,
        _ => Mode::Digital,
    };
    let word = |mode: Mode| match mode {
        Mode::Digital => "digital",
        Mode::Voltage => "voltage",
        Mode::Current => "current",
    };
    if group.mode != right {
        let message =
            format!("{} is on the terminal `{terminal}`, which is in {} mode", sensor.output.words(), word(group.mode));
        // A voltage on the small resistor of a current input drives a current that burns it.
        let remedy = match (group.mode, right) {
            (Mode::Current, Mode::Voltage) => {
                "set the terminal to voltage first, and only then connect the wire".to_owned()
            }
            (Mode::Voltage, Mode::Current) => {
                "set the terminal to current, or lead it over a shunt: 500 Ω make 10 V of 20 mA".to_owned()
            }
            _ => format!("set the terminal to {} mode, or take another terminal", word(right)),
        };
        findings.push(Finding::error("wrong-mode", name, message, &remedy));
    } else if let (Some(given), Some(set)) = (sensor.signal, group.signal)
        && given != set
    {
        let ((start, end), (low, high)) = (given.ends(), set.ends());
        let reads = |value: f64| (value - low) / (high - low) * 100.0;
        let message = format!("the sensor gives {given}, and the terminal is scaled for {set}");
        let sum = format!("its zero would read {:.0} % and its full {:.0} %", reads(start), reads(end));
        let remedy = format!("scale the terminal for {given}");
        findings.push(Finding::error("range-mismatch", name, message, &remedy).with_sum(sum));
    }
}

/// Finds terminals that several wires share.
pub(super) fn check_shared(circuits: &[Circuit<'_>], findings: &mut Vec<Finding>) {
    let mut taken: HashMap<(&str, &str), &Circuit<'_>> = HashMap::new();
    for circuit in circuits {
        let Some(place) = circuit.place else { continue };
        let first = *taken.entry(place.key()).or_insert(circuit);
        if std::ptr::eq(first, circuit) {
            continue;
        }
        // Two points may look at one wire.
        if line(first).is_some() && line(first) == line(circuit) {
            continue;
        }
        let message = format!("the terminal `{}` is taken by `{}`", place.terminal, first.name);
        let remedy = "give each wire a terminal of its own; points that look at one wire name the same line";
        findings.push(Finding::error("terminal-twice", circuit.name, message, remedy));
    }
}

fn line<'a>(circuit: &Circuit<'a>) -> Option<&'a str> {
    match &circuit.wired.read_as {
        ReadAs::Input { line, .. } => Some(line),
        _ => None,
    }
}
