//! Times: pulses against filters, debounce and bounce.

use super::WiringFinding;
use super::circuit::Circuit;
use crate::station::{Point, Station};
use crate::wiring::connection::ReadAs;
use crate::wiring::sensor::{OutputKind, Sensor};
use reigen_core::finding::Finding;
use reigen_core::units::{Hertz, Seconds};
use std::collections::HashMap;

/// How fast the pulses of a circuit can get.
#[derive(Debug, Clone)]
pub(super) struct Pulses {
    frequency: Option<Hertz>,
    /// The shortest stretch that must be seen.
    pub(super) shortest: Option<Seconds>,
    /// How the figures came about.
    pub(super) sum: String,
    quadrature: bool,
}

impl Pulses {
    pub(super) fn of(circuit: &Circuit<'_>) -> Self {
        let sensor = circuit.sensor.as_deref();
        let pulses_per_rev = sensor.and_then(|sensor| sensor.pulses_per_rev).unwrap_or(1.0);
        let share = sensor.map_or(0.5, |sensor| sensor.pulse_share);
        let quadrature = sensor.is_some_and(|sensor| sensor.quadrature);
        let frequency = circuit.wired.fastest.map(|speed| speed.pulses(pulses_per_rev));
        // Two channels a quarter of a period apart must be told apart too.
        let part = if quadrature { 0.25 } else { share };
        let by_speed = frequency.map(|frequency| Seconds(part / frequency.0));
        let hold = sensor.and_then(|sensor| sensor.shortest_hold);
        let stated = circuit.wired.shortest_pulse;
        let shortest =
            [by_speed, hold, stated].into_iter().flatten().reduce(|one, other| if one < other { one } else { other });
        let sum = match (circuit.wired.fastest, frequency, by_speed) {
            (Some(speed), Some(frequency), Some(time)) if shortest == by_speed => {
                let times = if pulses_per_rev == 1.0 {
                    String::new()
                } else {
                    format!(" × {pulses_per_rev} pulses a revolution")
                };
                format!("{speed}{times} = {frequency}, so {time} from edge to edge")
            }
            _ => shortest.map_or(String::new(), |time| format!("the shortest pulse is {time}")),
        };
        Self { frequency, shortest, sum, quadrature }
    }
}

/// For each point that another one counts, or does something at each edge of: the first that does.
pub(super) type BounceVictims<'a> = HashMap<&'a str, &'a Point>;

/// What bounce would spoil.
pub(super) fn spoiled(station: &Station) -> BounceVictims<'_> {
    let mut spoiled = HashMap::new();
    for point in &station.points {
        let keys = point.kind.bounce_keys();
        for (_, bit) in point.kind.expressions().into_iter().filter(|(key, _)| keys.contains(key)) {
            for name in bit.points() {
                spoiled.entry(name).or_insert(point);
            }
        }
    }
    spoiled
}

/// Checks one circuit's times.
pub(super) fn check(
    circuit: &Circuit<'_>,
    pulses: &Pulses,
    station: &Station,
    spoiled: &BounceVictims<'_>,
    found: &mut Vec<WiringFinding>,
) {
    check_filter(circuit, pulses, found);
    check_sensor(circuit, pulses, found);
    check_scan(circuit, pulses, station, found);
    check_debounce(circuit, pulses, found);
    check_counted(circuit, spoiled, found);
}

/// Pulses that the terminal does not let through.
fn check_filter(circuit: &Circuit<'_>, pulses: &Pulses, found: &mut Vec<WiringFinding>) {
    let Some((_, group)) = circuit.inputs() else { return };
    let code = |plain: &'static str| if pulses.quadrature { "encoder-too-fast" } else { plain };
    if let (Some(filter), Some(shortest)) = (group.filter, pulses.shortest)
        && shortest <= filter
    {
        let message = format!("pulses of {shortest} do not pass a filter of {filter}");
        let sum = format!("{}; {shortest} ≤ {filter}", pulses.sum);
        let remedy = format!("set the filter below {shortest}, or use a fast terminal");
        found.push(WiringFinding::plain(
            Finding::error(code("filter-too-slow"), circuit.name, message, &remedy).with_sum(sum),
        ));
    }
    if let (Some(most), Some(frequency)) = (group.highest_frequency, pulses.frequency)
        && frequency > most
    {
        let message = format!("{frequency} at a terminal rated for {most}");
        let sum = format!("{}; {frequency} > {most}", pulses.sum);
        let remedy = format!("use a terminal for {frequency} or more, or fewer pulses a revolution");
        found.push(WiringFinding::plain(
            Finding::error(code("frequency-too-high"), circuit.name, message, &remedy).with_sum(sum),
        ));
    }
}

