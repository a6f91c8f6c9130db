//! A recording in any format, read piece by piece into the columns of the lines that a station uses.

use crate::archive::{ArchiveFault, Packing, unpack};
use crate::chunks::{CHUNK, Chunks, Input};
use crate::content::{BYTE_ORDER_MARK, ContentFormat, begins};
use crate::error::{Failure, Fault, FaultKind, RecordingError};
use crate::options::ReadOptions;
use crate::packed::sidecar;
use crate::piece::Piece;
use crate::pipeline::{Form, Format, Pipeline};
use crate::reader::Reader;
use crate::source::{Source, is_standard_input, name_of};
use crate::stitch::{PiecePlacement, Stitcher};
use reigen_core::engine::Retained;
use reigen_core::finding::Finding;
use reigen_core::lines::{LineColumns, LineKind, RecordedLine};
use reigen_core::names::counted;
use reigen_core::time::{Nanos, Origin, seconds_short};
use std::collections::{HashMap, HashSet};
use std::fs::File;
use std::io::{self, Read, Seek};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// A recording that is open: one file, or several of one run in a row.
pub struct Recording {
    name: String,
    /// At least one.
    first: Part,
    later: Vec<LaterPart>,
    stitcher: Stitcher,
    last_time: Nanos,
    /// What it is, where that is known better than by its content.
    described: Option<String>,
}

/// One file of a recording.
struct Part {
    name: String,
    reader: Box<dyn Reader>,
    /// The bytes of a plain file.
    length: Option<u64>,
    /// Its last time, once it has been read.
    end: Nanos,
}

/// A file that goes on where another ended.
struct LaterPart {
    part: Part,
    /// For each of its two-level signals that of the first file.
    bits: Vec<Option<usize>>,
    /// For each column of its pieces the signal of the stitcher.
    placed: Vec<Option<usize>>,
    /// For each of its number signals that of the first file.
    numbers: Vec<Option<usize>>,
    clock: Clock,
    /// When it begins, once that is known.
    begins: Nanos,
}

/// How the times of recordings in a row belong together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Clock {
    /// One clock goes on through all of them.
    #[default]
    Shared,
    /// Each begins anew, where the one before ended.
    Own,
}

/// How far a recording has been read.
#[derive(Debug, Clone)]
pub struct Progress {
    done: Vec<Arc<AtomicU64>>,
    /// All bytes of it, where that is known.
    pub total: Option<u64>,
}

impl Progress {
    /// The bytes dealt with so far.
    pub fn done(&self) -> u64 {
        self.done.iter().map(|part| part.load(Ordering::Relaxed)).sum()
    }
}

impl Recording {
    /// Opens a recording; `-` is standard input. Tells the format, and whether it is packed, by the content.
    ///
    /// # Errors
    /// Whatever keeps it from being read, up to its first time.
    pub fn open(path: &Path, options: &ReadOptions) -> Result<Self, RecordingError> {
        let name = name_of(path);
        if is_standard_input(path) {
            return Self::from_bytes(name, Box::new(io::stdin()), options);
        }
        let io_error = |source| RecordingError::Io { file: name.clone(), source };
        let file = File::open(path).map_err(io_error)?;
        let data = file.metadata().map_err(io_error)?;
        if data.is_dir() {
            return Err(RecordingError::Folder(name));
        }
        let mut options = options.clone();
        if options.lines.is_none()
            && let Some((rate, lines)) = sidecar::find(path)?
        {
            options.lines = Some(lines);
            options.sample_rate = options.sample_rate.or(Some(rate));
        }
        let input = if data.is_file() { Input::File(Arc::new(file)) } else { Input::Stream(Box::new(file)) };
        let (mut part, packed) = Part::open(name, input, &options, Packing::of_ending(path))?;
        part.length = (data.is_file() && !packed).then_some(data.len());
        Ok(Self::new(part))
    }

