//! A table of changes in Apache Parquet: `time_ns`, `line`, `value`, a row for each change.
//!
//! A row without a line only says how far the recording goes. The table says itself which lines are numbers;
//! where it does not, those that are never other than 0 and 1 have levels.

use crate::chunks::Chunks;
use crate::error::{Failure, Fault, FaultKind};
use crate::piece::Piece;
use crate::pipeline::{Head, Place};
use crate::ranges::FileReader;
use crate::reader::{Consume, Reader};
use crate::rows::Rows;
use crate::write::parquet::{COLUMNS, LINES_KEY};
use bytes::Bytes;
use indexmap::IndexMap;
use parquet::basic::Type;
use parquet::column::reader::{ColumnReader, ColumnReaderImpl};
use parquet::data_type::{ByteArray, DataType};
use parquet::errors::ParquetError;
use parquet::file::reader::{ChunkReader, FileReader as TableReader, Length, SerializedFileReader};
use reigen_core::cast;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::names::counted;
use reigen_core::time::{MOST_FILE_TIME_NS, Origin, is_file_time};
use std::fs::File;
use std::io::{self, BufReader, Read};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// So many rows are read at once.
const BATCH: usize = 1 << 16;

/// The file of a table, or what a stream gave, kept in one.
struct Source {
    file: Arc<File>,
    length: u64,
}

impl Length for Source {
    fn len(&self) -> u64 {
        self.length
    }
}

impl ChunkReader for Source {
    type T = Box<dyn Read>;

    fn get_read(&self, start: u64) -> parquet::errors::Result<Self::T> {
        Ok(Box::new(BufReader::new(FileReader::new(self.file.clone(), start))))
    }

    fn get_bytes(&self, start: u64, length: usize) -> parquet::errors::Result<Bytes> {
        let mut room = Vec::with_capacity(length.min(1 << 24));
        self.get_read(start)?.take(length as u64).read_to_end(&mut room)?;
        match room.len() == length {
            true => Ok(room.into()),
            false => Err(ParquetError::EOF("it ends within a column".to_owned())),
        }
    }
}

/// A table that is open.
pub(crate) struct Table {
    head: Head,
    reader: SerializedFileReader<Source>,
    targets: IndexMap<Vec<u8>, Target>,
    place: Rows,
    done: Arc<AtomicU64>,
}

/// What a name stands for.
#[derive(Debug, Clone, Copy)]
enum Target {
    Bit(usize),
    Number(usize),
}

fn explain(error: ParquetError) -> Failure {
    match error {
        ParquetError::External(inner) => match inner.downcast::<io::Error>() {
            Ok(error) => Failure::Io(*error),
            Err(other) => Failure::Table(other.to_string()),
        },
        other => Failure::Table(other.to_string()),
    }
}

/// Opens a table; a stream is kept in a file, since what tells how to read it stands at its end.
pub(crate) fn open(chunks: Chunks) -> Result<Table, Failure> {
    let source = match chunks.place() {
        Some((file, _)) => {
            let length = file.metadata()?.len();
            Source { file, length }
        }
        None => {
            let mut file = tempfile::tempfile()?;
            let length = io::copy(&mut chunks.into_stream(), &mut file)?;
            Source { file: Arc::new(file), length }
        }
    };
    let reader = SerializedFileReader::new(source).map_err(explain)?;
    check_columns(&reader)?;
    let mut table = Table {
        head: Head::default(),
        reader,
        targets: IndexMap::new(),
        place: Rows::new(1, None, false),
        done: Arc::default(),
    };
    table.find_lines()?;
    Ok(table)
}

/// The columns by their names and types; others than these are no recording.
fn check_columns(reader: &SerializedFileReader<Source>) -> Result<(), Failure> {
    let schema = reader.metadata().file_metadata().schema_descr();
    let found: Vec<(String, Type)> =
        schema.columns().iter().map(|column| (column.name().to_owned(), column.physical_type())).collect();
    let wanted = [Type::INT64, Type::BYTE_ARRAY, Type::DOUBLE];
    let fits = COLUMNS
        .iter()
        .zip(wanted)
        .all(|(name, kind)| found.iter().any(|(column, physical)| column == name && *physical == kind));
    let flat = schema.columns().iter().all(|column| column.max_rep_level() == 0);
    match fits && flat {
        true => Ok(()),
        false => {
            let shown: Vec<String> = found.iter().map(|(name, kind)| format!("`{name}` {kind}")).collect();
            Err(Failure::Columns(shown.join(", ")))
        }
    }
}

