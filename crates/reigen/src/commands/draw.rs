//! `reigen draw`: a timing diagram.

use crate::cli::{DrawArguments, RecordingArguments};
use crate::failure::Failure;
use crate::picture;
use crate::print::Out;
use crate::reading::{self, replay};
use crate::views::diagram::{DiagramOptions, diagram, print};
use reigen_core::cast;
use reigen_core::time::Nanos;
use reigen_draw::theme::Theme;
use reigen_io::source::Source;
use reigen_run::observer::WindowView;
use reigen_run::points::{number_of, numbers_of, point_scale};
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_station::station::Station;

/// The height of a picture whose rows do not need more.
const USUAL_HEIGHT: u32 = 800;
/// How many letters wide a picture in the terminal can be.
const WIDTHS: std::ops::RangeInclusive<u32> = 1..=10_000;
/// The width of a terminal that does not tell its own.
const USUAL_WIDTH: u32 = 100;

/// Runs the command.
pub(crate) fn run(arguments: &DrawArguments, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::open(&arguments.station)?;
    arguments.output.as_deref().map(picture::format_of).transpose()?;
    let span = arguments.recording.span;
    let mut chosen = DiagramOptions { from: span.from, to: span.to, ..choose(arguments, &station.station)? };
    let sources = match arguments.around {
        Some(_) => reading::reopenable(&arguments.recording)?,
        None => reading::sources(&arguments.recording),
    };
    if let Some(around) = &arguments.around {
        let time = find_time(&station, &sources, &arguments.recording, around)?;
        let half = cast::i64_from_u64((arguments.span.0 / 2).max(1));
        (chosen.from, chosen.to) = (Some(time.saturating_sub(half)), Some(time.saturating_add(half)));
    }
    let recording = reading::open_sources(&sources, &arguments.recording)?;
    // What is before the recording is not drawn.
    chosen.from =
        chosen.from.map(|from| if arguments.around.is_some() { from.max(recording.origin().0) } else { from });
    let diagram = diagram(&station, recording, &chosen)?;
    match &arguments.output {
        Some(path) => {
            let theme = if arguments.dark { Theme::DARK } else { Theme::LIGHT };
            let height = arguments.height.unwrap_or_else(|| diagram.least_height().max(USUAL_HEIGHT));
            picture::write(&diagram, path, (arguments.width.unwrap_or(1280), height), &theme, out.outputs())
        }
        None => {
            let width = arguments.width.unwrap_or_else(|| crate::print::terminal_width().unwrap_or(USUAL_WIDTH));
            if !WIDTHS.contains(&width) {
                return Err(Failure::Usage {
                    message: format!("nothing can be drawn {width} letters wide"),
                    help: format!(
                        "from {} to {}; leave --width out to draw as wide as the terminal",
                        WIDTHS.start(),
                        WIDTHS.end()
                    ),
                });
            }
            print(&diagram, width, out)
        }
    }
}

/// The points and scales that the arguments name.
fn choose(arguments: &DrawArguments, station: &Station) -> Result<DiagramOptions, Failure> {
    let points = numbers_of(station, &arguments.points)?;
    let scales = arguments.scale.iter().map(|text| point_scale(station, text)).collect::<Result<_, _>>()?;
    Ok(DiagramOptions { points, scales, ..DiagramOptions::default() })
}

/// The time of `POINT:N`, in the recording's own times.
fn find_time(
    station: &StationFile,
    sources: &[Source],
    arguments: &RecordingArguments,
    text: &str,
) -> Result<i64, Failure> {
    let wrong = |message: String| Failure::Usage { message, help: "such as --around start_button:2".to_owned() };
    let (name, number) = text.split_once(':').unwrap_or((text, "1"));
    let point = number_of(&station.station, name)?;
    let Some(wanted) = number.parse::<usize>().ok().filter(|number| *number > 0) else {
        return Err(wrong(format!("`{number}` is not a number of an event: the first is 1")));
    };
    let recording = reading::open_sources(sources, arguments)?;
    let (mut seen, mut found) = (0, None);
    let outcome = replay(
        station,
        recording,
        &RunOptions::default(),
        &mut [&mut |window: &mut WindowView<'_>| {
            let times = event_times(window, point);
            if found.is_none() {
                found = times.get((wanted - 1usize).wrapping_sub(seen)).copied();
            }
            seen += times.len();
        }],
    )?;
    match found {
        Some(time) => Ok(outcome.origin.file_time_ns(time)),
        None => Err(wrong(format!("`{name}` has only {seen} such events in this recording"))),
    }
}

/// When a point went on in a window, or a counter counted.
fn event_times(seen: &WindowView<'_>, point: usize) -> Vec<Nanos> {
    let columns = seen.engine.points().find(|columns| columns.point == point);
    columns.map_or_else(Vec::new, |columns| match (columns.bit(), columns.count()) {
        (Some(bit), _) => bit.rising().collect(),
        (_, Some(count)) => count.times.clone(),
        _ => columns.reading().map_or_else(Vec::new, |reading| reading.times.clone()),
    })
}
