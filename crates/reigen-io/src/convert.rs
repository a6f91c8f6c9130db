//! A recording, or a stretch of it, read once and written in another format.

use crate::error::RecordingError;
use crate::recording::Recording;
use crate::write::{Changes, Line};
use reigen_core::change::{Change, Value};
use reigen_core::column::{BitColumn, ReadingColumn};
use reigen_core::lines::{LineColumns, LineKind};
use reigen_core::time::{Nanos, Origin, Window};
use std::collections::{HashMap, HashSet};
use std::io;

/// What of a recording is wanted.
#[derive(Debug, Clone, Default)]
pub struct Stretch {
    /// From this time since the start on.
    pub from: Nanos,
    /// Up to this time, which belongs to it.
    pub to: Option<Nanos>,
    /// Times are rounded to this step of the file's own time, halves up.
    pub step: Option<Nanos>,
}

/// Which lines are wanted, by their signals; levels come before numbers.
#[derive(Debug, Clone, Default)]
pub struct LineSelection {
    bits: Vec<usize>,
    numbers: Vec<usize>,
    /// What they are called, in the order in which they are written.
    pub lines: Vec<Line>,
}

/// What came of it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct ConversionSummary {
    /// Changes written.
    pub changes: u64,
    /// Edges of a line that share their time with the edge before it, since times were rounded.
    pub met: u64,
    /// Lines that had no level or value at the start.
    pub late: usize,
    /// Values of numbers that are infinite or undefined.
    pub infinite: u64,
}

/// Why it could not be done.
#[derive(Debug)]
pub enum ConvertError {
    /// The recording cannot be read.
    Recording(RecordingError),
    /// The other file cannot be written.
    Output(io::Error),
}

impl From<RecordingError> for ConvertError {
    fn from(error: RecordingError) -> Self {
        Self::Recording(error)
    }
}

impl LineSelection {
    /// All lines of a recording, or those that `wanted` names; each signal once, with its other names.
    pub fn new(recording: &Recording, wanted: impl Fn(&str) -> bool) -> Self {
        let mut chosen = Self::default();
        let mut numbers = Vec::new();
        let mut known: HashMap<(bool, usize), usize> = HashMap::new();
        for line in recording.lines() {
            let number = match line.kind {
                LineKind::Level => false,
                LineKind::Words { .. } => continue,
                _ => true,
            };
            if !wanted(&line.name) {
                continue;
            }
            let (signals, lines) = match number {
                false => (&mut chosen.bits, &mut chosen.lines),
                true => (&mut chosen.numbers, &mut numbers),
            };
            let place = *known.entry((number, line.signal)).or_insert(lines.len());
            match lines.get_mut(place) {
                Some(known) => known.aliases.push(line.name.clone()),
                None => {
                    signals.push(line.signal);
                    lines.push(Line { name: line.name.clone(), aliases: Vec::new(), number, step: line.step });
                }
            }
        }
        chosen.lines.extend(numbers);
        chosen
    }
}

impl Stretch {
    /// The file's own time at which what is written begins.
    pub fn origin(&self, recording: Origin) -> Origin {
        Origin(self.rounded(recording.file_time_ns(self.from)))
    }

    /// A file's own time, rounded.
    fn rounded(&self, file_time: i64) -> i64 {
        let Some(step) = self.step.and_then(|step| i64::try_from(step.0).ok()).filter(|step| *step > 1) else {
            return file_time;
        };
        file_time.saturating_add(step / 2).div_euclid(step).saturating_mul(step)
    }
}

