//! Events to a file: one row each, as CSV, JSON Lines or Parquet.

use crate::write::output_file::{FinishedFile, OutputError, OutputFile, is_stream};
use reigen_core::event::{Event, Number};
use reigen_core::time::Origin;
use serde::Serialize;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
#[cfg(feature = "parquet")]
use {
    super::parquet::{Kind, TableWriter},
    parquet::data_type::ByteArray,
};

/// The endings of event files.
const ENDINGS: &str = ".csv, .jsonl, .parquet";

enum Writer {
    Csv(OutputFile),
    JsonLines(OutputFile),
    #[cfg(feature = "parquet")]
    Parquet(Box<EventTable>),
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
    path: PathBuf,
    writer: Writer,
    origin: Origin,
    names: Vec<String>,
}

impl EventFile {
    /// Begins events in a file; `names` are those of the points, `origin` the file's own first time.
    ///
    /// # Errors
    /// Where the ending tells no format, or the file cannot be written.
    pub fn create(mut file: OutputFile, origin: Origin, names: Vec<String>) -> Result<Self, OutputError> {
        let path = file.path().to_owned();
        Self::check_ending(&path)?;
        let writer = match path.extension().and_then(|ending| ending.to_str()) {
            Some("jsonl") => Writer::JsonLines(file),
            #[cfg(feature = "parquet")]
            Some("parquet") => {
                let explain = |source| OutputError::Io { path: path.to_owned(), source };
                Writer::Parquet(Box::new(EventTable::begin(file, &names).map_err(explain)?))
            }
            _ => {
                file.write_all(b"time_ns,point,event,value,rule\n").map_err(|error| file.explain(error))?;
                Writer::Csv(file)
            }
        };
        Ok(Self { path: path.to_owned(), writer, origin, names })
    }

    /// Checks the ending of a file of events.
    ///
    /// # Errors
    /// Where it tells no format.
    pub fn check_ending(path: &Path) -> Result<(), OutputError> {
        match path.extension().and_then(|ending| ending.to_str()) {
            Some("csv" | "jsonl") => Ok(()),
            _ if is_stream(path) => Ok(()),
            Some("parquet") if cfg!(feature = "parquet") => Ok(()),
            Some("parquet") => Err(OutputError::NoParquet(path.to_owned())),
            _ => Err(OutputError::Ending { path: path.to_owned(), known: ENDINGS }),
        }
    }

    /// Writes one event.
    ///
    /// # Errors
    /// Where the file cannot be written.
    pub fn write(&mut self, event: Event) -> Result<(), OutputError> {
        self.write_row(event).map_err(|source| OutputError::Io { path: self.path.clone(), source })
    }

    fn write_row(&mut self, event: Event) -> io::Result<()> {
        let (word, value, rule) = event.what.words();
        let point = self.names.get(event.point).map(String::as_str).unwrap_or_default();
        let time_ns = self.origin.file_time_ns(event.time);
        match &mut self.writer {
            Writer::JsonLines(file) => {
                serde_json::to_writer(&mut *file, &Row { time_ns, point, event: word, value, rule })?;
                file.write_all(b"\n")
            }
            Writer::Csv(file) => {
                write!(file, "{time_ns},{point},{word},")?;
                if let Some(value) = value {
                    write!(file, "{value}")?;
                }
                writeln!(file, ",{}", rule.unwrap_or_default())
            }
            #[cfg(feature = "parquet")]
            Writer::Parquet(table) => table.write(time_ns, event.point, word, value, rule),
        }
    }

    /// Ends the file, which is whole then and waits to be put in its place.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn finish(self) -> Result<FinishedFile, OutputError> {
        match self.writer {
            Writer::Csv(file) | Writer::JsonLines(file) => file.finish(),
            #[cfg(feature = "parquet")]
            Writer::Parquet(table) => {
                let explain = |source| OutputError::Io { path: self.path, source };
                table.finish().map_err(explain)?.finish()
            }
        }
    }
}

