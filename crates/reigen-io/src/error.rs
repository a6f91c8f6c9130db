//! What can be wrong with a recording or an output file, and where.

use std::io;
use thiserror::Error;

/// Why a recording cannot be read.
#[derive(Debug, Error)]
pub enum RecordingError {
    /// It could not be opened or read on.
    #[error("{file}: {source}")]
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
    #[error("{file} is no recording that can be read: it begins with {begins}")]
    UnknownFormat {
        /// The recording's name.
        file: String,
        /// Its first bytes.
        begins: String,
    },
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
                Some("readable are VCD and CSV; packed samples need --sample-rate and --lines".to_owned())
            }
            Self::Fault { fault, .. } => fault.help(),
            Self::Sidecar { .. } => {
                Some("it says what packed samples mean: sample_rate = \"1 MHz\" and lines = [\"A\", \"B\"]".to_owned())
            }
            Self::Folder(_) => Some("name a file within it".to_owned()),
            Self::Io { source, .. } if source.kind() == io::ErrorKind::NotFound => {
                Some("look at the name and the folder: there is nothing there".to_owned())
            }
            Self::Io { .. } => None,
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
    #[error("`{0}` is no time, value change or section of a VCD")]
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
    #[error("a word of more than {0} bytes")]
    TooLong(usize),
    /// Nothing with a time in it.
    #[error("the recording ends here without any time or row")]
    NoTimes,
    /// No time column, and no sample rate.
    #[error("the first column, `{0}`, is no time column")]
    NoTimeColumn(String),
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
    #[error("`{found}` is no level, in the column `{column}`")]
    CellLevel {
        /// What stood there.
        found: String,
        /// The column.
        column: String,
    },
    /// A cell that is no number in a column of numbers.
    #[error("`{found}` is no number, in the column `{column}`")]
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
            Self::NoTimeColumn(_) => {
                "head the first column time_s, time_ms, time_us or time_ns, or give --sample-rate 10kHz"
            }
            Self::TwoTimes(_) => "take --sample-rate away: the file's own times hold",
            Self::NoHeader(_) => "put a row with the names of the lines on top",
            Self::CellLevel { .. } => "a column of levels has 0 and 1; for volts give --high-above and --low-below",
            Self::Timescale(_) => "it is 1, 10 or 100 of s, ms, us, ns, ps or fs",
            Self::NoLevel(_) => "levels are 0, 1, x and z, and H, L, U, W and - of nine-valued logic",
            Self::RowLength { .. } => "mend the row, or cut the file before it",
            Self::Backwards { .. } => "the file may be two recordings in one: part it here",
            _ => return None,
        };
        Some(text.to_owned())
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
