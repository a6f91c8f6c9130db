//! Levels: what stands at the terminal in both states, what it bears, and what the input reads.

use super::WiringFinding;
use super::circuit::{Branch, Circuit, Draw, Input, State};
use super::network::{Element, End};
use super::solved::{BothStates, SolvedCircuit};
use super::states::{self, SolvedState, TOLERANCE, TerminalLevel, Worst};
use crate::wiring::card::{Common, Standard, Threshold};
use crate::wiring::connection::{Rail, ReadAs};
use crate::wiring::parts::{Part, PartKind, RESISTOR_TOLERANCE, USUAL_RATING};
use crate::wiring::sensor::{Drive, OutputKind};
use reigen_core::condition::input::Contact;
use reigen_core::finding::{Finding, Severity};
use reigen_core::units::{Amperes, Ohms, Volts, Watts, engineering};

/// What stands at a circuit's terminal while it is actuated and while it is not, from what stands there by the sensor's state.
pub(super) fn by_actuation(circuit: &Circuit<'_>, measured: [Option<TerminalLevel>; 2]) -> [Option<TerminalLevel>; 2] {
    let [conducting, resting] = measured;
    match &circuit.wired.read_as {
        ReadAs::Input { contact: Contact::NormallyClosed, .. } => [resting, conducting],
        _ => [conducting, resting],
    }
}

/// Checks the levels of one input.
pub(super) fn check(solved: &SolvedCircuit<'_, '_>, found: &mut Vec<WiringFinding>) {
    let input = &solved.input;
    if !input.group.takes(input.sensor.output) {
        return;
    }
    let first = found.len();
    check_all(input, &solved.least, Draw::Least, found);
    // With the greatest current that a standard allows, what fails only then is worth knowing.
    let greatest = solved.greatest();
    if !std::ptr::eq(greatest, &solved.least) {
        let mut more = Vec::new();
        check_all(input, greatest, Draw::Greatest, &mut more);
        let known: Vec<&str> = found.iter().skip(first).map(|found| found.finding.code).collect();
        more.retain(|more| !known.contains(&more.finding.code));
        found.extend(more.into_iter().map(|mut more| {
            more.finding.severity = Severity::Note;
            more
        }));
    }
    check_parts(input, &solved.least, found);
}

fn check_all(input: &Input<'_, '_>, all: &BothStates, draw: Draw, found: &mut Vec<WiringFinding>) {
    check_borne(input, all, found);
    check_pulls(input, all, found);
    for worked in all.each() {
        match worked.floats {
            true if worked.state == State::Resting && input.rests_by_current(State::Resting) => {}
            true => {
                found.push(floating(input, worked.state));
                return;
            }
            false => {}
        }
    }
    check_state(input, &all.conducting, found);
    match input.rests_by_current(State::Resting) && input.sensor.output.drive() != Drive::Both {
        true => check_by_current(input, found),
        false => check_state(input, &all.resting, found),
    }
    all.behind.iter().for_each(|worked| check_state(input, worked, found));
    check_currents(input, all, draw, found);
}

/// A terminal that gets more, or less, than it bears.
fn check_borne(input: &Input<'_, '_>, all: &BothStates, found: &mut Vec<WiringFinding>) {
    let name = input.circuit.name;
    let worst = |of: fn(&SolvedState) -> &Worst| {
        let each = all.each().filter(|worked| !worked.floats).filter(|worked| of(worked).fails());
        each.max_by(|one, other| of(one).by.total_cmp(&of(other).by))
    };
    if let Some(worked) = worst(|worked| &worked.above) {
        let (volts, most) = (Volts(worked.above.volts), Volts(worked.above.bound));
        let rated = match input.group.most {
            Threshold::OfSupply(_) if worked.at_terminal => {
                format!("its supply of {}, which may be as low as {most}", input.group.supply.nominal)
            }
            _ => most.to_string(),
        };
        let message = format!("up to {volts} on {} rated for {rated}", place_words(input, worked));
        let finding =
            Finding::error("over-voltage", name, message, "feed the sensor with less, or use another terminal");
        let excess = input.converter().is_none().then_some((worked.above.volts, worked.above.bound));
        found.push(WiringFinding {
            excess,
            ..WiringFinding::at(finding.with_sum(worked.sum(&worked.above)), worked.state)
        });
    }
    if let Some(worked) = worst(|worked| &worked.below) {
        let (volts, least) = (Volts(worked.below.volts), Volts(worked.below.bound));
        let message = format!("down to {volts} on {} rated for {least} and above", place_words(input, worked));
        let finding = Finding::error("under-voltage", name, message, "use a sensor that does not go below 0 V");
        found.push(WiringFinding::at(finding.with_sum(worked.sum(&worked.below)), worked.state));
    }
}

