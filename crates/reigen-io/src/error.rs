//! What can be wrong with a recording or an output file, and where.

use crate::archive::ArchiveFault;
use crate::options::TimeUnit;
use std::io;
use thiserror::Error;

/// Why a recording cannot be read.
#[derive(Debug, Error)]
pub enum RecordingError {
    /// It could not be opened or read on.
    #[error("cannot read {file}: {}", system_words(source))]
    Io {
        /// The recording's name.
        file: String,
        /// What the system says.
        source: io::Error,
    },
    /// A folder stands in its place.
    #[error("{0} is a folder, not a recording")]
    Folder(String),
    /// It has no bytes.
    #[error("{0} is empty")]
    Empty(String),
    /// The file that tells what packed samples mean cannot be read.
    #[error("{file}: {why}")]
    Sidecar {
        /// The file beside the recording.
        file: String,
        /// What is wrong.
        why: String,
    },
    /// Its content is of no known format.
    #[error("{file} is not a recording: it begins with {begins}")]
    UnknownFormat {
        /// The recording's name.
        file: String,
        /// Its first bytes.
        begins: String,
    },
    /// It goes on from another recording, and lacks one of its lines.
    #[error("{file} has no line `{line}`, but {first} has")]
    NoSuchLine {
        /// The recording's name.
        file: String,
        /// The recording before it.
        first: String,
        /// The line.
        line: String,
    },
    /// It goes on from another recording, and one of its lines is a number where that has levels, or the other way.
    #[error("`{line}` has levels in one of {first} and {file}, but is a number in the other")]
    OtherKind {
        /// The recording's name.
        file: String,
        /// The recording before it.
        first: String,
        /// The line.
        line: String,
    },
    /// With those before it, it lasts longer than can be told.
    #[error("{0} goes beyond 292 years, the longest time that can be read")]
    TooLong(String),
    /// It begins before the recording ends that it goes on from.
    #[error("{file} begins at {begins} s, before {before} ends at {ends} s")]
    Overlap {
        /// The recording's name.
        file: String,
        /// Its first time in seconds.
        begins: String,
        /// The recording before it.
        before: String,
        /// Its last time in seconds.
        ends: String,
    },
    /// It is packed, and cannot be unpacked.
    #[error("{file}: {fault}")]
    Archive {
        /// The recording's name.
        file: String,
        /// What is wrong with it.
        fault: ArchiveFault,
    },
    /// A Parquet file that cannot be read.
    #[error("{file} is not a complete Parquet file: {why}")]
    Table {
        /// The recording's name.
        file: String,
        /// What the library says.
        why: String,
    },
    /// A Parquet file with other columns.
    #[error("{file} is not a table of changes: it has the columns {columns}")]
    Columns {
        /// The recording's name.
        file: String,
        /// Its columns.
        columns: String,
    },
    /// A Parquet file, and a program that cannot read such.
    #[error("{0} is a Parquet file, and this program was built without Parquet")]
    NoParquet(String),
    /// Something in it is wrong.
    #[error("{file}, line {line}: {fault}")]
    Fault {
        /// The recording's name.
        file: String,
        /// The line, from 1.
        line: u64,
        /// What is wrong.
        fault: FaultKind,
    },
}

