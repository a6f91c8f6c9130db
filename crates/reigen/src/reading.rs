//! A recording read through, for commands that measure its lines without a station.

use crate::failure::Failure;
use crate::progress::Bar;
use indexmap::IndexMap;
use reigen_core::finding::Finding;
use reigen_core::lines::{LineColumns, LineKind, RecordedLine};
use reigen_core::outside_words::on_one_line;
use reigen_core::station::StationErrorKind;
use reigen_core::station::line_names::LineNames;
use reigen_core::time::Nanos;
use reigen_io::options::ReadOptions;
use reigen_io::recording::{Clock, Recording};
use reigen_io::source::Source;
use std::collections::HashMap;
use std::path::Path;

/// How the times of recordings in a row belong together.
pub(crate) fn clock(own: bool) -> Clock {
    if own { Clock::Own } else { Clock::Shared }
}

/// Opens a recording, and tells what it was taken for; `-` is standard input.
pub(crate) fn open(path: &Path, options: &ReadOptions) -> Result<Recording, Failure> {
    open_all(&[Source::Path(path.to_owned())], options, Clock::default())
}

/// The same from where it comes from.
pub(crate) fn open_source(source: &Source, options: &ReadOptions) -> Result<Recording, Failure> {
    open_all(std::slice::from_ref(source), options, Clock::default())
}

/// The same of several of one run, one after another.
pub(crate) fn open_all(sources: &[Source], options: &ReadOptions, clock: Clock) -> Result<Recording, Failure> {
    let recording = Recording::open_all(sources, options, clock)?;
    for told in recording.taken_for() {
        tracing::info!("{}", on_one_line(&told));
    }
    recording.unread().iter().for_each(warn);
    Ok(recording)
}

/// Tells a finding on standard error, where the result has standard output for itself.
pub(crate) fn warn(finding: &Finding) {
    let Finding { severity, subject, message, code, remedy, .. } = finding;
    let told = format!("{subject}: {message} [{code}]");
    tracing::warn!("{}: {}\n   → {}", severity.word(), on_one_line(&told), on_one_line(remedy));
}

/// Reads the lines of these signals, and hands over window after window; gives the recording's last time.
pub(crate) fn read_through(
    recording: &mut Recording,
    bits: &[usize],
    numbers: &[usize],
    take: &mut (dyn FnMut(&LineColumns) + Send),
) -> Result<Nanos, Failure> {
    let mut lines = recording.select(bits, numbers);
    let mut bar = Bar::new(recording.progress());
    recording.read(&mut lines, &mut |lines, known_until| {
        bar.show();
        let window = lines.cut(known_until);
        take(lines);
        lines.advance(window);
        true
    })?;
    bar.finish();
    Ok(recording.last_time())
}

/// The signals of one kind, each once.
pub(crate) struct Signals {
    /// The number of each in the recording.
    pub(crate) numbers: Vec<usize>,
    /// The shortest name of each, of which the last part stands where no other signal has it.
    pub(crate) names: Vec<String>,
    /// All other names of each.
    pub(crate) aliases: Vec<Vec<String>>,
    /// Whether a station that names it so means it: not where another line has the same name, or it has none.
    pub(crate) nameable: Vec<bool>,
}

/// The signals of one kind, each once, with the shortest of its names.
pub(crate) fn signals(lines: &[RecordedLine], wanted: impl Fn(&LineKind) -> bool) -> Signals {
    signals_among(lines, &LineNames::new(lines), wanted)
}

/// The same, with the names of all lines at hand.
pub(crate) fn signals_among(
    lines: &[RecordedLine],
    known: &LineNames<'_>,
    wanted: impl Fn(&LineKind) -> bool,
) -> Signals {
    let mut found: IndexMap<usize, Vec<String>> = IndexMap::new();
    for line in lines.iter().filter(|line| wanted(&line.kind)) {
        found.entry(line.signal).or_default().push(line.name.clone());
    }
    let shortest = |names: &[String]| names.iter().min_by_key(|name| name.len()).cloned().unwrap_or_default();
    // The last part of a name will do where no other line has it.
    let whole: Vec<String> = found.values().map(|names| shortest(names)).collect();
    let mut leaves: HashMap<&str, usize> = HashMap::new();
    whole.iter().for_each(|name| *leaves.entry(leaf(name)).or_default() += 1);
    let means = |name: &str, signal: usize| {
        !name.trim().is_empty() && [known.level(name), known.number(name)].contains(&Ok(signal))
    };
    let name = |(whole, &signal): (&String, &usize)| {
        let leaf = leaf(whole);
        if leaves.get(leaf) == Some(&1) && means(leaf, signal) { leaf.to_owned() } else { whole.clone() }
    };
    let names: Vec<String> = whole.iter().zip(found.keys()).map(name).collect();
    let others = |(names, main): (&Vec<String>, &String)| names.iter().filter(|name| *name != main).cloned().collect();
    Signals {
        numbers: found.keys().copied().collect(),
        nameable: names.iter().zip(found.keys()).map(|(name, &signal)| means(name, signal)).collect(),
        names,
        aliases: found.values().zip(&whole).map(others).collect(),
    }
}

fn leaf(name: &str) -> &str {
    name.rsplit('.').next().unwrap_or(name)
}

/// A line that a command names and the recording does not have as it is wanted.
pub(crate) fn refuse_line(option: &str, kind: &StationErrorKind) -> Failure {
    Failure::Usage {
        message: format!("{option}: {kind}"),
        help: kind.help().unwrap_or_else(|| "`reigen survey` lists the lines of a recording".to_owned()),
    }
}
