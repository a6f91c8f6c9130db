//! The parts of a point's wire, in their order from the sensor to the terminal.

use super::supply::Supply;
use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::Builder;
use reigen_core::units::{Farads, Ohms, Share, Watts};
use serde::Deserialize;

/// Resistors keep ±5 % where nothing is stated.
pub const RESISTOR_TOLERANCE: f64 = 0.05;
/// Capacitors keep ±20 % where nothing is stated.
pub const CAPACITOR_TOLERANCE: f64 = 0.20;
/// A resistor without a stated rating bears this.
pub const USUAL_RATING: Watts = Watts(2.0);
/// A wire has no more parts than this.
pub const MOST_PARTS: usize = 8;

/// One part of a wire.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Part {
    /// What it is, with its value.
    pub kind: PartKind,
    /// How far it may be off, as a share of its value.
    pub tolerance: f64,
    /// Whether it stands at the sensor's end of the cable; else at the terminal's.
    pub at_sensor: bool,
    /// What it may dissipate, where that is stated.
    pub power: Option<Watts>,
}

/// What a part is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum PartKind {
    /// A resistor in the wire.
    Series(Ohms),
    /// A resistor from the wire to plus: the card's supply where no other is stated.
    PullUp(Ohms, Option<Supply>),
    /// A resistor from the wire to 0 V.
    PullDown(Ohms),
    /// A resistor from the wire to 0 V that turns a current into a voltage.
    Shunt(Ohms),
    /// A capacitor from the wire to 0 V.
    Capacitor(Farads),
    /// A level converter from one supply to another.
    Converter(Supply, Supply),
}

impl Part {
    /// A part with the usual tolerance at the terminal's end.
    pub fn usual(kind: PartKind) -> Self {
        let tolerance = match kind {
            PartKind::Capacitor(_) => CAPACITOR_TOLERANCE,
            _ => RESISTOR_TOLERANCE,
        };
        Self { kind, tolerance, at_sensor: false, power: None }
    }

    /// Its resistance, where it is a resistor.
    pub fn resistance(&self) -> Option<Ohms> {
        match self.kind {
            PartKind::Series(value)
            | PartKind::PullUp(value, _)
            | PartKind::PullDown(value)
            | PartKind::Shunt(value) => Some(value),
            PartKind::Capacitor(_) | PartKind::Converter(..) => None,
        }
    }

    /// Its name and value for people: `10 kΩ pull-up to 5 V`.
    pub fn words(&self) -> String {
        match self.kind {
            PartKind::Series(value) => format!("{value} in series"),
            PartKind::PullUp(value, Some(to)) => format!("{value} pull-up to {to}"),
            PartKind::PullUp(value, None) => format!("{value} pull-up"),
            PartKind::PullDown(value) => format!("{value} pull-down"),
            PartKind::Shunt(value) => format!("{value} shunt"),
            PartKind::Capacitor(value) => format!("{value} to 0 V"),
            PartKind::Converter(from, to) => format!("level converter {from} to {to}"),
        }
    }
}

/// An end of the cable.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum CableEnd {
    Sensor,
    #[default]
    Terminal,
}

/// A kind of converter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum ConverterKind {
    Level,
}

/// One entry of `wire = [ … ]`, as it stands in the file.
#[derive(Debug, Default, Clone, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PartTable {
    /// A resistor in the wire.
    series: Option<Ohms>,
    /// A resistor to plus.
    pull_up: Option<Ohms>,
    /// A resistor to 0 V.
    pull_down: Option<Ohms>,
    /// A resistor to 0 V that turns a current into a voltage.
    shunt: Option<Ohms>,
    /// A capacitor to 0 V.
    capacitor: Option<Farads>,
    /// A level converter.
    converter: Option<ConverterKind>,
    /// What a converter takes.
    from: Option<Supply>,
    /// Where a pull-up goes to, or what a converter gives.
    to: Option<Supply>,
    /// How far the value may be off.
    tolerance: Option<Share>,
    /// What it may dissipate.
    power: Option<Watts>,
    /// Which end of the cable it stands at.
    #[serde(default)]
    at: CableEnd,
}

/// The kinds of parts, for messages.
const KINDS: &str = "series, pull_up, pull_down, shunt, capacitor or converter";