impl RecordingError {
    /// What to do about it.
    pub fn help(&self) -> Option<String> {
        match self {
            Self::Empty(_) => Some("record again: nothing was written to it".to_owned()),
            Self::UnknownFormat { .. } => {
                Some("readable are VCD, CSV, JSON Lines and Parquet, also packed by gzip or zstd; packed samples need --sample-rate and --bits".to_owned())
            }
            Self::Fault { fault, .. } => fault.help(),
            Self::Archive { fault, .. } if fault.cut => {
                Some("copy it again; what is left can be unpacked by hand and read".to_owned())
            }
            Self::Table { .. } => Some("copy it again, or write it again".to_owned()),
            Self::Columns { .. } => Some(
                "a table of changes has `time_ns` (64-bit whole numbers), `line` (text) and `value` (double)".to_owned(),
            ),
            Self::NoParquet(_) => Some("build it with --features parquet, or convert the table to CSV".to_owned()),
            Self::NoSuchLine { .. } | Self::OtherKind { .. } => {
                Some("recordings in a row must have the same lines: read each alone, or leave this one out".to_owned())
            }
            Self::Overlap { .. } => {
                Some("name them in the order of time; if each has its own clock, add --own-clocks".to_owned())
            }
            Self::TooLong(_) => Some("use fewer recordings in a row, or a higher --sample-rate".to_owned()),
            Self::Archive { .. } => Some("copy it again from its origin".to_owned()),
            Self::Sidecar { .. } => {
                Some("it says what packed samples mean: sample_rate = \"1 MHz\" and lines = [\"A\", \"B\"]".to_owned())
            }
            Self::Folder(_) => Some("name a file within it".to_owned()),
            Self::Io { source, .. } if source.kind() == io::ErrorKind::NotFound => {
                Some("check the name and the folder: there is no such file".to_owned())
            }
            Self::Io { source, .. } if source.kind() == io::ErrorKind::PermissionDenied => {
                Some("get permission to read it, or copy it as a user who has it".to_owned())
            }
            Self::Io { source, .. } if source.kind() == io::ErrorKind::StorageFull => {
                Some("the input of a pipe is kept in a temporary file: make room there, or name the file itself".to_owned())
            }
            Self::Io { source, .. } if source.kind() == io::ErrorKind::UnexpectedEof => {
                Some("wait until nothing writes to it any more, and read it then".to_owned())
            }
            Self::Io { .. } => Some("check the disk and the path, and try again".to_owned()),
        }
    }
}

/// Something wrong at one line of a recording.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("line {line}: {kind}")]
pub struct Fault {
    /// The line, from 1.
    pub line: u64,
    /// What is wrong.
    pub kind: FaultKind,
}

/// Why a reader could not go on.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The system did not give the bytes.
    Io(io::Error),
    /// The bytes are wrong.
    Fault(Fault),
    /// A Parquet file cannot be read.
    #[cfg_attr(not(feature = "parquet"), expect(dead_code))]
    Table(String),
    /// A Parquet file has other columns; these.
    #[cfg_attr(not(feature = "parquet"), expect(dead_code))]
    Columns(String),
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

