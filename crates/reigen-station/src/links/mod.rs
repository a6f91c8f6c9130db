//! `[link.NAME]`: the connection to a device that carries lines in, and points out.

pub mod modbus;
mod table;

pub(crate) use table::LinkTable;

use crate::station::Station;
use modbus::{BitAddress, ModbusAddress};
use reigen_core::finding::Finding;
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

/// What can be told of the links of a station: lines that none of them gives.
pub fn findings(station: &Station) -> Vec<Finding> {
    let links = &station.links;
    // Whoever prints lines may print any.
    if links.is_empty() || links.iter().any(|link| matches!(link.protocol, Protocol::Lines { .. })) {
        return Vec::new();
    }
    let given: Vec<(&str, bool)> = links.iter().flat_map(|link| link.protocol.lines()).collect();
    let mut findings = Vec::new();
    for point in &station.points {
        let wanted = point.kind.lines().into_iter().chain(point.kind.number_lines());
        for line in wanted.map(|line| line.name.as_str()) {
            let number = line.rsplit_once('.').filter(|(_, bit)| bit.parse::<u32>().is_ok()).map(|(number, _)| number);
            let is_given =
                station.is_online_line(line) || given.iter().any(|(name, _)| *name == line || Some(*name) == number);
            if !is_given {
                let message = format!("its line {line} is on no link: in a live run it never has a value");
                let remedy = format!("add {line} to the lines of a link");
                findings.push(Finding::warning("line-of-no-link", &point.name, message, &remedy));
            }
        }
    }
    findings
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
