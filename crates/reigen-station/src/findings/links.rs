//! What can be told of the links of a station before anything is connected.

use crate::links::Protocol;
use crate::station::Station;
use reigen_core::finding::Finding;

/// Lines of the station that none of its links gives.
pub fn of_links(station: &Station) -> Vec<Finding> {
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
