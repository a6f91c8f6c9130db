//! Changes of a circuit, as remedies try them.

use super::circuit::Circuit;
use crate::wiring::card::{Common, InputGroup};
use crate::wiring::connection::ReadAs;
use crate::wiring::parts::{Part, PartKind};
use crate::wiring::place::Place;
use crate::wiring::supply::Supply;
use reigen_core::condition::debounce::HoldTimes;
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::finding::RemedyPart;
use reigen_core::time::Nanos;
use reigen_core::units::Ohms;

/// One change.
#[derive(Debug, Clone)]
pub(super) enum Change<'a> {
    /// The wire goes to another terminal.
    Terminal(Place<'a>),
    /// The sensor is fed with something else.
    Feed(Supply),
    /// A pull of the card is switched on or off.
    CardPull { up: bool, on: bool },
    /// Parts join the wire: those at the sensor in front, the others at the terminal.
    Parts(Vec<Part>),
    /// A part of the wire gets another value.
    Value(usize, Ohms),
    /// A part of the wire is taken out.
    Remove(usize),
    /// The common of the group is tied to something else.
    Common(Common),
    /// The station says at which level the sensor is closed; a contact is wired so.
    Asserted(Asserted),
    /// The station says which contact it is.
    Contact(Contact),
    /// Another debounce.
    Debounce(Nanos),
}