/// What a voltage comes to.
fn place_words(input: &Input<'_, '_>, worked: &SolvedState) -> String {
    match input.converter().filter(|_| !worked.at_terminal) {
        Some((_, from, to)) => format!("the input of a level converter {from} to {to}"),
        None => "a terminal".to_owned(),
    }
}

/// A pull-up and a pull-down that hold the open terminal between its thresholds.
fn check_pulls(input: &Input<'_, '_>, all: &BothStates, found: &mut Vec<WiringFinding>) {
    let resting = &all.resting;
    if resting.floats || !resting.level.fails() || input.rests_by_current(State::Resting) {
        return;
    }
    let resistors = || {
        resting.model.network.branches.iter().filter(|branch| {
            matches!(branch.element, Element::Resistor(_))
                && matches!(branch.role, Branch::Part(_) | Branch::SensorPull | Branch::CardPull)
        })
    };
    let up = resistors().any(|branch| matches!(branch.from, End::Rail(_)) || branch.role == Branch::SensorPull);
    let down = resistors().any(|branch| branch.to == End::Ground);
    // A sensor that leaks through one resistor, and not another one, spoils the level.
    if !(up && down) || input.sensor.output.drive() == Drive::Both || leak_is_the_cause(input, resting) {
        return;
    }
    let message = "a pull-up and a pull-down hold the open terminal between its thresholds".to_owned();
    let remedy = "switch one of them off: keep the one that leads away from the side that the sensor switches to";
    let sum = format!("{}; {}", resting.sum(&resting.level), bound_words(input, resting));
    found.push(WiringFinding::at(
        Finding::error("both-pulls", input.circuit.name, message, remedy).with_sum(sum),
        State::Resting,
    ));
}

/// What the input needs in a state.
fn bound_words(input: &Input<'_, '_>, worked: &SolvedState) -> String {
    let bound = Volts(worked.level.bound);
    let upper = input.wants_upper(worked.state);
    if !worked.at_terminal {
        let side = if worked.level.volts < bound.0 { "above" } else { "below" };
        return format!("the level converter is certain only {side} {bound}");
    }
    match (input.group.common, upper) {
        (Some(Common::Plus), true) => {
            format!("the input is certainly on only with {bound} or more between plus and the terminal")
        }
        (Some(Common::Plus), false) => {
            format!("the input is certainly off only with {bound} or less between plus and the terminal")
        }
        (Some(_), true) => format!("the input is certainly on only at {bound} and above"),
        (Some(_), false) => format!("the input is certainly off only at {bound} and below"),
        (None, true) => format!("the pin is certainly high only at {bound} and above"),
        (None, false) => format!("the pin is certainly low only at {bound} and below"),
    }
}

/// A state that the input does not certainly read as it should.
fn check_state(input: &Input<'_, '_>, worked: &SolvedState, found: &mut Vec<WiringFinding>) {
    if worked.floats || !worked.level.fails() || current_keeps_off(input, worked) {
        return;
    }
    let leaks = worked.state == State::Resting && leak_is_the_cause(input, worked);
    let (code, message) = match (leaks, worked.state) {
        (true, _) => (
            "leakage",
            format!("the sensor's leakage of up to {} spoils the level while it is open", input.sensor.leakage),
        ),
        (_, State::Conducting) => ("never-on", "the input is not certain to read that the sensor is closed".to_owned()),
        (_, State::Resting) => ("never-off", "the input is not certain to read that the sensor is open".to_owned()),
    };
    let remedy = match code {
        "leakage" => "use a sensor with less leakage, or an input that draws more current",
        _ => "use a sensor with less voltage drop, another feed, or another input",
    };
    let sum = format!("{}; {}", worked.sum(&worked.level), bound_words(input, worked));
    found
        .push(WiringFinding::at(Finding::error(code, input.circuit.name, message, remedy).with_sum(sum), worked.state));
}

