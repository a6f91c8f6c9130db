//! How a point is wired: its sensor, its terminal, its cable, and what else hangs on the wire.

use crate::condition::debounce::HoldTimes;
use crate::condition::input::{Asserted, Contact};
use crate::spanned::Spanned;
use crate::units::{Amperes, Farads, Metres, Ohms, Seconds, Speed, Volts};
use serde::Deserialize;

/// Resistance of copper in Ω·mm²/m at 20 °C (IEC 60028: 1/58).
const COPPER: f64 = 1.0 / 58.0;

/// `wiring = { … }` of a point, as it stands in the file.
#[derive(Debug, Default, Clone, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PartsTable {
    /// What feeds the sensor, where it is not the card.
    pub supply: Option<Volts>,
    /// Cross-section of a wire of the cable in mm².
    pub cable_area_mm2: Option<f64>,
    /// A resistor from the terminal to plus.
    pub pull_up: Option<Ohms>,
    /// A resistor from the terminal to 0 V.
    pub pull_down: Option<Ohms>,
    /// A resistor before the terminal and a capacitor behind it.
    pub filter: Option<FilterTable>,
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
    pub supply: Option<Volts>,
    /// What it draws.
    pub current: Option<Amperes>,
    /// Its resistance, or the resistor of an LED.
    pub resistance: Option<Ohms>,
    /// The forward voltage of an LED.
    pub forward: Option<Volts>,
    /// Whether a diode or another part takes the voltage of switching off.
    #[serde(default)]
    pub diode: bool,
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
    /// What it draws, as far as it can be known.
    pub fn current(&self, supply: Volts) -> Option<Amperes> {
        let across = supply - self.forward.unwrap_or(Volts(0.0));
        self.current.or_else(|| Some(across / self.resistance?))
    }
}

/// How a point is wired.
#[derive(Debug, Default)]
pub struct Wired {
    /// The kind of its sensor.
    pub sensor: Option<Spanned<String>>,
    /// Its terminal.
    pub terminal: Option<Spanned<String>>,
    /// The length of its cable.
    pub cable: Metres,
    /// What else hangs on the wire.
    pub parts: PartsTable,
    /// How fast it can get.
    pub fastest: Option<Speed>,
    /// The shortest pulse that it must see.
    pub shortest_pulse: Option<Seconds>,
    /// What reads it.
    pub read_as: ReadAs,
    /// What an output drives.
    pub load: Option<Load>,
}

/// What reads a wire, or drives it.
#[derive(Debug, Clone, Default)]
pub enum ReadAs {
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
    /// The resistance of the cable, there and back.
    pub fn cable_resistance(&self) -> f64 {
        // Control cable of 0.25 mm² where nothing is said.
        let area = self.parts.cable_area_mm2.filter(|area| *area > 0.0).unwrap_or(0.25);
        2.0 * self.cable.0 * COPPER / area
    }
}

/// `[wired.NAME]`: a sensor on a terminal that no point reads.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WiredTable {
    sensor: Option<Spanned<String>>,
    terminal: Spanned<String>,
    #[serde(default)]
    cable: Metres,
    #[serde(default)]
    wiring: PartsTable,
}

impl From<WiredTable> for Wired {
    fn from(table: WiredTable) -> Self {
        Self {
            sensor: table.sensor,
            terminal: Some(table.terminal),
            cable: table.cable,
            parts: table.wiring,
            ..Self::default()
        }
    }
}
