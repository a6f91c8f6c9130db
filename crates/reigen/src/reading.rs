//! Recordings as the options say, opened and read through.

use crate::cli::{ReadingArguments, RecordingArguments, SpanArguments};
use crate::failure::Failure;
use crate::progress::Bar;
use reigen_core::finding::Finding;
use reigen_core::lines::LineColumns;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::{Nanos, Window};
use reigen_history::{SessionText, is_history};
use reigen_io::check_names;
use reigen_io::options::{ReadOptions, Thresholds};
use reigen_io::recording::{Clock, Recording};
use reigen_io::source::Source;
use reigen_run::measure;
use reigen_run::observer::Observer;
use reigen_run::outcome::Outcome;
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_run::stretch::Stretch;
use reigen_station::station::StationErrorKind;
use std::path::Path;

/// Opens the recordings that are named, one after another, and tells how each is read; `-` is standard input.
pub(crate) fn open(arguments: &RecordingArguments) -> Result<Recording, Failure> {
    open_sources(&sources(arguments), arguments)
}

/// The recordings that are named.
pub(crate) fn sources(arguments: &RecordingArguments) -> Vec<Source> {
    arguments.recordings.iter().map(Source::from).collect()
}

/// The same, each of which can be opened again and again.
pub(crate) fn reopenable(arguments: &RecordingArguments) -> Result<Vec<Source>, Failure> {
    Ok(arguments.recordings.iter().map(|path| Source::reopenable(path)).collect::<Result<_, _>>()?)
}

/// Opens recordings of one run from where they come from.
pub(crate) fn open_sources(sources: &[Source], arguments: &RecordingArguments) -> Result<Recording, Failure> {
    let clock = if arguments.own_clocks { Clock::Own } else { Clock::Shared };
    open_all(sources, &read_options(&arguments.reading)?, clock)
}

/// Opens recordings of one run with options that are known already.
pub(crate) fn open_all(sources: &[Source], options: &ReadOptions, clock: Clock) -> Result<Recording, Failure> {
    let recording = match history(sources)? {
        Some(path) => open_history(path, options)?,
        None if options.session.is_some() => {
            return Err(Failure::Usage {
                message: "--session is for a history, and this is none".to_owned(),
                help: "leave it out, or name the file that `reigen live --history` wrote".to_owned(),
            });
        }
        None => Recording::open_all(sources, options, clock)?,
    };
    for told in recording.taken_for() {
        tracing::info!("{}", on_one_line(&told));
    }
    recording.unread().iter().for_each(warn);
    Ok(recording)
}

/// The history among the recordings, which stands alone.
fn history(sources: &[Source]) -> Result<Option<&Path>, Failure> {
    let is_one = |source: &Source| matches!(source, Source::Path(path) if is_history(path));
    match sources {
        [Source::Path(only)] if is_history(only) => Ok(Some(only)),
        sources if sources.iter().any(is_one) => Err(Failure::Usage {
            message: "a history is read alone".to_owned(),
            help: "`reigen convert` makes a recording of a session, which others may follow".to_owned(),
        }),
        _ => Ok(None),
    }
}

/// A session of a history as a recording.
fn open_history(path: &Path, options: &ReadOptions) -> Result<Recording, Failure> {
    let text = SessionText::open(path, options.session)?;
    let description = text.description().to_owned();
    Ok(Recording::from_bytes(path.display().to_string(), Box::new(text), options)?.described(description))
}

/// The stretch that is asked for, in times since the recording's start.
pub(crate) fn stretch(span: &SpanArguments, recording: &Recording) -> Result<Stretch, Failure> {
    Ok(Stretch::new(recording.origin(), span.from, span.to)?)
}

/// Tells a finding on standard error, where the result has standard output for itself.
pub(crate) fn warn(finding: &Finding) {
    let Finding { severity, subject, message, code, remedy, .. } = finding;
    let told = format!("{subject}: {message} [{code}]");
    tracing::warn!("{}: {}\n   → {}", severity.word(), on_one_line(&told), on_one_line(remedy));
}

/// Reads a stretch of the lines of these signals, and hands over window after window; gives the last time of it.
pub(crate) fn read_through(
    recording: &mut Recording,
    (bits, numbers): (&[usize], &[usize]),
    stretch: Stretch,
    take: &mut (dyn FnMut(Window, &LineColumns) + Send),
) -> Result<Nanos, Failure> {
    let mut bar = Bar::new(recording.progress());
    let last = measure::read_through(recording, (bits, numbers), stretch, &mut |window, lines| {
        bar.show();
        take(window, lines);
    })?;
    bar.hide();
    Ok(last)
}

/// Works a station over a recording, and shows each window to observers; a bar tells how far it is.
pub(crate) fn replay(
    station: &StationFile,
    recording: Recording,
    options: &RunOptions<'_>,
    observers: &mut [&mut dyn Observer],
) -> Result<Outcome, Failure> {
    let mut bar = Bar::new(recording.progress());
    let mut all: Vec<&mut dyn Observer> = vec![&mut bar];
    all.extend(observers.iter_mut().map(|observer| &mut **observer as &mut dyn Observer));
    Ok(reigen_run::replay::replay(station, recording, options, &mut all)?)
}

/// A line that a command names and the recording does not have as it is wanted.
pub(crate) fn refuse_line(option: &str, kind: &StationErrorKind) -> Failure {
    Failure::Usage {
        message: format!("{option}: {kind}"),
        help: kind.help().unwrap_or_else(|| "`reigen survey` lists the lines of a recording".to_owned()),
    }
}

/// What the options say of a recording.
pub(crate) fn read_options(arguments: &ReadingArguments) -> Result<ReadOptions, Failure> {
    let thresholds = match (arguments.high_above, arguments.low_below) {
        (Some(high_above), Some(low_below)) => {
            if !(high_above.is_finite() && low_below.is_finite()) || high_above < low_below {
                return Err(Failure::Usage {
                    message: format!("--high-above {high_above} is below --low-below {low_below}, or is not a number"),
                    help: "the upper of the two values belongs to --high-above".to_owned(),
                });
            }
            Some(Thresholds { high_above, low_below })
        }
        _ => None,
    };
    if let Some(lines) = &arguments.bits {
        check_names(lines).map_err(|message| Failure::Usage {
            message: format!("--bits: {message}"),
            help: "name the bits of a sample from bit 0 of its first byte upward".to_owned(),
        })?;
    }
    Ok(ReadOptions {
        sample_rate: arguments.sample_rate,
        lines: arguments.bits.clone(),
        thresholds,
        separator: arguments.separator,
        decimal: arguments.decimal,
        high: arguments.high.clone(),
        time: arguments.time.clone(),
        time_unit: arguments.time_unit,
        session: arguments.session,
        plain: arguments.plain_reader,
        ..ReadOptions::default()
    })
}
