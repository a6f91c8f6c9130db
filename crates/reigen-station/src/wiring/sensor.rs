//! `[sensor.NAME]`: what a kind of sensor or contact gives and needs, from its data sheet.

use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::Builder;
use crate::table::contact::ContactWord;
use reigen_core::analog::signal::Signal;
use reigen_core::condition::input::Contact;
use reigen_core::units::{Amperes, Hertz, Ohms, Seconds, Share, Volts};
use serde::Deserialize;

/// What a sensor's output is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum OutputKind {
    /// A mechanical contact, normally open or closed.
    Contact,
    /// A mechanical contact with both sides.
    Changeover,
    /// A reed contact.
    Reed,
    /// A transistor that switches plus to the output.
    Pnp,
    /// A transistor that switches the output to 0 V.
    Npn,
    /// Drives both levels.
    PushPull,
    /// A transistor to 0 V, with or without a pull-up of its own.
    OpenCollector,
    /// Two wires: fed through its load, so that it leaks while off and has a drop while on.
    TwoWire,
    /// Two wires at 8.2 V, read by its current (IEC 60947-5-6).
    #[serde(rename = "iec60947_5_6")]
    Iec60947Part5Section6,
    /// A logic output.
    Logic,
    /// A capacitive touch module with a logic output.
    Touch,
    /// A line driver for two wires against one another (TIA-422).
    LineDriver,
    /// An analog voltage.
    Voltage,
    /// An analog current.
    CurrentLoop,
}

/// Which levels an output can bring about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Drive {
    /// A switch that may lie on either side.
    Switch,
    /// Only to plus.
    Plus,
    /// Only to 0 V.
    Zero,
    /// Both levels.
    Both,
    /// No level: a current or a voltage to be measured.
    Analog,
}

impl OutputKind {
    /// Which levels it can bring about.
    pub fn drive(self) -> Drive {
        match self {
            Self::Contact | Self::Changeover | Self::Reed | Self::TwoWire => Drive::Switch,
            Self::Pnp => Drive::Plus,
            Self::Npn | Self::OpenCollector => Drive::Zero,
            Self::PushPull | Self::Logic | Self::Touch | Self::LineDriver => Drive::Both,
            Self::Voltage | Self::CurrentLoop | Self::Iec60947Part5Section6 => Drive::Analog,
        }
    }

    /// Whether metal meets metal, so that it bounces.
    pub fn is_mechanical(self) -> bool {
        matches!(self, Self::Contact | Self::Changeover | Self::Reed)
    }

    /// Its name in a sentence, with an article.
    pub fn words(self) -> &'static str {
        match self {
            Self::Contact => "a contact",
            Self::Changeover => "a changeover contact",
            Self::Reed => "a reed contact",
            Self::Pnp => "a PNP output",
            Self::Npn => "an NPN output",
            Self::PushPull => "a push-pull output",
            Self::OpenCollector => "an open collector",
            Self::TwoWire => "a two-wire sensor",
            Self::Iec60947Part5Section6 => "a sensor by IEC 60947-5-6",
            Self::Logic => "a logic output",
            Self::Touch => "a touch sensor",
            Self::LineDriver => "a line driver",
            Self::Voltage => "a voltage",
            Self::CurrentLoop => "a current loop",
        }
    }
}

/// An analog signal as it stands in the file: `"4-20mA"`, or its two ends, `["0.5 V", "4.5 V"]`.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(untagged, expecting = "expected a signal, such as \"4-20mA\" or [\"0.5 V\", \"4.5 V\"]")]
pub(crate) enum SignalText {
    NameIndex(String),
    Ends([String; 2]),
}

impl SignalText {
    pub(crate) fn signal(&self) -> Result<Signal, String> {
        let [low, high] = match self {
            Self::NameIndex(text) => return text.parse(),
            Self::Ends(ends) => ends,
        };
        if let (Ok(low), Ok(high)) = (low.parse::<Volts>(), high.parse::<Volts>()) {
            return Signal::between(low.0, high.0, false);
        }
        match (low.parse::<Amperes>(), high.parse::<Amperes>()) {
            (Ok(low), Ok(high)) => Signal::between(low.0, high.0, true),
            _ => Err(format!("`{low}` and `{high}` are not two ends of a signal: write both in V or both in mA")),
        }
    }
}

/// The pins of a sensor, as they stand in the file; each with its core's colour, such as `"1 BN"`.
#[derive(Debug, Default, Clone, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pins {
    /// Where plus comes in; of a contact, its common or first side.
    pub plus: Option<String>,
    /// 0 V.
    pub zero: Option<String>,
    /// The output; of a contact, its second side.
    pub out: Option<String>,
}

