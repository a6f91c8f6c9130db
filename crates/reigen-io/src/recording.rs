//! A recording in any format, read piece by piece into the columns of the lines that a station uses.

use crate::chunks::{CHUNK, Chunks, Input};
use crate::error::{Failure, Fault, RecordingError, shown};
use crate::options::ReadOptions;
use crate::packed::sidecar;
use crate::piece::Piece;
use crate::pipeline::{Form, Format, Head, Pipeline, Place};
use crate::stitch::Stitcher;
use reigen_core::finding::Finding;
use reigen_core::lines::{LineColumns, RecordedLine};
use reigen_core::names::counted;
use reigen_core::time::{Nanos, Origin, seconds_short};
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// What a recording needs of a pipeline, whatever the format.
trait Reader: Send {
    fn head(&self) -> &Head;
    fn want_numbers(&mut self, numbers: &[usize]);
    /// The file's own first time.
    fn origin(&self) -> Origin;
    /// The line up to which it has read.
    fn line(&self) -> u64;
    /// Whether the file ended in the middle of something.
    fn cut_off(&self) -> bool;
    /// The bytes dealt with so far.
    fn done(&self) -> Arc<AtomicU64>;
    /// Hands over all pieces; see [`Pipeline::run`].
    fn run(&mut self, consume: &mut Consume<'_>) -> Result<(), Failure>;
}

/// Takes the pieces of a batch, and whether it is the last; gives false to stop.
type Consume<'a> = dyn FnMut(&[&Piece], bool) -> bool + Send + 'a;

impl<F: Format> Reader for Pipeline<F> {
    fn head(&self) -> &Head {
        self.format.head()
    }

    fn want_numbers(&mut self, numbers: &[usize]) {
        self.format.head_mut().want_numbers(numbers);
    }

    fn origin(&self) -> Origin {
        self.place.origin().unwrap_or_default()
    }

    fn line(&self) -> u64 {
        self.place.line()
    }

    fn cut_off(&self) -> bool {
        self.cut_off
    }

    fn done(&self) -> Arc<AtomicU64> {
        Pipeline::done(self)
    }

    fn run(&mut self, consume: &mut Consume<'_>) -> Result<(), Failure> {
        Pipeline::run(self, consume)
    }
}

/// A recording that is open.
pub struct Recording {
    name: String,
    reader: Box<dyn Reader>,
    stitcher: Stitcher,
    last_time: Nanos,
    /// The bytes of a plain file.
    length: Option<u64>,
}

/// How far a recording has been read.
#[derive(Debug, Clone)]
pub struct Progress {
    done: Arc<AtomicU64>,
    /// All bytes of it, where that is known.
    pub total: Option<u64>,
}

impl Progress {
    /// The bytes dealt with so far.
    pub fn done(&self) -> u64 {
        self.done.load(Ordering::Relaxed)
    }
}

impl Recording {
    /// Opens a recording; `-` is standard input. Tells the format by the content.
    ///
    /// # Errors
    /// Whatever keeps it from being read, up to its first time.
    pub fn open(path: &Path, options: &ReadOptions) -> Result<Self, RecordingError> {
        if path == Path::new("-") {
            return Self::from_bytes("standard input".to_owned(), Box::new(io::stdin()), options);
        }
        let name = path.display().to_string();
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
        let mut recording = Self::from_input(name, input, &options)?;
        recording.length = data.is_file().then_some(data.len());
        Ok(recording)
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
        Self::from_input(name, Input::Stream(input), options)
    }

    fn from_input(name: String, input: Input, options: &ReadOptions) -> Result<Self, RecordingError> {
        let mut chunks = Chunks::new(input, options.piece_bytes.unwrap_or(CHUNK));
        chunks.fill().map_err(|source| RecordingError::Io { file: name.clone(), source })?;
        let form = if options.plain { Form::Plain } else { Form::Fast };
        let packed = options.sample_rate.zip(options.lines.as_ref());
        let reader: Result<Box<dyn Reader>, Failure> = match (ContentFormat::of(chunks.bytes()), packed) {
            _ if chunks.bytes().is_empty() => return Err(RecordingError::Empty(name)),
            (_, Some((rate, lines))) => crate::packed::open(chunks, rate, lines, form).map(boxed),
            (ContentFormat::Empty, _) => return Err(RecordingError::Empty(name)),
            (ContentFormat::Unknown, _) => {
                return Err(RecordingError::UnknownFormat { file: name, begins: begins(chunks.bytes()) });
            }
            (ContentFormat::Vcd, _) => crate::vcd::open(chunks, form).map(boxed),
            (ContentFormat::Csv { mark }, _) => {
                chunks.consume(mark);
                crate::csv::open(chunks, options, form).map(boxed)
            }
        };
        let reader = reader.map_err(|failure| explain(&name, failure))?;
        let mut recording = Self { stitcher: Stitcher::default(), name, reader, last_time: Nanos(0), length: None };
        recording.select(&[], &[]);
        Ok(recording)
    }

    /// What the recording is called in messages.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Its lines, by name.
    pub fn lines(&self) -> &[RecordedLine] {
        &self.reader.head().lines
    }

