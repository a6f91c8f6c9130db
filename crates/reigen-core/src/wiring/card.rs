//! `[card.NAME]`: what a card's terminals bear and need, from its data sheet.

use super::sensor::OutputKind;
use crate::sizing::current_loop::Signal;
use crate::spanned::Spanned;
use crate::station::StationErrorKind;
use crate::station::builder::Builder;
use crate::units::{Amperes, Hertz, Ohms, Seconds, Volts};
use indexmap::IndexMap;
use serde::Deserialize;
use std::collections::HashSet;

/// What the common of a group of inputs is tied to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Common {
    /// To 0 V: current flows into the terminal, so the sensor must give plus.
    Zero,
    /// To plus: current flows out of the terminal, so the sensor must give 0 V.
    Plus,
    /// To nothing yet: it can be either.
    Free,
}

/// An input type of a standard.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
pub enum Standard {
    /// For contacts and three-wire sensors (IEC 61131-2).
    #[serde(rename = "type 1")]
    Type1,
    /// For two-wire sensors (IEC 61131-2).
    #[serde(rename = "type 2")]
    Type2,
    /// For contacts, three-wire and frugal two-wire sensors (IEC 61131-2).
    #[serde(rename = "type 3")]
    Type3,
    /// For sensors read by their current at 8.2 V (IEC 60947-5-6).
    #[serde(rename = "iec60947_5_6")]
    Iec60947Part5Section6,
}

/// What a type of input for 24 V DC guarantees (IEC 61131-2, table of standard operating ranges).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct StandardLimits {
    /// On at this voltage and above …
    pub on_above: Volts,
    /// … where it draws at least this current …
    pub on_current: Amperes,
    /// … and at most this one.
    pub most_current: Amperes,
    /// Off at this voltage and below …
    pub off_below: Volts,
    /// … or at this current and below.
    pub off_current: Amperes,
    /// The least and greatest voltage borne.
    pub bears: [Volts; 2],
}

impl Standard {
    /// What it guarantees; `None` for the one that is read by its current.
    pub fn limits(self) -> Option<StandardLimits> {
        let [on, on_milliamperes, most, off_milliamperes] = match self {
            Self::Type1 => [15.0, 2.0, 15.0, 0.5],
            Self::Type2 => [11.0, 6.0, 30.0, 2.0],
            Self::Type3 => [11.0, 2.0, 15.0, 1.5],
            Self::Iec60947Part5Section6 => return None,
        };
        Some(StandardLimits {
            on_above: Volts(on),
            on_current: Amperes(on_milliamperes / 1e3),
            most_current: Amperes(most / 1e3),
            off_below: Volts(5.0),
            off_current: Amperes(off_milliamperes / 1e3),
            bears: [Volts(-3.0), Volts(30.0)],
        })
    }

    /// Its name in a sentence.
    pub fn words(self) -> &'static str {
        match self {
            Self::Type1 => "a type 1 input (IEC 61131-2)",
            Self::Type2 => "a type 2 input (IEC 61131-2)",
            Self::Type3 => "a type 3 input (IEC 61131-2)",
            Self::Iec60947Part5Section6 => "an input by IEC 60947-5-6",
        }
    }
}

/// What a terminal measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Mode {
    /// Two levels.
    #[default]
    Digital,
    /// A voltage.
    Voltage,
    /// A current.
    Current,
}

/// A pull resistor in the card.
#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PullResistor {
    /// Its value.
    pub value: Ohms,
    /// Whether it is switched on.
    #[serde(default = "yes")]
    pub on: bool,
}

fn yes() -> bool {
    true
}

/// What feeds the sensors.
#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SensorSupply {
    /// Its voltage without load.
    pub voltage: Volts,
    /// Its voltage at full load, where that is less.
    pub loaded: Option<Volts>,
    /// What it can give.
    pub current: Option<Amperes>,
}

/// `[card.NAME]` as it stands in the file.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CardTable {
    supply: Volts,
    sensor_supply: Option<SensorSupply>,
    #[serde(default)]
    inputs: IndexMap<String, InputTable>,
    #[serde(default)]
    outputs: IndexMap<String, OutputTable>,
}

