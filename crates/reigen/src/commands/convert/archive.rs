//! A recording into an archive: a table for each day, in folders of the station.

use super::{chosen, findings};
use crate::cli::ConvertArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::progress::Bar;
use crate::reading;
use crate::tables::print_findings;
use reigen_core::names::counted;
use reigen_core::time::{Nanos, Origin};
use reigen_io::convert::{ConvertError, Stretch, convert};
use reigen_io::output_file::put_in_place;
use reigen_io::source::Source;
use reigen_io::write::partitions::{Partitions, is_dated};
use reigen_io::write::{Format, Heading, written_lines};
use reigen_station::links::nats::{check_station_name, usable_station_name};
use std::path::Path;

/// Runs the command.
pub(super) fn run(arguments: &ConvertArguments, folder: &Path, out: &mut Out) -> Result<(), Failure> {
    let station = arguments.station.as_deref().unwrap_or_default();
    check_station_name(station).map_err(|message| Failure::Usage {
        message,
        help: format!("such as --station {}", usable_station_name(station)),
    })?;
    let sources: Vec<Source> = arguments.inputs().iter().map(Source::from).collect();
    let mut recording = reading::open_sources(&sources, &arguments.recording)?;
    let stretch = reading::stretch(&arguments.recording.span, &recording)?;
    let chosen = chosen(arguments, &recording)?;
    let wanted = Stretch { from: stretch.from, to: stretch.to, step: arguments.step };
    let origin = dated(wanted.origin(recording.origin()), recording.origin(), arguments.at)?;
    let heading = Heading {
        lines: written_lines(Format::Parquet, &chosen.lines),
        scope: None,
        origin,
        step: Nanos(1),
        resumed: Vec::new(),
    };
    let mut bar = Bar::new(recording.progress());
    let mut archive = Partitions::new(out.outputs(), folder, station, heading.clone());
    let done = convert(&mut recording, &chosen, &wanted, Box::new(&mut archive), &mut || bar.show());
    let done = done.map_err(|error| match error {
        ConvertError::Recording(error) => Failure::from(error),
        ConvertError::Output(error) => Failure::Usage {
            message: format!("cannot write into {}: {error}", folder.display()),
            help: "name a folder that may be written, on a disk with room".to_owned(),
        },
    })?;
    bar.hide();
    let files = archive.into_files();
    let days = counted(files.len() as u64, "day");
    put_in_place(files)?;
    let (lines, changes) = (counted(chosen.lines.len() as u64, "line"), counted(done.changes, "change"));
    out.line(format!("{}/station={station}: {lines}, {changes}, {days}", folder.display()))?;
    print_findings(&findings(Format::Parquet, &recording, (&chosen.lines, &heading), &done), out)
}

/// The date at which the stretch begins.
fn dated(begins: Origin, recording: Origin, at: Option<i64>) -> Result<Origin, Failure> {
    match (at, is_dated(recording)) {
        (None, true) => Ok(begins),
        (Some(at), false) => Ok(Origin(begins.0.saturating_add(at))),
        (None, false) => Err(Failure::Usage {
            message: "the recording's times are no dates, and an archive is sorted by date".to_owned(),
            help: "add the date and time of its time 0: --at 2026-11-29T08:30:00Z".to_owned(),
        }),
        (Some(_), true) => Err(Failure::Usage {
            message: "the recording's times are dates already".to_owned(),
            help: "remove --at".to_owned(),
        }),
    }
}