/// Some rows of a table.
#[derive(Default)]
struct Batch {
    times: Vec<i64>,
    lines: Vec<Option<ByteArray>>,
    values: Vec<Option<f64>>,
}

/// Reads a column on: so many values, each there or not.
fn read_on<T: DataType>(
    reader: &mut ColumnReaderImpl<T>,
    required: bool,
    into: &mut Vec<Option<T::T>>,
) -> Result<(), Failure> {
    into.clear();
    let (mut there, mut values) = (Vec::new(), Vec::new());
    while into.len() < BATCH {
        there.clear();
        values.clear();
        let (rows, _, _) =
            reader.read_records(BATCH - into.len(), Some(&mut there), None, &mut values).map_err(explain)?;
        if rows == 0 {
            break;
        }
        let mut values = values.drain(..);
        match required {
            true => into.extend(values.map(Some)),
            false => into.extend(there.iter().map(|there| if *there == 0 { None } else { values.next() })),
        }
    }
    Ok(())
}

impl Table {
    /// Hands over all rows, some at a time, until `see` gives false.
    fn batches(&self, mut see: impl FnMut(&Batch) -> Result<bool, Failure>) -> Result<(), Failure> {
        let schema = self.reader.metadata().file_metadata().schema_descr_ptr();
        let place = |name: &str| schema.columns().iter().position(|column| column.name() == name).unwrap_or_default();
        let [time, line, value] = COLUMNS.map(place);
        let required = |column: usize| schema.column(column).max_def_level() == 0;
        for group in 0..self.reader.num_row_groups() {
            let group = self.reader.get_row_group(group).map_err(explain)?;
            let readers = (
                group.get_column_reader(time).map_err(explain)?,
                group.get_column_reader(line).map_err(explain)?,
                group.get_column_reader(value).map_err(explain)?,
            );
            let (
                ColumnReader::Int64ColumnReader(mut times),
                ColumnReader::ByteArrayColumnReader(mut lines),
                ColumnReader::DoubleColumnReader(mut values),
            ) = readers
            else {
                return Err(Failure::Table("a column has another type than it says".to_owned()));
            };
            let (mut batch, mut stamps) = (Batch::default(), Vec::new());
            loop {
                read_on(&mut times, required(time), &mut stamps)?;
                read_on(&mut lines, required(line), &mut batch.lines)?;
                read_on(&mut values, required(value), &mut batch.values)?;
                batch.times.clear();
                batch.times.extend(stamps.iter().map_while(|time| *time));
                let rows = batch.times.len();
                if rows != stamps.len() || rows != batch.lines.len() || rows != batch.values.len() {
                    return Err(Failure::Table("a row has no time, or columns differ in length".to_owned()));
                }
                if rows == 0 {
                    break;
                }
                if !see(&batch)? {
                    return Ok(());
                }
            }
        }
        Ok(())
    }