/// `[card.NAME.inputs.GROUP]` as it stands in the file.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct InputTable {
    terminals: Spanned<Vec<String>>,
    #[serde(default)]
    mode: Mode,
    signal: Option<Spanned<String>>,
    standard: Option<Standard>,
    common: Option<Common>,
    supply: Option<Volts>,
    on_above: Option<Spanned<Volts>>,
    off_below: Option<Spanned<Volts>>,
    resistance: Option<Ohms>,
    current: Option<Amperes>,
    least: Option<Volts>,
    most: Option<Volts>,
    pull_up: Option<PullResistor>,
    pull_down: Option<PullResistor>,
    #[serde(default = "yes")]
    schmitt: bool,
    filter: Option<Seconds>,
    highest_frequency: Option<Hertz>,
    #[serde(default)]
    tied_to_zero: Vec<Spanned<String>>,
    #[serde(default)]
    tied_to_plus: Vec<Spanned<String>>,
}

/// `[card.NAME.outputs.GROUP]` as it stands in the file.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct OutputTable {
    terminals: Spanned<Vec<String>>,
    kind: SwitchKind,
    drives: Option<Drives>,
    supply: Option<Volts>,
    current: Option<Amperes>,
    group_current: Option<Amperes>,
}

/// What an output switches with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum SwitchKind {
    /// A contact.
    Relay,
    /// A transistor.
    Transistor,
}

/// Which way a transistor output drives its load.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Drives {
    /// Gives plus, to a load that is tied to 0 V.
    Sourcing,
    /// Gives 0 V, to a load that is tied to plus.
    Sinking,
}

/// A card.
#[derive(Debug)]
pub struct Card {
    /// Its name in the station.
    pub name: String,
    /// Its supply.
    pub supply: Volts,
    /// What it feeds sensors with.
    pub sensor_supply: Option<SensorSupply>,
    /// Its groups of inputs.
    pub inputs: Vec<InputGroup>,
    /// Its groups of outputs.
    pub outputs: Vec<OutputGroup>,
}

impl Card {
    /// What feeds a sensor where nothing else is said: without load, and at full load.
    pub fn feed(&self) -> (Volts, Volts) {
        match self.sensor_supply {
            Some(supply) => (supply.voltage, supply.loaded.unwrap_or(supply.voltage)),
            None => (self.supply, self.supply),
        }
    }
}

/// Inputs that are alike. What is not stated is `None`, and nothing is checked against it.
#[derive(Debug)]
pub struct InputGroup {
    /// Its name on the card.
    pub name: String,
    /// Its terminals.
    pub terminals: Vec<String>,
    /// What they measure.
    pub mode: Mode,
    /// The span that an analog terminal is set to.
    pub signal: Option<Signal>,
    /// The standard that they keep.
    pub standard: Option<Standard>,
    /// What their common is tied to; `None` for pins that are read against 0 V.
    pub common: Option<Common>,
    /// What plus is for them.
    pub supply: Volts,
    /// Certainly on above this: between terminal and common, or between pin and 0 V.
    pub on_above: Volts,
    /// Certainly off below this.
    pub off_below: Volts,
    /// From the terminal to its common.
    pub resistance: Option<Ohms>,
    /// What it draws, whatever the voltage.
    pub current: Option<Amperes>,
    /// The least and greatest voltage that a terminal bears.
    pub bears: [Volts; 2],
    /// Inside the card.
    pub pull_up: Option<PullResistor>,
    /// Inside the card.
    pub pull_down: Option<PullResistor>,
    /// Whether there is hysteresis.
    pub schmitt: bool,
    /// Pulses shorter than this are not seen.
    pub filter: Option<Seconds>,
    /// More pulses than this are not seen.
    pub highest_frequency: Option<Hertz>,
    /// Terminals that are tied to 0 V.
    pub tied_to_zero: Vec<String>,
    /// Terminals that are tied to plus.
    pub tied_to_plus: Vec<String>,
}

impl InputGroup {
    /// What the standard guarantees, where it keeps one.
    pub fn limits(&self) -> Option<StandardLimits> {
        self.standard.and_then(Standard::limits)
    }

    /// Whether the terminal has a current path to its common, so that it does not float.
    pub fn has_path(&self) -> bool {
        self.resistance.is_some() || self.current.is_some() || self.limits().is_some()
    }

    /// Whether sensors of this kind can be read at all.
    pub fn takes(&self, output: OutputKind) -> bool {
        let by_current = output == OutputKind::Iec60947Part5Section6;
        by_current == (self.standard == Some(Standard::Iec60947Part5Section6))
    }
}

