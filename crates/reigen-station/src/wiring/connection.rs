//! How a point is wired: its sensor, its terminal, its cable, and what else hangs on the wire.

use super::CABLE_FARADS_PER_METRE;
use super::parts::{self, Part, PartKind, PartTable};
use super::supply::Supply;
use crate::spanned::Spanned;
use crate::table::builder::Builder;
use crate::table::{Description, StationErrorKind};
use reigen_core::condition::debounce::HoldTimes;
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::units::{Amperes, Farads, Metres, Ohms, Seconds, Speed, Volts};
use serde::Deserialize;

/// Resistance of copper in Ω·mm²/m at 20 °C (IEC 60028: 1/58).
const COPPER: f64 = 1.0 / 58.0;

/// `wiring = { … }` of a point, as it stands in the file: the feed, the cable, and a short form of the parts.
#[derive(Debug, Default, Clone, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WiringTable {
    /// What feeds the sensor, where it is not the card.
    supply: Option<Supply>,
    /// Cross-section of a wire of the cable in mm².
    cable_area_mm2: Option<f64>,
    /// What a metre of the cable has between two wires, in pF.
    cable_pf_per_m: Option<f64>,
    /// A resistor from the terminal to plus.
    pull_up: Option<Ohms>,
    /// A resistor from the terminal to 0 V.
    pull_down: Option<Ohms>,
    /// A resistor before the terminal and a capacitor behind it.
    filter: Option<FilterTable>,
}

impl WiringTable {
    /// The parts of the short form, in its order: pull-up, filter, pull-down.
    fn parts(&self) -> Vec<Part> {
        let filter =
            self.filter.map(|filter| [PartKind::Series(filter.resistance), PartKind::Capacitor(filter.capacitance)]);
        let pull_up = self.pull_up.map(|value| PartKind::PullUp(value, None));
        let pull_down = self.pull_down.map(PartKind::PullDown);
        pull_up.into_iter().chain(filter.into_iter().flatten()).chain(pull_down).map(Part::usual).collect()
    }
}

/// A resistor and a capacitor before a terminal.
#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FilterTable {
    /// The resistor.
    pub resistance: Ohms,
    /// The capacitor.
    pub capacitance: Farads,
}

/// `load = { … }` of an output, as it stands in the file.
#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Load {
    /// What it is.
    pub kind: LoadKind,
    /// The side that is not on the output.
    pub tied_to: Option<Rail>,
    /// What feeds it, where it is not the group's supply.
    pub supply: Option<Supply>,
    /// What it draws; of an LED, what it bears.
    pub current: Option<Amperes>,
    /// Its resistance, or the resistor of an LED.
    pub resistance: Option<Ohms>,
    /// The forward voltage of an LED.
    pub forward: Option<Volts>,
    /// Whether a diode or another part takes the voltage of switching off.
    #[serde(default)]
    pub diode: bool,
    /// What takes the voltage of switching off an AC coil.
    pub suppressor: Option<Suppressor>,
}

/// What takes the voltage of switching off a coil that runs on AC.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Suppressor {
    /// A resistor and a capacitor in series, across the coil.
    Rc,
    /// A varistor across the coil.
    Varistor,
    /// A diode across the coil: for DC only.
    Diode,
}

/// A kind of load.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum LoadKind {
    /// A lamp.
    Lamp,
    /// A relay's coil.
    RelayCoil,
    /// A valve's or contactor's coil.
    Solenoid,
    /// An LED with its resistor.
    Led,
    /// A resistor, or anything else that does not store energy.
    Resistor,
}

impl LoadKind {
    /// Its name for people.
    pub fn words(self) -> &'static str {
        match self {
            Self::Lamp => "lamp",
            Self::RelayCoil => "relay coil",
            Self::Solenoid => "solenoid",
            Self::Led => "LED",
            Self::Resistor => "resistor",
        }
    }

    /// Whether it is a coil, which drives a high voltage when it is switched off.
    pub fn is_inductive(self) -> bool {
        matches!(self, Self::RelayCoil | Self::Solenoid)
    }
}

/// Plus or 0 V.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Rail {
    /// Plus.
    Plus,
    /// 0 V.
    Zero,
}

impl Load {
    /// What it draws at a voltage, as far as it can be known; an LED with its resistor by Ohm's law.
    pub fn current(&self, supply: Volts) -> Option<Amperes> {
        let across = Volts((supply.0 - self.forward.map_or(0.0, |forward| forward.0)).max(0.0));
        let by_resistance = self.resistance.map(|resistance| across / resistance);
        match self.kind {
            LoadKind::Led => by_resistance.or(self.current),
            _ => self.current.or(by_resistance),
        }
    }

    /// Whether a diode is across it.
    pub fn has_diode(&self) -> bool {
        self.diode || self.suppressor == Some(Suppressor::Diode)
    }
}

