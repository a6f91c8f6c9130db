//! `[card.NAME]`: what a card's terminals bear and need, from its data sheet.

use super::parts::RESISTOR_TOLERANCE;
use super::range::Range;
use super::sensor::{OutputKind, SignalText, signal};
use super::supply::Supply;
use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::Builder;
use indexmap::IndexMap;
use reigen_core::analog::signal::Signal;
use reigen_core::units::{Amperes, Hertz, Ohms, Seconds, Share, Volts};
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
    /// How far its value may be off.
    pub tolerance: Option<Share>,
}

impl PullResistor {
    /// What its value may be.
    pub fn range(&self) -> Range {
        Range::within(self.value.0, self.tolerance.map_or(RESISTOR_TOLERANCE, |Share(share)| share))
    }
}

fn yes() -> bool {
    true
}

/// What feeds the sensors.
#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SensorSupply {
    /// Its voltage without load.
    pub voltage: Supply,
    /// Its voltage at full load, exactly, where that is less.
    pub loaded: Option<Volts>,
    /// What it can give.
    pub current: Option<Amperes>,
}

/// `[card.NAME]`: a card or a board with terminals.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CardTable {
    /// Its supply.
    supply: Spanned<Supply>,
    /// Supply that its plate states.
    plate: Option<Supply>,
    /// Supply that it gives to sensors.
    sensor_supply: Option<SensorSupply>,
    /// Terminals with another purpose, and which.
    #[serde(default)]
    reserved: IndexMap<Spanned<String>, String>,
    /// Groups of inputs.
    #[serde(default)]
    inputs: IndexMap<String, InputTable>,
    /// Groups of outputs.
    #[serde(default)]
    outputs: IndexMap<String, OutputTable>,
}

/// `[card.NAME.inputs.GROUP]`: inputs that are alike.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct InputTable {
    /// Names of the terminals.
    terminals: Spanned<Vec<String>>,
    /// "digital" (default), "voltage" or "current".
    #[serde(default)]
    mode: Mode,
    /// Range that an analog terminal is set to.
    signal: Option<Spanned<SignalText>>,
    /// "type 1", "type 2", "type 3" (IEC 61131-2) or "iec60947_5_6".
    standard: Option<Standard>,
    /// "zero" (sourcing sensors), "plus" (sinking sensors) or "free".
    common: Option<Common>,
    /// Supply of the group, if it is not that of the card.
    supply: Option<Supply>,
    /// Terminals with another purpose, and which.
    #[serde(default)]
    reserved: IndexMap<Spanned<String>, String>,
    /// Certainly on above this voltage.
    on_above: Option<Spanned<Volts>>,
    /// Certainly off below this voltage.
    off_below: Option<Spanned<Volts>>,
    /// Resistance from the terminal to its common.
    resistance: Option<Ohms>,
    /// Input current, whatever the voltage.
    current: Option<Amperes>,
    /// Least voltage that a terminal withstands.
    least: Option<Volts>,
    /// Greatest voltage that a terminal withstands.
    most: Option<Volts>,
    /// Pull-up inside the card.
    pull_up: Option<PullResistor>,
    /// Pull-down inside the card.
    pull_down: Option<PullResistor>,
    /// Whether the inputs have hysteresis [default: true].
    #[serde(default = "yes")]
    schmitt: bool,
    /// Input filter: shorter pulses are not seen.
    filter: Option<Seconds>,
    /// Highest pulse frequency.
    highest_frequency: Option<Hertz>,
    /// Unused terminals that are tied to 0 V.
    #[serde(default)]
    tied_to_zero: Vec<Spanned<String>>,
    /// Unused terminals that are tied to plus.
    #[serde(default)]
    tied_to_plus: Vec<Spanned<String>>,
}