/// Outputs with one common.
#[derive(Debug)]
pub struct OutputGroup {
    /// Its name on the card.
    pub name: String,
    /// Its terminals.
    pub terminals: Vec<String>,
    /// What they switch with.
    pub kind: SwitchKind,
    /// Which way, for transistors.
    pub drives: Option<Drives>,
    /// The voltage at the common.
    pub supply: Volts,
    /// What one terminal bears.
    pub current: Option<Amperes>,
    /// What all together bear.
    pub group_current: Option<Amperes>,
}

/// A pin that states no thresholds switches by these shares of its supply (JESD8C for CMOS levels: 0.7 and 0.3).
const CMOS: (f64, f64) = (0.7, 0.3);

impl CardTable {
    /// Checks the table and makes the card of it.
    pub(crate) fn build(self, name: String, builder: &mut Builder<'_>) -> Card {
        let supply = self.supply;
        let mut taken: HashSet<String> = HashSet::new();
        let inputs =
            self.inputs.into_iter().map(|(name, table)| table.build(name, supply, &mut taken, builder)).collect();
        let outputs = self
            .outputs
            .into_iter()
            .map(|(name, table)| OutputGroup {
                name,
                terminals: names(table.terminals, &mut taken, builder),
                kind: table.kind,
                drives: table.drives,
                supply: table.supply.unwrap_or(supply),
                current: table.current,
                group_current: table.group_current,
            })
            .collect();
        Card { name, supply, sensor_supply: self.sensor_supply, inputs, outputs }
    }
}

impl InputTable {
    fn build(self, name: String, supply: Volts, taken: &mut HashSet<String>, builder: &mut Builder<'_>) -> InputGroup {
        let limits = self.standard.and_then(Standard::limits);
        let supply = self.supply.unwrap_or(supply);
        let own = |table: &Option<Spanned<Volts>>| table.as_ref().map(|volts| *volts.get_ref());
        let on_above = own(&self.on_above).or(limits.map(|limits| limits.on_above)).unwrap_or(supply * CMOS.0);
        let off_below = own(&self.off_below).or(limits.map(|limits| limits.off_below)).unwrap_or(supply * CMOS.1);
        if let Some(place) = self.on_above.as_ref().or(self.off_below.as_ref()).filter(|_| off_below >= on_above) {
            builder.refuse(place.span(), StationErrorKind::wrong_way_round("the thresholds", off_below, on_above));
        }
        let terminals = names(self.terminals, taken, builder);
        let known: HashSet<&String> = terminals.iter().collect();
        for tied in self.tied_to_zero.iter().chain(&self.tied_to_plus) {
            if !known.contains(tied.get_ref()) {
                builder.refuse(tied.span(), StationErrorKind::unknown("terminal", tied.get_ref(), terminals.clone()));
            }
        }
        let plain = |names: Vec<Spanned<String>>| names.into_iter().map(Spanned::into_inner).collect();
        let [least, most] = limits.map_or([Volts(-0.3), supply], |limits| limits.bears);
        InputGroup {
            name,
            terminals,
            mode: self.mode,
            signal: signal(self.signal, builder),
            standard: self.standard,
            // An input by the standard sinks current where nothing is said.
            common: self.common.or(limits.map(|_| Common::Zero)),
            supply,
            on_above,
            off_below,
            resistance: self.resistance,
            current: self.current,
            bears: [self.least.unwrap_or(least), self.most.unwrap_or(most)],
            pull_up: self.pull_up,
            pull_down: self.pull_down,
            schmitt: self.schmitt,
            filter: self.filter,
            highest_frequency: self.highest_frequency,
            tied_to_zero: plain(self.tied_to_zero),
            tied_to_plus: plain(self.tied_to_plus),
        }
    }
}

/// The names of terminals, none of them taken on this card.
fn names(names: Spanned<Vec<String>>, taken: &mut HashSet<String>, builder: &mut Builder<'_>) -> Vec<String> {
    for name in names.get_ref() {
        if !taken.insert(name.clone()) {
            let message = format!("the terminal `{name}` is on this card twice");
            builder.refuse(names.span(), StationErrorKind::File(message));
        }
    }
    names.into_inner()
}

/// A standard signal by its name.
pub(super) fn signal(text: Option<Spanned<String>>, builder: &mut Builder<'_>) -> Option<Signal> {
    let text = text?;
    match text.get_ref().parse() {
        Ok(signal) => Some(signal),
        Err(message) => {
            builder.refuse(text.span(), StationErrorKind::File(message));
            None
        }
    }
}
