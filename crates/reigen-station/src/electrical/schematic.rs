//! The circuit of one sensor as it is drawn: from its supply over the wire to the terminal, with what is wrong in it.

use super::analog;
use super::circuit::{Circuit, Draw, Input, Model, State, side};
use super::circuits;
use super::levels;
use super::network::{End, Solution};
use super::solved::SolvedCircuit;
use crate::station::Station;
use crate::wiring::card::Common;
use crate::wiring::connection::{Rail, ReadAs};
use crate::wiring::names::NameIndex;
use crate::wiring::parts::{Part, PartKind};
use crate::wiring::sensor::{Drive, Sensor};
use reigen_core::condition::input::Contact;
use reigen_core::finding::{Finding, Severity};
use reigen_core::units::Ohms;

/// A sensor's circuit, from left to right.
#[derive(Debug, Clone, PartialEq)]
pub struct Schematic {
    /// The point.
    pub point: String,
    /// The kind of its sensor.
    pub sensor: String,
    /// What its output is, in a word or two.
    pub output: String,
    /// How the sensor's output is drawn.
    pub shape: SensorShape,
    /// What feeds it.
    pub feed: Mark,
    /// What its output is wired to while it conducts: plus, or 0 V.
    pub to_plus: bool,
    /// The parts of the wire and the cable, in their order.
    pub parts: Vec<SchematicPart>,
    /// The terminal.
    pub terminal: Mark,
    /// What a person measures there while actuated and while not.
    pub volts: [String; 2],
    /// What the card hangs on it.
    pub inside: Vec<SchematicPart>,
    /// Where the input switches, or what it measures.
    pub reads: String,
    /// What the common is tied to, where there is one.
    pub common: Option<Mark>,
    /// What is wrong: severity, code and message.
    pub findings: Vec<(Severity, &'static str, String)>,
}

/// Words, and whether what they name is wrong.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Mark {
    /// The words.
    pub words: String,
    /// Whether a finding is about it.
    pub wrong: bool,
}

/// How a sensor's output is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SensorShape {
    /// A contact that closes when it is actuated (NO).
    NormallyOpen,
    /// A contact that opens when it is actuated (NC).
    NormallyClosed,
    /// A box with a transistor to plus, to 0 V, or to both.
    Box,
    /// A source of a voltage or a current.
    Source,
}

/// A part as it is drawn.
#[derive(Debug, Clone, PartialEq)]
pub struct SchematicPart {
    /// How it stands to the wire.
    pub place: PartPlace,
    /// Its value.
    pub label: String,
    /// The voltages behind it while actuated and while not, where a series part or a cable ends.
    pub volts: Option<[String; 2]>,
    /// Whether a finding is about it.
    pub wrong: bool,
}

/// How a part stands to the wire.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PartPlace {
    /// A resistor in it.
    Series,
    /// The cable.
    Cable,
    /// A level converter in it.
    Converter,
    /// A resistor up to a rail with these words.
    Up(String),
    /// A resistor down to 0 V.
    Down,
    /// A capacitor down to 0 V.
    Capacitor,
}

/// The circuits of a station's sensors, of those points that are named or of all.
pub fn schematics(station: &Station, findings: &[Finding], wanted: &dyn Fn(&str) -> bool) -> Vec<Schematic> {
    let named = NameIndex::new(&station.wiring);
    let circuits = circuits(station, &named);
    let drawn = circuits.iter().filter(|circuit| wanted(circuit.name));
    drawn.filter_map(|circuit| schematic(circuit, findings)).collect()
}

