//! The list to wire from: every end of every wire, sorted by cable.

use super::circuit::Circuit;
use super::feed::CircuitSummary;
use super::solved::Summary;
use crate::sizing::rating;
use crate::station::Station;
use crate::table::Description;
use crate::wiring::Wiring;
use crate::wiring::card::{Common, SwitchKind};
use crate::wiring::chain::ChainSignal;
use crate::wiring::connection::{Load, LoadKind, Rail, ReadAs};
use crate::wiring::names::NameIndex;
use crate::wiring::parts::{Part, PartKind};
use crate::wiring::place::{Group, Place};
use crate::wiring::sensor::{OutputKind, Sensor};
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::units::{Metres, Watts};
use serde::Serialize;
use std::collections::{HashMap, HashSet};

/// One wire: from a device's pin to a terminal, a common or a supply.
#[derive(Debug, Default, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct WireRow {
    /// Its number: the cable's, and its own within it; `null` for terminals that nothing is wired to.
    pub wire: Option<String>,
    /// The cable.
    pub cable: Option<String>,
    /// Its length in metres.
    pub cable_m: Option<Metres>,
    /// The device that it comes from.
    pub device: String,
    /// The device's pin, with its colour by IEC 60947-5-2.
    pub pin: String,
    /// The terminal, common or supply that it goes to.
    pub to: String,
    /// What stands in it, with values and power ratings.
    pub through: Vec<String>,
    /// The points that look at it.
    pub points: Vec<String>,
    /// The address in the controller.
    pub address: Option<String>,
    /// What it does.
    pub function: String,
    /// What a person has written beside it.
    pub remark: Option<String>,
}

/// All wires of a station.
pub(super) fn list(station: &Station, named: &NameIndex<'_>, circuits: &[CircuitSummary<'_, '_>]) -> Vec<WireRow> {
    let described = descriptions(station);
    let mut rows = Rows { rows: Vec::new(), cables: HashMap::new(), described };
    let mut done = HashSet::new();
    // Points that look at one terminal are one wire.
    let mut at: HashMap<(&str, &str), Vec<&Circuit<'_>>> = HashMap::new();
    for (circuit, _) in circuits {
        if let Some(place) = circuit.place {
            at.entry(place.key()).or_default().push(circuit);
        }
    }
    for (circuit, summary) in circuits {
        let Some(place) = circuit.place else { continue };
        if done.insert(place.key()) {
            let points: Vec<&str> = at.get(&place.key()).into_iter().flatten().map(|circuit| circuit.name).collect();
            rows.point((circuit, summary), place, &points);
        }
    }
    rows.chains(station, named, &mut done);
    rows.rows.sort_by_key(|(cable, _)| *cable);
    let mut rows: Vec<WireRow> = rows.rows.into_iter().map(|(_, row)| row).collect();
    rows.extend(card_rows(&station.wiring, &done));
    rows
}

fn descriptions(station: &Station) -> HashMap<&str, &Description> {
    let points = station.points.iter().map(|point| (point.name.as_str(), &point.described));
    points.chain(station.wiring.unread.iter().map(|unread| (unread.name.as_str(), &unread.described))).collect()
}

/// The rows so far, each with the number of its cable.
struct Rows<'a> {
    rows: Vec<(usize, WireRow)>,
    /// The number of each device's cable, and how many wires it has.
    cables: HashMap<String, (usize, usize)>,
    described: HashMap<&'a str, &'a Description>,
}

/// What all wires of one device share.
struct Cable<'a> {
    device: &'a str,
    length: Metres,
    points: &'a [&'a str],
    function: String,
}