/// Whether the level would be right without any leakage.
fn leak_is_the_cause(input: &Input<'_, '_>, worked: &SolvedState) -> bool {
    if input.sensor.leakage.0 <= 0.0 || input.sensor.output.drive() == Drive::Both || worked.state != State::Resting {
        return false;
    }
    let mut sealed = input.sensor.clone();
    sealed.leakage = Amperes(0.0);
    let sealed = Input { sensor: &sealed, ..input.clone() };
    let worked = states::work(&sealed, State::Resting, Draw::Least);
    !worked.floats && !worked.level.fails()
}

/// Whether an input by the standard is off all the same, since so little flows.
fn current_keeps_off(input: &Input<'_, '_>, worked: &SolvedState) -> bool {
    let off = input.group.limits().map(|limits| limits.off_current);
    match (input.wants_upper(worked.state), off, input.group.resistance) {
        (false, Some(off), Some(resistance)) => {
            let across = input.across(worked.level.volts, input.group.supply.range.most);
            across / (resistance.0 * (1.0 - RESISTOR_TOLERANCE)) <= off.0
        }
        _ => false,
    }
}

/// A resting sensor on an input of which only its limits are known.
fn check_by_current(input: &Input<'_, '_>, found: &mut Vec<WiringFinding>) {
    let into = states::into_input(input, State::Resting);
    let off = input.off_current();
    if into.most <= off * (1.0 + TOLERANCE) {
        return;
    }
    let words = input.group.standard.map_or("the input", Standard::words);
    let leaks = input.sensor.leakage.0 > 0.0;
    let (code, message) = match leaks {
        true => ("leakage", format!("the sensor's leakage of up to {} can keep the input on", input.sensor.leakage)),
        false => ("never-off", "the parts on its wire keep the input on while the sensor is open".to_owned()),
    };
    let sum = format!("{} flow into {words}, which is certainly off at {} and below", Amperes(into.most), Amperes(off));
    let finding =
        Finding::error(code, input.circuit.name, message, "use a sensor with less leakage, or a type 2 or 3 input");
    found.push(WiringFinding::at(finding.with_sum(sum), State::Resting));
}

fn floating(input: &Input<'_, '_>, state: State) -> WiringFinding {
    let word = match input.side {
        Rail::Zero => "pull-up",
        Rail::Plus => "pull-down",
    };
    let what = input.sensor.output.words();
    let message = format!("nothing defines the level while {what} is open: the input floats");
    let sum = "an open sensor drives no current, and no resistor leads from the terminal to plus or to 0 V".to_owned();
    let finding = Finding::error("floating", input.circuit.name, message, &format!("fit a {word} at the terminal"));
    WiringFinding::at(finding.with_sum(sum), state)
}

/// Too much current for the sensor, or too little.
fn check_currents(input: &Input<'_, '_>, all: &BothStates, draw: Draw, found: &mut Vec<WiringFinding>) {
    let (sensor, name) = (input.sensor, input.circuit.name);
    let conducting = &all.conducting;
    let current = conducting.output_current;
    if let Some(most) = sensor.most_current.filter(|most| current.most > most.0 * (1.0 + TOLERANCE)) {
        // What flows without any pull is not the pulls' fault.
        let by_pulls = current.most - conducting.pull_current <= most.0;
        if by_pulls && draw == Draw::Least {
            let message = format!(
                "the pull at the terminal drives {} through {} rated for {most}",
                Amperes(current.most),
                sensor.output.words()
            );
            let finding = Finding::error("pull-too-strong", name, message, "use a pull of a greater value");
            found.push(WiringFinding::at(finding.with_sum(current_words(conducting)), State::Conducting));
        }
        let message = format!("{} through an output rated for {most}", Amperes(current.most));
        let finding = Finding::error("too-much-current", name, message, "use a sensor whose output carries more");
        found.push(WiringFinding::at(finding.with_sum(current_words(conducting)), State::Conducting));
    }
    let too_little =
        |least: &Amperes| current.least < least.0 * (1.0 - TOLERANCE) && sensor.output.drive() == Drive::Switch;
    let Some(least) = sensor.least_current.filter(too_little) else { return };
    let (code, why) = match sensor.output {
        OutputKind::TwoWire => ("least-current", "a two-wire sensor works only while enough current flows through it"),
        _ => ("contact-wetting", "a contact stays clean only with enough current through it"),
    };
    let message = format!("as little as {} while it is closed, {least} needed: {why}", Amperes(current.least));
    let finding = match code {
        "least-current" => Finding::error(code, name, message, "use an input that draws more current"),
        _ => Finding::warning(code, name, message, "use a contact for small currents (gold-plated)"),
    };
    found.push(WiringFinding::at(finding.with_sum(current_words(conducting)), State::Conducting));
}

