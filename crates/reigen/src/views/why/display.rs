//! Why a display shows what it shows: its texts on the way, or the points behind each row at a time.

use super::answer::{Cause, CauseOf, Change};
use super::fates::Reasons;
use super::{ReasonTree, StatesAt, WhyReport, most};
use crate::cli::{SpanArguments, WhyArguments};
use crate::failure::Failure;
use crate::reading::replay;
use reigen_core::time::place;
use reigen_io::recording::Recording;
use reigen_run::displays::DisplayWatch;
use reigen_run::observer::{Observer as _, WindowView};
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_station::points::display::Display;

/// The reasons of the display with this number.
pub(crate) fn why_display(
    station: &StationFile,
    recording: Recording,
    number: usize,
    arguments: &WhyArguments,
) -> Result<WhyReport, Failure> {
    let Some(display) = station.station.displays.get(number) else { return Ok(WhyReport::default()) };
    if arguments.edge.is_some() {
        return Err(Failure::Usage {
            message: format!("`{}` is a display and has no raw edges", display.name),
            help: "ask for a point that it shows, or for --at".to_owned(),
        });
    }
    match arguments.at {
        Some(at) => rows_at(station, recording, display, at),
        None => texts(station, recording, (number, display), arguments),
    }
}

/// Each text that it showed.
fn texts(
    station: &StationFile,
    recording: Recording,
    (number, display): (usize, &Display),
    arguments: &WhyArguments,
) -> Result<WhyReport, Failure> {
    let origin = recording.origin();
    let mut reasons = Reasons::new(most(arguments));
    let mut watch = DisplayWatch::telling(&station.station);
    let SpanArguments { from, to } = arguments.recording.span;
    let wanted = RunOptions { from, to, counted_before: true, ..RunOptions::default() };
    let mut failure = None;
    replay(
        station,
        recording,
        &wanted,
        &mut [&mut |seen: &mut WindowView<'_>| {
            failure = failure.take().or(watch.take(seen).err());
            for text in watch.take_told().into_iter().filter(|text| text.display == number) {
                reasons.take(|| Change {
                    time_ns: origin.file_time_ns(text.time),
                    event: "text",
                    value: None,
                    what: text.rows.iter().map(|row| format!("|{row}|")).collect::<Vec<_>>().join("  "),
                });
            }
        }],
    )?;
    failure.map_or(Ok(()), Err)?;
    let follows = match display.refresh {
        Some(refresh) => format!("refreshes every {refresh}"),
        None => "updates at once".to_owned(),
    };
    let (point, head) = (display.name.clone(), format!("{} is a display and {follows}", display.name));
    Ok(WhyReport { point, head, changes: reasons.shown, more: reasons.more, ..WhyReport::default() })
}

/// The points behind each row at a time: that of the last refresh.
fn rows_at(station: &StationFile, recording: Recording, display: &Display, at: i64) -> Result<WhyReport, Failure> {
    let origin = recording.origin();
    let taken = origin.since_start(at).and_then(|since| {
        let refresh = display.refresh?;
        Some(origin.file_time_ns(reigen_core::time::Nanos(since.0 / refresh.0 * refresh.0)))
    });
    let read = StatesAt::read(station, recording, taken.unwrap_or(at))?;
    let mut tree = ReasonTree::new(station, &read);
    let of = |name: &_| read.states.of(&station.station, name).map(|(value, _)| value);
    for (row, text) in display.rows(&of).0.into_iter().enumerate() {
        let told = format!("row {}: |{text}|", row + 1);
        tree.causes.push(Cause { depth: 0, of: CauseOf::Row { row: row + 1, shown: text }, text: told });
        for name in display.names_of_row(row) {
            tree.tell_name(name, 1);
        }
    }
    let head = match taken.filter(|taken| *taken != at) {
        Some(taken) => format!("{} at {} shows the state at {}:", display.name, place(at), place(taken)),
        None => format!("{} at {}:", display.name, place(at)),
    };
    Ok(WhyReport { point: display.name.clone(), head, causes: tree.causes, ..WhyReport::default() })
}
