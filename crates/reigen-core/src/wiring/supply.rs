//! What feeds the sensors: each within its range, and all together within what the supply gives.

use super::card::Card;
use super::sensor::{Drive, Sensor};
use super::{Circuit, Wiring};
use crate::finding::Finding;
use crate::units::{Amperes, Volts};

/// Checks the voltage that comes to one sensor.
pub(super) fn check(circuit: &Circuit<'_>, findings: &mut Vec<Finding>) {
    let (Some(sensor), Some(place)) = (circuit.sensor, circuit.place) else { return };
    let Some([least, most]) = sensor.supply else { return };
    let (idle, loaded) = circuit.wired.parts.supply.map_or(place.card.feed(), |supply| (supply, supply));
    let lost = Volts(sensor.current.0 * circuit.wired.cable_resistance());
    let arrives = loaded - lost;
    if arrives < least {
        let message = format!("{arrives} come to a sensor that needs {least} or more");
        let sum = format!("{loaded} at full load − {} × cable = {arrives}", sensor.current);
        let remedy = format!("feed it with {} or more, or take a thicker or shorter cable", least + lost);
        findings.push(Finding::error("supply-low", circuit.name, message, &remedy).with_sum(sum));
    }
    if idle > most {
        let message = format!("{idle} come to a sensor that bears {most}");
        let sum = format!("{idle} without load, against {most}");
        let remedy = format!("feed it with {least} to {most}");
        findings.push(Finding::error("supply-high", circuit.name, message, &remedy).with_sum(sum));
    }
}

/// Checks each card's sensor supply against all that it feeds.
pub(super) fn check_sums(wiring: &Wiring, circuits: &[Circuit<'_>], findings: &mut Vec<Finding>) {
    for card in &wiring.cards {
        let Some(most) = card.sensor_supply.and_then(|supply| supply.current) else { continue };
        let fed = circuits.iter().filter(|circuit| {
            circuit.place.is_some_and(|place| place.card.name == card.name) && circuit.wired.parts.supply.is_none()
        });
        let parts: Vec<(&str, Amperes)> =
            fed.filter_map(|circuit| Some((circuit.name, draws(circuit, circuit.sensor?, card)))).collect();
        let sum: Amperes = parts.iter().fold(Amperes(0.0), |sum, (_, current)| sum + *current);
        if sum <= most {
            continue;
        }
        let words: Vec<String> = parts
            .iter()
            .filter(|(_, current)| current.0 > 0.0)
            .map(|(name, current)| format!("{current} for {name}"))
            .collect();
        let message = format!("the sensors draw {sum} of a supply that gives {most}");
        let remedy = format!("a supply of its own for {} or more of it", sum - most);
        let sum = format!("{} = {sum}", words.join(" + "));
        findings.push(Finding::error("supply-overload", &card.name, message, &remedy).with_sum(sum));
    }
}

/// What a sensor draws: for itself, and for the input where it gives plus.
fn draws(circuit: &Circuit<'_>, sensor: &Sensor, card: &Card) -> Amperes {
    let gives_plus = matches!(sensor.output.drive(), Drive::Plus | Drive::Both | Drive::Switch);
    let group = circuit.inputs().map(|(_, group)| group).filter(|_| gives_plus);
    let input = group.and_then(|group| {
        let by_resistance = group.resistance.map(|resistance| card.feed().0 / resistance);
        group.current.or(by_resistance).or(group.limits().map(|limits| limits.most_current))
    });
    let signal = sensor.signal.filter(|signal| signal.is_current()).map(|signal| Amperes(signal.ends().1));
    sensor.current + input.or(signal).unwrap_or_default()
}
