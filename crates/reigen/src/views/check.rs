//! The wiring of a station: what is wrong with it, in words and as circuits.

use crate::done::Completion;
use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use crate::tables;
use reigen_core::finding::{Finding, Severity};
use reigen_draw::schematic::WiringPicture;
use reigen_run::station_file::StationFile;
use reigen_station::electrical::WiringReport;
use reigen_station::electrical::list::WireRow;
use reigen_station::electrical::schematic::schematics;
use reigen_station::electrical::terminals::TerminalRow;
use reigen_station::links::Link;
use reigen_station::station::Station;
use serde::Serialize;
use std::collections::HashSet;

/// The result as JSON.
#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct Summary<'a> {
    station: Option<&'a str>,
    findings: &'a [Finding],
    terminals: &'a [TerminalRow],
    wires: &'a [WireRow],
}

/// Prints what came of a check.
pub(crate) fn print(
    station: &StationFile,
    checked: &WiringReport,
    json: bool,
    list: bool,
    out: &mut Out,
) -> Result<Completion, Failure> {
    let title = station.station.title.as_deref();
    let WiringReport { findings, terminals, wires } = checked;
    match (json, list) {
        (true, _) => out.json(&Summary { station: title, findings, terminals, wires })?,
        (false, true) => tables::print_wires(title, checked, out)?,
        (false, false) => tables::print_check(title, checked, out)?,
    }
    if !json && !list && !station.station.links.is_empty() {
        out.line("")?;
        out.table(&link_table(&station.station.links))?;
    }
    let wrong = findings.iter().any(|finding| finding.severity == Severity::Error);
    Ok(if wrong { Completion::Differs } else { Completion::Fine })
}

/// The links with their places.
fn link_table(links: &[Link]) -> Table {
    let mut table = Table::new(&["link", "at", "name", "place", "what"]);
    for link in links {
        let at = format!("{} {}", link.protocol.word(), link.protocol.address());
        let any = link.protocol.has_any_line().then(|| ["", "", "all lines that it prints"].map(str::to_owned));
        let lines = link.protocol.lines();
        let lines = lines.into_iter().map(|(name, place)| [name.to_owned(), place, "line".to_owned()]);
        let outputs = link.protocol.outputs();
        let outputs = outputs.into_iter().map(|output| [output.point.to_owned(), output.place, "output".to_owned()]);
        let mut rows: Vec<[String; 3]> = any.into_iter().chain(lines).chain(outputs).collect();
        if rows.is_empty() {
            rows.push(Default::default());
        }
        for (number, [name, place, what]) in rows.into_iter().enumerate() {
            let [link, at] = if number == 0 { [link.name.clone(), at.clone()] } else { Default::default() };
            table.add_row([link, at, name, place, what]);
        }
    }
    (1..5).for_each(|column| table.left(column));
    table
}

/// The circuits of all sensors, or of the points that are named.
pub(crate) fn wiring_picture(station: &Station, checked: &WiringReport, points: &[String]) -> Option<WiringPicture> {
    let named: HashSet<&str> = points.iter().map(String::as_str).collect();
    let wanted = |point: &str| named.is_empty() || named.contains(point);
    let circuits = schematics(station, &checked.findings, &wanted);
    let title = station.title.as_deref().unwrap_or("Wiring");
    (!circuits.is_empty()).then(|| WiringPicture { title: title.to_owned(), circuits })
}