/// Reads a recording through and writes what is wanted of it; `meanwhile` is called again and again.
///
/// # Errors
/// Where the recording is wrong, or no more can be written.
pub fn convert(
    recording: &mut Recording,
    chosen: &LineSelection,
    stretch: &Stretch,
    mut out: Box<dyn Changes + '_>,
    meanwhile: &mut (dyn FnMut() + Send),
) -> Result<ConversionSummary, ConvertError> {
    let mut lines = recording.select(&chosen.bits, &chosen.numbers);
    lines.keep_unknown();
    let origin = recording.origin();
    let mut copy = Copy {
        stretch,
        origin,
        start: stretch.origin(origin),
        known: vec![false; chosen.lines.len()],
        last_edge: vec![None; chosen.lines.len()],
        changes: Vec::new(),
        converted: ConversionSummary::default(),
    };
    let mut failed = None;
    let mut worked = Nanos(0);
    recording.read(&mut lines, &mut |lines, known_until| {
        meanwhile();
        let known_until = stretch.to.map_or(known_until, |to| known_until.min(to + Nanos(1)));
        while worked < known_until {
            // A window ends where the stretch begins.
            let until = if worked < stretch.from { known_until.min(stretch.from) } else { known_until };
            let window = lines.cut(until);
            let unknown = lines.take_unknown(until);
            if window.from >= stretch.from
                && let Err(error) = copy.window(window, lines, unknown, out.as_mut())
            {
                failed = Some(error);
                return false;
            }
            lines.advance(window);
            worked = until;
        }
        stretch.to.is_none_or(|to| worked <= to)
    })?;
    let end = stretch.to.map_or(recording.last_time(), |to| recording.last_time().min(to));
    let finished = match failed {
        Some(error) => Err(error),
        None => out.finish(copy.since_start(end)),
    };
    finished.map_err(ConvertError::Output)?;
    copy.converted.late += copy.known.iter().filter(|known| !**known).count();
    Ok(copy.converted)
}

/// When a line became unknown, or known again with a level.
type UnknownMark = (Nanos, usize, Option<bool>);

/// Those that come before a line's other changes of the instant, and those that come after them: what it was when it was
/// known again comes before, and what follows that in the same instant after.
fn parted(mut marks: Vec<UnknownMark>) -> [Vec<UnknownMark>; 2] {
    marks.sort_by_key(|(time, line, _)| (*line, *time));
    let [mut before, mut after] = [Vec::new(), Vec::new()];
    for instant in marks.chunk_by(|one, other| (one.0, one.1) == (other.0, other.1)) {
        let known = instant.iter().rposition(|(.., level)| level.is_some()).map_or(0, |last| last + 1);
        let (first, rest) = instant.split_at_checked(known).unwrap_or_default();
        before.extend_from_slice(first);
        after.extend_from_slice(rest);
    }
    [before, after]
}

/// Of all changes of a line at the first time keeps the last one: together they make up what the line is at the start, and a
/// file that goes on where another ended shows no pulse without a width there.
fn keep_last_of_start(changes: &mut Vec<Change>) {
    let at_start = changes.partition_point(|change| change.time == Nanos(0));
    let start: Vec<Change> = changes.drain(..at_start).collect();
    // A line that becomes unknown there was something before, which is held.
    let unknown: HashSet<usize> =
        start.iter().filter(|change| change.value == Value::Unknown).map(|change| change.line).collect();
    let mut told: HashSet<usize> = HashSet::new();
    let mut counts = |change: &Change| unknown.contains(&change.line) || told.insert(change.line);
    let last: Vec<Change> = start.into_iter().rev().filter(|change| counts(change)).collect();
    changes.splice(..0, last.into_iter().rev());
}

/// What is being copied.
struct Copy<'a> {
    stretch: &'a Stretch,
    /// The first time of what is read, and of what is written.
    origin: Origin,
    start: Origin,
    /// Which lines have a level or value.
    known: Vec<bool>,
    /// The time of each line's last edge, as written.
    last_edge: Vec<Option<Nanos>>,
    changes: Vec<Change>,
    converted: ConversionSummary,
}