impl<'a> Cable<'a> {
    fn of_chain(device: &'a str, function: &str, length: Metres, points: &'a [&'a str]) -> Self {
        Self { device, length, points, function: function.to_owned() }
    }
}

impl Rows<'_> {
    fn add(&mut self, cable: &Cable<'_>, pin: &str, to: String, through: Vec<String>) {
        let next = self.cables.len() + 1;
        let (number, wires) = self.cables.entry(cable.device.to_owned()).or_insert((next, 0));
        *wires += 1;
        let described = cable.points.iter().filter_map(|point| self.described.get(point));
        let row = WireRow {
            wire: Some(format!("W{number}.{wires}")),
            cable: Some(format!("W{number}")),
            cable_m: Some(cable.length).filter(|length| length.0 > 0.0),
            device: cable.device.to_owned(),
            pin: pin.to_owned(),
            to,
            through,
            points: cable.points.iter().map(|point| (*point).to_owned()).collect(),
            address: described.clone().find_map(|described| described.address.clone()),
            function: cable.function.clone(),
            remark: described.clone().find_map(|described| described.remark.clone()),
        };
        self.rows.push((*number, row));
    }

    /// The wires of one point's device.
    fn point(&mut self, (circuit, summary): CircuitSummary<'_, '_>, place: Place<'_>, points: &[&str]) {
        let device = circuit.wired.device.as_deref().unwrap_or(circuit.name);
        let cable = Cable { device, length: circuit.wired.cable, points, function: function(circuit) };
        match (&circuit.wired.load, circuit.sensor.is_some() && circuit.group.is_some()) {
            (Some(load), _) => self.load(&cable, load, place),
            (None, true) => self.sensor(&cable, (circuit, summary), place),
            (None, false) => self.add(&cable, "", place.full_name(), Vec::new()),
        }
    }

    fn sensor(&mut self, cable: &Cable<'_>, (circuit, summary): CircuitSummary<'_, '_>, place: Place<'_>) {
        let (Some(sensor), Some(group)) = (circuit.sensor.as_deref(), circuit.group.as_deref()) else { return };
        let known = self.cables.contains_key(cable.device);
        let card = place.card.name.as_str();
        let feed = circuit.feed().map_or_else(String::new, |feed| format!("{card}: plus {feed}"));
        let zero = format!("{card}: 0 V");
        let (contact, to_plus) = contact_and_side(circuit);
        let pins = pins(sensor, contact);
        let through = through(circuit, summary);
        let terminal = place.full_name();
        if group.reads_current() {
            self.add(cable, &pins.plus, terminal, through);
            return self.add(cable, &pins.out, format!("{card}: common of {}", group.name), Vec::new());
        }
        let two_wires =
            sensor.output.is_mechanical() || matches!(sensor.output, OutputKind::TwoWire | OutputKind::CurrentLoop);
        match (two_wires, to_plus) {
            (true, true) => {
                if !known || !sensor.output.is_mechanical() || sensor.output != OutputKind::Changeover {
                    self.add(cable, &pins.plus, feed, Vec::new());
                }
                self.add(cable, &pins.out, terminal, through);
            }
            (true, false) => {
                self.add(cable, &pins.plus, terminal, through);
                self.add(cable, &pins.out, zero, Vec::new());
            }
            (false, _) => {
                // A device with several outputs is fed once.
                if !known {
                    self.add(cable, &pins.plus, feed, Vec::new());
                    self.add(cable, &pins.zero, zero, Vec::new());
                }
                self.add(cable, &pins.out, terminal, through);
            }
        }
    }

    fn load(&mut self, cable: &Cable<'_>, load: &Load, place: Place<'_>) {
        let Group::Output(group) = place.group else { return };
        let [first, second] = match load.kind {
            LoadKind::Lamp => ["X1", "X2"],
            LoadKind::RelayCoil | LoadKind::Solenoid => ["A1", "A2"],
            LoadKind::Led => ["anode", "cathode"],
            LoadKind::Resistor => ["1", "2"],
        };
        let supply = load.supply.unwrap_or(group.supply);
        let (card, side) = (place.card.name.as_str(), load.tied_to.unwrap_or(Rail::Zero));
        let rail = if side == Rail::Plus { format!("{card}: plus {supply}") } else { format!("{card}: 0 V") };
        let resistor = load.resistance.filter(|_| load.kind == LoadKind::Led).map(|value| {
            let watts = load.current(supply.nominal).map(|current| Watts(current.0 * current.0 * value.0));
            with_rating(&format!("{value} in series"), watts, None)
        });
        let through: Vec<String> = resistor.into_iter().collect();
        let (to_terminal, to_rail) = if side == Rail::Plus { (second, first) } else { (first, second) };
        self.add(cable, to_terminal, place.full_name(), through);
        self.add(cable, to_rail, rail, Vec::new());
    }