    /// Opens a recording from where it comes from.
    ///
    /// # Errors
    /// As [`open`](Self::open).
    pub fn open_source(source: &Source, options: &ReadOptions) -> Result<Self, RecordingError> {
        match source {
            Source::Path(path) => Self::open(path, options),
            Source::Kept { name, file } => {
                let explain = |source| RecordingError::Io { file: name.clone(), source };
                (&**file).rewind().map_err(explain)?;
                Ok(Self::new(Part::open(name.clone(), Input::File(Arc::clone(file)), options, None)?.0))
            }
        }
    }

    /// Opens several recordings of one run, which follow one another.
    ///
    /// # Errors
    /// Where one cannot be read, or has other lines than the first.
    pub fn open_all(sources: &[Source], options: &ReadOptions, clock: Clock) -> Result<Self, RecordingError> {
        let standard_input = Source::Path(PathBuf::from("-"));
        let mut whole = Self::open_source(sources.first().unwrap_or(&standard_input), options)?;
        for source in sources.iter().skip(1) {
            let Self { first, .. } = Self::open_source(source, options)?;
            whole.later.push(LaterPart::new(&whole.first, first, clock)?);
            whole.name = format!("{} and {} more", whole.first.name, whole.later.len());
        }
        whole.select(&[], &[]);
        Ok(whole)
    }

    /// Opens a recording from any source of bytes; `name` is for messages.
    ///
    /// # Errors
    /// As [`open`](Self::open).
    pub fn from_bytes(
        name: String,
        input: Box<dyn Read + Send>,
        options: &ReadOptions,
    ) -> Result<Self, RecordingError> {
        Ok(Self::new(Part::open(name, Input::Stream(input), options, None)?.0))
    }

    fn new(first: Part) -> Self {
        let name = first.name.clone();
        let mut recording = Self {
            name,
            first,
            later: Vec::new(),
            stitcher: Stitcher::default(),
            last_time: Nanos(0),
            described: None,
        };
        recording.select(&[], &[]);
        recording
    }

    fn parts(&self) -> impl Iterator<Item = &Part> {
        std::iter::once(&self.first).chain(self.later.iter().map(|later| &later.part))
    }

    /// What the recording is called in messages.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Its lines, by name.
    pub fn lines(&self) -> &[RecordedLine] {
        &self.first.reader.head().lines
    }

    /// What points kept when it began, by their names: a live run went on from that.
    pub fn resumed(&self) -> &[(String, Retained)] {
        &self.first.reader.head().resumed
    }

    /// Says what it is, where that is known better than by its content.
    #[must_use]
    pub fn described(self, words: String) -> Self {
        Self { described: Some(words), ..self }
    }

    /// What each file was read as, in one line.
    pub fn taken_for(&self) -> Vec<String> {
        if let Some(words) = &self.described {
            return vec![format!("{}: {words}", self.name)];
        }
        self.parts().map(|part| format!("{}: {}", part.name, part.reader.head().taken_for)).collect()
    }

    /// The step of its times: a VCD's timescale, the step of samples or of rows that come at a constant one; else
    /// 1 ns, and never less. Of several files it is the longest.
    ///
    /// Whether the rows of a CSV come at a constant step is told by the first of them.
    pub fn tick(&self) -> Nanos {
        self.parts().map(|part| part.reader.head().tick).fold(Nanos(1), Nanos::max)
    }

    /// How many two-level lines it has.
    pub fn two_level_lines(&self) -> usize {
        self.first.reader.head().bits
    }

    /// The file's own first time.
    pub fn origin(&self) -> Origin {
        self.first.reader.origin()
    }

    /// How far it has been read; can be asked while it is.
    pub fn progress(&self) -> Progress {
        Progress {
            done: self.parts().map(|part| part.reader.done()).collect(),
            total: self.parts().map(|part| part.length).sum(),
        }
    }

    /// The last time read so far; after the last window, the recording's end.
    pub fn last_time(&self) -> Nanos {
        self.last_time
    }