impl<'a> Change<'a> {
    /// The circuit with the change in it.
    pub(super) fn applied(&self, circuit: &Circuit<'a>) -> Circuit<'a> {
        let mut changed = circuit.clone();
        match self {
            Self::Terminal(place) => {
                changed = Circuit { place: Some(*place), ..changed };
                changed.group = match place.group {
                    super::Group::Input(group) => Some(std::borrow::Cow::Borrowed(group)),
                    super::Group::Output(_) => None,
                };
            }
            Self::Feed(supply) => changed.wired.to_mut().supply = Some(*supply),
            Self::Parts(parts) => add_parts(&mut changed, parts),
            Self::Value(number, ohms) => {
                if let Some(part) = changed.wired.to_mut().parts.get_mut(*number) {
                    part.kind = with_ohms(part.kind, *ohms);
                }
            }
            Self::Remove(number) => {
                let parts = &mut changed.wired.to_mut().parts;
                if *number < parts.len() {
                    parts.remove(*number);
                }
            }
            Self::CardPull { .. } | Self::Common(_) => {
                if let Some(group) = &mut changed.group {
                    self.apply_to_group(group.to_mut());
                }
            }
            Self::Asserted(_) | Self::Contact(_) | Self::Debounce(_) => self.apply_to_input(&mut changed),
        }
        changed
    }

    /// Whether the change is one of the whole group of terminals.
    pub(super) fn is_of_group(&self) -> bool {
        matches!(self, Self::CardPull { .. } | Self::Common(_))
    }

    fn apply_to_group(&self, group: &mut InputGroup) {
        match self {
            Self::CardPull { up: true, on } => group.pull_up.iter_mut().for_each(|pull| pull.on = *on),
            Self::CardPull { up: false, on } => group.pull_down.iter_mut().for_each(|pull| pull.on = *on),
            Self::Common(common) => group.common = Some(*common),
            _ => {}
        }
    }

    fn apply_to_input(&self, circuit: &mut Circuit<'_>) {
        let ReadAs::Input { asserted, contact, debounce, .. } = &mut circuit.wired.to_mut().read_as else { return };
        match self {
            Self::Asserted(level) => *asserted = *level,
            Self::Contact(right) => *contact = *right,
            Self::Debounce(time) => *debounce = Some(HoldTimes { on: *time, off: *time }),
            _ => {}
        }
    }

    /// The instruction for whoever does it.
    pub(super) fn words(&self, circuit: &Circuit<'_>) -> String {
        let terminal = circuit.place.map_or("the terminal".to_owned(), |place| place.terminal.to_owned());
        let group = circuit.group.as_ref().map_or("", |group| group.name.as_str());
        match self {
            Self::Terminal(place) => format!("wire it to the free terminal {}", place.full_name()),
            Self::Feed(supply) => format!("feed the sensor with {supply}"),
            Self::CardPull { up, on } => {
                let (word, pull) = (if *on { "on" } else { "off" }, if *up { "pull-up" } else { "pull-down" });
                format!("switch the card's {pull} {word} at {terminal}")
            }
            Self::Parts(parts) => parts_words(parts, &terminal),
            Self::Value(number, ohms) => match circuit.wired.parts.get(*number) {
                Some(part) => format!("replace the {} by {ohms}", part.words()),
                None => format!("use {ohms} there"),
            },
            Self::Remove(number) => match circuit.wired.parts.get(*number) {
                Some(part) => format!("remove the {}", part.words()),
                None => "remove the part".to_owned(),
            },
            Self::Common(common) => {
                let rail = if *common == Common::Zero { "0 V" } else { "plus" };
                format!("tie the common of `{group}` to {rail}")
            }
            Self::Asserted(level) => asserted_words(circuit, *level),
            Self::Contact(contact) => format!("write contact = \"{contact}\""),
            Self::Debounce(time) => format!("write debounce = {{ method = \"stable\", time = \"{time}\" }}"),
        }
    }

    /// The parts as the JSON has them.
    pub(super) fn parts(&self) -> Vec<RemedyPart> {
        let Self::Parts(parts) = self else { return Vec::new() };
        let told = |part: &Part| {
            let at = part.at_sensor.then_some("sensor");
            match part.kind {
                PartKind::Series(value) => RemedyPart { series: Some(value.0), at, ..RemedyPart::default() },
                PartKind::PullUp(value, to) => {
                    let to = to.map(|to| to.nominal.to_string());
                    RemedyPart { pull_up: Some(value.0), to, at, ..RemedyPart::default() }
                }
                PartKind::PullDown(value) | PartKind::Shunt(value) => {
                    RemedyPart { pull_down: Some(value.0), at, ..RemedyPart::default() }
                }
                PartKind::Converter(from, to) => RemedyPart {
                    converter: Some("level"),
                    from: Some(from.nominal.to_string()),
                    to: Some(to.nominal.to_string()),
                    ..RemedyPart::default()
                },
                PartKind::Capacitor(_) => RemedyPart::default(),
            }
        };
        parts.iter().map(told).collect()
    }
}

/// Parts at the sensor join in front of all others, parts at the terminal behind them.
fn add_parts(circuit: &mut Circuit<'_>, parts: &[Part]) {
    let wire = &mut circuit.wired.to_mut().parts;
    let (front, back): (Vec<Part>, Vec<Part>) = parts.iter().copied().partition(|part| part.at_sensor);
    wire.splice(0..0, front);
    wire.extend(back);
}

fn with_ohms(kind: PartKind, ohms: Ohms) -> PartKind {
    match kind {
        PartKind::Series(_) => PartKind::Series(ohms),
        PartKind::PullUp(_, to) => PartKind::PullUp(ohms, to),
        PartKind::PullDown(_) => PartKind::PullDown(ohms),
        PartKind::Shunt(_) => PartKind::Shunt(ohms),
        other => other,
    }
}

fn parts_words(parts: &[Part], terminal: &str) -> String {
    let told = |part: &Part| match part.kind {
        PartKind::Series(value) if part.at_sensor => format!("fit {value} in series at the sensor"),
        PartKind::Series(value) => format!("fit {value} in series before {terminal}"),
        PartKind::PullUp(value, Some(to)) => format!("fit a pull-up of {value} to {} at {terminal}", to.nominal),
        PartKind::PullUp(value, None) => format!("fit a pull-up of {value} at {terminal}"),
        PartKind::PullDown(value) => format!("fit a pull-down of {value} at {terminal}"),
        PartKind::Converter(from, to) => {
            format!("fit a level converter from {} to {} before {terminal}", from.nominal, to.nominal)
        }
        PartKind::Shunt(_) | PartKind::Capacitor(_) => format!("fit {}", part.words()),
    };
    parts.iter().map(told).collect::<Vec<_>>().join(" and ")
}

/// A contact leads to either side, so that it is wired anew; what drives its own level is only described anew.
fn asserted_words(circuit: &Circuit<'_>, level: Asserted) -> String {
    let (word, rail) = if level == Asserted::High { ("high", "plus") } else { ("low", "0 V") };
    let switches =
        circuit.sensor.as_ref().is_some_and(|sensor| sensor.output.drive() == crate::wiring::sensor::Drive::Switch);
    match switches {
        true => format!("wire the other side of the contact to {rail}, and write asserted = \"{word}\""),
        false => format!("write asserted = \"{word}\""),
    }
}
