//! Tables in Apache Parquet, which data frames and query engines read.

use super::{Changes, Heading, Out};
use indexmap::IndexMap;
use parquet::basic::{Compression, Encoding};
use parquet::column::writer::ColumnWriter;
use parquet::data_type::ByteArray;
use parquet::file::metadata::KeyValue;
use parquet::file::properties::{EnabledStatistics, WriterProperties};
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::parser::parse_message_type;
use reigen_core::change::{Change, Value};
use reigen_core::time::{Nanos, Origin};
use std::io::{self, Write};
use std::sync::Arc;

/// So many rows make a group, which is what is in memory.
const GROUP: usize = 1 << 18;
/// Under this key the file says which lines there are, and whether they are numbers.
pub(crate) const LINES_KEY: &str = "lines";

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    /// Whole numbers that mostly rise by little.
    Times,
    /// Words of which there are few, or none.
    Words,
    /// Numbers, or none.
    Numbers,
}

/// A column of the group in the making; of what may be missing, whether it is there.
enum Column {
    Times(Vec<i64>),
    Words(Vec<i16>, Vec<ByteArray>),
    Numbers(Vec<i16>, Vec<f64>),
}

/// A table in the making.
pub(crate) struct TableWriter<W: Write + Send> {
    writer: SerializedFileWriter<W>,
    columns: Vec<Column>,
    rows: usize,
}

/// An error of the library as one of writing.
fn explain(error: parquet::errors::ParquetError) -> io::Error {
    match error {
        parquet::errors::ParquetError::External(inner) => match inner.downcast::<io::Error>() {
            Ok(error) => *error,
            Err(other) => io::Error::other(other),
        },
        other => io::Error::other(other),
    }
}

impl<W: Write + Send> TableWriter<W> {
    /// A table with these columns; `told` is what the file says of itself.
    pub(crate) fn begin(columns: &[(&str, Kind)], told: Vec<KeyValue>, out: W) -> io::Result<Self> {
        let fields: String = columns
            .iter()
            .map(|(name, kind)| match kind {
                Kind::Times => format!("required int64 {name};"),
                Kind::Words => format!("optional binary {name} (string);"),
                Kind::Numbers => format!("optional double {name};"),
            })
            .collect();
        let schema = parse_message_type(&format!("message changes {{ {fields} }}")).map_err(explain)?;
        // The least and greatest of a page help nobody with so few words, and finding them takes time.
        let mut properties = WriterProperties::builder()
            .set_statistics_enabled(EnabledStatistics::None)
            .set_compression(Compression::SNAPPY)
            .set_key_value_metadata((!told.is_empty()).then_some(told));
        for (name, _) in columns.iter().filter(|(_, kind)| *kind == Kind::Times) {
            let path = parquet::schema::types::ColumnPath::from(*name);
            properties = properties
                .set_column_statistics_enabled(path.clone(), EnabledStatistics::Chunk)
                .set_column_dictionary_enabled(path.clone(), false)
                .set_column_encoding(path, Encoding::DELTA_BINARY_PACKED);
        }
        for (name, _) in columns.iter().filter(|(_, kind)| *kind == Kind::Numbers) {
            let path = parquet::schema::types::ColumnPath::from(*name);
            properties = properties.set_column_dictionary_enabled(path, false);
        }
        let writer = SerializedFileWriter::new(out, Arc::new(schema), Arc::new(properties.build())).map_err(explain)?;
        let columns = columns
            .iter()
            .map(|(_, kind)| match kind {
                Kind::Times => Column::Times(Vec::new()),
                Kind::Words => Column::Words(Vec::new(), Vec::new()),
                Kind::Numbers => Column::Numbers(Vec::new(), Vec::new()),
            })
            .collect();
        Ok(Self { writer, columns, rows: 0 })
    }

    pub(crate) fn time(&mut self, column: usize, time: i64) {
        if let Some(Column::Times(times)) = self.columns.get_mut(column) {
            times.push(time);
        }
    }

    pub(crate) fn word(&mut self, column: usize, word: Option<&ByteArray>) {
        if let Some(Column::Words(there, words)) = self.columns.get_mut(column) {
            there.push(i16::from(word.is_some()));
            words.extend(word.cloned());
        }
    }

    pub(crate) fn number(&mut self, column: usize, number: Option<f64>) {
        if let Some(Column::Numbers(there, numbers)) = self.columns.get_mut(column) {
            there.push(i16::from(number.is_some()));
            numbers.extend(number);
        }
    }