    /// Which lines there are, and the first time.
    fn find_lines(&mut self) -> Result<(), Failure> {
        let told = self.reader.metadata().file_metadata().key_value_metadata();
        let told = told.into_iter().flatten().find(|pair| pair.key == LINES_KEY).and_then(|pair| pair.value.as_ref());
        let told: Option<IndexMap<String, bool>> = told.and_then(|text| serde_json::from_str(text).ok());
        let mut seen: IndexMap<Vec<u8>, bool> =
            told.into_iter().flatten().map(|(name, number)| (name.into_bytes(), number)).collect();
        let by_itself = seen.is_empty();
        let mut first = None;
        self.batches(|batch| {
            first = first.or(batch.times.first().copied());
            for (line, value) in batch.lines.iter().zip(&batch.values) {
                let (true, Some(line)) = (by_itself, line) else { continue };
                let number = value.is_some_and(|value| value != 0.0 && value != 1.0);
                match seen.get_mut(line.data()) {
                    Some(known) => *known |= number,
                    None => drop(seen.insert(line.data().to_vec(), number)),
                }
            }
            Ok(by_itself)
        })?;
        let first = first.ok_or(Fault { line: 1, kind: FaultKind::NoTimes })?;
        self.place.know_origin(Origin(first.clamp(-MOST_FILE_TIME_NS, MOST_FILE_TIME_NS)));
        for (name, number) in seen {
            let (signal, kind) = match number {
                false => (&mut self.head.bits, LineKind::Level),
                true => (&mut self.head.numbers, LineKind::Real),
            };
            let target = if number { Target::Number(*signal) } else { Target::Bit(*signal) };
            let text = String::from_utf8_lossy(&name).into_owned();
            self.head.lines.push(RecordedLine { name: text, signal: *signal, kind, step: None });
            self.targets.insert(name, target);
            *signal += 1;
        }
        let Head { bits, numbers, .. } = self.head;
        let lines = counted(bits as u64, "line");
        self.head.taken_for = format!("a Parquet table of changes; {lines} with levels, {numbers} with numbers");
        Ok(())
    }

    /// Takes some rows into a piece.
    fn take(&self, batch: &Batch, place: &mut Rows, piece: &mut Piece) -> Result<(), Failure> {
        piece.reset(self.head.bits);
        let rows = batch.times.iter().zip(&batch.lines).zip(&batch.values);
        for ((&time, line), &value) in rows {
            let refuse = |kind| Failure::Fault(Fault { line: place.rows + 1, kind });
            if !is_file_time(time) {
                return Err(refuse(FaultKind::TimeTooLarge(time.to_string())));
            }
            let row = place.rows + 1;
            let now = place.since_start(time, time.to_string().as_bytes());
            let now = now.map_err(|kind| Failure::Fault(Fault { line: row, kind }))?;
            place.next_row(now, piece);
            let Some(line) = line else { continue };
            let refuse = |kind| Failure::Fault(Fault { line: row, kind });
            let name = || String::from_utf8_lossy(line.data()).into_owned();
            match (self.targets.get(line.data()), value) {
                (Some(Target::Bit(signal)), Some(value)) if value == 0.0 || value == 1.0 => {
                    piece.set(*signal, now, value == 1.0);
                }
                (Some(Target::Bit(signal)), None) => piece.set_unknown(*signal, now),
                (Some(Target::Bit(_)), Some(value)) => {
                    let words = "0 and 1";
                    return Err(refuse(FaultKind::CellLevel {
                        found: value.to_string(),
                        column: name(),
                        words: words.to_owned(),
                    }));
                }
                (Some(Target::Number(signal)), Some(value)) => {
                    if self.head.wants(*signal) {
                        piece.read(*signal, now, value);
                    }
                }
                (Some(Target::Number(_)), None) => {}
                (None, _) => return Err(refuse(FaultKind::LateLine(name()))),
            }
        }
        Ok(())
    }
}

impl Reader for Table {
    fn head(&self) -> &Head {
        &self.head
    }

    fn want_bits(&mut self, _bits: &[usize]) -> bool {
        false
    }

    fn want_numbers(&mut self, numbers: &[usize]) {
        self.head.want_numbers(numbers);
    }

    fn origin(&self) -> Origin {
        self.place.origin().unwrap_or_default()
    }

    fn line(&self) -> u64 {
        self.place.line()
    }

    fn cut_off(&self) -> bool {
        false
    }

    fn done(&self) -> Arc<AtomicU64> {
        self.done.clone()
    }

    fn run(&mut self, consume: &mut Consume<'_>) -> Result<(), Failure> {
        let mut place = self.place.clone();
        let (mut piece, mut go_on) = (Piece::default(), true);
        let rows = self.reader.metadata().file_metadata().num_rows().max(1);
        let bytes: i64 = self.reader.metadata().row_groups().iter().map(|group| group.compressed_size()).sum();
        self.batches(|batch| {
            self.take(batch, &mut place, &mut piece)?;
            let share = place.rows as f64 / rows as f64;
            self.done.store(cast::u64_from_f64(share * bytes as f64), Ordering::Relaxed);
            go_on = consume(&[&piece], false);
            Ok(go_on)
        })?;
        if go_on {
            consume(&[], true);
        }
        self.place = place;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use crate::options::ReadOptions;
    use crate::tests::told;
    use crate::write::parquet::{Kind, TableWriter};
    use parquet::data_type::ByteArray;

    type Row<'a> = (i64, Option<&'a str>, Option<f64>);

