//! CSV by RFC 4180: a header with the names of the lines, then a row for each time.

mod columns;
mod fast;
mod numbers;
mod record;
mod rows;
#[cfg(test)]
mod tests;

use crate::chunks::{Chunks, MOST_AT_ONCE};
use crate::error::{Failure, Fault, FaultKind};
use crate::options::ReadOptions;
use crate::piece::Piece;
use crate::pipeline::{Done, Form, Format, Head, Pipeline};
use columns::Layout;
use record::Record;
use reigen_core::time::Origin;
use rows::{RowReader, Rows};

/// A CSV, by its header and first rows.
pub(crate) struct Csv {
    layout: Layout,
}

/// Opens a CSV: reads the header, and looks at the first rows to tell levels from numbers.
pub(crate) fn open(mut chunks: Chunks, options: &ReadOptions, form: Form) -> Result<Pipeline<Csv>, Failure> {
    let mut record = Record::default();
    let fault = |kind| Failure::from(Fault { line: 1, kind });
    let (consumed, line) = loop {
        let at_end = chunks.finished();
        if let Some(found) = record.read(chunks.bytes(), at_end) {
            break (found.consumed, 1 + found.lines);
        }
        if at_end {
            return Err(fault(FaultKind::NoTimes));
        }
        if !chunks.fill()? {
            return Err(fault(FaultKind::TooLong(MOST_AT_ONCE)));
        }
    };
    let header = record.texts();
    chunks.consume(consumed);
    chunks.fill()?;
    let layout = Layout::new(header, options, chunks.bytes(), chunks.finished(), line)?;
    let place = Rows::new(line, None, layout.head.rate.is_some());
    Pipeline::open(Csv { layout }, place, chunks, form)
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
    ) -> Result<Done, Fault> {
        Record::with(|record| {
            let mut reader = RowReader::new(&self.layout, record);
            match form {
                Form::Plain => reader.read(place, bytes, at_end, false, piece),
                Form::Fast => fast::read(&mut reader, place, &self.layout, bytes, at_end, piece),
            }
        })
    }
}