impl Copy<'_> {
    /// The time since the start of what is written.
    fn since_start(&self, time: Nanos) -> Nanos {
        let file_time = self.stretch.rounded(self.origin.file_time_ns(time));
        self.start.since_start(file_time).unwrap_or_default()
    }

    fn window(
        &mut self,
        window: Window,
        lines: &LineColumns,
        unknown: Vec<UnknownMark>,
        out: &mut dyn Changes,
    ) -> io::Result<()> {
        self.changes.clear();
        let [mut before, after] = parted(unknown);
        // A change in that instant tells the level too.
        let changes = |line: usize, time: Nanos| {
            let column = lines.bits().get(line);
            column.is_some_and(|column| column.since == time || column.toggles.binary_search(&time).is_ok())
        };
        before.retain(|&(time, line, level)| level.is_none() || !changes(line, time));
        self.unknown(before);
        for (line, column) in lines.bits().iter().enumerate() {
            self.bit(line, column, window);
        }
        for (number, column) in lines.readings().iter().enumerate() {
            self.number(lines.bits().len() + number, column, window);
        }
        self.unknown(after);
        self.changes.sort_by_key(|change| change.time);
        if window.from == self.stretch.from && window.from > Nanos(0) {
            keep_last_of_start(&mut self.changes);
        }
        self.converted.changes += self.changes.len() as u64;
        self.changes.drain(..).try_for_each(|change| out.take(change))
    }

    fn unknown(&mut self, marks: Vec<UnknownMark>) {
        for (time, line, level) in marks {
            let value = level.map_or(Value::Unknown, Value::Level);
            self.changes.push(Change { time: self.since_start(time), line, value });
        }
    }

    /// Says whether a line has become known by now, and notes it.
    fn first_known(&mut self, line: usize, late: bool) -> bool {
        let first = self.known.get_mut(line).is_some_and(|known| !std::mem::replace(known, true));
        self.converted.late += usize::from(first && late);
        first
    }

    fn bit(&mut self, line: usize, column: &BitColumn, window: Window) {
        let Some(mut level) = column.level else { return };
        let since = column.since.max(self.stretch.from);
        if self.first_known(line, since > self.stretch.from) {
            let time = self.since_start(since.max(window.from));
            self.changes.push(Change { time, line, value: Value::Level(level) });
        }
        for &toggle in &column.toggles {
            level = !level;
            let time = self.since_start(toggle);
            if let Some(last) = self.last_edge.get_mut(line) {
                self.converted.met += u64::from(self.stretch.step.is_some() && *last == Some(time));
                *last = Some(time);
            }
            self.changes.push(Change { time, line, value: Value::Level(level) });
        }
    }

    fn number(&mut self, line: usize, column: &ReadingColumn, window: Window) {
        if let Some(value) = column.before
            && self.first_known(line, false)
        {
            let time = self.since_start(window.from);
            self.changes.push(Change { time, line, value: Value::Number(value) });
        }
        for (&time, &value) in column.times.iter().zip(&column.values) {
            self.first_known(line, time > self.stretch.from);
            self.converted.infinite += u64::from(!value.is_finite());
            self.changes.push(Change { time: self.since_start(time), line, value: Value::Number(value) });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::archive::Packing;
    use crate::options::ReadOptions;
    use crate::tests::{Told, told};
    use crate::write::{Format, Heading, begin, written_lines};
    use proptest::prelude::*;
    use reigen_core::quantity::parse_sample_rate;
    use std::io::Cursor;

    const STEP: Nanos = Nanos(1000);

    fn formats() -> Vec<Format> {
        let mut all = vec![Format::Vcd, Format::Csv, Format::JsonLines, Format::Packed];
        if cfg!(feature = "parquet") {
            all.push(Format::Parquet);
        }
        all
    }

    fn options(format: Format, lines: &[Line], piece: usize) -> ReadOptions {
        let samples = format == Format::Packed;
        ReadOptions {
            sample_rate: samples.then(|| parse_sample_rate("1 MHz").unwrap()),
            lines: samples.then(|| written_lines(format, lines).into_iter().map(|line| line.name).collect()),
            piece_bytes: Some(piece),
            ..ReadOptions::default()
        }
    }

    /// Two lines with levels and one with numbers, and what they do.
    #[derive(Debug, Clone)]
    struct Case {
        heading: Heading,
        changes: Vec<Change>,
        end: Nanos,
    }

    impl Case {
        fn write(&self, format: Format, packing: Option<Packing>) -> Vec<u8> {
            let mut bytes = Vec::new();
            let lines = written_lines(format, &self.heading.lines);
            let mut out = begin((format, packing), &Heading { lines, ..self.heading.clone() }, &mut bytes).unwrap();
            self.changes.iter().for_each(|change| out.take(*change).unwrap());
            out.finish(self.end).unwrap();
            bytes
        }
    }

    fn case() -> impl Strategy<Value = Case> {
        // Half of the values are few, so that they come again.
        let value = prop_oneof![-2..3i32, -500..500i32];
        let step = (0..4u64, 0..3usize, value, prop::option::weighted(0.9, any::<bool>()));
        let name = prop_oneof![Just("top.A".to_owned()), "[aB \"#.$\u{1b}\n\u{85}é-]{0,4}", "\\PC{1,6}"];
        let names = [name.clone(), name.clone(), name];
        (prop::collection::vec(step, 1..40), any::<bool>(), 0..3u64, 0..2_000_000_000i64, names).prop_map(
            |(steps, numbers, rest, origin, names)| {
                let line = |name: &str, number| Line { name: name.to_owned(), aliases: Vec::new(), number, step: None };
                let mut lines = vec![line(&names[0], false), line(&names[1], false)];
                lines.extend(numbers.then(|| line(&names[2], true)));
                let mut levels = [Some(false), None];
                let mut changes = vec![Change { time: Nanos(0), line: 0, value: Value::Level(false) }];
                // A line of which nothing is ever told is not a number by its name alone.
                changes.extend(numbers.then_some(Change { time: Nanos(0), line: 2, value: Value::Number(0.0) }));
                let mut time = Nanos(0);
                for (ahead, line, value, high) in steps {
                    time += Nanos(ahead * STEP.0);
                    let value = match line {
                        // The first value shows that the line has numbers.
                        2 if numbers && (high.is_some() || time > Nanos(0)) => Value::Number(match high {
                            None if value > 0 => f64::INFINITY,
                            None => f64::NAN,
                            Some(_) => f64::from(value) / 8.0,
                        }),
                        _ if line == 2 => continue,
                        _ if levels[line] == high || high.is_none() && ahead == 0 => continue,
                        _ => {
                            levels[line] = high;
                            high.map_or(Value::Unknown, Value::Level)
                        }
                    };
                    changes.push(Change { time, line, value });
                }
                let origin = Origin(origin / STEP.0 as i64 * STEP.0 as i64);
                let heading = Heading { lines, scope: None, origin, step: STEP, resumed: Vec::new() };
                Case { heading, changes, end: time + Nanos(rest * STEP.0) }
            },
        )
    }

    /// The recording converted, and what came of it.
    fn converted(
        bytes: &[u8],
        from: Format,
        case: &Case,
        stretch: &Stretch,
        to: (Format, Option<Packing>),
        piece: usize,
    ) -> Result<(Vec<u8>, ConversionSummary), TestCaseError> {
        let options = options(from, &case.heading.lines, piece);
        let mut recording = Recording::from_bytes("rec".to_owned(), Box::new(Cursor::new(bytes.to_vec())), &options)
            .map_err(|error| TestCaseError::fail(error.to_string()))?;
        let chosen = LineSelection::new(&recording, |_| true);
        let heading = Heading {
            resumed: Vec::new(),
            lines: written_lines(to.0, &chosen.lines),
            origin: stretch.origin(recording.origin()),
            scope: None,
            step: STEP,
        };
        let mut out = Vec::new();
        let changes = begin(to, &heading, &mut out).unwrap();
        let done = convert(&mut recording, &chosen, stretch, changes, &mut || {});
        let done = done.map_err(|error| TestCaseError::fail(format!("{error:?}")))?;
        Ok((out, done))
    }

    /// What a recording tells in a format: by names that this can hold, and without what it cannot.
    fn plain(mut told: Told, to: Format) -> Told {
        let line = |name: &String| Line { name: name.clone(), aliases: Vec::new(), number: false, step: None };
        let lines: Vec<Line> = told.names.iter().map(line).collect();
        told.names = written_lines(to, &lines).into_iter().map(|line| line.name).collect();
        if matches!(to, Format::Csv | Format::Packed) {
            told.findings.clear();
        }
        told.findings.retain(|finding| finding.starts_with("unknown"));
        for values in &mut told.numbers {
            if matches!(to, Format::Csv | Format::JsonLines) {
                values.retain(|(_, value)| value.is_finite());
            }
            // What is not a number is not equal to itself.
            values.iter_mut().filter(|(_, value)| value.is_nan()).for_each(|(_, value)| *value = f64::MAX);
        }
        told
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(60))]
        #[test]
        fn nothing_is_lost_between_any_two_formats(case in case(), piece in 2..400usize, packed in 0..3usize) {
            let packing = [None, Some(Packing::Gzip), Some(Packing::Zstandard)][packed];
            let numbers = case.heading.lines.len() > 2;
            // Samples know no numbers, no pulse of no width, no late start and no first time but 0.
            let samples = |format: Format| format == Format::Packed;
            for from in formats() {
                let bytes = case.write(from, None);
                for to in formats() {
                    let sampled = samples(from) || samples(to);
                    if sampled && numbers {
                        continue;
                    }
                    let packing = packing.filter(|_| !matches!(to, Format::Parquet | Format::Packed));
                    let (other, _) = converted(&bytes, from, &case, &Stretch::default(), (to, packing), piece)?;
                    let mut before = plain(told(&bytes, &options(from, &case.heading.lines, piece)).unwrap(), to);
                    let names: Vec<Line> = before.names.iter().map(|name| Line { name: name.clone(), aliases: Vec::new(), number: false, step: None }).collect();
                    let mut after = plain(told(&other, &options(to, &names, 1 << 16)).unwrap(), to);
                    if to == Format::Packed {
                        (before, after) = (sampled_form(before, 2), sampled_form(after, 2));
                    }
                    prop_assert_eq!(before, after, "from {:?} to {:?}", from, to);
                }
            }
        }

        #[test]
        fn a_stretch_is_what_the_whole_was_in_it(case in case(), from in 0..40u64, length in 0..40u64, piece in 2..400usize) {
            let bytes = case.write(Format::Vcd, None);
            let from = Nanos(from * STEP.0 / 2).min(case.end);
            let to = from + Nanos(length * STEP.0 / 2);
            let stretch = Stretch { from, to: Some(to), step: None };
            let (other, _) = converted(&bytes, Format::Vcd, &case, &stretch, (Format::JsonLines, None), piece)?;
            let whole = told(&bytes, &ReadOptions::default()).unwrap();
            let part = told(&other, &ReadOptions::default()).unwrap();
            prop_assert_eq!(part.origin, whole.origin + from.0 as i64);
            prop_assert_eq!(part.end, case.end.min(to).0 - from.0);
            for (whole, part) in whole.bits.iter().zip(&part.bits) {
                // A level that comes after the stretch is none in it.
                let Some(level) = whole.level.filter(|_| whole.since <= to) else {
                    prop_assert_eq!(part.level, None);
                    continue;
                };
                // What happens at the first time makes up the starting level; a later first level has its edges after it.
                let made_up = |time: Nanos| whole.since <= from && time <= from;
                let before = whole.toggles.iter().filter(|time| made_up(**time)).count();
                prop_assert_eq!(part.level, Some(level ^ (before % 2 == 1)));
                let within = whole.toggles.iter().filter(|time| !made_up(**time) && **time <= to);
                let edges: Vec<Nanos> = within.map(|time| *time - from).collect();
                prop_assert_eq!(&part.toggles, &edges);
            }
        }
    }

    /// What samples at a step can tell of a recording: each line's level from the start on, and its lasting changes.
    fn sampled_form(mut told: Told, lines: usize) -> Told {
        told.bits.truncate(lines);
        for bit in &mut told.bits {
            let mut level = bit.level.unwrap_or(false);
            let mut kept: Vec<Nanos> = Vec::new();
            if bit.since > Nanos(0) && level {
                kept.push(bit.since);
                level = false;
            }
            for &time in &bit.toggles {
                match kept.last() {
                    Some(last) if *last == time => drop(kept.pop()),
                    _ => kept.push(time),
                }
            }
            (bit.level, bit.since, bit.toggles) = (Some(level), Nanos(0), kept);
        }
        (told.origin, told.edges) = (0, 0);
        told
    }

    #[test]
    fn rounding_tells_which_edges_met() {
        let line = Line { name: "A".to_owned(), aliases: Vec::new(), number: false, step: None };
        let heading = Heading { lines: vec![line], scope: None, origin: Origin(0), step: STEP, resumed: Vec::new() };
        let change = |time, high| Change { time: Nanos(time), line: 0, value: Value::Level(high) };
        let changes = vec![change(0, false), change(1400, true), change(1499, false), change(2500, true)];
        let case = Case { heading, changes, end: Nanos(4100) };
        let stretch = Stretch { step: Some(STEP), ..Stretch::default() };
        let bytes = case.write(Format::Vcd, None);
        let (out, done) = converted(&bytes, Format::Vcd, &case, &stretch, (Format::Csv, None), 64).unwrap();
        assert_eq!(done.met, 1);
        let told = told(&out, &ReadOptions::default()).unwrap();
        assert_eq!(told.line(0), (Some(false), 0, vec![1000, 1000, 3000]));
        assert_eq!(told.end, 4000);
    }
}
