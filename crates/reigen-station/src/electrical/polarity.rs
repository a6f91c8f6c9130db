//! Polarity: does the sensor give the side that the input needs, and does the station say so?

use super::WiringFinding;
use super::circuit::{Circuit, side};
use crate::wiring::card::{Common, InputGroup};
use crate::wiring::connection::{Rail, ReadAs};
use crate::wiring::parts::PartKind;
use crate::wiring::sensor::{Drive, Sensor};
use reigen_core::condition::input::Asserted;
use reigen_core::finding::Finding;

/// The common that a sensor needs; `None` where it drives both levels or is no switch.
pub(super) fn needed_common(circuit: &Circuit<'_>) -> Option<Common> {
    let (sensor, ReadAs::Input { asserted, .. }) = (circuit.sensor.as_deref()?, &circuit.wired.read_as) else {
        return None;
    };
    side(sensor, *asserted).map(|side| match side {
        Rail::Plus => Common::Zero,
        Rail::Zero => Common::Plus,
    })
}

/// Checks one input; says whether sensor and input fit, so that levels can be worked out.
pub(super) fn check(circuit: &Circuit<'_>, found: &mut Vec<WiringFinding>) -> bool {
    let (Some(sensor), ReadAs::Input { asserted, contact, .. }) = (circuit.sensor.as_deref(), &circuit.wired.read_as)
    else {
        return false;
    };
    if let Some(built) = sensor.contact.filter(|built| built != contact) {
        let message = format!("the sensor `{}` is {built}, and the input says {contact}", sensor.name);
        let sum = format!("an input of contact {contact} is on while an {built} sensor is not actuated");
        let finding =
            Finding::error("contact-mismatch", circuit.name, message, &format!("write contact = \"{built}\""));
        found.push(WiringFinding::plain(finding.with_sum(sum)));
    }
    let (right, word, gives) = match sensor.output.drive() {
        Drive::Plus => (Asserted::High, "high", "plus"),
        Drive::Zero => (Asserted::Low, "low", "0 V"),
        // The station says which side a contact leads to, and what is the asserted level of an output that drives both.
        _ => (*asserted, "", ""),
    };
    // What hides behind it is told too, the cause first: with the wrong common nothing flows whatever the station says.
    let fits = match (circuit.inputs(), side(sensor, right)) {
        (Some((_, group)), Some(side)) => check_common(circuit, sensor, side, group, found),
        _ => false,
    };
    if right == *asserted {
        return fits;
    }
    let what = sensor.output.words();
    let message = format!("{what} switches to {gives}, so the line is {word} while it is closed");
    let sum = format!("asserted is {}, and the sensor can only make the line {word}", opposite(right));
    let finding = Finding::error("asserted-mismatch", circuit.name, message, &format!("write asserted = \"{word}\""));
    found.push(WiringFinding::plain(finding.with_sum(sum)));
    false
}

fn opposite(level: Asserted) -> &'static str {
    match level {
        Asserted::High => "low",
        Asserted::Low => "high",
    }
}

/// Whether something beside the sensor gives the level that the sensor cannot: a pull away from its side.
fn is_pulled(circuit: &Circuit<'_>, sensor: &Sensor, side: Rail, group: &InputGroup) -> bool {
    let parts = &circuit.wired.parts;
    match side {
        Rail::Zero => {
            let inside = group.pull_up.is_some_and(|pull| pull.on);
            sensor.pull_up.is_some() || inside || parts.iter().any(|part| matches!(part.kind, PartKind::PullUp(..)))
        }
        Rail::Plus => {
            let inside = group.pull_down.is_some_and(|pull| pull.on);
            inside || parts.iter().any(|part| matches!(part.kind, PartKind::PullDown(_)))
        }
    }
}

fn check_common(
    circuit: &Circuit<'_>,
    sensor: &Sensor,
    side: Rail,
    group: &InputGroup,
    found: &mut Vec<WiringFinding>,
) -> bool {
    let converted = circuit.wired.parts.iter().any(|part| matches!(part.kind, PartKind::Converter(..)));
    let Some(common) = group.common.filter(|_| !converted) else { return true };
    let (needed, gives, tied, other) = match side {
        Rail::Plus => (Common::Zero, "plus", "0 V", "an NPN sensor"),
        Rail::Zero => (Common::Plus, "0 V", "plus", "a PNP sensor"),
    };
    let works_both = sensor.output.drive() == Drive::Both || is_pulled(circuit, sensor, side, group);
    // A driver of both levels, or a pull, works an input on either side; whether it is strong enough is worked out.
    if common == needed || (works_both && common != Common::Free) {
        return true;
    }
    let what = sensor.output.words();
    if common == Common::Free {
        let message = format!("the common of `{}` is not connected, so no current can flow", group.name);
        let sum = format!("{what} gives {gives}: the current must go on to {tied}");
        let finding = Finding::error("common-open", circuit.name, message, &format!("tie the common to {tied}"));
        found.push(WiringFinding::plain(finding.with_sum(sum)));
        return false;
    }
    let has = if common == Common::Zero { "0 V" } else { "plus" };
    let message =
        format!("{what} gives {gives}, and the common of `{}` is tied to {has}: no current flows", group.name);
    let sum = format!("{gives} at the terminal − {has} at the common = 0 V across the input, on or off");
    let remedy = format!("use {other} instead, or a group whose common is tied to {tied}");
    found.push(WiringFinding::plain(Finding::error("polarity", circuit.name, message, &remedy).with_sum(sum)));
    false
}