/// `[card.NAME.outputs.GROUP]`: outputs that are alike.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct OutputTable {
    /// Names of the terminals.
    terminals: Spanned<Vec<String>>,
    /// "transistor" or "relay".
    kind: SwitchKind,
    /// "sourcing" gives plus, "sinking" gives 0 V.
    drives: Option<Drives>,
    /// Supply of the group, if it is not that of the card.
    supply: Option<Supply>,
    /// Greatest current of one output.
    current: Option<Amperes>,
    /// Greatest current for a moment.
    peak: Option<Amperes>,
    /// Greatest current of the group.
    group_current: Option<Amperes>,
    /// Terminals with another purpose, and which.
    #[serde(default)]
    reserved: IndexMap<Spanned<String>, String>,
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
    pub supply: Supply,
    /// What its plate says that it runs on.
    pub plate: Option<Supply>,
    /// What it feeds sensors with.
    pub sensor_supply: Option<SensorSupply>,
    /// Terminals that do something else, with what they do.
    pub reserved: Vec<(String, String)>,
    /// Its groups of inputs.
    pub inputs: Vec<InputGroup>,
    /// Its groups of outputs.
    pub outputs: Vec<OutputGroup>,
}

impl Card {
    /// What feeds a sensor where nothing else is stated; at full load it may fall to what is stated for that.
    pub fn feed(&self) -> Supply {
        let Some(feed) = self.sensor_supply else { return self.supply };
        let mut supply = feed.voltage.merged(&self.supply);
        if let Some(loaded) = feed.loaded {
            supply.range.least = loaded.0;
            supply.range.most = supply.range.most.max(loaded.0);
        }
        supply
    }

    /// What a terminal is reserved for.
    pub fn duty(&self, terminal: &str) -> Option<&str> {
        self.reserved.iter().find(|(name, _)| name == terminal).map(|(_, duty)| duty.as_str())
    }
}

/// A threshold or a limit: a voltage, or a share of the group's supply, which it follows.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Threshold {
    /// A voltage.
    Fixed(Volts),
    /// A share of the supply.
    OfSupply(f64),
}

impl Threshold {
    /// The voltage, at one of the supply.
    pub fn at(self, supply: f64) -> f64 {
        match self {
            Self::Fixed(volts) => volts.0,
            Self::OfSupply(share) => share * supply,
        }
    }
}

/// Inputs that are alike. What is not stated is `None`, and nothing is checked against it.
#[derive(Debug, Clone)]
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
    pub supply: Supply,
    /// Certainly on above this: between terminal and common, or between pin and 0 V.
    pub on_above: Threshold,
    /// Certainly off below this.
    pub off_below: Threshold,
    /// From the terminal to its common.
    pub resistance: Option<Ohms>,
    /// What it draws, whatever the voltage.
    pub current: Option<Amperes>,
    /// The least voltage that a terminal bears.
    pub least: Volts,
    /// The greatest voltage that it bears.
    pub most: Threshold,
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

    /// Whether it reads its sensors by their current, and feeds them itself.
    pub fn reads_current(&self) -> bool {
        self.standard == Some(Standard::Iec60947Part5Section6)
    }

    /// Whether sensors of this kind can be read at all.
    pub fn takes(&self, output: OutputKind) -> bool {
        let by_current = output == OutputKind::Iec60947Part5Section6;
        by_current == self.reads_current()
    }

    /// Whether a terminal is tied to a rail.
    pub fn is_tied(&self, terminal: &str) -> bool {
        self.tied_to_zero.iter().chain(&self.tied_to_plus).any(|tied| tied == terminal)
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
    pub supply: Supply,
    /// What one terminal bears.
    pub current: Option<Amperes>,
    /// What one terminal bears for 10 ms.
    pub peak: Option<Amperes>,
    /// What all together bear.
    pub group_current: Option<Amperes>,
}

/// A pin that states no thresholds switches by these shares of its supply (JESD8C for CMOS levels: 0.7 and 0.3).
const CMOS: (f64, f64) = (0.7, 0.3);

/// A pin bears a little less than 0 V, what a clamp diode lets through (any data sheet of CMOS inputs).
const CLAMP: Volts = Volts(-0.3);

