//! Polarity: does the sensor give the side that the input needs, and does the station say so?

use super::Circuit;
use super::card::{Common, InputGroup};
use super::connection::{Rail, ReadAs};
use super::sensor::{Drive, Sensor};
use crate::condition::input::Asserted;
use crate::finding::Finding;

/// The side that a sensor switches the terminal to while it conducts.
pub(super) fn side(sensor: &Sensor, asserted: Asserted) -> Option<Rail> {
    match sensor.output.drive() {
        Drive::Plus => Some(Rail::Plus),
        Drive::Zero => Some(Rail::Zero),
        Drive::Switch | Drive::Both => Some(match asserted {
            Asserted::High => Rail::Plus,
            Asserted::Low => Rail::Zero,
        }),
        Drive::Analog => None,
    }
}

/// Checks one input; says whether sensor and input fit, so that levels can be worked out.
pub(super) fn check(circuit: &Circuit<'_>, findings: &mut Vec<Finding>) -> bool {
    let (Some(sensor), ReadAs::Input { asserted, contact, .. }) = (circuit.sensor, &circuit.wired.read_as) else {
        return false;
    };
    if let Some(built) = sensor.contact.filter(|built| built != contact) {
        let message = format!("the sensor `{}` is {built}, and the input says {contact}", sensor.name);
        let sum = format!("an input of contact {contact} is on while an {built} sensor is not actuated");
        findings.push(
            Finding::error("contact-mismatch", circuit.name, message, &format!("write contact = \"{built}\""))
                .with_sum(sum),
        );
    }
    let fixed = match sensor.output.drive() {
        Drive::Plus => Some((Asserted::High, "high", "plus")),
        Drive::Zero => Some((Asserted::Low, "low", "0 V")),
        _ => None,
    };
    if let Some((right, word, gives)) = fixed.filter(|(right, ..)| right != asserted) {
        let message =
            format!("{} switches to {gives}, so the line is {word} while it is closed", sensor.output.words());
        let remedy = format!("write asserted = \"{word}\"");
        let sum = format!("asserted is {}, and the sensor can only make the line {word}", opposite(right));
        findings.push(Finding::error("asserted-mismatch", circuit.name, message, &remedy).with_sum(sum));
        return false;
    }
    let (Some((_, group)), Some(side)) = (circuit.inputs(), side(sensor, *asserted)) else { return false };
    check_common(circuit, sensor, side, group, findings)
}

fn opposite(level: Asserted) -> &'static str {
    match level {
        Asserted::High => "low",
        Asserted::Low => "high",
    }
}

fn check_common(
    circuit: &Circuit<'_>,
    sensor: &Sensor,
    side: Rail,
    group: &InputGroup,
    findings: &mut Vec<Finding>,
) -> bool {
    let Some(common) = group.common else { return true };
    let (needed, gives, tied, other) = match side {
        Rail::Plus => (Common::Zero, "plus", "0 V", "an NPN sensor"),
        Rail::Zero => (Common::Plus, "0 V", "plus", "a PNP sensor"),
    };
    // A driver of both levels works an input on either side.
    if common == needed || (sensor.output.drive() == Drive::Both && common != Common::Free) {
        return true;
    }
    let what = sensor.output.words();
    if common == Common::Free {
        let message = format!("the common of `{}` is tied to nothing, so no current can flow", group.name);
        let sum = format!("{what} gives {gives}: the current must go on to {tied}");
        let finding = Finding::error("common-open", circuit.name, message, &format!("tie the common to {tied}"));
        findings.push(finding.with_sum(sum));
        return false;
    }
    let has = if common == Common::Zero { "0 V" } else { "plus" };
    let message =
        format!("{what} gives {gives}, and the common of `{}` is tied to {has}: no current flows", group.name);
    let sum = format!("{gives} at the terminal − {has} at the common = 0 V across the input, on or off");
    let remedy = match sensor.output.drive() {
        // The side that the common leaves for the switch is the one that it is not tied to itself.
        Drive::Switch => format!("lead the other side of the contact to {tied}, or tie the common to {tied}"),
        _ => format!("tie the common to {tied}, or take {other} in its place"),
    };
    findings.push(Finding::error("polarity", circuit.name, message, &remedy).with_sum(sum));
    false
}
