//! Analog wires: what comes to the terminal, whether the spans fit together, and whether a loop has voltage enough.

use super::WiringFinding;
use super::circuit::{Circuit, Input, State};
use super::states::{self, TOLERANCE};
use crate::wiring::card::{InputGroup, Mode};
use crate::wiring::connection::{Rail, ReadAs};
use crate::wiring::parts::{self, PartKind};
use crate::wiring::range::Range;
use crate::wiring::sensor::{OutputKind, Sensor};
use reigen_core::analog::signal::Signal;
use reigen_core::finding::Finding;
use reigen_core::units::{Ohms, Volts};

/// Checks one analog sensor on its terminal.
pub(super) fn check(circuit: &Circuit<'_>, found: &mut Vec<WiringFinding>) {
    let (Some(sensor), Some(group)) = (circuit.sensor.as_deref(), circuit.group.as_deref()) else { return };
    if !matches!(sensor.output, OutputKind::Voltage | OutputKind::CurrentLoop) || circuit.is_alternating() {
        return;
    }
    check_borne(circuit, group, found);
    check_spans(circuit, sensor, group, found);
    check_scale(circuit, sensor, group, found);
    check_burden(circuit, sensor, group, found);
}

/// The input with its parts, for what the network of an analog wire is built with.
fn input<'a, 'b>(circuit: &'b Circuit<'a>) -> Option<(Input<'a, 'b>, Signal)> {
    let (sensor, group) = (circuit.sensor.as_deref()?, circuit.group.as_deref()?);
    let fits = matches!(sensor.output, OutputKind::Voltage | OutputKind::CurrentLoop) && !circuit.is_alternating();
    let input = Input { circuit, sensor, group, side: Rail::Plus, feed: circuit.feed()? };
    fits.then_some((input, sensor.signal?))
}

/// The voltage at the terminal while the sensor gives the low and the high end of its signal.
pub(super) fn ends(circuit: &Circuit<'_>) -> Option<[Range; 2]> {
    let (input, signal) = input(circuit)?;
    let worked = [signal.low, signal.high].map(|value| states::work_analog(&input, value, signal.is_current));
    let [low, high] = worked;
    (!low.floats && !high.floats).then_some([low.volts, high.volts])
}

fn check_borne(circuit: &Circuit<'_>, group: &InputGroup, found: &mut Vec<WiringFinding>) {
    let Some((input, signal)) = input(circuit) else { return };
    // A current input has its own small resistor, and what is borne there is its current.
    if group.mode == Mode::Current && signal.is_current {
        return;
    }
    let high = states::work_analog(
        &input,
        signal.high.max(input.sensor.levels.0.map_or(f64::MIN, |high| high.0)),
        signal.is_current,
    );
    if !high.floats && high.above.fails() {
        let (volts, most) = (Volts(high.above.volts), Volts(high.above.bound));
        let message = format!("up to {volts} on a terminal rated for {most}");
        let finding = Finding::error(
            "over-voltage",
            circuit.name,
            message,
            "use a sensor with a smaller signal, or another terminal",
        );
        let excess = (high.above.volts, high.above.bound);
        found.push(WiringFinding {
            excess: Some(excess),
            ..WiringFinding::at(finding.with_sum(high.sum(&high.above)), State::Conducting)
        });
    }
    let low = states::work_analog(&input, signal.low, signal.is_current);
    if !low.floats && low.below.fails() {
        let (volts, least) = (Volts(low.below.volts), Volts(low.below.bound));
        let message = format!("down to {volts} on a terminal rated for {least} and above");
        let finding = Finding::error("under-voltage", circuit.name, message, "use a terminal for signals below 0 V");
        found.push(WiringFinding::at(finding.with_sum(low.sum(&low.below)), State::Resting));
    }
}

/// The signal against the span that the terminal is set to.
fn check_spans(circuit: &Circuit<'_>, sensor: &Sensor, group: &InputGroup, found: &mut Vec<WiringFinding>) {
    let (Some(given), Some(set)) = (sensor.signal, group.signal) else { return };
    let changed =
        circuit.wired.parts.iter().any(|part| matches!(part.kind, PartKind::PullDown(_) | PartKind::Shunt(_)));
    let arrives = match changed.then(|| parts::gain(&circuit.wired.parts, given.is_current)).flatten() {
        Some(gain) => Signal { low: given.low * gain, high: given.high * gain, is_current: false },
        None => given,
    };
    // Another kind of signal is another mode, which is told there.
    if arrives.is_current != set.is_current {
        return;
    }
    let span = set.high - set.low;
    let fits = match changed {
        // Parts have tolerances, and a divider may leave some room.
        true => (arrives.low - set.low).abs() <= 0.02 * span && arrives.high <= set.high + 0.02 * span,
        false => arrives.is_same(set),
    };
    if fits {
        return;
    }
    let reads = |value: f64| (value - set.low) / span * 100.0;
    let message = format!("the sensor gives {arrives} at the terminal, which is set to {set}");
    let sum =
        format!("its low end would read {:.0} % and its high end {:.0} %", reads(arrives.low), reads(arrives.high));
    let finding = Finding::error("range-mismatch", circuit.name, message, &format!("set the terminal to {given}"));
    found.push(WiringFinding::plain(finding.with_sum(sum)));
}

