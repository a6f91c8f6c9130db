//! CSV (RFC 4180) as it comes: a header with the names of the lines, then a row for each time or for some samples.

mod blocks;
mod burst;
mod columns;
mod dialect;
mod fast;
mod header;
mod marks;
mod numbers;
mod record;
mod rows;
#[cfg(test)]
mod tests;

use crate::chunks::Chunks;
use crate::error::{Failure, Fault};
use crate::options::ReadOptions;
use crate::piece::Piece;
use crate::pipeline::{Form, Format, Head, ParseProgress, Pipeline};
use crate::rows::Rows;
use columns::{Below, Layout};
use record::Record;
use reigen_core::time::Origin;
use rows::RowReader;

/// A CSV, by its header and first rows.
pub(crate) struct Csv {
    layout: Layout,
}

/// Opens a CSV: finds the header, and looks at the first rows to tell what is in each column.
pub(crate) fn open(mut chunks: Chunks, options: &ReadOptions, form: Form) -> Result<Pipeline<Csv>, Failure> {
    let header = header::find(chunks.bytes(), chunks.finished(), options)?;
    chunks.consume(header.consumed);
    chunks.fill()?;
    Record::with(header.separator, |record| {
        let (mut line, at_end) = (header.lines + 1, chunks.finished());
        let units = record.read(chunks.bytes(), at_end).zip(header.time);
        let units = units.and_then(|(found, (time, _))| Some((found, header::unit_row(record.cell(time))?)));
        if let Some((found, _)) = units {
            chunks.consume(found.consumed);
            line += found.lines;
        }
        let below = Below { rows: chunks.bytes(), at_end, line };
        let layout = Layout::new(&header, units.map(|(_, unit)| unit), options, below, record)?;
        Ok((layout, line))
    })
    .and_then(|(layout, line)| {
        let place = Rows::new(line, None, layout.head.rate.is_some());
        Pipeline::open(Csv { layout }, place, chunks, form)
    })
}

/// Whether a column of this name is read as the time.
pub(crate) fn means_time(name: &str) -> bool {
    header::time_name(name).is_some()
}

impl Format for Csv {
    type Place = Rows;

    fn head(&self) -> &Head {
        &self.layout.head
    }

    fn head_mut(&mut self) -> &mut Head {
        &mut self.layout.head
    }

    /// After a line; where it ends within quotes, the parser finds that out.
    fn boundary(&self, bytes: &[u8], _before: usize) -> Option<usize> {
        memchr::memrchr(b'\n', bytes).map(|at| at + 1)
    }

    fn begin(&self, origin: Origin) -> Rows {
        Rows::new(0, Some(origin), self.layout.head.rate.is_some())
    }

    fn parse(
        &self,
        form: Form,
        place: &mut Rows,
        bytes: &[u8],
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<ParseProgress, Fault> {
        Record::with(self.layout.dialect.separator, |record| {
            let mut reader = RowReader::new(&self.layout, record);
            match form {
                Form::Plain => reader.read(place, bytes, at_end, false, piece),
                Form::Fast => fast::read(&mut reader, place, &self.layout, bytes, at_end, piece),
            }
        })
    }
}