    /// Edges of all two-level lines, within the stretch that is counted.
    pub fn edges(&self) -> u64 {
        self.stitcher.edges
    }

    /// Says which signals are wanted; gives empty columns for them, in this order. Comes before reading.
    pub fn select(&mut self, bits: &[usize], numbers: &[usize]) -> LineColumns {
        // Where the first file has too many signals for a column each, the wanted ones are all that there are.
        let only_wanted = self.first.reader.want_bits(bits);
        let head = self.first.reader.head();
        let numbered: Vec<usize> = (0..bits.len()).collect();
        self.stitcher = match only_wanted {
            true => Stitcher::new(bits.len(), head.numbers, &numbered, numbers),
            false => Stitcher::new(head.bits, head.numbers, bits, numbers),
        };
        self.stitcher.place(PiecePlacement { rate: head.rate, ..PiecePlacement::default() });
        let rounds = self.parts().any(|part| part.reader.head().rounds);
        self.stitcher.met = rounds.then_some(0);
        self.first.reader.want_numbers(numbers);
        let wanted_numbers: HashSet<usize> = numbers.iter().copied().collect();
        let signal_of = |(column, &signal): (usize, &usize)| (signal, if only_wanted { column } else { signal });
        let signals: HashMap<usize, usize> = bits.iter().enumerate().map(signal_of).collect();
        for later in &mut self.later {
            later.want_bits(bits, &signals, only_wanted);
            let wanted =
                |(own, first): (usize, &Option<usize>)| first.filter(|it| wanted_numbers.contains(it)).map(|_| own);
            let own: Vec<usize> = later.numbers.iter().enumerate().filter_map(wanted).collect();
            later.part.reader.want_numbers(&own);
        }
        LineColumns::new(bits.len(), numbers.len())
    }

    /// Counts edges only from `from` to `to`, both included.
    pub fn count_within(&mut self, from: Nanos, to: Option<Nanos>) {
        self.stitcher.count_within(from, to);
    }

    /// Reads the whole recording, and calls `work` again and again with the wanted lines.
    ///
    /// `work` is told the time before which all is known now: one nanosecond beyond the last time at the end.
    /// It cuts and advances the columns itself, and gives false to stop. Meanwhile the recording is read on.
    ///
    /// # Errors
    /// What is wrong in the recording, and where.
    pub fn read(
        &mut self,
        lines: &mut LineColumns,
        work: &mut (dyn FnMut(&mut LineColumns, Nanos) -> bool + Send),
    ) -> Result<(), RecordingError> {
        let Self { first, later, stitcher, last_time, .. } = self;
        let origin = first.reader.origin();
        let reach = origin.0.max(0).unsigned_abs();
        if !first.read(stitcher, last_time, lines, later.is_empty(), reach, work)? {
            return Ok(());
        }
        let (count, mut before) = (later.len(), &*first);
        for (number, later) in later.iter_mut().enumerate() {
            later.begin(origin, before, *last_time)?;
            stitcher.place(PiecePlacement {
                rate: later.part.reader.head().rate,
                shift: later.begins,
                bits: Some(later.placed.clone()),
                numbers: Some(later.numbers.clone()),
            });
            if !later.part.read(stitcher, last_time, lines, number + 1 == count, reach, work)? {
                return Ok(());
            }
            before = &later.part;
        }
        Ok(())
    }

    /// For each wanted line the time that it was unknown after it had been known.
    pub fn unknown_times(&self) -> Vec<Nanos> {
        self.stitcher.wanted().map(|(_, signal)| signal.unknown_time).collect()
    }