/// What can be wrong in a recording.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum FaultKind {
    /// No number where a time is wanted.
    #[error("`{0}` is no time")]
    NoTime(String),
    /// A time beyond all bounds.
    #[error("the time `{0}` is too large")]
    TimeTooLarge(String),
    /// A time before the one before it.
    #[error("the time `{found}` comes after `{before}`: times run backwards")]
    Backwards {
        /// What stood there.
        found: String,
        /// The time before.
        before: String,
    },
    /// An identifier code that no `$var` declares.
    #[error("no `$var` declares the identifier code `{code}` (in `{found}`)")]
    Undeclared {
        /// The code.
        code: String,
        /// The whole value change.
        found: String,
    },
    /// A level that is none.
    #[error("`{0}` is no level")]
    NoLevel(String),
    /// A value that does not go with the variable.
    #[error("`{found}` does not fit the variable {name}")]
    WrongValue {
        /// What stood there.
        found: String,
        /// The variable's name and size.
        name: String,
    },
    /// Something that is no value change, time or section.
    #[error("`{0}` is not a time, value change or section of a VCD")]
    NoChange(String),
    /// An `$end` that ends nothing.
    #[error("`$end` ends nothing here")]
    StrayEnd,
    /// A timescale that is none.
    #[error("`{0}` is no timescale")]
    Timescale(String),
    /// `$upscope` at the top.
    #[error("`$upscope` without a scope to leave")]
    SurplusUpscope,
    /// A declaration that cannot be read.
    #[error("`{found}` cannot be read: {why}")]
    Declaration {
        /// What stood there.
        found: String,
        /// What is wrong with it.
        why: &'static str,
    },
    /// A token longer than anything sensible.
    #[error("a word or row of more than {0} bytes")]
    TooLong(usize),
    /// More edges in one instant than can be kept.
    #[error("more than {most} edges in one instant, at {at_s} s")]
    TooManyAtOnce {
        /// How many may be.
        most: u64,
        /// When.
        at_s: String,
    },
    /// Nothing with a time in it.
    #[error("the recording ends here without any time or row")]
    NoTimes,
    /// No time column, and no sample rate.
    #[error("the first column, `{0}`, is not a time column")]
    NoTimeColumn(String),
    /// A time column, and nothing beside it.
    #[error("there is a time column, `{0}`, but no line")]
    NothingButTimes(String),
    /// A time column and a sample rate.
    #[error("there is a time column, `{0}`, and a sample rate too")]
    TwoTimes(String),
    /// A header that is a row of values.
    #[error("the first row is `{0}`: these are values, not names of lines")]
    NoHeader(String),
    /// A row of another length than the header.
    #[error("this row has {found} cells, and the header has {wanted}")]
    RowLength {
        /// The row's cells.
        found: usize,
        /// The header's cells.
        wanted: usize,
    },
    /// A cell that is no level in a column of levels.
    #[error("`{found}` is not a level, in the column `{column}`")]
    CellLevel {
        /// What stood there.
        found: String,
        /// The column.
        column: String,
        /// The words for levels in it.
        words: String,
    },
    /// A word for high that no column has.
    #[error("--high: no column of two words has `{word}`")]
    NoSuchWord {
        /// What was asked for.
        word: String,
        /// The words that the columns have.
        words: Vec<String>,
        /// The first words of a column that has more than two.
        more: Option<String>,
    },
    /// Cells could be parted in two ways.
    #[error("the separator may be {one} or {other}")]
    TwoSeparators {
        /// The one.
        one: &'static str,
        /// The other.
        other: &'static str,
    },
    /// Two columns that could be the time.
    #[error("the time may be `{one}` or `{other}`")]
    TwoTimeColumns {
        /// The one.
        one: String,
        /// The other.
        other: String,
    },
    /// No column of the name that was given.
    #[error("there is no column `{column}`")]
    NoSuchColumn {
        /// The name.
        column: String,
        /// The nearest name that there is.
        nearest: Option<String>,
    },
    /// A time column that has no known unit.
    #[error("the unit of the time column `{0}` is not known")]
    NoTimeUnit(String),
    /// A time column that tells another unit than was given.
    #[error("the time column `{column}` is in {own}, and --time-unit says {wanted}")]
    OtherUnit {
        /// The column.
        column: String,
        /// Its own unit.
        own: TimeUnit,
        /// What was given.
        wanted: TimeUnit,
    },
    /// No date and time where one is wanted.
    #[error("`{0}` is not a date and time")]
    NoDate(String),
    /// A date with a zone beside one without.
    #[error("the time `{found}` has {} zone, unlike those before it", if *.zoned { "no" } else { "its" })]
    MixedZones {
        /// What stood there.
        found: String,
        /// Whether those before it tell their zone.
        zoned: bool,
    },
    /// Numbers with points and numbers with commas.
    #[error("`{point}` has a decimal point and `{comma}` a decimal comma")]
    MixedDecimals {
        /// The first with a point.
        point: String,
        /// The first with a comma.
        comma: String,
    },
    /// A comma that may part decimals or thousands.
    #[error("`{0}` may be a decimal comma or thousands")]
    CommaOrThousands(String),
    /// A number with the other decimal mark than the file has.
    #[error("`{found}` does not fit {mark}, in the column `{column}`")]
    OtherDecimal {
        /// What stood there.
        found: String,
        /// The column.
        column: String,
        /// What the file has.
        mark: &'static str,
    },
    /// Several samples in a row, and nothing that says how far apart.
    #[error("`{column}` is {count} times in the header: are these samples of a burst?")]
    BurstWithoutRate {
        /// The line.
        column: String,
        /// How often it is there.
        count: usize,
    },
    /// A line of JSON that is no change.
    #[error("this is not a change of a line: {0}")]
    NoChangeObject(String),
    /// A line that comes up only after the first stretch of a stream.
    #[error("the line `{0}` appears here for the first time")]
    LateLine(String),
    /// Extended value changes of IEEE 1364.
    #[error("`{0}` belongs to an extended VCD (IEEE 1364), with ports and strengths, which is not read")]
    ExtendedVcd(String),
    /// A cell that is not a number in a column of numbers.
    #[error("`{found}` is not a number, in the column `{column}`")]
    CellNumber {
        /// What stood there.
        found: String,
        /// The column.
        column: String,
    },
}

