//! Pulls: two at once, one that only burns current, and terminals that nothing holds.

use super::card::{Card, InputGroup, Mode};
use super::{Circuit, Wiring};
use crate::finding::Finding;
use crate::units::{Ohms, Volts};
use std::collections::HashSet;

/// Checks the pulls of all groups and wires.
pub(super) fn check(wiring: &Wiring, circuits: &[Circuit<'_>], findings: &mut Vec<Finding>) {
    for circuit in circuits {
        if let Some((_, group)) = circuit.inputs() {
            check_both(circuit, group, findings);
        }
    }
    let used: HashSet<(&str, &str)> =
        circuits.iter().filter_map(|circuit| Some(circuit.place.as_ref()?.key())).collect();
    for card in &wiring.cards {
        for group in &card.inputs {
            check_tied(card, group, findings);
            check_unused(card, group, &used, findings);
        }
    }
}

fn check_both(circuit: &Circuit<'_>, group: &InputGroup, findings: &mut Vec<Finding>) {
    let parts = &circuit.wired.parts;
    let own = circuit.sensor.and_then(|sensor| sensor.pull_up);
    let up = parts.pull_up.or(own).or(group.pull_up.filter(|pull| pull.on).map(|pull| pull.value));
    let down = parts.pull_down.or(group.pull_down.filter(|pull| pull.on).map(|pull| pull.value));
    let (Some(up), Some(down)) = (up, down) else { return };
    let open = crate::sizing::divider::output(group.supply, up, down, None);
    // A strong pull may stand beside a weak one, as long as the open level is certain.
    if open >= group.on_above || open <= group.off_below {
        return;
    }
    let message = "a pull-up and a pull-down hold the terminal between its thresholds".to_owned();
    let sum = format!(
        "{} × {down} / ({up} + {down}) = {open}, between {} and {}",
        group.supply, group.off_below, group.on_above
    );
    let remedy = "switch one of them off: keep the one away from the side that the sensor switches to";
    findings.push(Finding::error("both-pulls", circuit.name, message, remedy).with_sum(sum));
}

/// A pull on a terminal that is tied the other way.
fn check_tied(card: &Card, group: &InputGroup, findings: &mut Vec<Finding>) {
    let up = group.pull_up.filter(|pull| pull.on).map(|pull| ("pull-up", pull.value));
    let down = group.pull_down.filter(|pull| pull.on).map(|pull| ("pull-down", pull.value));
    let zero = group.tied_to_zero.iter().filter_map(|terminal| Some((terminal, "0 V", up?)));
    let plus = group.tied_to_plus.iter().filter_map(|terminal| Some((terminal, "plus", down?)));
    for (terminal, rail, (pull, value)) in zero.chain(plus) {
        let current = group.supply / value;
        let message = format!("its {pull} works against its tie to {rail} and only burns current");
        let sum = format!("{} / {value} = {current}", group.supply);
        let subject = format!("{}.{terminal}", card.name);
        let remedy = format!("switch the {pull} off there, or leave the terminal untied");
        findings.push(Finding::note("pull-wasted", &subject, message, &remedy).with_sum(sum));
    }
}

/// Terminals that nobody uses and nothing holds.
fn check_unused(card: &Card, group: &InputGroup, used: &HashSet<(&str, &str)>, findings: &mut Vec<Finding>) {
    let pulled = [group.pull_up, group.pull_down].into_iter().flatten().any(|pull| pull.on);
    if group.has_path() || pulled || group.mode != Mode::Digital {
        return;
    }
    let tied: HashSet<&String> = group.tied_to_zero.iter().chain(&group.tied_to_plus).collect();
    for terminal in &group.terminals {
        if used.contains(&(card.name.as_str(), terminal.as_str())) || tied.contains(terminal) {
            continue;
        }
        let subject = format!("{}.{terminal}", card.name);
        let message = "nothing is wired to it and nothing holds it: it floats, chatters and draws current".to_owned();
        let sum = format!("a pin without a pull stands anywhere between {} and {}", Volts(0.0), group.supply);
        let remedy = format!("tie it to 0 V over {}, or switch a pull on", Ohms(10e3));
        findings.push(Finding::warning("unused-floating", &subject, message, &remedy).with_sum(sum));
    }
}
