//! What can be wrong between links, and between a link and the points that it is given.

use super::connection::Connection;
use super::modbus::ModbusLink;
use super::output::OnStop;
use super::{Link, NamedOutput, Protocol};
use reigen_core::logic::expression::Type;
use std::collections::HashMap;

/// What is wrong with a link beside those before it.
pub(crate) fn beside_others(link: &Link, before: &[Link]) -> Vec<String> {
    let mut wrong = Vec::new();
    let lines: HashMap<&str, &str> = before
        .iter()
        .flat_map(|other| other.protocol.lines().into_iter().map(|(line, _)| (line, other.name.as_str())))
        .collect();
    for (line, _) in link.protocol.lines() {
        if let Some(other) = lines.get(line) {
            wrong.push(format!("the line `{line}` is on the link `{other}` already"));
        }
    }
    for other in before {
        wrong.extend(shared_device(link, other));
    }
    wrong
}

/// What two links may not share.
fn shared_device(link: &Link, other: &Link) -> Option<String> {
    match (&link.protocol, &other.protocol) {
        (Protocol::Modbus(one), Protocol::Modbus(two)) => shared_bus(one, two, &other.name),
        (Protocol::Gpio(one), Protocol::Gpio(two)) if one.chip == two.chip => {
            Some(format!("the link `{}` has {} already: put all of its pins there", other.name, one.chip))
        }
        (one, two) => match (serial(one), serial(two)) {
            (Some(path), Some(other_path)) if path == other_path => {
                Some(format!("the link `{}` has {path} already", other.name))
            }
            _ => None,
        },
    }
}

fn serial(protocol: &Protocol) -> Option<&str> {
    match protocol {
        Protocol::Modbus(ModbusLink { at: Connection::Serial(port), .. }) => Some(&port.path),
        Protocol::Lines(link) => match &link.at {
            Connection::Serial(port) => Some(&port.path),
            Connection::Tcp(_) => None,
        },
        _ => None,
    }
}

/// Devices on one bus are spoken to in turn; each place is written by one link.
fn shared_bus(one: &ModbusLink, two: &ModbusLink, other: &str) -> Option<String> {
    if let (Connection::Serial(port), Connection::Serial(other_port)) = (&one.at, &two.at)
        && port.path == other_port.path
        && port != other_port
    {
        return Some(format!("{port} is set as {other_port} by the link `{other}`: a bus has one setting"));
    }
    if one.at != two.at || one.unit != two.unit {
        return None;
    }
    let written = two.outputs.all.iter().map(|output| output.place);
    let both = one.outputs.all.iter().find(|output| written.clone().any(|place| place.overlaps(output.place)))?;
    Some(format!("the link `{other}` writes {} already", both.place))
}

/// What is wrong with an output, whose point has a type.
pub(crate) fn output(output: &NamedOutput<'_>, found: Type) -> Option<String> {
    let NamedOutput { point, place, is_bit, on_stop } = output;
    match (found, is_bit) {
        (Type::Bit, Some(false)) => Some(format!("`{point}` is a bit, and {place} a number")),
        (Type::Integer | Type::Real, Some(true)) => Some(format!("`{point}` is a number, and {place} a bit")),
        (Type::Bit, _) if matches!(on_stop, OnStop::Becomes(value) if *value != 0.0 && *value != 1.0) => {
            Some(format!("`{point}` is a bit: its `on_stop` is 0, 1, \"off\" or \"hold\""))
        }
        _ => None,
    }
}
