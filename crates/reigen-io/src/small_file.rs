//! Files that a person wrote, or that are as small: a station, a scenario, a truth, captured counts.

use crate::content::recognised;
use crate::error::system_words;
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;
use thiserror::Error;

/// No such file is larger.
const MOST_BYTES: u64 = 16 * 1024 * 1024;
/// So many bytes tell whether it is something else.
const LOOK: u64 = 64 * 1024;

/// Why such a file cannot be read.
#[derive(Debug, Error)]
pub enum SmallFileError {
    /// The system says no.
    #[error("{}", system_words(.0))]
    Io(#[from] io::Error),
    /// A recording stands in its place.
    #[error("it is a recording ({0})")]
    Recording(&'static str),
    /// It has more bytes than such a file has.
    #[error("it is larger than {} MB", MOST_BYTES / 1024 / 1024)]
    TooLarge,
    /// It is no text.
    #[error("it is not UTF-8 text (line {line}, byte {place})")]
    NoText {
        /// The line, from 1.
        line: usize,
        /// The byte, from 0.
        place: usize,
    },
}

/// What is wanted of such a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TextKind {
    /// TOML.
    Toml,
    /// JSON.
    Json,
    /// CSV.
    Csv,
}

/// Reads the whole of a text that is no recording and no larger than such texts are; a byte order mark is left out.
///
/// # Errors
/// Where it cannot be read, or is something else.
pub fn read_text(path: &Path, wanted: TextKind) -> Result<String, SmallFileError> {
    let file = File::open(path)?;
    let mut bytes = Vec::new();
    (&file).take(LOOK).read_to_end(&mut bytes)?;
    let found = recognised(&bytes);
    let expected = match wanted {
        TextKind::Toml => None,
        TextKind::Json => Some("JSON Lines"),
        TextKind::Csv => Some("CSV"),
    };
    match found {
        Some(what) if found != expected && !(what == "CSV" && wanted == TextKind::Json) => {
            return Err(SmallFileError::Recording(what));
        }
        _ => {}
    }
    (&file).take(MOST_BYTES + 1 - bytes.len() as u64).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > MOST_BYTES {
        return Err(SmallFileError::TooLarge);
    }
    let text = String::from_utf8(bytes).map_err(|error| {
        let place = error.utf8_error().valid_up_to();
        let line = 1 + error.as_bytes().iter().take(place).filter(|byte| **byte == b'\n').count();
        SmallFileError::NoText { line, place }
    })?;
    Ok(text.strip_prefix('\u{feff}').map_or_else(|| text.clone(), str::to_owned))
}
