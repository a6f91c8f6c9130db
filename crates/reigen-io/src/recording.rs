//! A recording in any format, read piece by piece into the columns of the lines that a station uses.

use crate::chunks::Chunks;
use crate::csv::Csv;
use crate::error::{Fault, FaultKind, RecordingError, shown};
use crate::options::ReadOptions;
use crate::piece::Piece;
use crate::stitch::Stitcher;
use crate::vcd::Vcd;
use reigen_core::finding::Finding;
use reigen_core::lines::{LineColumns, RecordedLine};
use reigen_core::time::{Nanos, Origin, seconds_text};
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

/// What each format's reader does.
pub(crate) trait Reader: Send {
    /// The lines by name.
    fn lines(&self) -> &[RecordedLine];
    /// How many two-level signals there are.
    fn bits(&self) -> usize;
    /// How many number signals there are.
    fn numbers(&self) -> usize;
    /// Says which number signals are wanted.
    fn want_numbers(&mut self, numbers: &[usize]);
    /// The file's own first time, once it has been read.
    fn origin(&self) -> Option<Origin>;
    /// The smallest step of the file's times, where the format tells it.
    fn tick(&self) -> Option<Nanos>;
    /// Whether times are finer than a nanosecond and so have been rounded.
    fn rounds(&self) -> bool;
    /// The line up to which it has read.
    fn line(&self) -> u64;
    /// Whether the file ended in the middle of something.
    fn cut_off(&self) -> bool;
    /// Reads on into an empty piece; false where nothing comes after it.
    fn read(&mut self, piece: &mut Piece) -> Result<bool, Failure>;
}

/// Why a reader could not go on.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The system did not give the bytes.
    Io(io::Error),
    /// The bytes are wrong.
    Fault(Fault),
}

impl From<io::Error> for Failure {
    fn from(error: io::Error) -> Self {
        Self::Io(error)
    }
}

impl From<Fault> for Failure {
    fn from(fault: Fault) -> Self {
        Self::Fault(fault)
    }
}