impl PartTable {
    fn build(&self) -> Result<Part, String> {
        let kinds: Vec<PartKind> = [
            self.series.map(PartKind::Series),
            self.pull_up.map(|value| PartKind::PullUp(value, self.to)),
            self.pull_down.map(PartKind::PullDown),
            self.shunt.map(PartKind::Shunt),
            self.capacitor.map(PartKind::Capacitor),
        ]
        .into_iter()
        .flatten()
        .collect();
        let kind = match (kinds.as_slice(), self.converter) {
            ([kind], None) => *kind,
            ([], Some(ConverterKind::Level)) => self.converter()?,
            ([], None) => {
                return Err(format!("a part needs a kind with its value: {KINDS}, such as {{ series = \"10k\" }}"));
            }
            _ => return Err("a part is one thing: write two parts one after the other, in their order".to_owned()),
        };
        let to_fits = matches!(kind, PartKind::PullUp(..) | PartKind::Converter(..));
        if self.to.is_some() && !to_fits || self.from.is_some() && self.converter.is_none() {
            return Err("`to` belongs to pull_up and converter, `from` to converter alone".to_owned());
        }
        let usual = Part::usual(kind);
        let tolerance = self.tolerance.map_or(usual.tolerance, |Share(share)| share);
        Ok(Part { kind, tolerance, at_sensor: self.at == CableEnd::Sensor, power: self.power })
    }

    fn converter(&self) -> Result<PartKind, String> {
        match (self.from, self.to) {
            (Some(from), Some(to)) if from.alternating || to.alternating => {
                Err("a level converter works on DC: write its sides as \"5 V\"".to_owned())
            }
            (Some(from), Some(to)) => Ok(PartKind::Converter(from, to)),
            _ => {
                Err("a converter needs both sides: { converter = \"level\", from = \"5 V\", to = \"3.3 V\" }"
                    .to_owned())
            }
        }
    }
}

/// Builds the parts of `wire = [ … ]`.
pub(crate) fn build(tables: &[Spanned<PartTable>], builder: &mut Builder<'_>) -> Vec<Part> {
    let mut parts: Vec<Part> = Vec::new();
    for table in tables {
        let built = table.get_ref().build().and_then(|part| fits(&part, &parts).map(|()| part));
        match built {
            Ok(part) => parts.push(part),
            Err(message) => builder.refuse(table.span(), StationErrorKind::File(message)),
        }
    }
    parts
}

/// Whether a part may follow others.
fn fits(part: &Part, before: &[Part]) -> Result<(), String> {
    let converts = |part: &Part| matches!(part.kind, PartKind::Converter(..));
    if before.len() >= MOST_PARTS {
        return Err(format!("a wire has {MOST_PARTS} parts at most: put equal parts together into one"));
    }
    if converts(part) && before.iter().any(converts) {
        return Err("two converters in one wire lead in a circle: state one, from the sensor's side to the terminal's"
            .to_owned());
    }
    if part.at_sensor && before.iter().any(|before| !before.at_sensor) {
        return Err("parts stand in their order: those at the sensor come before those at the terminal".to_owned());
    }
    if part.at_sensor && converts(part) {
        return Err("a converter stands at the terminal's end of the cable: leave out `at`".to_owned());
    }
    let alternating = match part.kind {
        PartKind::PullUp(_, Some(to)) => to.alternating,
        _ => false,
    };
    if alternating {
        return Err("a pull-up goes to a DC supply: write `to` as \"24 V\"".to_owned());
    }
    Ok(())
}

/// What a signal of one volt, or of one ampere, makes at the terminal through parts without load: their share, or ohms.
///
/// Only what can be told from the parts alone: series, pull-down, shunt; by Kirchhoff's law from the sensor on.
pub(crate) fn gain(parts: &[Part], of_current: bool) -> Option<f64> {
    // The parts seen from the terminal as a source (Thévenin): a voltage and a resistance behind it.
    let mut source: Option<(f64, f64)> = (!of_current).then_some((1.0, 0.0));
    for part in parts {
        match (part.kind, source) {
            (PartKind::Series(value), Some((volts, ohms))) => source = Some((volts, ohms + value.0)),
            (PartKind::PullDown(value) | PartKind::Shunt(value), Some((volts, ohms))) => {
                let share = value.0 / (value.0 + ohms);
                source = Some((volts * share, ohms * share));
            }
            // A current flows through what is in its way, and a resistor to 0 V makes a voltage of it.
            (PartKind::PullDown(value) | PartKind::Shunt(value), None) => source = Some((value.0, value.0)),
            (PartKind::PullUp(..) | PartKind::Converter(..), _) => return None,
            (PartKind::Series(_), None) | (PartKind::Capacitor(_), _) => {}
        }
    }
    source.map(|(volts, _)| volts)
}