    /// A table with these rows, written by another hand: it does not say which lines there are.
    fn table(columns: &[(&str, Kind)], rows: &[Row<'_>]) -> Vec<u8> {
        let mut writer = TableWriter::begin(columns, Vec::new(), Vec::new()).unwrap();
        for (time, line, value) in rows {
            writer.time(0, *time);
            writer.word(1, line.map(|line| ByteArray::from(line.as_bytes().to_vec())).as_ref());
            writer.number(2, *value);
            writer.row().unwrap();
        }
        writer.finish().unwrap()
    }

    const COLUMNS: [(&str, Kind); 3] = [("time_ns", Kind::Times), ("line", Kind::Words), ("value", Kind::Numbers)];

    #[test]
    fn a_table_by_another_hand_is_read_by_what_is_in_it() {
        let rows = [
            (5, Some("A"), Some(0.0)),
            (5, Some("V"), Some(1.0)),
            (7, Some("A"), Some(1.0)),
            (7, Some("V"), Some(0.25)),
            (8, Some("A"), None),
            (12, None, None),
        ];
        let told = told(&table(&COLUMNS, &rows), &ReadOptions::default()).unwrap();
        assert_eq!(told.names, ["A", "V"]);
        assert_eq!(told.line(0), (Some(false), 0, vec![2]));
        assert_eq!(told.numbers, [[(0, 1.0), (2, 0.25)]]);
        assert_eq!((told.origin, told.end), (5, 7));
        assert!(told.findings[0].starts_with("unknown for 4 ns after it was known"), "{:?}", told.findings);
    }

    #[test]
    fn what_is_wrong_in_a_table_is_told_with_its_row() {
        let cases: &[(&[Row<'_>], &str)] = &[
            (&[], "rec, line 1: the recording ends here without any time or row"),
            (
                &[(5, Some("A"), Some(0.0)), (4, Some("A"), Some(1.0))],
                "rec, line 2: the time `4` comes after `0.000000005 s`: times run backwards",
            ),
            (
                &[(0, Some("A"), Some(1.0)), (i64::MAX, None, None)],
                "rec, line 2: the time `9223372036854775807` is too large",
            ),
        ];
        for (rows, message) in cases {
            let read = told(&table(&COLUMNS, rows), &ReadOptions::default());
            // Numbers are looked at only where they are wanted, as here.
            assert_eq!(read.unwrap_err(), *message);
        }
        let whole = table(&COLUMNS, &[(0, Some("A"), Some(1.0))]);
        for length in [4, whole.len() / 2, whole.len() - 1] {
            let error = told(&whole[..length], &ReadOptions::default()).unwrap_err();
            assert!(error.starts_with("rec is not a complete Parquet file: "), "{error}");
        }
        let other = [("time_ns", Kind::Times), ("channel", Kind::Words), ("value", Kind::Numbers)];
        let error = told(&table(&other, &[(0, Some("A"), Some(1.0))]), &ReadOptions::default()).unwrap_err();
        assert_eq!(
            error,
            "rec is not a table of changes: it has the columns `time_ns` INT64, `channel` BYTE_ARRAY, `value` DOUBLE"
        );
    }

    #[test]
    fn a_table_of_many_batches_and_groups_is_read_whole() {
        let rows: Vec<Row<'_>> =
            (0..600_000).map(|row| (row, Some(["A", "B"][row as usize % 2]), Some((row / 2 % 2) as f64))).collect();
        let told = told(&table(&COLUMNS, &rows), &ReadOptions::default()).unwrap();
        assert_eq!((told.edges, told.end), (2 * 299_999, 599_999));
        assert_eq!(told.line(0).2[..3], [2, 4, 6]);
    }
}