    /// Ends a row.
    pub(crate) fn row(&mut self) -> io::Result<()> {
        self.rows += 1;
        if self.rows == GROUP { self.group() } else { Ok(()) }
    }

    /// Writes the rows in memory as a group.
    fn group(&mut self) -> io::Result<()> {
        self.rows = 0;
        let mut group = self.writer.next_row_group().map_err(explain)?;
        for column in &mut self.columns {
            let Some(mut writer) = group.next_column().map_err(explain)? else { break };
            match (column, writer.untyped()) {
                (Column::Times(times), ColumnWriter::Int64ColumnWriter(writer)) => {
                    writer.write_batch(times, None, None).map_err(explain)?;
                    times.clear();
                }
                (Column::Words(there, words), ColumnWriter::ByteArrayColumnWriter(writer)) => {
                    writer.write_batch(words, Some(there), None).map_err(explain)?;
                    there.clear();
                    words.clear();
                }
                (Column::Numbers(there, numbers), ColumnWriter::DoubleColumnWriter(writer)) => {
                    writer.write_batch(numbers, Some(there), None).map_err(explain)?;
                    there.clear();
                    numbers.clear();
                }
                _ => return Err(io::Error::other("a column has another type than its values")),
            }
            writer.close().map_err(explain)?;
        }
        group.close().map(drop).map_err(explain)
    }

    /// Writes the rest, and how to read the table, which stands at its end.
    pub(crate) fn finish(mut self) -> io::Result<W> {
        if self.rows > 0 {
            self.group()?;
        }
        self.writer.into_inner().map_err(explain)
    }
}

/// A recording as a table of changes.
pub(super) struct Table<W: Write + Send> {
    rows: TableWriter<Out<W>>,
    origin: Origin,
    names: Vec<ByteArray>,
    last: Option<Nanos>,
}

/// The columns of a table of changes.
pub(crate) const COLUMNS: [&str; 3] = ["time_ns", "line", "value"];

impl<W: Write + Send> Table<W> {
    /// Begins the table; it says itself which lines there are.
    pub(super) fn begin(heading: &Heading, out: Out<W>) -> io::Result<Self> {
        let lines: IndexMap<&str, bool> = heading.lines.iter().map(|line| (line.name.as_str(), line.number)).collect();
        let told = KeyValue::new(LINES_KEY.to_owned(), serde_json::to_string(&lines)?);
        let [time, line, value] = COLUMNS;
        let columns = [(time, Kind::Times), (line, Kind::Words), (value, Kind::Numbers)];
        let names = heading.lines.iter().map(|line| ByteArray::from(line.name.as_bytes().to_vec())).collect();
        Ok(Self { rows: TableWriter::begin(&columns, vec![told], out)?, origin: heading.origin, names, last: None })
    }

    /// Ends the table, with a row without a line that says how far the recording goes; gives what it was written to.
    pub(super) fn end(mut self, end: Nanos) -> io::Result<W> {
        self.rest(end)?;
        match self.rows.finish()? {
            Out::Plain(out) => Ok(out),
            Out::Gzip(_) | Out::Zstandard(_) => Err(io::Error::other("a table is packed within")),
        }
    }

    fn rest(&mut self, end: Nanos) -> io::Result<()> {
        if self.last == Some(end) { Ok(()) } else { self.row(end, None, None) }
    }

    fn row(&mut self, time: Nanos, line: Option<usize>, value: Option<f64>) -> io::Result<()> {
        self.last = Some(time);
        self.rows.time(0, self.origin.file_time_ns(time));
        self.rows.word(1, line.and_then(|line| self.names.get(line)));
        self.rows.number(2, value);
        self.rows.row()
    }
}

impl<W: Write + Send> Changes for Table<W> {
    fn take(&mut self, change: Change) -> io::Result<()> {
        let value = match change.value {
            Value::Level(level) => Some(f64::from(u8::from(level))),
            Value::Number(number) => Some(number),
            Value::Unknown => None,
        };
        self.row(change.time, Some(change.line), value)
    }

    /// A row without a line says how far the recording goes.
    fn finish(mut self: Box<Self>, end: Nanos) -> io::Result<()> {
        self.rest(end)?;
        self.rows.finish()?.finish()
    }
}