    /// What a person should know of the recording, after it has been read; `names` are the wanted lines.
    pub fn findings(&self, names: &[String]) -> Vec<Finding> {
        let mut findings: Vec<Finding> = self.parts().filter_map(|part| part.cut_off(self.origin())).collect();
        findings.extend(self.gaps());
        findings.extend(self.unread());
        if let Some(met @ 1..) = self.stitcher.met {
            let message =
                format!("{} fell on the previous edge: the file's times are finer than 1 ns", counted(met, "edge"));
            findings.push(Finding::note(
                "met-in-one-nanosecond",
                &self.name,
                message,
                "pulses shorter than 1 ns show as width 0",
            ));
        }
        for (column, signal) in self.stitcher.wanted() {
            let name = names.get(column).map(String::as_str).unwrap_or_default();
            if signal.unknown_time > Nanos(0) {
                let message = format!(
                    "unknown for {} after it was known ({} x or z); its last level was held",
                    signal.unknown_time,
                    counted(signal.unknown_values, "value")
                );
                findings.push(Finding::warning(
                    "unknown-level",
                    name,
                    message,
                    "check what drives the line at that time",
                ));
            }
            match signal.since {
                Some(since) if since > Nanos(0) => {
                    let message = format!("no level before {} s", seconds_short(self.origin().file_time_ns(since)));
                    findings.push(Finding::note("late-level", name, message, "points that read it start only then"));
                }
                Some(_) => {}
                None => {
                    let message = "it never has a level".to_owned();
                    findings.push(Finding::warning("no-level", name, message, "check that the line was recorded"));
                }
            }
        }
        findings
    }
}

impl Recording {
    /// Columns that are neither levels nor numbers, so that nothing of them is read.
    pub fn unread(&self) -> Vec<Finding> {
        let told = self.lines().iter().filter_map(|line| match &line.kind {
            LineKind::Words { why } => {
                let message = format!("not read: {why}, neither levels nor numbers");
                let remedy = "where it has two words, --high WORD says which one is high, such as --high closed";
                Some(Finding::warning("column-not-read", &line.name, message, remedy))
            }
            _ => None,
        });
        told.collect()
    }

    /// The stretches between files of which nothing is known.
    fn gaps(&self) -> impl Iterator<Item = Finding> {
        let shown = |time: Nanos| seconds_short(self.origin().file_time_ns(time));
        let pairs = self.parts().zip(&self.later).filter(|(before, later)| {
            let usual = before.reader.head().tick.max(later.part.reader.head().tick);
            later.clock == Clock::Shared && later.begins > before.end + usual
        });
        pairs.map(move |(before, later)| {
            let message = format!(
                "nothing was recorded for {} before it: {} ends at {} s, and it begins at {} s",
                later.begins - before.end,
                before.name,
                shown(before.end),
                shown(later.begins),
            );
            Finding::note("gap", &later.part.name, message, "the levels in between are not known; they were held")
        })
    }
}

impl Part {
    /// Opens one file; says too whether it is packed.
    fn open(
        name: String,
        input: Input,
        options: &ReadOptions,
        ending: Option<Packing>,
    ) -> Result<(Self, bool), RecordingError> {
        let piece = options.piece_bytes.unwrap_or(CHUNK);
        let fill = |chunks: &mut Chunks| chunks.fill().map_err(|source| explain(&name, source.into()));
        let mut chunks = Chunks::new(input, piece);
        fill(&mut chunks)?;
        let samples = options.sample_rate.zip(options.lines.as_ref());
        // The bytes of samples may look like anything, and then the ending has to agree.
        let packing = Packing::of(chunks.bytes()).filter(|packing| samples.is_none() || ending == Some(*packing));
        if let Some(packing) = packing {
            let waits = chunks.waits();
            let unpacked = unpack(packing, chunks.into_stream()).map_err(|source| explain(&name, source.into()))?;
            chunks = Chunks::unpacked(unpacked, piece, waits);
            fill(&mut chunks)?;
        }
        if samples.is_none() && chunks.bytes().starts_with(BYTE_ORDER_MARK) {
            chunks.consume(BYTE_ORDER_MARK.len());
        }
        let form = if options.plain { Form::Plain } else { Form::Fast };
        let reader: Result<Box<dyn Reader>, Failure> = match (ContentFormat::of(chunks.bytes()), samples) {
            _ if chunks.bytes().is_empty() => return Err(RecordingError::Empty(name)),
            (_, Some((rate, lines))) => crate::packed::open(chunks, rate, lines, form).map(boxed),
            (ContentFormat::Empty, _) => return Err(RecordingError::Empty(name)),
            (ContentFormat::Unknown, _) => {
                return Err(RecordingError::UnknownFormat { file: name, begins: begins(chunks.bytes()) });
            }
            #[cfg(feature = "parquet")]
            (ContentFormat::Parquet, _) => crate::table::open(chunks).map(|table| Box::new(table) as Box<dyn Reader>),
            #[cfg(not(feature = "parquet"))]
            (ContentFormat::Parquet, _) => return Err(RecordingError::NoParquet(name)),
            (ContentFormat::Vcd, _) => crate::vcd::open(chunks, form).map(boxed),
            (ContentFormat::JsonLines, _) => crate::json_lines::open(chunks, form).map(boxed),
            (ContentFormat::Csv, _) => crate::csv::open(chunks, options, form).map(boxed),
        };
        let reader = reader.map_err(|failure| explain(&name, failure))?;
        Ok((Self { name, reader, length: None, end: Nanos(0) }, packing.is_some()))
    }