impl FaultKind {
    /// What to do about it.
    pub fn help(&self) -> Option<String> {
        let text = match self {
            Self::NoTimeColumn(_) => "name the time column: --time NAME --time-unit ms; or give --sample-rate 10kHz",
            Self::NoSuchColumn { nearest: Some(nearest), .. } => return Some(format!("there is `{nearest}`")),
            Self::NoSuchColumn { .. } => "give --time a name exactly as in the header",
            Self::TwoSeparators { .. } => "add --separator , or ; or tab or space",
            Self::TwoTimeColumns { .. } => "add --time NAME",
            Self::NoTimeUnit(_) => "add --time-unit s, ms, us or ns",
            Self::OtherUnit { .. } => "remove --time-unit, or correct the header",
            Self::NoDate(_) => "dates and times are written as 2026-11-25T13:58:02.5Z, in one cell",
            Self::MixedZones { .. } => "write all times with their zone, or none",
            Self::MixedDecimals { .. } | Self::OtherDecimal { .. } => {
                "write all numbers with the same mark; --decimal . or , says which it is"
            }
            Self::CommaOrThousands(_) => "add --decimal , if it is a decimal comma, or write it without",
            Self::BurstWithoutRate { .. } => {
                "give their rate: --sample-rate 10kHz; or give each column a name of its own"
            }
            Self::NoChangeObject(_) => {
                "such as {\"time_s\": 0.5, \"line\": \"PB_START\", \"value\": 1}; time_ms, time_us and time_ns will do too"
            }
            Self::LateLine(_) => "of a stream all lines must be named at its start: save it to a file and read that",
            Self::ExtendedVcd(_) => "write it with $dumpvars instead of $dumpports",
            Self::NothingButTimes(_) => "record the lines too: a column for each beside the times",
            Self::TwoTimes(_) => "remove --sample-rate: the file has its own times",
            Self::NoHeader(_) => "put a row with the names of the lines on top",
            Self::CellLevel { words, .. } => {
                return Some(format!("this column has {words}; for volts give --high-above and --low-below"));
            }
            Self::NoSuchWord { words, more: Some(more), .. } if words.is_empty() => {
                return Some(format!(
                    "a column has more than two words ({more}): levels have two, so correct or remove the others"
                ));
            }
            Self::NoSuchWord { words, .. } if words.is_empty() => {
                "no column has words: its levels are read without --high"
            }
            Self::NoSuchWord { words, .. } => {
                return Some(format!("the columns of words have {}", words.join(", ")));
            }
            Self::TooManyAtOnce { .. } => "the file has lost its times, or has them in too coarse a unit: record again",
            Self::TooLong(_) => "the file is damaged there, or not a recording: check that line",
            Self::Timescale(_) => "it is 1, 10 or 100 of s, ms, us, ns, ps or fs",
            Self::NoLevel(_) => "levels are 0, 1, x and z, and H, L, U, W and - of nine-valued logic",
            Self::RowLength { found, wanted } if found > wanted => {
                "correct the row; if rows hold several samples of a line, give their rate: --sample-rate 10kHz"
            }
            Self::RowLength { .. } => "correct the row, or cut the file before it",
            Self::Backwards { .. } => "the file may be two recordings in one: split it here",
            _ => return None,
        };
        Some(text.to_owned())
    }
}

/// What the system says, without its number.
pub fn system_words(error: &io::Error) -> String {
    let text = error.to_string();
    match text.split_once(" (os error") {
        Some((words, _)) => words.to_owned(),
        None => text,
    }
}

/// Bytes of a file as a message shows them: printable, and not too many.
pub fn shown(bytes: &[u8]) -> String {
    const MOST: usize = 40;
    let text = String::from_utf8_lossy(bytes.get(..MOST.min(bytes.len())).unwrap_or_default());
    let mut text: String = text.chars().map(|letter| if letter.is_control() { '·' } else { letter }).collect();
    if bytes.len() > MOST {
        text.push('…');
    }
    text
}