    /// The step of its times: a VCD's timescale, the step of samples or of rows that come at a constant one; else
    /// 1 ns, and never less.
    ///
    /// Whether the rows of a CSV come at a constant step is told by the first of them.
    pub fn tick(&self) -> Nanos {
        self.reader.head().tick.max(Nanos(1))
    }

    /// How many two-level lines it has.
    pub fn two_level_lines(&self) -> usize {
        self.reader.head().bits
    }

    /// The file's own first time.
    pub fn origin(&self) -> Origin {
        self.reader.origin()
    }

    /// How far it has been read; can be asked while it is.
    pub fn progress(&self) -> Progress {
        Progress { done: self.reader.done(), total: self.length }
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
        let head = self.reader.head();
        self.stitcher = Stitcher::new(head.bits, head.numbers, bits, numbers);
        self.stitcher.rate = head.rate;
        self.stitcher.met = head.rounds.then_some(0);
        self.reader.want_numbers(numbers);
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
        let Self { reader, stitcher, last_time, .. } = self;
        let mut consume = |pieces: &[&Piece], last: bool| {
            let before = *last_time;
            for piece in pieces {
                *last_time = stitcher.take(piece, lines).unwrap_or(*last_time);
            }
            if last {
                stitcher.finish(*last_time);
                lines.end_at(*last_time + Nanos(1));
                return work(lines, *last_time + Nanos(1));
            }
            *last_time == before || work(lines, *last_time)
        };
        reader.run(&mut consume).map_err(|failure| explain(&self.name, failure))
    }

    /// For each wanted line the time that it was unknown after it had been known.
    pub fn unknown_times(&self) -> Vec<Nanos> {
        self.stitcher.wanted().map(|(_, signal)| signal.unknown_time).collect()
    }

    /// What a person should know of the recording, after it has been read; `names` are the wanted lines.
    pub fn findings(&self, names: &[String]) -> Vec<Finding> {
        let mut findings = Vec::new();
        if self.reader.cut_off() {
            let message = format!(
                "the file ends in the middle of something, in line {}; it was read up to {} s",
                self.reader.line(),
                seconds_short(self.origin().file_time_ns(self.last_time)),
            );
            findings.push(Finding::warning(
                "cut-off",
                &self.name,
                message,
                "what came after is lost: record again if it matters",
            ));
        }
        if let Some(met @ 1..) = self.stitcher.met {
            let message =
                format!("{} met the edge before in one nanosecond: the file's times are finer", counted(met, "edge"));
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
                    "look what drove the line then, or whether it was driven at all",
                ));
            }
            match signal.since {
                Some(since) if since > Nanos(0) => {
                    let message = format!("no level before {} s", seconds_short(self.origin().file_time_ns(since)));
                    findings.push(Finding::note("late-level", name, message, "what it feeds starts only then"));
                }
                Some(_) => {}
                None => {
                    let message = "it never has a level".to_owned();
                    findings.push(Finding::warning(
                        "no-level",
                        name,
                        message,
                        "look whether the line was recorded at all",
                    ));
                }
            }
        }
        findings
    }
}

fn boxed<F: Format + 'static>(pipeline: Pipeline<F>) -> Box<dyn Reader> {
    Box::new(pipeline)
}

fn explain(name: &str, failure: Failure) -> RecordingError {
    match failure {
        Failure::Io(source) => RecordingError::Io { file: name.to_owned(), source },
        Failure::Fault(Fault { line, kind }) => RecordingError::Fault { file: name.to_owned(), line, fault: kind },
    }
}

/// The format of a recording, by its first bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ContentFormat {
    Empty,
    Vcd,
    /// With the length of a byte order mark.
    Csv {
        mark: usize,
    },
    Unknown,
}

impl ContentFormat {
    fn of(bytes: &[u8]) -> Self {
        const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";
        /// As many bytes as tell a text from something else.
        const LOOK: usize = 4096;
        let mark = if bytes.starts_with(BYTE_ORDER_MARK) { BYTE_ORDER_MARK.len() } else { 0 };
        let text = bytes.get(mark..).unwrap_or_default().trim_ascii_start();
        let strange = |byte: &u8| *byte < b' ' && !byte.is_ascii_whitespace();
        let head = text.get(..LOOK.min(text.len())).unwrap_or_default();
        match text.first() {
            None => ContentFormat::Empty,
            Some(b'$') => ContentFormat::Vcd,
            _ if head.iter().any(strange) || not_utf8(head) => ContentFormat::Unknown,
            _ => ContentFormat::Csv { mark },
        }
    }
}

/// Whether bytes are no UTF-8, a letter cut off at their end aside.
fn not_utf8(bytes: &[u8]) -> bool {
    std::str::from_utf8(bytes).is_err_and(|error| error.error_len().is_some())
}

fn begins(bytes: &[u8]) -> String {
    let head = bytes.get(..8.min(bytes.len())).unwrap_or_default();
    let hex: Vec<String> = head.iter().map(|byte| format!("{byte:02x}")).collect();
    format!("the bytes {} (`{}`)", hex.join(" "), shown(head))
}
