//! `[link.NAME]`: the connection to a device that carries lines in, and points out.

mod check;
pub mod connection;
pub mod gpio;
pub mod modbus;
pub mod mqtt;
pub mod nats;
pub mod output;
mod place;
mod table;

pub(crate) use check::{beside_others, output};
pub(crate) use table::LinkTable;

use connection::Connection;
use gpio::GpioLink;
use modbus::ModbusLink;
use mqtt::MqttLink;
use nats::NatsLink;
use output::{OnStop, Output, Outputs};
use reigen_core::logic::expression::Span;
use reigen_core::time::Nanos;

/// The field of a link that is on while its device answers.
const ONLINE: &str = "online";

/// The line that tells whether the device of a link answers.
pub fn online_line(link: &str) -> String {
    format!("{link}.{ONLINE}")
}

/// A connection to a device.
#[derive(Debug)]
pub struct Link {
    /// Its name.
    pub name: String,
    /// Where the name stands in the file.
    pub span: Span,
    /// How it speaks, and with whom.
    pub protocol: Protocol,
}

/// How a link speaks.
#[derive(Debug)]
pub enum Protocol {
    /// Modbus, over TCP or a serial port.
    Modbus(ModbusLink),
    /// A broker.
    Mqtt(MqttLink),
    /// JSON Lines, as a device prints them under the lines' own names.
    Lines(LinesLink),
    /// Pins of the computer.
    Gpio(GpioLink),
    /// A server that gathers the lines of many machines.
    Nats(NatsLink),
}

/// A device that prints its lines as JSON Lines, and takes outputs as such.
#[derive(Debug, Clone)]
pub struct LinesLink {
    /// Where it is reached.
    pub at: Connection,
    /// The points that it is given, each under the name of a line.
    pub outputs: Outputs<String>,
}

/// Something that a link carries out, in words.
#[derive(Debug, Clone, PartialEq)]
pub struct NamedOutput<'a> {
    /// The point.
    pub point: &'a str,
    /// Its place in the device.
    pub place: String,
    /// Whether the place takes a bit, or a number; `None` for either.
    pub is_bit: Option<bool>,
    /// What becomes of it when the run ends.
    pub on_stop: OnStop,
}

fn named<'a, P>(outputs: &'a Outputs<P>, of: impl Fn(&P) -> (String, Option<bool>)) -> Vec<NamedOutput<'a>> {
    let named = |output: &'a Output<P>| {
        let (place, is_bit) = of(&output.place);
        NamedOutput { point: &output.point, place, is_bit, on_stop: output.on_stop }
    };
    outputs.all.iter().map(named).collect()
}

impl Protocol {
    /// The lines that it names, with their places in words. Of what prints lines none is named.
    pub fn lines(&self) -> Vec<(&str, String)> {
        fn words<P: ToString>(lines: &[(String, P)]) -> Vec<(&str, String)> {
            lines.iter().map(|(name, place)| (name.as_str(), place.to_string())).collect()
        }
        match self {
            Self::Modbus(link) => words(&link.lines),
            Self::Mqtt(link) => words(&link.lines),
            Self::Gpio(link) => words(&link.lines),
            Self::Lines(_) | Self::Nats(_) => Vec::new(),
        }
    }

    /// The points that it carries out, with their places in words.
    pub fn outputs(&self) -> Vec<NamedOutput<'_>> {
        match self {
            Self::Modbus(link) => named(&link.outputs, |place| (place.to_string(), Some(place.is_bit()))),
            Self::Mqtt(link) => named(&link.outputs, |topic| (topic.clone(), None)),
            Self::Lines(link) => named(&link.outputs, |line| (line.clone(), None)),
            Self::Gpio(link) => named(&link.outputs, |offset| (offset.to_string(), Some(true))),
            Self::Nats(_) => Vec::new(),
        }
    }

    /// Whether the device may print any line, named or not.
    pub fn has_any_line(&self) -> bool {
        matches!(self, Self::Lines(_) | Self::Nats(NatsLink { publish: false, .. }))
    }

    /// How often its lines are read, where they are asked for.
    pub fn step(&self) -> Option<Nanos> {
        match self {
            Self::Modbus(link) => Some(link.every),
            _ => None,
        }
    }

    /// Its word in the station file.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Modbus(ModbusLink { at: Connection::Tcp(_), .. }) => "modbus-tcp",
            Self::Modbus(ModbusLink { at: Connection::Serial(_), .. }) => "modbus-rtu",
            Self::Mqtt(_) => "mqtt",
            Self::Lines(_) => "lines",
            Self::Gpio(_) => "gpio",
            Self::Nats(_) => "nats",
        }
    }

    /// Where its device is reached.
    pub fn address(&self) -> String {
        match self {
            Self::Modbus(link) => link.at.to_string(),
            Self::Mqtt(link) => link.address.clone(),
            Self::Lines(link) => link.at.to_string(),
            Self::Gpio(link) => link.chip.clone(),
            Self::Nats(link) => link.address.clone(),
        }
    }
}
