//! Outputs: side, voltage, current, and the kick of a coil.

use super::card::{Card, Drives, OutputGroup, SwitchKind};
use super::connection::{Load, Rail};
use super::{Circuit, Group, Place, Wiring};
use crate::finding::Finding;
use crate::units::{Amperes, Volts};

/// An output with a load on a terminal of a group.
type Loaded<'a> = (&'a str, Load, Amperes);

/// Checks all outputs, each and by groups.
pub(super) fn check(wiring: &Wiring, circuits: &[Circuit<'_>], findings: &mut Vec<Finding>) {
    for card in &wiring.cards {
        for group in &card.outputs {
            let loads: Vec<Loaded<'_>> = circuits.iter().filter_map(|circuit| loaded(circuit, card, group)).collect();
            for (name, load, current) in &loads {
                check_side(name, load, group, findings);
                check_coil(name, load, group, findings);
                check_current(name, *current, group, findings);
            }
            check_voltages(card, group, &loads, findings);
            check_group_current(card, group, &loads, findings);
        }
    }
}

fn loaded<'a>(circuit: &Circuit<'a>, card: &Card, group: &OutputGroup) -> Option<Loaded<'a>> {
    let Place { card: its_card, group: Group::Output(its_group), .. } = circuit.place? else { return None };
    let load = circuit.wired.load?;
    let supply = load.supply.unwrap_or(group.supply);
    let here = its_card.name == card.name && its_group.name == group.name;
    here.then(|| (circuit.name, load, load.current(supply).unwrap_or_default()))
}

fn check_side(name: &str, load: &Load, group: &OutputGroup, findings: &mut Vec<Finding>) {
    let (gives, rail, right) = match (group.drives, load.tied_to) {
        (Some(Drives::Sinking), Some(Rail::Zero)) => ("0 V", "0 V", "plus"),
        (Some(Drives::Sourcing), Some(Rail::Plus)) => ("plus", "plus", "0 V"),
        _ => return,
    };
    let message = format!("the output gives {gives}, and the load's other side is tied to {rail}: no current flows");
    let sum = format!("{gives} − {rail} = 0 V across the load, on or off");
    let remedy = format!("tie the load's other side to {right}");
    findings.push(Finding::error("load-side", name, message, &remedy).with_sum(sum));
}

fn check_coil(name: &str, load: &Load, group: &OutputGroup, findings: &mut Vec<Finding>) {
    if !load.kind.is_inductive() || load.diode {
        return;
    }
    let supply = load.supply.unwrap_or(group.supply);
    let message =
        "a coil without a diode drives a high voltage into the output each time it is switched off".to_owned();
    let sum = "u = L · di/dt: hundreds of volts where the current stops at once".to_owned();
    let remedy = format!(
        "a diode across the coil, cathode to plus, for {} and the coil's current; then diode = true",
        supply * 2.0
    );
    let finding = match group.kind {
        SwitchKind::Transistor => Finding::error("no-diode", name, message, &remedy),
        SwitchKind::Relay => Finding::warning("no-diode", name, message, &remedy),
    };
    findings.push(finding.with_sum(sum));
}

fn check_current(name: &str, current: Amperes, group: &OutputGroup, findings: &mut Vec<Finding>) {
    let Some(most) = group.current.filter(|most| current > *most) else { return };
    let message = format!("the load draws {current} from a terminal that gives {most}");
    let remedy = format!("a relay or a transistor for {current} between them");
    findings.push(Finding::error("terminal-overload", name, message, &remedy).with_sum(format!("{current} > {most}")));
}

/// One common has one voltage.
fn check_voltages(card: &Card, group: &OutputGroup, loads: &[Loaded<'_>], findings: &mut Vec<Finding>) {
    for (name, load, _) in loads {
        let Some(supply) = load.supply.filter(|supply| *supply != group.supply) else { continue };
        let subject = format!("{}.{}", card.name, group.name);
        let message = format!("`{name}` wants {supply}, and the group's common carries {}", group.supply);
        let sum = format!("one common, two voltages: {supply} and {}", group.supply);
        let remedy = "put it on a group of its own, or on a relay between".to_owned();
        findings.push(Finding::error("group-voltages", &subject, message, &remedy).with_sum(sum));
    }
}

fn check_group_current(card: &Card, group: &OutputGroup, loads: &[Loaded<'_>], findings: &mut Vec<Finding>) {
    let sum: Amperes = loads.iter().fold(Amperes(0.0), |sum, (_, _, current)| sum + *current);
    let Some(most) = group.group_current.filter(|most| sum > *most) else { return };
    let parts: Vec<String> = loads.iter().map(|(name, _, current)| format!("{current} for {name}")).collect();
    let subject = format!("{}.{}", card.name, group.name);
    let message = format!("all loads together draw {sum} of a group that gives {most}");
    let remedy = format!("move {} or more of it to another group", sum - most);
    let finding = Finding::error("group-overload", &subject, message, &remedy);
    findings.push(finding.with_sum(format!("{} = {sum}", parts.join(" + "))));
}

/// The voltage at an output's terminal while it is on, for the terminal list.
pub(super) fn level(group: &OutputGroup) -> Option<Volts> {
    Some(match group.drives? {
        Drives::Sourcing => group.supply,
        Drives::Sinking => Volts(0.0),
    })
}