/// Events as a table, with their words as the library wants them.
#[cfg(feature = "parquet")]
struct EventTable {
    rows: TableWriter<OutputFile>,
    points: Vec<ByteArray>,
    /// Words for events and rules, each once.
    words: Vec<(&'static str, ByteArray)>,
}

#[cfg(feature = "parquet")]
impl EventTable {
    fn begin(file: OutputFile, names: &[String]) -> io::Result<Self> {
        let columns = [
            ("time_ns", Kind::Times),
            ("point", Kind::Words),
            ("event", Kind::Words),
            ("value", Kind::Numbers),
            ("rule", Kind::Words),
        ];
        let points = names.iter().map(|name| ByteArray::from(name.as_bytes().to_vec())).collect();
        Ok(Self { rows: TableWriter::begin(&columns, Vec::new(), file)?, points, words: Vec::new() })
    }

    fn word(&mut self, column: usize, word: &'static str) {
        // There are a dozen words, and the address of each is enough to find it.
        let known = self.words.iter().position(|(known, _)| std::ptr::eq(*known, word));
        let known = known.unwrap_or_else(|| {
            self.words.push((word, ByteArray::from(word.as_bytes().to_vec())));
            self.words.len() - 1
        });
        self.rows.word(column, self.words.get(known).map(|(_, word)| word));
    }

    fn write(
        &mut self,
        time_ns: i64,
        point: usize,
        event: &'static str,
        value: Option<Number>,
        rule: Option<&'static str>,
    ) -> io::Result<()> {
        self.rows.time(0, time_ns);
        self.rows.word(1, self.points.get(point));
        self.word(2, event);
        self.rows.number(
            3,
            value.map(|value| match value {
                Number::Whole(whole) => whole as f64,
                Number::Real(real) => real,
            }),
        );
        match rule {
            Some(rule) => self.word(4, rule),
            None => self.rows.word(4, None),
        }
        self.rows.row()
    }

    fn finish(self) -> io::Result<OutputFile> {
        self.rows.finish()
    }
}

#[cfg(all(test, feature = "parquet"))]
mod tests {
    use super::*;
    use crate::write::output_file::{Outputs, put_in_place};
    use ::parquet::file::reader::{FileReader, SerializedFileReader};
    use ::parquet::record::RowAccessor;
    use reigen_core::account::Rule;
    use reigen_core::event::{EventKind, Real};
    use reigen_core::time::Nanos;

    #[test]
    fn a_table_holds_what_the_csv_holds() {
        let folder = tempfile::tempdir().unwrap();
        let whats = [
            EventKind::On,
            EventKind::Rejected(Rule::Bounce),
            EventKind::Off,
            EventKind::Preset(24),
            EventKind::Value(-3),
            EventKind::Reading(Real(1.5)),
            EventKind::Rejected(Rule::Glitch),
        ];
        let paths = ["e.csv", "e.parquet"].map(|name| folder.path().join(name));
        for path in &paths {
            let names = vec!["drum".to_owned(), "pulses".to_owned()];
            let mut file = EventFile::create(Outputs::default().create(path).unwrap(), Origin(-5), names).unwrap();
            for (number, what) in whats.into_iter().enumerate() {
                file.write(Event { time: Nanos(10 * number as u64), point: number % 2, what }).unwrap();
            }
            put_in_place([file.finish().unwrap()]).unwrap();
        }
        let table = SerializedFileReader::new(std::fs::File::open(&paths[1]).unwrap()).unwrap();
        let mut text = "time_ns,point,event,value,rule\n".to_owned();
        for row in table.get_row_iter(None).unwrap() {
            let row = row.unwrap();
            let word = |column| row.get_string(column).cloned().unwrap_or_default();
            let value = row.get_double(3).map(|value| value.to_string()).unwrap_or_default();
            text += &format!("{},{},{},{value},{}\n", row.get_long(0).unwrap(), word(1), word(2), word(4));
        }
        assert_eq!(text, std::fs::read_to_string(&paths[0]).unwrap());
    }
}