/// The signal against the scale of the point: the scale's low end belongs to the signal's low end.
fn check_scale(circuit: &Circuit<'_>, sensor: &Sensor, group: &InputGroup, found: &mut Vec<WiringFinding>) {
    let (Some(given), ReadAs::Analog { scale_from: Some(from), .. }) = (sensor.signal, &circuit.wired.read_as) else {
        return;
    };
    let ([low, high], unit) = given.usual();
    let near = |one: f64, other: f64| (one - other).abs() <= 0.01 * (high - low).abs();
    // In the unit of the signal, its ends are looked for as they are; in any other, by their proportion.
    let in_unit = near(from[1], high) || near(from[0], low);
    let fits = match in_unit {
        true => near(from[0], low),
        false => {
            let set_alike = group.signal.is_some_and(|set| set.is_same(given)) && from[0] == 0.0;
            set_alike || from[1] != 0.0 && (from[0] / from[1] - low / high).abs() <= 0.01
        }
    };
    if fits {
        return;
    }
    let message = format!("the scale begins at {}, and the signal at {low} {unit}", from[0]);
    let sum = format!("{given}: its low end is {low} {unit}, and the scale goes from {} to {}", from[0], from[1]);
    let remedy = format!("write scale = {{ from = [{low}, {high}], … }} for a line in {unit}");
    found.push(WiringFinding::plain(Finding::error("range-mismatch", circuit.name, message, &remedy).with_sum(sum)));
}

/// A current output against what is in its loop: supply − what the sensor needs − burden · 20 mA.
fn check_burden(circuit: &Circuit<'_>, sensor: &Sensor, group: &InputGroup, found: &mut Vec<WiringFinding>) {
    let Some(signal) = sensor.signal.filter(|signal| signal.is_current) else { return };
    let shunts = circuit.wired.parts.iter().filter_map(|part| match part.kind {
        PartKind::Shunt(value) | PartKind::Series(value) => Some(value.0 * (1.0 + part.tolerance)),
        _ => None,
    });
    let inside = if group.mode == Mode::Current { group.resistance.map_or(0.0, |ohms| ohms.0) } else { 0.0 };
    let cable = 2.0 * circuit.wired.wire_resistance();
    let burden = shunts.sum::<f64>() + inside + cable;
    if let Some(most) = sensor.burden.filter(|most| burden > most.0 * (1.0 + TOLERANCE)) {
        let message = format!("a burden of {} in the loop, and the sensor drives {most} at most", Ohms(burden));
        let finding =
            Finding::error("loop-burden", circuit.name, message, &format!("bring the burden to {most} or less"));
        found
            .push(WiringFinding::plain(finding.with_sum(format!("shunt, input and cable together: {}", Ohms(burden)))));
        return;
    }
    let (Some([needs, _]), Some(feed)) = (sensor.supply, circuit.feed()) else { return };
    let left = feed.range.least - needs.0 - burden * signal.high;
    if left >= -TOLERANCE {
        return;
    }
    let rest = Volts(feed.range.least - burden * signal.high);
    let message = format!("as little as {rest} for a sensor that needs {needs}, at 20 mA over {}", Ohms(burden));
    let sum = format!(
        "{} − {needs} − {} × {} mA = {} left",
        Volts(feed.range.least),
        Ohms(burden),
        signal.high * 1e3,
        Volts(left)
    );
    let room = (feed.range.least - needs.0) / signal.high;
    let remedy = match room > 0.0 {
        true => format!(
            "bring the burden to {} or less, or feed the loop with {} or more",
            Ohms(room),
            Volts(needs.0 + burden * signal.high)
        ),
        false => format!("feed the loop with {} or more", Volts(needs.0 + burden * signal.high)),
    };
    found.push(WiringFinding::plain(Finding::error("loop-burden", circuit.name, message, &remedy).with_sum(sum)));
}
