//! Terminals: each in its right mode, and used once.

use super::WiringFinding;
use super::circuit::Circuit;
use crate::wiring::card::{InputGroup, Mode};
use crate::wiring::connection::ReadAs;
use crate::wiring::parts::PartKind;
use crate::wiring::place::{Group, Place};
use crate::wiring::sensor::{Drive, OutputKind, Sensor};
use reigen_core::finding::Finding;
use std::collections::HashMap;

/// Checks that a sensor and a terminal are of one kind.
pub(super) fn check(circuit: &Circuit<'_>, found: &mut Vec<WiringFinding>) {
    let Some(Place { group, terminal, .. }) = circuit.place else { return };
    let is_output = matches!(circuit.wired.read_as, ReadAs::Output);
    let wrong = match group {
        Group::Input(_) if is_output => Some(("an output point", "an input", "give it a terminal of an output group")),
        Group::Output(_) if !is_output => Some(("an input", "an output", "give it a terminal of an input group")),
        _ => None,
    };
    if let Some((point, place, remedy)) = wrong {
        let message = format!("{point} is on the terminal `{terminal}`, which is {place}");
        found.push(WiringFinding::plain(Finding::error("wrong-mode", circuit.name, message, remedy)));
    }
    check_duty(circuit, found);
    if let (Some(group), Some(sensor)) = (circuit.group.as_deref(), circuit.sensor.as_deref()) {
        check_supply_kind(circuit, sensor, group, found);
        check_mode(circuit, sensor, group, terminal, found);
    }
}

/// A terminal that does something else.
fn check_duty(circuit: &Circuit<'_>, found: &mut Vec<WiringFinding>) {
    let Some(Place { card, terminal, .. }) = circuit.place else { return };
    let Some(duty) = card.duty(terminal) else { return };
    let message = format!("the terminal `{terminal}` is reserved: {duty}");
    let remedy = "use another terminal";
    found.push(WiringFinding::plain(Finding::error("terminal-reserved", circuit.name, message, remedy)));
}

/// Electronics for DC on an AC supply.
fn check_supply_kind(circuit: &Circuit<'_>, sensor: &Sensor, group: &InputGroup, found: &mut Vec<WiringFinding>) {
    let Some(feed) = circuit.feed() else { return };
    let message = match (feed.alternating, group.supply.alternating) {
        (true, true) if sensor.output.is_mechanical() || sensor.output == OutputKind::TwoWire => return,
        (true, true) => format!("{} works on DC, and its card is fed with {feed}", sensor.output.words()),
        (true, false) => format!("the sensor is fed with {feed}, and the input is for DC"),
        (false, true) => format!("the sensor is fed with {feed}, and the input is for {}", group.supply),
        (false, false) => return,
    };
    let remedy = "feed sensor and input with one supply, AC or DC; write \"230 V AC\" where it is AC";
    found.push(WiringFinding::plain(Finding::error("ac-dc", circuit.name, message, remedy)));
}

/// What an input by IEC 60947-5-6 tells apart: above 2.1 mA closed, below 1.2 mA open, at 8.2 V over 1 kΩ.
const SENSED: (f64, f64, f64, f64) = (8.2, 1e3, 2.1e-3, 1.2e-3);

/// Whether a contact has the resistors that let an input by IEC 60947-5-6 tell it from a short circuit.
fn has_sensed_resistors(circuit: &Circuit<'_>, sensor: &Sensor) -> bool {
    let (volts, inside, closed, open) = SENSED;
    let (mut series, mut across) = (0.0, f64::INFINITY);
    for part in &circuit.wired.parts {
        match part.kind {
            PartKind::Series(value) => series += value.0,
            PartKind::PullDown(value) | PartKind::PullUp(value, _) => across = value.0,
            _ => {}
        }
    }
    let flows = |ohms: f64| volts / (inside + ohms);
    sensor.output.is_mechanical() && series > 0.0 && flows(series) >= closed && flows(series + across) <= open
}

fn check_mode(
    circuit: &Circuit<'_>,
    sensor: &Sensor,
    group: &InputGroup,
    terminal: &str,
    found: &mut Vec<WiringFinding>,
) {
    let name = circuit.name;
    if !group.takes(sensor.output) && group.mode == Mode::Digital && sensor.output.drive() != Drive::Analog {
        if has_sensed_resistors(circuit, sensor) {
            return;
        }
        let message = format!("{} is on an input that reads sensors by their current", sensor.output.words());
        let remedy = match sensor.output.is_mechanical() {
            true => "fit 1 kΩ in series and 10 kΩ across the contact, or use an input of type 1, 2 or 3 (IEC 61131-2)",
            false => "use an input of type 1, 2 or 3 (IEC 61131-2)",
        };
        found.push(WiringFinding::plain(Finding::error("wrong-mode", name, message, remedy)));
        return;
    }
    if sensor.output == OutputKind::Iec60947Part5Section6 {
        if !group.takes(sensor.output) {
            let message = "a sensor by IEC 60947-5-6 is read by its current: 1.2 mA or less is one state, 2.1 mA or more the other".to_owned();
            let sum = "8.2 V over 1 kΩ, between 1.2 and 2.1 mA: no level that a common input can tell apart".to_owned();
            let remedy = "use a switching amplifier between them, or an input by IEC 60947-5-6";
            found.push(WiringFinding::plain(Finding::error("needs-amplifier", name, message, remedy).with_sum(sum)));
        }
        return;
    }
    let shunts = circuit.wired.parts.iter().any(|part| matches!(part.kind, PartKind::Shunt(_)));
    let right = match sensor.output {
        OutputKind::Voltage => Mode::Voltage,
        // A shunt turns the current into a voltage.
        OutputKind::CurrentLoop if shunts => Mode::Voltage,
        OutputKind::CurrentLoop => Mode::Current,
        _ => Mode::Digital,
    };
    let word = |mode: Mode| match mode {
        Mode::Digital => "digital",
        Mode::Voltage => "voltage",
        Mode::Current => "current",
    };
    if group.mode == right {
        return;
    }
    let message =
        format!("{} is on the terminal `{terminal}`, which is in {} mode", sensor.output.words(), word(group.mode));
    // A voltage on the small resistor of a current input drives a current that burns it.
    let remedy = match (group.mode, right) {
        (Mode::Current, Mode::Voltage) => {
            "set the terminal to voltage mode first, and only then connect the wire".to_owned()
        }
        (Mode::Voltage, Mode::Current) => {
            "set the terminal to current mode, or fit a shunt at the terminal: 250 Ω make 5 V of 20 mA".to_owned()
        }
        _ => format!("set the terminal to {} mode, or use another terminal", word(right)),
    };
    found.push(WiringFinding::plain(Finding::error("wrong-mode", name, message, &remedy)));
}

/// Finds terminals that several wires share.
pub(super) fn check_shared(circuits: &[Circuit<'_>], found: &mut Vec<WiringFinding>) {
    let mut taken: HashMap<(&str, &str), &Circuit<'_>> = HashMap::new();
    for circuit in circuits {
        let Some(place) = circuit.place else { continue };
        let first = *taken.entry(place.key()).or_insert(circuit);
        if std::ptr::eq(first, circuit) {
            continue;
        }
        // Two points may look at one wire.
        if first.same_line(circuit) {
            continue;
        }
        let message = format!("the terminal `{}` is taken by `{}`", place.terminal, first.name);
        let remedy = "use a separate terminal for each wire; points that read one wire name the same line";
        found.push(WiringFinding::plain(Finding::error("terminal-twice", circuit.name, message, remedy)));
    }
}