fn schematic(circuit: &Circuit<'_>, findings: &[Finding]) -> Option<Schematic> {
    let sensor = circuit.sensor.as_deref()?;
    let (place, group) = (circuit.place?, circuit.group.as_deref()?);
    let here: Vec<&Finding> = findings.iter().filter(|finding| finding.subject == circuit.name).collect();
    let about =
        |codes: &[&str]| here.iter().any(|finding| finding.severity > Severity::Note && codes.contains(&finding.code));
    let (contact, to_plus) = match &circuit.wired.read_as {
        ReadAs::Input { contact, asserted, .. } => {
            (*contact, side(sensor, *asserted).is_none_or(|side| side == Rail::Plus))
        }
        _ => (Contact::NormallyOpen, true),
    };
    let nodes = nodes(circuit, contact);
    let levels = [
        "over-voltage",
        "under-voltage",
        "never-on",
        "never-off",
        "leakage",
        "floating",
        "both-pulls",
        "edge-too-slow",
    ];
    let terminal_codes = ["terminal-twice", "terminal-reserved", "wrong-mode", "needs-amplifier", "range-mismatch"];
    let common = group.common.map(|common| Mark {
        words: match common {
            Common::Zero => "common: 0 V".to_owned(),
            Common::Plus => format!("common: plus {}", group.supply),
            Common::Free => "common: open".to_owned(),
        },
        wrong: about(&["polarity", "common-open"]),
    });
    let feed = circuit.feed().map_or_else(String::new, |feed| feed.to_string());
    Some(Schematic {
        point: circuit.name.to_owned(),
        sensor: sensor.name.clone(),
        output: output_words(sensor),
        shape: shape(sensor, contact),
        feed: Mark { words: feed, wrong: about(&["supply-low", "supply-high", "ac-dc", "loop-burden"]) },
        to_plus,
        parts: parts(circuit, sensor, &nodes, about(&["pull-too-strong"]), about(&["contact-surge"])),
        terminal: Mark { words: place.full_name(), wrong: about(&levels) || about(&terminal_codes) },
        volts: terminal_volts(circuit),
        inside: inside(circuit),
        reads: reads(circuit),
        common,
        findings: here.iter().map(|finding| (finding.severity, finding.code, finding.message.clone())).collect(),
    })
}

fn shape(sensor: &Sensor, contact: Contact) -> SensorShape {
    match (sensor.output.drive(), sensor.output.is_mechanical(), contact) {
        (_, true, Contact::NormallyOpen) => SensorShape::NormallyOpen,
        (_, true, Contact::NormallyClosed) => SensorShape::NormallyClosed,
        (Drive::Analog, ..) => SensorShape::Source,
        _ => SensorShape::Box,
    }
}

/// What an output is, without its article; of an analog one, its signal.
fn output_words(sensor: &Sensor) -> String {
    if let Some(signal) = sensor.signal {
        return signal.to_string();
    }
    let words = sensor.output.words();
    let words = words.split_once(' ').map_or(words, |(_, rest)| rest);
    words.strip_suffix(" output").unwrap_or(words).to_owned()
}

/// The nominal voltages of the nodes behind each part, actuated and not; empty where they cannot be worked out.
fn nodes(circuit: &Circuit<'_>, contact: Contact) -> [Vec<f64>; 2] {
    let states = match contact {
        Contact::NormallyOpen => [State::Conducting, State::Resting],
        Contact::NormallyClosed => [State::Resting, State::Conducting],
    };
    let Some(input) = Input::new(circuit) else { return [Vec::new(), Vec::new()] };
    states.map(|state| {
        let model = input.model(state, Draw::Least);
        let mut volts = nominal(&model);
        // Behind a converter its own network goes on.
        if let Some(behind) = input.behind_converter(state, Draw::Least) {
            volts.push(f64::NAN);
            volts.extend(nominal(&behind));
        }
        volts
    })
}

fn nominal(model: &Model) -> Vec<f64> {
    let values = model.nominal();
    if model.network.floating().contains(&true) {
        return vec![f64::NAN; model.stages.len()];
    }
    let mut solution = Solution::default();
    model.network.solve(&values, &mut solution);
    model.stages.iter().map(|stage: &End| solution.volts(*stage, &values)).collect()
}

