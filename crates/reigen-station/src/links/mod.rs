//! `[link.NAME]`: the connection to a device that carries lines in, and points out.

pub mod modbus;
mod table;

pub(crate) use table::LinkTable;

use modbus::{BitAddress, ModbusAddress};
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
    /// Modbus over TCP.
    ModbusTcp(ModbusLink),
    /// JSON Lines over TCP, as a device prints them under the lines' own names.
    Lines {
        /// Host and port.
        address: String,
    },
}

/// A Modbus device.
#[derive(Debug, Clone)]
pub struct ModbusLink {
    /// Host and port.
    pub address: String,
    /// The unit behind it.
    pub unit: u8,
    /// One pass over all reads, then all writes.
    pub every: Nanos,
    /// How long an answer may take.
    pub timeout: Nanos,
    /// Its lines, by name.
    pub lines: Vec<(String, ModbusAddress)>,
    /// The points that it is given, by name.
    pub outputs: Vec<(String, ModbusAddress)>,
    /// Whether bits go off when the run ends; else all stays as it is.
    pub off_at_end: bool,
    /// Turns over in every pass, so that the device can tell that nobody drives it any more.
    pub heartbeat: Option<BitAddress>,
}

impl Protocol {
    /// The lines and the outputs with their places, in words.
    pub fn places(&self) -> Vec<(&str, String, &'static str)> {
        let Self::ModbusTcp(link) = self else { return Vec::new() };
        let lines = link.lines.iter().map(|(name, at)| (name.as_str(), at.to_string(), "line"));
        let outputs = link.outputs.iter().map(|(name, at)| (name.as_str(), at.to_string(), "output"));
        lines.chain(outputs).collect()
    }

    /// Its word in the station file.
    pub fn word(&self) -> &'static str {
        match self {
            Self::ModbusTcp(_) => "modbus-tcp",
            Self::Lines { .. } => "lines",
        }
    }

    /// Host and port.
    pub fn address(&self) -> &str {
        match self {
            Self::ModbusTcp(link) => &link.address,
            Self::Lines { address } => address,
        }
    }

    /// The lines that it names, each with whether it has two levels.
    pub fn lines(&self) -> Vec<(&str, bool)> {
        match self {
            Self::ModbusTcp(link) => link.lines.iter().map(|(name, at)| (name.as_str(), at.is_bit())).collect(),
            Self::Lines { .. } => Vec::new(),
        }
    }
}
