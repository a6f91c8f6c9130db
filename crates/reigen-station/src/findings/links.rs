//! What can be told of the links of a station before anything is connected.

use crate::links::modbus::ModbusLink;
use crate::links::{Link, Protocol};
use crate::station::kind::Kind;
use crate::station::{Point, Station};
use reigen_core::finding::Finding;
use std::collections::HashSet;

/// What can be told of the links of a station.
pub fn of_links(station: &Station) -> Vec<Finding> {
    let links = &station.links;
    if links.is_empty() {
        return Vec::new();
    }
    let mut findings = lines_of_no_link(station);
    findings.extend(outputs_of_no_link(station));
    findings.extend(links.iter().flat_map(shared_places));
    findings.extend(links.iter().filter_map(|link| slower_than_scan(station, link)));
    findings
}

/// Lines of the station that none of its links gives.
fn lines_of_no_link(station: &Station) -> Vec<Finding> {
    let links = &station.links;
    // Whoever prints lines may print any.
    if links.iter().any(|link| link.protocol.has_any_line()) {
        return Vec::new();
    }
    let given: HashSet<&str> = links.iter().flat_map(|link| link.protocol.lines()).map(|(name, _)| name).collect();
    let mut findings = Vec::new();
    for point in &station.points {
        let wanted = point.kind.lines().into_iter().chain(point.kind.number_lines());
        for line in wanted.map(|line| line.name.as_str()) {
            let number = line.rsplit_once('.').filter(|(_, bit)| bit.parse::<u32>().is_ok()).map(|(number, _)| number);
            let is_given = station.is_online_line(line)
                || given.contains(line)
                || number.is_some_and(|number| given.contains(number));
            if !is_given {
                let message = format!("its line {line} is on no link: in a live run it never has a value");
                let remedy = format!("add {line} to the lines of a link");
                findings.push(Finding::warning("line-of-no-link", &point.name, message, &remedy));
            }
        }
    }
    findings
}

/// Outputs that are wired to something, and that no link writes.
fn outputs_of_no_link(station: &Station) -> Vec<Finding> {
    let links = station.links.iter();
    let written: HashSet<&str> = links.flat_map(|link| link.protocol.outputs()).map(|output| output.point).collect();
    // One without a terminal is a lamp on the screen alone.
    let has_terminal = |point: &&Point| point.kind.wired().is_some_and(|wired| wired.terminal.is_some());
    let outputs = station.points.iter().filter(|point| matches!(point.kind, Kind::Output(_)));
    let wired = outputs.filter(has_terminal);
    let left = wired.filter(|point| !written.contains(point.name.as_str()));
    let finding = |name: &str| {
        let message = "it is wired, and no link writes it: in a live run it is only calculated".to_owned();
        Finding::warning("output-of-no-link", name, message, "add it to the outputs of a link")
    };
    left.map(|point| finding(&point.name)).collect()
}

/// Lines of a Modbus device that share registers, without being the same.
fn shared_places(link: &Link) -> Vec<Finding> {
    let Protocol::Modbus(ModbusLink { lines, .. }) = &link.protocol else { return Vec::new() };
    let mut findings = Vec::new();
    for (number, (name, place)) in lines.iter().enumerate() {
        let before = lines.iter().take(number);
        // A bit of a register beside the whole of it is read on purpose.
        let shared = before.clone().find(|(_, other)| place.overlaps(*other) && place.is_bit() == other.is_bit());
        if let Some((other, other_place)) = shared {
            let message = format!("{name} ({place}) and {other} ({other_place}) read the same place");
            let remedy = "compare both with the list of the device: a value of two registers takes two addresses";
            findings.push(Finding::warning("lines-overlap", &link.name, message, remedy));
        }
    }
    findings
}

/// A link that reads less often than the station is worked.
fn slower_than_scan(station: &Station, link: &Link) -> Option<Finding> {
    let (scan, every) = (station.scan?.period, link.protocol.step()?);
    (every > scan).then(|| {
        let message = format!("it reads every {every}, and the scan runs every {scan}: most scans see the same values");
        let remedy = format!("use every = \"{scan}\", or a longer scan");
        Finding::note("link-slower-than-scan", &link.name, message, &remedy)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::station::parse;

    #[test]
    fn each_fault_is_found_and_what_is_right_beside_it_is_not() {
        let station = |scan: &str, places: &str, outputs: &str| {
            parse(&format!(
                "[scan]\nperiod = '{scan}'\n[link.io]\nprotocol = 'modbus-tcp'\naddress = 'h:502'\nevery = '20 ms'\n\
                 lines = {{ {places} }}\noutputs = {{ {outputs} }}\n[input.a]\nline = 'A'\n\
                 [card.c]\nsupply = '24 V'\n[card.c.outputs.lamps]\nterminals = ['Q0']\nkind = 'transistor'\n\
                 drives = 'sourcing'\ncurrent = '1 A'\n[output.on_screen]\nwhen = 'a'\n[output.lamp]\nwhen = 'a'\nterminal = 'c.Q0'\n"
            ))
            .unwrap()
        };
        let codes = |scan: &str, places: &str, outputs: &str| {
            let found = of_links(&station(scan, places, outputs));
            found.iter().map(|finding| finding.code.to_owned()).collect::<Vec<_>>()
        };
        let (places, outputs) = ("A = 'coil 0', B = 'input 4', C = 'input 5'", "lamp = 'coil 1'");
        assert!(codes("20 ms", places, outputs).is_empty());
        assert_eq!(codes("10 ms", places, outputs), ["link-slower-than-scan"]);
        assert_eq!(codes("20 ms", "B = 'input 4'", outputs), ["line-of-no-link"]);
        assert_eq!(codes("20 ms", places, ""), ["output-of-no-link"]);
        let shared = "A = 'coil 0', B = { at = 'input 4', type = 'u32' }, C = 'input 5'";
        assert_eq!(codes("20 ms", shared, outputs), ["lines-overlap"]);
        let bit_beside = "A = { at = 'holding 4', bit = 1 }, B = 'holding 4'";
        assert!(codes("20 ms", bit_beside, outputs).is_empty());
    }
}
