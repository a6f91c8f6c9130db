//! Pulls: two at once, one that only burns current, and terminals that nothing holds.

use super::WiringFinding;
use crate::wiring::Wiring;
use crate::wiring::card::{Card, InputGroup, Mode};
use reigen_core::finding::Finding;
use reigen_core::units::{Ohms, Volts};
use std::collections::HashSet;

/// Checks the pulls of all groups and the terminals that nobody uses.
pub(super) fn check(wiring: &Wiring, used: &HashSet<(&str, &str)>, found: &mut Vec<WiringFinding>) {
    for card in &wiring.cards {
        for group in &card.inputs {
            check_tied(card, group, found);
            check_unused(card, group, used, found);
        }
    }
}

/// Whether a terminal of the group floats while nothing is wired to it.
pub(super) fn floats_open(group: &InputGroup) -> bool {
    let pulled = [group.pull_up, group.pull_down].into_iter().flatten().any(|pull| pull.on);
    !group.has_path() && !pulled && group.mode == Mode::Digital && !group.reads_current()
}

/// A pull on a terminal that is tied the other way.
fn check_tied(card: &Card, group: &InputGroup, found: &mut Vec<WiringFinding>) {
    let up = group.pull_up.filter(|pull| pull.on).map(|pull| ("pull-up", pull.value));
    let down = group.pull_down.filter(|pull| pull.on).map(|pull| ("pull-down", pull.value));
    let zero = group.tied_to_zero.iter().filter_map(|terminal| Some((terminal, "0 V", up?)));
    let plus = group.tied_to_plus.iter().filter_map(|terminal| Some((terminal, "plus", down?)));
    for (terminal, rail, (pull, value)) in zero.chain(plus) {
        let current = group.supply.nominal / value;
        let message = format!("its {pull} works against its connection to {rail} and only draws current");
        let sum = format!("{} / {value} = {current}", group.supply);
        let subject = format!("{}.{terminal}", card.name);
        let remedy = format!("switch the {pull} off there, or disconnect the terminal");
        found.push(WiringFinding::plain(Finding::note("pull-wasted", &subject, message, &remedy).with_sum(sum)));
    }
}

/// Terminals that nobody uses and nothing holds.
fn check_unused(card: &Card, group: &InputGroup, used: &HashSet<(&str, &str)>, found: &mut Vec<WiringFinding>) {
    if !floats_open(group) {
        return;
    }
    let tied: HashSet<&String> = group.tied_to_zero.iter().chain(&group.tied_to_plus).collect();
    for terminal in &group.terminals {
        let taken = used.contains(&(card.name.as_str(), terminal.as_str())) || card.duty(terminal).is_some();
        if taken || tied.contains(terminal) {
            continue;
        }
        let subject = format!("{}.{terminal}", card.name);
        let message = "unused and without a pull resistor: it floats, chatters and draws current".to_owned();
        let sum = format!("a pin without a pull may be anywhere between {} and {}", Volts(0.0), group.supply);
        let remedy = format!("connect it to 0 V through {}, or switch a pull on", Ohms(10e3));
        found.push(WiringFinding::plain(Finding::warning("unused-floating", &subject, message, &remedy).with_sum(sum)));
    }
}
