//! `reigen check`: the wiring, before power-on.

use crate::cli::CheckArguments;
use crate::done::Completion;
use crate::failure::Failure;
use crate::picture;
use crate::print::Out;
use crate::views::check::{print, wiring_picture};
use reigen_draw::schematic::WiringPicture;
use reigen_draw::theme::Theme;
use reigen_io::output_file::{FinishedFile, Outputs, put_in_place};
use reigen_run::points::number_of;
use reigen_run::station_file::StationFile;
use reigen_station::electrical::list::WireRow;
use reigen_station::electrical::{WiringReport, check};
use reigen_station::findings::links::of_links;
use std::io::Write;
use std::path::Path;

/// The width of the wiring picture; its height is what its circuits need.
const WIDTH: u32 = 1280;

/// Runs the command.
pub(crate) fn run(arguments: &CheckArguments, out: &mut Out) -> Result<Completion, Failure> {
    arguments.output.as_deref().map(picture::format_of).transpose()?;
    let station = StationFile::open(&arguments.station)?;
    for name in &arguments.points {
        number_of(&station.station, name)?;
    }
    let mut checked = check(&station.station);
    checked.findings.extend(of_links(&station.station));
    let checked = if arguments.points.is_empty() { checked } else { checked.of_points(&arguments.points) };
    let mut files = Vec::new();
    if let Some(path) = &arguments.csv {
        files.push(write_list(&checked.wires, path, out.outputs())?);
    }
    if let Some(path) = &arguments.output {
        let picture = picture(&station, &checked, &arguments.points)?;
        let theme = if arguments.dark { Theme::DARK } else { Theme::LIGHT };
        files.push(picture::finish(&picture, path, (WIDTH, picture.needed_height()), &theme, out.outputs())?);
    }
    put_in_place(files)?;
    print(&station, &checked, arguments.json, arguments.list, out)
}

fn picture(station: &StationFile, checked: &WiringReport, points: &[String]) -> Result<WiringPicture, Failure> {
    wiring_picture(&station.station, checked, points).ok_or_else(|| Failure::Usage {
        message: "there is no circuit to draw: no point that is drawn has both a sensor and a terminal".to_owned(),
        help: "add sensor = \"…\" and terminal = \"…\" to the points, and the tables they name".to_owned(),
    })
}

/// The columns of the list, as a spreadsheet shows them.
const COLUMNS: [&str; 11] =
    ["wire", "cable", "cable_m", "device", "pin", "to", "through", "points", "address", "function", "remark"];

/// Writes the list to wire from as CSV (RFC 4180).
fn write_list(wires: &[WireRow], path: &Path, outputs: &Outputs) -> Result<FinishedFile, Failure> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    let whole =
        writer.write_record(COLUMNS).and_then(|()| wires.iter().try_for_each(|row| writer.write_record(cells(row))));
    whole.map_err(|error| Failure::Print(error.into()))?;
    let bytes = writer.into_inner().map_err(|error| Failure::Print(std::io::Error::other(error.to_string())))?;
    let mut file = outputs.create(path)?;
    file.write_all(&bytes).map_err(|error| file.explain(error))?;
    Ok(file.finish()?)
}

fn cells(row: &WireRow) -> [String; 11] {
    let text = |text: &Option<String>| text.clone().unwrap_or_default();
    [
        text(&row.wire),
        text(&row.cable),
        row.cable_m.map_or(String::new(), |length| length.0.to_string()),
        row.device.clone(),
        row.pin.clone(),
        row.to.clone(),
        row.through.join("; "),
        row.points.join("; "),
        text(&row.address),
        row.function.clone(),
        text(&row.remark),
    ]
}