fn current_words(worked: &SolvedState) -> String {
    let told: Vec<String> = worked
        .model
        .quantities
        .iter()
        .filter(|quantity| quantity.range.most != 0.0)
        .map(|quantity| format!("{} {}", quantity.label, quantity.range.words(quantity.unit)))
        .collect();
    format!("{}: {} through the output", told.join(", "), worked.output_current.words("A"))
}

/// Resistors beyond their rating, and contacts that discharge a capacitor.
fn check_parts(input: &Input<'_, '_>, all: &BothStates, found: &mut Vec<WiringFinding>) {
    let parts = &input.circuit.wired.parts;
    let mut told: Vec<usize> = Vec::new();
    for (role, watts, across) in all.each().flat_map(SolvedState::powers) {
        let Branch::Part(number) = role else { continue };
        let Some(part) = parts.get(number).filter(|_| !told.contains(&number)) else { continue };
        let rating = part.power.unwrap_or(USUAL_RATING);
        if watts > rating.0 * (1.0 + TOLERANCE) {
            told.push(number);
            let message = format!("{} dissipates up to {}, rated for {rating}", part.words(), Watts(watts));
            let sum =
                format!("{}² / {} = {}", Volts(across), part.resistance().unwrap_or(Ohms(f64::NAN)), Watts(watts));
            let finding = Finding::error(
                "pull-too-strong",
                input.circuit.name,
                message,
                "use a greater value, or a resistor with a higher power rating",
            );
            found.push(WiringFinding::at(finding.with_sum(sum), State::Conducting));
        } else if let Some((drawn, most)) = drawn_from_feed(input, part, watts / across) {
            told.push(number);
            let message = format!("{} draws up to {drawn} from a supply rated for {most}", part.words());
            let sum = format!("{} / {} = {drawn}", Volts(across), part.resistance().unwrap_or(Ohms(f64::NAN)));
            let finding =
                Finding::error("pull-too-strong", input.circuit.name, message, "use a pull of a greater value");
            found.push(WiringFinding::at(finding.with_sum(sum), State::Conducting));
        }
    }
    check_surge(input, found);
}

/// What a pull draws from the card's sensor supply, and what that gives, where it is more.
fn drawn_from_feed(input: &Input<'_, '_>, part: &Part, amperes: f64) -> Option<(Amperes, Amperes)> {
    let PartKind::PullUp(_, to) = part.kind else { return None };
    let card = input.circuit.place?.card;
    let most = card.sensor_supply?.current?;
    let is_fed = input.pull_up_rail(to).is_same(&card.feed());
    (is_fed && amperes > most.0 * (1.0 + TOLERANCE)).then_some((Amperes(amperes), most))
}

/// What a contact without a stated rating bears for a moment.
const USUAL_SURGE: Amperes = Amperes(0.5);

/// A contact that charges or discharges a capacitor with nothing between them.
fn check_surge(input: &Input<'_, '_>, found: &mut Vec<WiringFinding>) {
    if !input.sensor.output.is_mechanical() {
        return;
    }
    let wired = &input.circuit.wired;
    let mut between = 2.0 * wired.wire_resistance();
    for part in &wired.parts {
        match part.kind {
            PartKind::Series(value) => between += value.0 * (1.0 - part.tolerance),
            PartKind::Converter(..) => return,
            PartKind::Capacitor(value) => {
                let volts = input.feed.range.most.max(input.group.supply.range.most);
                let limit = input.sensor.most_current.unwrap_or(USUAL_SURGE);
                let surge = volts / between.max(1e-3);
                if surge > limit.0 * (1.0 + TOLERANCE) {
                    let message = format!(
                        "the contact switches {value} without a resistor between: a surge of {} at each actuation, {limit} allowed",
                        if between > 0.01 { engineering(surge, "A") } else { "many amperes".to_owned() },
                    );
                    let sum = format!("{} / {} between contact and capacitor", Volts(volts), engineering(between, "Ω"));
                    let finding = Finding::warning(
                        "contact-surge",
                        input.circuit.name,
                        message,
                        "fit a resistor between the contact and the capacitor",
                    );
                    found.push(WiringFinding::at(finding.with_sum(sum), State::Conducting));
                }
                return;
            }
            PartKind::PullUp(..) | PartKind::PullDown(_) | PartKind::Shunt(_) => {}
        }
    }
}
