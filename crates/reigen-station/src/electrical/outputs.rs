//! Outputs: side, voltage, current, and what a load does when it is switched.

use super::WiringFinding;
use super::circuit::Circuit;
use crate::sizing::series::Series;
use crate::wiring::Wiring;
use crate::wiring::card::{Card, Drives, OutputGroup, SwitchKind};
use crate::wiring::connection::{Load, LoadKind, Rail};
use crate::wiring::parts::RESISTOR_TOLERANCE;
use crate::wiring::place::{Group, Place};
use crate::wiring::range::Range;
use crate::wiring::supply::Supply;
use reigen_core::finding::{Finding, Remedy, RemedyPart};
use reigen_core::units::{Amperes, Ohms, Volts};

/// An output with a load on a terminal of a group.
struct Loaded<'a> {
    name: &'a str,
    load: Load,
    /// What feeds the load.
    supply: Supply,
    /// What it draws at most.
    current: Amperes,
    /// The resistance of its cable, there and back.
    cable: f64,
}

/// Checks all outputs, each and by groups.
pub(super) fn check(wiring: &Wiring, circuits: &[Circuit<'_>], found: &mut Vec<WiringFinding>) {
    for card in &wiring.cards {
        for group in &card.outputs {
            let loads: Vec<Loaded<'_>> = circuits.iter().filter_map(|circuit| loaded(circuit, card, group)).collect();
            for load in &loads {
                check_load(load, group, found);
            }
            check_voltages(card, group, &loads, found);
            check_sides(card, group, &loads, found);
            check_group_current(card, group, &loads, found);
        }
    }
}

fn loaded<'a>(circuit: &Circuit<'a>, card: &Card, group: &OutputGroup) -> Option<Loaded<'a>> {
    let Place { card: its_card, group: Group::Output(its_group), .. } = circuit.place? else { return None };
    let load = circuit.wired.load?;
    let here = its_card.name == card.name && its_group.name == group.name;
    let supply = load.supply.map_or(group.supply, |own| own.merged(&group.supply));
    let current = greatest_current(&load, &supply);
    here.then(|| Loaded { name: circuit.name, load, supply, current, cable: 2.0 * circuit.wired.wire_resistance() })
}

/// What a load draws at the greatest supply and, of a resistor, its least value.
fn greatest_current(load: &Load, supply: &Supply) -> Amperes {
    let worst = Load { resistance: load.resistance.map(|ohms| ohms * (1.0 - RESISTOR_TOLERANCE)), ..*load };
    worst.current(Volts(supply.range.most)).unwrap_or_default()
}

fn check_load(loaded: &Loaded<'_>, group: &OutputGroup, found: &mut Vec<WiringFinding>) {
    check_side(loaded, group, found);
    check_coil(loaded, group, found);
    check_current(loaded, group, found);
    check_lamp(loaded, group, found);
    check_led(loaded, found);
    check_drop(loaded, found);
    check_kind(loaded, group, found);
}

fn check_side(loaded: &Loaded<'_>, group: &OutputGroup, found: &mut Vec<WiringFinding>) {
    let (gives, rail, right) = match (group.drives, loaded.load.tied_to) {
        (Some(Drives::Sinking), Some(Rail::Zero)) => ("0 V", "0 V", "plus"),
        (Some(Drives::Sourcing), Some(Rail::Plus)) => ("plus", "plus", "0 V"),
        _ => return,
    };
    let message =
        format!("the output gives {gives}, but the other side of the load is tied to {rail}: no current flows");
    let sum = format!("{gives} − {rail} = 0 V across the load, on or off");
    let remedy = format!("tie the other side of the load to {right}");
    found.push(WiringFinding::plain(Finding::error("load-side", loaded.name, message, &remedy).with_sum(sum)));
}

/// AC and DC in one circuit.
fn check_kind(loaded: &Loaded<'_>, group: &OutputGroup, found: &mut Vec<WiringFinding>) {
    let (load, supply) = (&loaded.load, loaded.supply);
    let message = if supply.alternating != group.supply.alternating {
        let hint = if supply.alternating { "" } else { "; write \"230 V AC\" where it is AC" };
        format!("a load for {supply} on a group fed with {}{hint}", group.supply)
    } else if supply.alternating && group.kind == SwitchKind::Transistor {
        format!("a transistor switches DC, and the load is fed with {supply}")
    } else if supply.alternating && load.has_diode() {
        format!("a diode across a load fed with {supply} shorts every second half wave")
    } else {
        return;
    };
    let remedy = match supply.alternating && load.has_diode() && group.supply.alternating {
        true => "remove the diode, and fit an RC element or a varistor across the coil",
        false => "put the load on a group of its own kind of supply, or on a relay between",
    };
    found.push(WiringFinding::plain(Finding::error("ac-dc", loaded.name, message, remedy)));
}