/// Pulses that come and go between two readings of the scan.
fn check_scan(circuit: &Circuit<'_>, pulses: &Pulses, station: &Station, found: &mut Vec<WiringFinding>) {
    let ReadAs::Input { catches, .. } = circuit.wired.read_as else { return };
    let Some(period) = station.scan.map(|scan| Seconds(scan.period.0 as f64 / 1e9)) else { return };
    let Some(shortest) = pulses.shortest.filter(|shortest| *shortest < period && !catches) else { return };
    let code = if pulses.quadrature { "encoder-too-fast" } else { "scan-too-slow" };
    let message = format!("pulses of {shortest} come and go within a scan of {period}");
    let sum = format!("{}; {:.0} % of them fall between two readings", pulses.sum, (1.0 - shortest / period) * 100.0);
    let remedy = format!("use a scan of {shortest} or less, catch = true, or a counter input that needs no scan");
    found.push(WiringFinding::plain(Finding::error(code, circuit.name, message, &remedy).with_sum(sum)));
}

/// Pulses that the sensor itself does not follow.
fn check_sensor(circuit: &Circuit<'_>, pulses: &Pulses, found: &mut Vec<WiringFinding>) {
    let most = circuit.sensor.as_deref().and_then(|sensor| sensor.highest_frequency);
    if let (Some(most), Some(frequency)) = (most, pulses.frequency)
        && frequency > most
    {
        let message = format!("{frequency} from a sensor rated for {most}");
        let remedy = format!("use a sensor for {frequency} or more, or fewer marks");
        let sum = format!("{}; {frequency} > {most}", pulses.sum);
        found.push(WiringFinding::plain(
            Finding::error("sensor-too-slow", circuit.name, message, &remedy).with_sum(sum),
        ));
    }
}

/// A debounce that swallows pulses, or that is shorter than the bounce.
fn check_debounce(circuit: &Circuit<'_>, pulses: &Pulses, found: &mut Vec<WiringFinding>) {
    let ReadAs::Input { debounce: Some(times), .. } = &circuit.wired.read_as else { return };
    let [shorter, longer] =
        [times.on.0.min(times.off.0), times.on.0.max(times.off.0)].map(|time| Seconds(time as f64 / 1e9));
    if let Some(shortest) = pulses.shortest.filter(|shortest| *shortest < longer) {
        let touch = circuit.sensor.as_deref().is_some_and(|sensor| sensor.output == OutputKind::Touch);
        let code = if touch { "touch-hold-too-short" } else { "debounce-too-long" };
        let message = format!("a debounce of {longer} swallows pulses of {shortest}");
        let sum = format!("{}; {shortest} < {longer}", pulses.sum);
        let remedy = format!("use a debounce below {shortest}");
        found.push(WiringFinding::plain(Finding::error(code, circuit.name, message, &remedy).with_sum(sum)));
    }
    if let Some(bounce) = circuit.sensor.as_deref().and_then(|sensor| sensor.bounce).filter(|bounce| *bounce > shorter)
    {
        let message = format!("the sensor bounces for up to {bounce}, and the debounce is {shorter}");
        let sum = format!("{shorter} < {bounce}: one actuation can count several times");
        let remedy = format!("use a debounce of {bounce} or more");
        found.push(WiringFinding::plain(
            Finding::warning("debounce-too-short", circuit.name, message, &remedy).with_sum(sum),
        ));
    }
}

/// A contact whose bounce would spoil what reads it: counts, toggles, one-shots, blinking, zeros.
fn check_counted(circuit: &Circuit<'_>, spoiled: &BounceVictims<'_>, found: &mut Vec<WiringFinding>) {
    let ReadAs::Input { debounce: None, .. } = &circuit.wired.read_as else { return };
    let Some(sensor) = circuit.sensor.as_deref().filter(|sensor| sensor.output.is_mechanical()) else { return };
    let Some(user) = spoiled.get(circuit.name) else { return };
    if hidden_by_filter(circuit, sensor) {
        return;
    }
    // What a contact bounces where nothing is said; a good button's figure.
    let usual = Seconds(0.005);
    let bounce = sensor.bounce.unwrap_or(usual);
    let message = format!(
        "`{}` ({}) works on the edges of a contact that bounces, without debounce",
        user.name,
        user.kind.what()
    );
    let sum = format!("{} may bounce for {bounce}, and each bounce is an edge", sensor.output.words());
    let remedy = format!("debounce = {{ method = \"stable\", time = \"{}\" }}", bounce * 1.5);
    found.push(WiringFinding::plain(
        Finding::warning("contact-not-debounced", circuit.name, message, &remedy).with_sum(sum),
    ));
}

/// Whether the card's own filter outlasts the bounce.
fn hidden_by_filter(circuit: &Circuit<'_>, sensor: &Sensor) -> bool {
    let filter = circuit.inputs().and_then(|(_, group)| group.filter);
    matches!((filter, sensor.bounce), (Some(filter), Some(bounce)) if filter >= bounce)
}
