//! Events to a file: one row each, as CSV or as JSON Lines.

use crate::output_file::{OutputError, OutputFile};
use reigen_core::event::{Event, Number};
use reigen_core::time::Origin;
use serde::Serialize;
use std::io::{self, Write};
use std::path::Path;

/// The endings of event files.
const ENDINGS: &str = ".csv, .jsonl";

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Format {
    Csv,
    JsonLines,
}

/// One event as it stands in a JSON Lines file.
#[derive(Serialize)]
struct Row<'a> {
    time_ns: i64,
    point: &'a str,
    event: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<Number>,
    #[serde(skip_serializing_if = "Option::is_none")]
    rule: Option<&'a str>,
}

/// A file of events in the making.
pub struct EventFile {
    file: OutputFile,
    format: Format,
    origin: Origin,
    names: Vec<String>,
}

impl EventFile {
    /// Begins a file of events at `path`; `names` are those of the points, `origin` the file's own first time.
    ///
    /// # Errors
    /// Where the ending tells no format, or the file cannot be written.
    pub fn create(path: &Path, origin: Origin, names: Vec<String>) -> Result<Self, OutputError> {
        let format = Self::format(path)?;
        let mut file = OutputFile::create(path)?;
        if format == Format::Csv {
            file.write_all(b"time_ns,point,event,value,rule\n").map_err(|error| file.explain(error))?;
        }
        Ok(Self { file, format, origin, names })
    }

    /// Checks the ending of a file of events.
    ///
    /// # Errors
    /// Where it tells no format.
    pub fn check_ending(path: &Path) -> Result<(), OutputError> {
        Self::format(path).map(drop)
    }

    fn format(path: &Path) -> Result<Format, OutputError> {
        match path.extension().and_then(|ending| ending.to_str()) {
            Some("csv") => Ok(Format::Csv),
            Some("jsonl") => Ok(Format::JsonLines),
            _ => Err(OutputError::Ending { path: path.to_owned(), known: ENDINGS }),
        }
    }

    /// Writes one event.
    ///
    /// # Errors
    /// Where the file cannot be written.
    pub fn write(&mut self, event: Event) -> Result<(), OutputError> {
        self.write_row(event).map_err(|error| self.file.explain(error))
    }

    fn write_row(&mut self, event: Event) -> io::Result<()> {
        let (word, value, rule) = event.what.words();
        let point = self.names.get(event.point).map(String::as_str).unwrap_or_default();
        let time_ns = self.origin.file_time_ns(event.time);
        match self.format {
            Format::JsonLines => {
                serde_json::to_writer(&mut self.file, &Row { time_ns, point, event: word, value, rule })?;
                self.file.write_all(b"\n")
            }
            Format::Csv => {
                write!(self.file, "{time_ns},{point},{word},")?;
                if let Some(value) = value {
                    write!(self.file, "{value}")?;
                }
                writeln!(self.file, ",{}", rule.unwrap_or_default())
            }
        }
    }

    /// Puts the whole file in its place.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn finish(self) -> Result<(), OutputError> {
        self.file.finish()
    }
}