impl CardTable {
    /// Checks the table and makes the card of it.
    pub(crate) fn build(self, name: String, builder: &mut Builder<'_>) -> Card {
        let supply = *self.supply.get_ref();
        let mut taken: HashSet<String> = HashSet::new();
        let mut reserved: Vec<(Spanned<String>, String)> = self.reserved.into_iter().collect();
        let mut inputs = Vec::new();
        for (name, mut table) in self.inputs {
            reserved.extend(std::mem::take(&mut table.reserved));
            inputs.push(table.build(name, supply, &mut taken, builder));
        }
        let mut outputs = Vec::new();
        for (name, mut table) in self.outputs {
            reserved.extend(std::mem::take(&mut table.reserved));
            outputs.push(table.build(name, supply, &mut taken, builder));
        }
        for (terminal, _) in reserved.iter().filter(|(terminal, _)| !taken.contains(terminal.get_ref())) {
            let known = taken.iter().cloned().collect();
            builder.refuse(terminal.span(), StationErrorKind::unknown("terminal", terminal.get_ref(), known));
        }
        let reserved = reserved.into_iter().map(|(terminal, duty)| (terminal.into_inner(), duty)).collect();
        Card { name, supply, plate: self.plate, sensor_supply: self.sensor_supply, reserved, inputs, outputs }
    }
}

impl OutputTable {
    fn build(
        self,
        name: String,
        supply: Supply,
        taken: &mut HashSet<String>,
        builder: &mut Builder<'_>,
    ) -> OutputGroup {
        OutputGroup {
            name,
            terminals: names(self.terminals, taken, builder),
            kind: self.kind,
            drives: self.drives,
            supply: self.supply.map_or(supply, |own| own.merged(&supply)),
            current: self.current,
            peak: self.peak,
            group_current: self.group_current,
        }
    }
}

impl InputTable {
    fn build(self, name: String, supply: Supply, taken: &mut HashSet<String>, builder: &mut Builder<'_>) -> InputGroup {
        let limits = self.standard.and_then(Standard::limits);
        let supply = self.supply.map_or(supply, |own| own.merged(&supply));
        let threshold = |own: &Option<Spanned<Volts>>, standard: Option<Volts>, share: f64| {
            let fixed = own.as_ref().map(|volts| *volts.get_ref()).or(standard);
            fixed.map_or(Threshold::OfSupply(share), Threshold::Fixed)
        };
        let on_above = threshold(&self.on_above, limits.map(|limits| limits.on_above), CMOS.0);
        let off_below = threshold(&self.off_below, limits.map(|limits| limits.off_below), CMOS.1);
        let [on, off] = [on_above, off_below].map(|threshold| threshold.at(supply.nominal.0));
        if let Some(place) = self.on_above.as_ref().or(self.off_below.as_ref()).filter(|_| off >= on) {
            builder.refuse(place.span(), StationErrorKind::wrong_way_round("the thresholds", Volts(off), Volts(on)));
        }
        let terminals = names(self.terminals, taken, builder);
        let known: HashSet<&String> = terminals.iter().collect();
        for tied in self.tied_to_zero.iter().chain(&self.tied_to_plus) {
            if !known.contains(tied.get_ref()) {
                builder.refuse(tied.span(), StationErrorKind::unknown("terminal", tied.get_ref(), terminals.clone()));
            }
        }
        let plain = |names: Vec<Spanned<String>>| names.into_iter().map(Spanned::into_inner).collect();
        let bears = limits.map(|limits| limits.bears);
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
            least: self.least.or(bears.map(|[least, _]| least)).unwrap_or(CLAMP),
            most: self.most.or(bears.map(|[_, most]| most)).map_or(Threshold::OfSupply(1.0), Threshold::Fixed),
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
            let message = format!("the terminal `{name}` is listed twice on this card");
            builder.refuse(names.span(), StationErrorKind::File(message));
        }
    }
    names.into_inner()
}