/// A recording that is open.
pub struct Recording {
    name: String,
    reader: Box<dyn Reader>,
    stitcher: Stitcher,
    piece: Piece,
    /// Whether `piece` holds something that has not been joined.
    waiting: bool,
    more: bool,
    origin: Origin,
    last_time: Nanos,
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
        if file.metadata().map_err(io_error)?.is_dir() {
            return Err(RecordingError::Folder(name));
        }
        Self::from_bytes(name, Box::new(file), options)
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
        let mut chunks = Chunks::new(input);
        chunks.fill().map_err(|source| RecordingError::Io { file: name.clone(), source })?;
        let reader: Result<Box<dyn Reader>, Failure> = match Format::of(chunks.bytes()) {
            Format::Empty => return Err(RecordingError::Empty(name)),
            Format::Unknown => {
                return Err(RecordingError::UnknownFormat { file: name, begins: begins(chunks.bytes()) });
            }
            Format::Vcd => Vcd::open(chunks).map(|reader| Box::new(reader) as Box<dyn Reader>),
            Format::Csv { mark } => {
                chunks.consume(mark);
                Csv::open(chunks, options).map(|reader| Box::new(reader) as Box<dyn Reader>)
            }
        };
        let reader = reader.map_err(|failure| explain(&name, failure))?;
        let mut recording = Self {
            piece: Piece::new(reader.bits()),
            stitcher: Stitcher::default(),
            name,
            reader,
            waiting: false,
            more: true,
            origin: Origin::default(),
            last_time: Nanos(0),
        };
        recording.read_origin()?;
        recording.select(&[], &[]);
        Ok(recording)
    }

    /// Reads the first pieces, up to one with a time in it.
    fn read_origin(&mut self) -> Result<(), RecordingError> {
        while self.more && self.reader.origin().is_none() {
            self.more = self.reader.read(&mut self.piece).map_err(|failure| explain(&self.name, failure))?;
            self.waiting = true;
        }
        self.origin = self.reader.origin().ok_or_else(|| RecordingError::Fault {
            file: self.name.clone(),
            line: self.reader.line(),
            fault: FaultKind::NoTimes,
        })?;
        Ok(())
    }

    /// What the recording is called in messages.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Its lines, by name.
    pub fn lines(&self) -> &[RecordedLine] {
        self.reader.lines()
    }

    /// How many two-level lines it has.
    pub fn two_level_lines(&self) -> usize {
        self.reader.bits()
    }

    /// The file's own first time.
    pub fn origin(&self) -> Origin {
        self.origin
    }

    /// The smallest step of the file's times, where the format tells it.
    pub fn tick(&self) -> Option<Nanos> {
        self.reader.tick()
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
        self.stitcher = Stitcher::new(self.reader.bits(), self.reader.numbers(), bits, numbers);
        self.stitcher.met = self.reader.rounds().then_some(0);
        self.reader.want_numbers(numbers);
        LineColumns::new(bits.len(), numbers.len())
    }

    /// Counts edges only from `from` to `to`, both included.
    pub fn count_within(&mut self, from: Nanos, to: Option<Nanos>) {
        self.stitcher.count_within(from, to);
    }

    /// Reads on, and appends to `lines` what the wanted lines did.
    ///
    /// Gives the time before which all is known now; one nanosecond beyond the last time at the end; `None`
    /// after that.
    ///
    /// # Errors
    /// What is wrong in the recording, and where.
    pub fn read(&mut self, lines: &mut LineColumns) -> Result<Option<Nanos>, RecordingError> {
        loop {
            if !self.waiting {
                if !self.more {
                    return Ok(None);
                }
                self.piece.clear();
                self.more = self.reader.read(&mut self.piece).map_err(|failure| explain(&self.name, failure))?;
            }
            self.waiting = false;
            self.stitcher.take(&self.piece, lines);
            let before = self.last_time;
            self.last_time = self.piece.last_time.unwrap_or(before);
            if !self.more {
                self.stitcher.finish(self.last_time);
                return Ok(Some(self.last_time + Nanos(1)));
            }
            if self.last_time > before {
                return Ok(Some(self.last_time));
            }
        }
    }

    /// What a person should know of the recording, after it has been read; `names` are the wanted lines.
    pub fn findings(&self, names: &[String]) -> Vec<Finding> {
        let mut findings = Vec::new();
        if self.reader.cut_off() {
            let message = format!(
                "the file ends in the middle of something, in line {}; it was read up to {} s",
                self.reader.line(),
                seconds_text(self.origin.file_time_ns(self.last_time)),
            );
            findings.push(Finding::warning("cut-off", &self.name, message, "what came after is lost: record again if it matters"));
        }
        if let Some(met @ 1..) = self.stitcher.met {
            let message = format!("{met} edges share their nanosecond with the edge before: the file's times are finer");
            findings.push(Finding::note("met-in-one-nanosecond", &self.name, message, "pulses shorter than 1 ns show as width 0"));
        }
        for (column, signal) in self.stitcher.wanted() {
            let name = names.get(column).map(String::as_str).unwrap_or_default();
            if signal.unknown_time > Nanos(0) {
                let message = format!(
                    "unknown for {} after it was known ({} values x or z); its last level was held",
                    signal.unknown_time, signal.unknown_values
                );
                findings.push(Finding::warning("unknown-level", name, message, "look what drove the line then, or whether it was driven at all"));
            }
            match signal.since {
                Some(since) if since > Nanos(0) => {
                    let message = format!("no level before {} s", seconds_text(self.origin.file_time_ns(since)));
                    findings.push(Finding::note("late-level", name, message, "what it feeds starts only then"));
                }
                Some(_) => {}
                None => {
                    let message = "it never has a level".to_owned();
                    findings.push(Finding::warning("no-level", name, message, "look whether the line was recorded at all"));
                }
            }
        }
        findings
    }
}

fn explain(name: &str, failure: Failure) -> RecordingError {
    match failure {
        Failure::Io(source) => RecordingError::Io { file: name.to_owned(), source },
        Failure::Fault(Fault { line, kind }) => RecordingError::Fault { file: name.to_owned(), line, fault: kind },
    }
}

/// The format of a recording, by its first bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Format {
    Empty,
    Vcd,
    /// With the length of a byte order mark.
    Csv { mark: usize },
    Unknown,
}

impl Format {
    fn of(bytes: &[u8]) -> Self {
        const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";
        /// As many bytes as tell a text from something else.
        const LOOK: usize = 4096;
        let mark = if bytes.starts_with(BYTE_ORDER_MARK) { BYTE_ORDER_MARK.len() } else { 0 };
        let text = bytes.get(mark..).unwrap_or_default().trim_ascii_start();
        let strange = |byte: &u8| *byte < b' ' && !byte.is_ascii_whitespace();
        let head = text.get(..LOOK.min(text.len())).unwrap_or_default();
        match text.first() {
            None => Format::Empty,
            Some(b'$') => Format::Vcd,
            _ if head.iter().any(strange) || not_utf8(head) => Format::Unknown,
            _ => Format::Csv { mark },
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