fn check_coil(loaded: &Loaded<'_>, group: &OutputGroup, found: &mut Vec<WiringFinding>) {
    let (load, supply) = (&loaded.load, loaded.supply);
    if !load.kind.is_inductive() || load.suppressor.is_some() || load.diode {
        return;
    }
    let (code, message, remedy) = match supply.alternating {
        true => (
            "no-suppressor",
            "an AC coil without a suppressor drives a high voltage into the output each time it is switched off"
                .to_owned(),
            format!(
                "fit an RC element or a varistor for {supply} across the coil; then write suppressor = \"rc\" or \"varistor\""
            ),
        ),
        false => (
            "no-diode",
            "a coil without a diode drives a high voltage into the output each time it is switched off".to_owned(),
            format!(
                "fit a diode across the coil, cathode to plus, for {} and the coil's current; then write diode = true",
                supply.nominal * 2.0
            ),
        ),
    };
    let sum = "u = L · di/dt: hundreds of volts where the current stops at once".to_owned();
    let finding = match group.kind {
        SwitchKind::Transistor => Finding::error(code, loaded.name, message, &remedy),
        SwitchKind::Relay => Finding::warning(code, loaded.name, message, &remedy),
    };
    found.push(WiringFinding::plain(finding.with_sum(sum)));
}

fn check_current(loaded: &Loaded<'_>, group: &OutputGroup, found: &mut Vec<WiringFinding>) {
    let current = loaded.current;
    let Some(most) = group.current.filter(|most| current.0 > most.0 * (1.0 + 1e-9)) else { return };
    let message = format!("the load draws up to {current} from a terminal rated for {most}");
    let remedy = format!("fit a relay or a transistor for {current} between them");
    let sum = format!("{current} > {most}");
    found.push(WiringFinding::plain(Finding::error("terminal-overload", loaded.name, message, &remedy).with_sum(sum)));
}

/// A cold filament draws about ten times its current for about 10 ms.
const INRUSH: f64 = 10.0;
/// What an output bears for a moment where its data sheet states no peak.
const USUAL_PEAK: f64 = 4.0;

fn check_lamp(loaded: &Loaded<'_>, group: &OutputGroup, found: &mut Vec<WiringFinding>) {
    let peak = group.peak.or(group.current.map(|current| current * USUAL_PEAK));
    let inrush = loaded.current * INRUSH;
    let Some(peak) = peak.filter(|peak| loaded.load.kind == LoadKind::Lamp && inrush.0 > peak.0 * (1.0 + 1e-9)) else {
        return;
    };
    let message = format!("a cold lamp draws {inrush} for about 10 ms, and the terminal is rated for {peak}");
    let sum = match group.peak {
        Some(_) => format!("10 × {} = {inrush} > {peak}", loaded.current),
        None => format!("10 × {} = {inrush} > 4 × {}", loaded.current, peak * (1.0 / USUAL_PEAK)),
    };
    let remedy = format!("use an LED lamp, or a relay for {inrush} between them");
    let finding = match group.kind {
        SwitchKind::Transistor => Finding::error("lamp-inrush", loaded.name, message, &remedy),
        SwitchKind::Relay => Finding::warning("lamp-inrush", loaded.name, message, &remedy),
    };
    found.push(WiringFinding::plain(finding.with_sum(sum)));
}

/// What an LED is taken to be where its data sheet is not stated.
const USUAL_FORWARD: Volts = Volts(2.0);
const USUAL_LED_CURRENT: Amperes = Amperes(0.01);

fn check_led(loaded: &Loaded<'_>, found: &mut Vec<WiringFinding>) {
    let (load, supply) = (&loaded.load, loaded.supply);
    if load.kind != LoadKind::Led || supply.alternating {
        return;
    }
    let forward = load.forward.unwrap_or(USUAL_FORWARD);
    if supply.range.least <= forward.0 {
        let message =
            format!("an LED of {forward} on a supply that may fall to {}: it stays dark", Volts(supply.range.least));
        let remedy = format!("feed it with more than {forward}, or use an LED with a lower forward voltage");
        let sum = format!("{} ≤ {forward}", Volts(supply.range.least));
        found.push(WiringFinding::plain(Finding::error("led-dark", loaded.name, message, &remedy).with_sum(sum)));
        return;
    }
    let most = load.current.unwrap_or(USUAL_LED_CURRENT);
    let across = Volts(supply.range.most - forward.0);
    let (message, sum) = match load.resistance {
        None => (
            "an LED without a resistor: nothing bounds its current".to_owned(),
            format!("{} − {forward} = {across} across nothing but the LED", Volts(supply.range.most)),
        ),
        Some(_) if load.current.is_none() || loaded.current.0 <= most.0 * (1.0 + 1e-9) => return,
        Some(resistance) => (
            format!("up to {} through an LED rated for {most}", loaded.current),
            format!("({} − {forward}) / ({resistance} − 5 %) = {}", Volts(supply.range.most), loaded.current),
        ),
    };
    // At the greatest supply and the least resistor; a series value above, so that it does not lie on the limit.
    let exact = across.0 / most.0 / (1.0 - RESISTOR_TOLERANCE);
    let resistor = Ohms(Series::E24.above(exact * 1.0001));
    let change = format!("fit {resistor} in series with the LED");
    let mended = Load { resistance: Some(resistor), ..*load };
    let holds = greatest_current(&mended, &supply).0 <= most.0;
    let finding = Finding::error("led-current", loaded.name, message, &change).with_sum(sum);
    let part = RemedyPart { series: Some(resistor.0), ..RemedyPart::default() };
    let remedy = Remedy { change, parts: vec![part], least_v: None, greatest_v: None };
    let mut told = WiringFinding::plain(finding);
    told.finding.remedies = Some(if holds { vec![remedy] } else { Vec::new() });
    found.push(told);
}