fn parts(
    circuit: &Circuit<'_>,
    sensor: &Sensor,
    nodes: &[Vec<f64>; 2],
    too_strong: bool,
    surge: bool,
) -> Vec<SchematicPart> {
    let mut parts = Vec::new();
    if let Some(pull_up) = sensor.pull_up {
        let to = circuit.feed().map_or_else(String::new, |feed| feed.to_string());
        parts.push(plain(PartPlace::Up(to), format!("{pull_up} (sensor)")));
    }
    let wired = &circuit.wired;
    let cable = (wired.cable.0 > 0.0)
        .then(|| plain(PartPlace::Cable, format!("{}, 2 × {}", wired.cable, Ohms(wired.wire_resistance()))));
    let mut cable = cable.into_iter();
    for (number, part) in wired.parts.iter().enumerate() {
        if !part.at_sensor {
            parts.extend(cable.next());
        }
        let mut drawn = drawn(circuit, part);
        let [on, off] = nodes.each_ref().map(|volts| volts.get(number).copied().filter(|volts| !volts.is_nan()));
        if let (Some(on), Some(off), PartPlace::Series) = (on, off, &drawn.place) {
            drawn.volts = Some([on, off].map(shown));
        }
        drawn.wrong = too_strong && !matches!(part.kind, PartKind::Capacitor(_))
            || surge && matches!(part.kind, PartKind::Capacitor(_));
        parts.push(drawn);
    }
    parts.extend(cable);
    parts
}

fn plain(place: PartPlace, label: String) -> SchematicPart {
    SchematicPart { place, label, volts: None, wrong: false }
}

fn drawn(circuit: &Circuit<'_>, part: &Part) -> SchematicPart {
    let supply = circuit.group.as_ref().map_or_else(String::new, |group| group.supply.to_string());
    match part.kind {
        PartKind::Series(value) => plain(PartPlace::Series, value.to_string()),
        PartKind::PullUp(value, to) => plain(PartPlace::Up(to.map_or(supply, |to| to.to_string())), value.to_string()),
        PartKind::PullDown(value) => plain(PartPlace::Down, value.to_string()),
        PartKind::Shunt(value) => plain(PartPlace::Down, format!("{value} shunt")),
        PartKind::Capacitor(value) => plain(PartPlace::Capacitor, value.to_string()),
        PartKind::Converter(from, to) => plain(PartPlace::Converter, format!("{from} → {to}")),
    }
}

fn inside(circuit: &Circuit<'_>) -> Vec<SchematicPart> {
    let Some(group) = circuit.group.as_deref() else { return Vec::new() };
    let mut parts = Vec::new();
    if let Some(pull) = group.pull_up.filter(|pull| pull.on) {
        parts.push(plain(PartPlace::Up(group.supply.to_string()), pull.value.to_string()));
    }
    if let Some(pull) = group.pull_down.filter(|pull| pull.on) {
        parts.push(plain(PartPlace::Down, pull.value.to_string()));
    }
    if let Some(resistance) = group.resistance {
        let to = if group.common == Some(Common::Plus) { PartPlace::Up("common".to_owned()) } else { PartPlace::Down };
        parts.push(plain(to, format!("{resistance} input")));
    }
    parts
}

/// What stands at the terminal, in words, while actuated and while not; of an analog sensor at its high and low end.
fn terminal_volts(circuit: &Circuit<'_>) -> [String; 2] {
    if let Some([low, high]) = analog::ends(circuit) {
        return [high.volts(), low.volts()];
    }
    let Some(solved) = SolvedCircuit::new(circuit) else { return <[String; 2]>::default() };
    let measured = [State::Conducting, State::Resting].map(|state| solved.measured(state));
    levels::by_actuation(circuit, measured)
        .map(|measured| measured.map_or_else(String::new, |measured| measured.volts.volts()))
}

fn reads(circuit: &Circuit<'_>) -> String {
    let Some(group) = circuit.group.as_deref() else { return String::new() };
    if Input::new(circuit).is_none() {
        return group.signal.map_or_else(String::new, |signal| format!("set to {signal}"));
    }
    let supply = group.supply.nominal.0;
    let [on, off, most] = [group.on_above, group.off_below, group.most].map(|threshold| shown(threshold.at(supply)));
    let from = if group.common == Some(Common::Plus) { " below plus" } else { "" };
    format!("on ≥ {on}, off ≤ {off}{from}; max {most}")
}

/// A nominal voltage for people.
fn shown(volts: f64) -> String {
    crate::wiring::range::Range::exact(volts).volts()
}