    /// The wires of shift-register chains: load, clock and inhibit to all registers, data from one to the next.
    fn chains<'a>(&mut self, station: &'a Station, named: &NameIndex<'a>, done: &mut HashSet<(&'a str, &'a str)>) {
        for point in &station.points {
            let Some(chain) = point.kind.chain() else { continue };
            let points = [point.name.as_str()];
            let register = |number: usize| format!("{} register {number}", point.name);
            let first = register(1);
            for (signal, terminal) in chain.signals() {
                let Some(place) = named.places(terminal.get_ref()).next() else { continue };
                done.insert(place.key());
                let pin = if signal == ChainSignal::Data { "serial out" } else { signal.word() };
                self.add(
                    &Cable::of_chain(&first, &format!("chain {}", signal.word()), chain.cable, &points),
                    pin,
                    place.full_name(),
                    Vec::new(),
                );
                if signal != ChainSignal::Data {
                    for number in 2..=chain.registers {
                        let device = register(number);
                        let to = format!("{} {}", register(number - 1), signal.word());
                        self.add(
                            &Cable::of_chain(&device, &format!("chain {}", signal.word()), Metres(0.0), &points),
                            signal.word(),
                            to,
                            Vec::new(),
                        );
                    }
                }
            }
            for number in 2..=chain.registers {
                let (device, to) = (register(number), format!("{} serial in", register(number - 1)));
                self.add(
                    &Cable::of_chain(&device, "chain cascade", Metres(0.0), &points),
                    "serial out",
                    to,
                    Vec::new(),
                );
            }
            // The serial input of the last one must not float.
            let last = register(chain.registers.max(1));
            self.add(
                &Cable::of_chain(&last, "end of the chain", Metres(0.0), &points),
                "serial in",
                "0 V".to_owned(),
                Vec::new(),
            );
            let supply = chain.supply.map(|supply| format!("plus {supply}"));
            for number in 1..=chain.registers.max(1) {
                let device = register(number);
                let length = if number == 1 { chain.cable } else { Metres(0.0) };
                let cable = Cable::of_chain(&device, "supply of the registers", length, &points);
                // All registers are on one supply, each by the one before it.
                let before = |pin: &str| format!("{} {pin}", register(number - 1));
                let plus = supply.as_ref().map(|plus| if number == 1 { plus.clone() } else { before("plus") });
                if let Some(plus) = plus {
                    self.add(&cable, "plus", plus, Vec::new());
                    self.add(&cable, "0 V", if number == 1 { "0 V".to_owned() } else { before("0 V") }, Vec::new());
                }
            }
        }
    }
}

/// The pins of a sensor for people.
struct PinNames {
    plus: String,
    zero: String,
    out: String,
}

/// Pins and colours by IEC 60947-5-2, contacts by EN 50013, where the sensor does not say otherwise.
fn pins(sensor: &Sensor, contact: Contact) -> PinNames {
    let opens = contact == Contact::NormallyClosed;
    let (plus, out) = match sensor.output {
        OutputKind::Contact | OutputKind::Reed => {
            if opens {
                ("11", "12")
            } else {
                ("13", "14")
            }
        }
        OutputKind::Changeover => {
            if opens {
                ("11", "12")
            } else {
                ("11", "14")
            }
        }
        OutputKind::Iec60947Part5Section6 => ("1 BN", "3 BU"),
        _ => {
            if opens {
                ("1 BN", "2 WH")
            } else {
                ("1 BN", "4 BK")
            }
        }
    };
    let own = |own: &Option<String>, usual: &str| own.clone().unwrap_or_else(|| usual.to_owned());
    PinNames {
        plus: own(&sensor.pins.plus, plus),
        zero: own(&sensor.pins.zero, "3 BU"),
        out: own(&sensor.pins.out, out),
    }
}

fn contact_and_side(circuit: &Circuit<'_>) -> (Contact, bool) {
    match &circuit.wired.read_as {
        ReadAs::Input { contact, asserted, .. } => (*contact, *asserted == Asserted::High),
        _ => (Contact::NormallyOpen, true),
    }
}