/// A load at the end of a cable that loses too much.
fn check_drop(loaded: &Loaded<'_>, found: &mut Vec<WiringFinding>) {
    let (supply, lost) = (loaded.supply.nominal, loaded.current * Ohms(loaded.cable.max(1e-12)));
    let share = lost.0 / supply.0;
    if loaded.cable <= 0.0 || share <= 0.1 * (1.0 + 1e-9) {
        return;
    }
    let message = format!("the cable loses {lost} of {supply}, more than 10 %");
    let sum = format!("{} × {} = {lost}, {:.0} % of {supply}", loaded.current, Ohms(loaded.cable), share * 100.0);
    let remedy = format!(
        "use a cable of {:.1} times the cross-section, or switch the load near its place by a relay",
        (share / 0.1 * 1.05).max(1.1)
    );
    found.push(WiringFinding::plain(Finding::warning("load-drop", loaded.name, message, &remedy).with_sum(sum)));
}

/// One common has one voltage.
fn check_voltages(card: &Card, group: &OutputGroup, loads: &[Loaded<'_>], found: &mut Vec<WiringFinding>) {
    for loaded in loads {
        let own = loaded.load.supply;
        let Some(supply) = own.filter(|own| !own.is_same(&group.supply) && own.alternating == group.supply.alternating)
        else {
            continue;
        };
        let subject = format!("{}.{}", card.name, group.name);
        let message = format!("`{}` needs {supply}, and the group's common carries {}", loaded.name, group.supply);
        let sum = format!("one common, two voltages: {supply} and {}", group.supply);
        let remedy = "put it on a group of its own, or on a relay between";
        found.push(WiringFinding::plain(Finding::error("group-voltages", &subject, message, remedy).with_sum(sum)));
    }
}

/// The common of a relay group is on one side of all its loads.
fn check_sides(card: &Card, group: &OutputGroup, loads: &[Loaded<'_>], found: &mut Vec<WiringFinding>) {
    let on = |side: Rail| loads.iter().find(|loaded| loaded.load.tied_to == Some(side));
    let (SwitchKind::Relay, Some(plus), Some(zero)) = (group.kind, on(Rail::Plus), on(Rail::Zero)) else { return };
    let subject = format!("{}.{}", card.name, group.name);
    let message = format!(
        "`{}` is tied to plus and `{}` to 0 V: the relays share one common, which can be on one side only",
        plus.name, zero.name
    );
    let sum =
        "a common at plus leaves a load that is tied to plus without current, and one at 0 V the other".to_owned();
    let remedy = "tie all loads of the group to one side, or use another group for those on the other side";
    found.push(WiringFinding::plain(Finding::error("group-sides", &subject, message, remedy).with_sum(sum)));
}

fn check_group_current(card: &Card, group: &OutputGroup, loads: &[Loaded<'_>], found: &mut Vec<WiringFinding>) {
    let sum: Amperes = loads.iter().fold(Amperes(0.0), |sum, loaded| sum + loaded.current);
    let Some(most) = group.group_current.filter(|most| sum.0 > most.0 * (1.0 + 1e-9)) else { return };
    let parts: Vec<String> = loads.iter().map(|loaded| format!("{} for {}", loaded.current, loaded.name)).collect();
    let subject = format!("{}.{}", card.name, group.name);
    let message = format!("all loads together draw up to {sum} from a group rated for {most}");
    let remedy = format!("move {} or more of it to another group", sum - most);
    let finding = Finding::error("group-overload", &subject, message, &remedy);
    found.push(WiringFinding::plain(finding.with_sum(format!("{} = {sum}", parts.join(" + ")))));
}

/// The voltage at an output's terminal while it is on, for the terminal list.
pub(super) fn level(group: &OutputGroup) -> Option<Range> {
    Some(match group.drives? {
        Drives::Sourcing => group.supply.range,
        Drives::Sinking => Range::exact(0.0),
    })
}