/// How a point is wired.
#[derive(Debug, Default, Clone)]
pub struct Wired {
    /// The kind of its sensor.
    pub sensor: Option<Spanned<String>>,
    /// Which sensor it is, where several points have one.
    pub device: Option<String>,
    /// Its terminal.
    pub terminal: Option<Spanned<String>>,
    /// The length of its cable.
    pub cable: Metres,
    /// Cross-section of a wire of the cable in mm².
    pub cable_area_mm2: Option<f64>,
    /// What a metre of the cable has between two wires, in pF.
    pub cable_pf_per_m: Option<f64>,
    /// What feeds the sensor, where it is not the card.
    pub supply: Option<Supply>,
    /// What stands in the wire, from the sensor to the terminal.
    pub parts: Vec<Part>,
    /// How fast it can get.
    pub fastest: Option<Speed>,
    /// The shortest pulse that it must see.
    pub shortest_pulse: Option<Seconds>,
    /// What reads it.
    pub read_as: ReadAs,
    /// What an output drives.
    pub load: Option<Load>,
    /// What it does in the machine, where its wiring must be safe.
    pub role: Option<Role>,
}

/// What an input does in the machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// It stops something: a broken wire must stop it too.
    Stop,
    /// It runs something: what resets it is a stop.
    Run,
}

/// The keys of a sensor's wire that inputs, analog points and `[wired]` tables share.
pub(crate) struct WireKeys {
    pub(crate) sensor: Option<Spanned<String>>,
    pub(crate) device: Option<String>,
    pub(crate) terminal: Option<Spanned<String>>,
    pub(crate) cable: Metres,
    pub(crate) wiring: WiringTable,
    pub(crate) wire: Option<Spanned<Vec<Spanned<PartTable>>>>,
}

impl WireKeys {
    /// The wire; parts stand either in `wire` or in the short form.
    pub(crate) fn build(self, builder: &mut Builder<'_>) -> Wired {
        let short = self.wiring.parts();
        let parts = match &self.wire {
            None => short,
            Some(wire) => {
                if !short.is_empty() {
                    let message = "the parts stand in `wire`, in their order, or in `wiring`, and not in both";
                    builder.refuse(wire.span(), StationErrorKind::File(message.to_owned()));
                }
                parts::build(wire.get_ref(), builder)
            }
        };
        Wired {
            sensor: self.sensor,
            device: self.device,
            terminal: self.terminal,
            cable: self.cable,
            cable_area_mm2: self.wiring.cable_area_mm2,
            cable_pf_per_m: self.wiring.cable_pf_per_m,
            supply: self.wiring.supply,
            parts,
            ..Wired::default()
        }
    }
}

/// What reads a wire, or drives it.
#[derive(Debug, Clone, Default)]
pub enum ReadAs {
    /// A number.
    Analog {
        /// The recording's name of the line.
        line: String,
        /// The two numbers that the scale begins and ends at, where it has one.
        scale_from: Option<[f64; 2]>,
    },
    /// An input of two levels.
    Input {
        /// The recording's name of the line.
        line: String,
        /// The level at which it is closed.
        asserted: Asserted,
        /// Normally open or closed.
        contact: Contact,
        /// Its debounce times, where it has some.
        debounce: Option<HoldTimes>,
        /// Whether it catches pulses between two readings of the scan.
        catches: bool,
    },
    /// An output.
    Output,
    /// No point: it is only wired.
    #[default]
    Nothing,
}

impl Wired {
    /// The resistance of one wire of the cable.
    pub fn wire_resistance(&self) -> f64 {
        // Control cable of 0.25 mm² where nothing is stated.
        let area = self.cable_area_mm2.filter(|area| *area > 0.0).unwrap_or(0.25);
        self.cable.0 * COPPER / area
    }

    /// The capacitance between two wires of the cable.
    pub fn cable_capacitance(&self) -> f64 {
        let per_metre = self.cable_pf_per_m.filter(|picofarads| *picofarads >= 0.0);
        self.cable.0 * per_metre.map_or(CABLE_FARADS_PER_METRE, |picofarads| picofarads * 1e-12)
    }

    /// The recording's name of its line.
    pub fn line(&self) -> Option<&str> {
        match &self.read_as {
            ReadAs::Input { line, .. } | ReadAs::Analog { line, .. } => Some(line),
            ReadAs::Output | ReadAs::Nothing => None,
        }
    }
}

/// `[wired.NAME]`: a sensor on a terminal that no point reads.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WiredTable {
    /// Kind of its sensor: the name of a [sensor.NAME].
    sensor: Option<Spanned<String>>,
    /// Which sensor it is, where several points share one.
    device: Option<String>,
    /// Terminal on a card, such as "I0" or "plc.I0".
    terminal: Spanned<String>,
    /// Length of its cable, such as "15 m".
    #[serde(default)]
    cable: Metres,
    /// Feed, cable data and the usual parts of its wire.
    #[serde(default)]
    wiring: WiringTable,
    /// Parts of its wire, from the sensor to the terminal.
    wire: Option<Spanned<Vec<Spanned<PartTable>>>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

impl WiredTable {
    /// The wire, and what stands beside it in the list.
    pub(crate) fn build(self, builder: &mut Builder<'_>) -> (Wired, Description) {
        let Self { sensor, device, terminal, cable, wiring, wire, address, remark } = self;
        let keys = WireKeys { sensor, device, terminal: Some(terminal), cable, wiring, wire };
        (keys.build(builder), Description { address, remark })
    }
}