/// What the wire does, in words.
fn function(circuit: &Circuit<'_>) -> String {
    match &circuit.wired.read_as {
        ReadAs::Input { asserted, contact, .. } => {
            let on_while_high = reigen_core::condition::input::on_while_high(*asserted, *contact);
            format!("input, on while {}", if on_while_high { "high" } else { "low" })
        }
        ReadAs::Analog { .. } => match circuit.sensor.as_deref().and_then(|sensor| sensor.signal) {
            Some(signal) => format!("analog, {signal}"),
            None => "analog".to_owned(),
        },
        ReadAs::Output => {
            circuit.wired.load.map_or("output".to_owned(), |load| format!("output, {}", load.kind.words()))
        }
        ReadAs::Nothing => "wired, not read".to_owned(),
    }
}

/// The parts of a wire with their power ratings: the stated one, or the next standard one at half load.
fn through(circuit: &Circuit<'_>, summary: &Summary) -> Vec<String> {
    let power = |part: usize| summary.powers.iter().find(|(number, _)| *number == part).map(|(_, watts)| Watts(*watts));
    let told = |(number, part): (usize, &Part)| {
        let words = match (part.kind, part.at_sensor) {
            (PartKind::Capacitor(value), _) => format!("{value} capacitor to 0 V"),
            (PartKind::PullUp(_, None), _) => {
                let supply = circuit.group.as_ref().map_or(String::new(), |group| format!(" to {}", group.supply));
                format!("{}{supply}", part.words())
            }
            _ => part.words(),
        };
        let words = if part.at_sensor { format!("{words} at the sensor") } else { words };
        match part.resistance() {
            Some(_) => with_rating(&words, power(number), part.power),
            None => words,
        }
    };
    circuit.wired.parts.iter().enumerate().map(told).collect()
}

fn with_rating(words: &str, power: Option<Watts>, stated: Option<Watts>) -> String {
    match stated.or_else(|| rating::standard(power?)) {
        Some(rating) => format!("{words}, {} W", rating.0),
        None => words.to_owned(),
    }
}

/// Commons, ties, and in one line for each card what is unused.
fn card_rows(wiring: &Wiring, used: &HashSet<(&str, &str)>) -> Vec<WireRow> {
    let mut rows = Vec::new();
    for card in &wiring.cards {
        let row = |pin: String, to: String, function: &str| WireRow {
            device: card.name.clone(),
            pin,
            to,
            function: function.to_owned(),
            ..WireRow::default()
        };
        for group in &card.inputs {
            let to = match group.common {
                Some(Common::Zero) => format!("{}: 0 V", card.name),
                Some(Common::Plus) => format!("{}: plus {}", card.name, group.supply),
                Some(Common::Free) => "not connected".to_owned(),
                None => continue,
            };
            rows.push(row(format!("common of {}", group.name), to, "common"));
        }
        for group in &card.outputs {
            let rail = match (group.kind, group.drives) {
                (SwitchKind::Transistor, Some(crate::wiring::card::Drives::Sinking)) => "0 V".to_owned(),
                _ => format!("plus {}", group.supply),
            };
            rows.push(row(format!("common of {}", group.name), format!("{}: {rail}", card.name), "common"));
        }
        for group in &card.inputs {
            for (tied, rail) in
                [(&group.tied_to_zero, "0 V".to_owned()), (&group.tied_to_plus, format!("plus {}", group.supply))]
            {
                rows.extend(
                    tied.iter().map(|terminal| row(terminal.clone(), format!("{}: {rail}", card.name), "unused, held")),
                );
            }
        }
        let tied = |terminal: &str| card.inputs.iter().any(|group| group.is_tied(terminal));
        let unused: Vec<&str> = wiring
            .terminals()
            .filter(|place| place.card.name == card.name && !used.contains(&place.key()) && !tied(place.terminal))
            .map(|place| place.terminal)
            .collect();
        if !unused.is_empty() {
            rows.push(row(unused.join(", "), "unused".to_owned(), ""));
        }
    }
    rows
}