    /// Reads the file; see [`Recording::read`]. Gives false where it was stopped.
    fn read(
        &mut self,
        stitcher: &mut Stitcher,
        last_time: &mut Nanos,
        lines: &mut LineColumns,
        at_end: bool,
        origin: u64,
        work: &mut (dyn FnMut(&mut LineColumns, Nanos) -> bool + Send),
    ) -> Result<bool, RecordingError> {
        let (mut stopped, mut crowded, mut too_long) = (false, false, false);
        let bits = self.reader.head().bits as u64;
        let mut consume = |pieces: &[&Piece], last: bool| {
            let before = *last_time;
            for piece in pieces {
                *last_time = stitcher.take(piece, lines).unwrap_or(*last_time);
            }
            // A file's own times are signed.
            if last_time.0 > i64::MAX.unsigned_abs() - origin {
                too_long = true;
                return false;
            }
            if stitcher.at_instant > MOST_AT_ONCE + 4 * bits {
                crowded = true;
                return false;
            }
            if last && at_end {
                stitcher.finish(*last_time);
                lines.end_at(*last_time + Nanos(1));
                return work(lines, *last_time + Nanos(1));
            }
            stopped = !(*last_time == before || work(lines, *last_time));
            !stopped
        };
        self.reader.run(&mut consume).map_err(|failure| explain(&self.name, failure))?;
        if too_long {
            return Err(RecordingError::TooLong(self.name.clone()));
        }
        if crowded {
            let at_s = seconds_short(self.reader.origin().file_time_ns(*last_time));
            let kind = FaultKind::TooManyAtOnce { most: MOST_AT_ONCE + 4 * bits, at_s };
            return Err(RecordingError::Fault { file: self.name.clone(), line: self.reader.line(), fault: kind });
        }
        self.end = *last_time;
        Ok(!stopped)
    }

    fn cut_off(&self, origin: Origin) -> Option<Finding> {
        let message = format!(
            "the file ends in the middle of something, in line {}; it was read up to {} s",
            self.reader.line(),
            seconds_short(origin.file_time_ns(self.end)),
        );
        let help = "the rest is lost: record again if it matters";
        self.reader.cut_off().then(|| Finding::warning("cut-off", &self.name, message, help))
    }
}

impl LaterPart {
    /// Says which signals of the first file are wanted, and which signal of the stitcher each of those is.
    fn want_bits(&mut self, wanted: &[usize], signals: &HashMap<usize, usize>, only_wanted: bool) {
        let named = self.bits.iter().enumerate().filter_map(|(own, first)| Some(((*first)?, own)));
        let own: HashMap<usize, usize> = named.collect();
        let columns: Vec<(usize, usize)> =
            wanted.iter().filter_map(|wanted| Some((*own.get(wanted)?, *wanted))).collect();
        let bits: Vec<usize> = columns.iter().map(|(own, _)| *own).collect();
        let place = |first: &usize| signals.get(first).copied();
        self.placed = match self.part.reader.want_bits(&bits) {
            true => columns.iter().map(|(_, first)| place(first)).chain([None]).collect(),
            false if only_wanted => self.bits.iter().map(|first| first.as_ref().and_then(place)).collect(),
            false => self.bits.clone(),
        };
    }