/// `[sensor.NAME]`: a kind of sensor or contact, from its data sheet.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SensorTable {
    /// What its output is made of.
    output: OutputKind,
    /// "NO" or "NC", where that is built in.
    contact: Option<ContactWord>,
    /// Least and greatest supply voltage.
    supply: Option<Spanned<[Volts; 2]>>,
    /// Its own current.
    current: Option<Amperes>,
    /// Voltage drop while on.
    drop: Option<Spanned<Volts>>,
    /// Current while off.
    leakage: Option<Amperes>,
    /// Greatest current of its output.
    most_current: Option<Amperes>,
    /// Least current while on.
    least_current: Option<Amperes>,
    /// Pull-up inside it, to its supply.
    pull_up: Option<Ohms>,
    /// High level of an output that drives both.
    high: Option<Volts>,
    /// Low level of an output that drives both.
    low: Option<Volts>,
    /// Analog signal, such as "4-20mA".
    signal: Option<Spanned<SignalText>>,
    /// Greatest load of a current output.
    burden: Option<Ohms>,
    /// Its pins, where they are not those of IEC 60947-5-2.
    #[serde(default)]
    pins: Pins,
    /// Highest switching frequency.
    highest_frequency: Option<Hertz>,
    /// Shortest time in one state.
    shortest_hold: Option<Seconds>,
    /// How long it bounces.
    bounce: Option<Seconds>,
    /// Pulses per revolution of what it looks at.
    pulses_per_rev: Option<Spanned<f64>>,
    /// Share of a period that its shorter level takes.
    pulse_share: Option<Share>,
    /// One channel of two, a quarter of a period apart.
    #[serde(default)]
    quadrature: bool,
}

/// A kind of sensor. What is not stated is `None`, and nothing is checked against it.
#[derive(Debug, Clone)]
pub struct Sensor {
    /// Its name in the station.
    pub name: String,
    /// Its output.
    pub output: OutputKind,
    /// Normally open or closed, where that is built in.
    pub contact: Option<Contact>,
    /// The least and greatest voltage that feeds it.
    pub supply: Option<[Volts; 2]>,
    /// What it draws itself.
    pub current: Amperes,
    /// What is lost across its output while on.
    pub drop: Volts,
    /// What flows through its output while off.
    pub leakage: Amperes,
    /// What its output can carry.
    pub most_current: Option<Amperes>,
    /// What must flow while on: for a two-wire sensor to work, for a contact to stay clean.
    pub least_current: Option<Amperes>,
    /// A pull-up of its own, to what feeds it.
    pub pull_up: Option<Ohms>,
    /// The levels of an output that drives both.
    pub levels: (Option<Volts>, Option<Volts>),
    /// What an analog output gives.
    pub signal: Option<Signal>,
    /// What a current output can drive at most, where its data sheet states a resistance.
    pub burden: Option<Ohms>,
    /// Its pins, where they are not those of IEC 60947-5-2.
    pub pins: Pins,
    /// The highest switching frequency.
    pub highest_frequency: Option<Hertz>,
    /// The shortest time that it stays in a state.
    pub shortest_hold: Option<Seconds>,
    /// How long it bounces.
    pub bounce: Option<Seconds>,
    /// Pulses in one revolution of what it looks at.
    pub pulses_per_rev: Option<f64>,
    /// The shorter level's share of a period, where it is less than a half.
    pub pulse_share: f64,
    /// Whether it is one channel of two, a quarter of a period apart.
    pub quadrature: bool,
}

impl SensorTable {
    /// Checks the table and makes the sensor of it.
    pub(crate) fn build(self, name: String, builder: &mut Builder<'_>) -> Sensor {
        if let Some(range) = self.supply.as_ref().filter(|range| range.get_ref()[0] > range.get_ref()[1]) {
            let [least, most] = range.get_ref();
            builder.refuse(range.span(), StationErrorKind::wrong_way_round("`supply`", least, most));
        }
        if let Some(drop) = self.drop.as_ref().filter(|drop| drop.get_ref().0 < 0.0) {
            builder.refuse(drop.span(), StationErrorKind::File("a drop cannot be negative".to_owned()));
        }
        if let Some(pulses) =
            self.pulses_per_rev.as_ref().filter(|pulses| *pulses.get_ref() <= 0.0 || pulses.get_ref().is_nan())
        {
            builder.refuse(pulses.span(), StationErrorKind::File("`pulses_per_rev` must be above zero".to_owned()));
        }
        let half = 0.5;
        Sensor {
            name,
            output: self.output,
            contact: self.contact.map(Contact::from),
            supply: self.supply.map(Spanned::into_inner),
            current: self.current.unwrap_or(Amperes(0.0)),
            drop: self.drop.map_or(Volts(0.0), Spanned::into_inner),
            leakage: self.leakage.unwrap_or(Amperes(0.0)),
            most_current: self.most_current,
            least_current: self.least_current,
            pull_up: self.pull_up,
            levels: (self.high, self.low),
            signal: signal(self.signal, builder),
            burden: self.burden,
            pins: self.pins,
            highest_frequency: self.highest_frequency,
            shortest_hold: self.shortest_hold,
            bounce: self.bounce,
            pulses_per_rev: self.pulses_per_rev.map(Spanned::into_inner),
            pulse_share: self.pulse_share.map_or(half, |share| share.0.min(1.0 - share.0)),
            quadrature: self.quadrature,
        }
    }
}

/// A signal by its name or its two ends.
pub(crate) fn signal(text: Option<Spanned<SignalText>>, builder: &mut Builder<'_>) -> Option<Signal> {
    let text = text?;
    match text.get_ref().signal() {
        Ok(signal) => Some(signal),
        Err(message) => {
            builder.refuse(text.span(), StationErrorKind::File(message));
            None
        }
    }
}