    /// Matches the lines of a file to those of the first, by name.
    fn new(first: &Part, part: Part, clock: Clock) -> Result<Self, RecordingError> {
        let (wanted, own) = (first.reader.head(), part.reader.head());
        let (mut bits, mut numbers) = (vec![None; own.bits], vec![None; own.numbers]);
        let named: HashMap<&str, &RecordedLine> =
            own.lines.iter().rev().map(|line| (line.name.as_str(), line)).collect();
        for line in wanted.lines.iter().filter(|line| !matches!(line.kind, LineKind::Words { .. })) {
            let level = line.kind == LineKind::Level;
            let found = named.get(line.name.as_str()).ok_or_else(|| RecordingError::NoSuchLine {
                file: part.name.clone(),
                first: first.name.clone(),
                line: line.name.clone(),
            })?;
            let signals = if level { &mut bits } else { &mut numbers };
            match signals.get_mut(found.signal) {
                Some(signal) if level == (found.kind == LineKind::Level) => *signal = Some(line.signal),
                _ => {
                    return Err(RecordingError::OtherKind {
                        file: part.name.clone(),
                        first: first.name.clone(),
                        line: line.name.clone(),
                    });
                }
            }
            let unnamed = |line: &RecordedLine| match line.kind {
                LineKind::Vector { width, unnamed: Some(bits) } => Some((width, bits.first)),
                _ => None,
            };
            if let (Some((width, first)), Some((own_width, own))) = (unnamed(line), unnamed(found)) {
                (0..width.min(own_width)).for_each(|place| bits[own + place] = Some(first + place));
            }
        }
        Ok(Self { part, bits, placed: Vec::new(), numbers, clock, begins: Nanos(0) })
    }

    /// Says when the file begins; fails where that is before the end of the one before it.
    fn begin(&mut self, origin: Origin, before: &Part, ended: Nanos) -> Result<(), RecordingError> {
        let own = self.part.reader.origin();
        self.begins = match self.clock {
            Clock::Own => ended + self.part.reader.head().tick.max(Nanos(1)),
            Clock::Shared => {
                origin.since_start(own.0).filter(|begins| *begins >= ended).ok_or_else(|| RecordingError::Overlap {
                    file: self.part.name.clone(),
                    begins: seconds_short(own.0),
                    before: before.name.clone(),
                    ends: seconds_short(origin.file_time_ns(ended)),
                })?
            }
        };
        Ok(())
    }
}

fn boxed<F: Format + 'static>(pipeline: Pipeline<F>) -> Box<dyn Reader> {
    Box::new(pipeline)
}

fn explain(name: &str, failure: Failure) -> RecordingError {
    let archive = |source: &io::Error| source.get_ref()?.downcast_ref::<ArchiveFault>().cloned();
    match failure {
        Failure::Io(source) if let Some(fault) = archive(&source) => {
            RecordingError::Archive { file: name.to_owned(), fault }
        }
        Failure::Table(why) => RecordingError::Table { file: name.to_owned(), why },
        Failure::Columns(columns) => RecordingError::Columns { file: name.to_owned(), columns },
        Failure::Io(source) => RecordingError::Io { file: name.to_owned(), source },
        Failure::Fault(Fault { line, kind }) => RecordingError::Fault { file: name.to_owned(), line, fault: kind },
    }
}

/// More edges in one instant than these are no recording of lines, and they would have to be kept until time goes on.
const MOST_AT_ONCE: u64 = 250_000;
