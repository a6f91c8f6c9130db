//! CSV by RFC 4180: a header with the names of the lines, then a row for each time.

mod columns;
mod record;
mod rows;
#[cfg(test)]
mod tests;

use crate::chunks::{Chunks, MOST_AT_ONCE};
use crate::error::{Fault, FaultKind};
use crate::options::ReadOptions;
use crate::piece::Piece;
use crate::recording::{Failure, Reader};
use columns::Layout;
use record::Record;
use reigen_core::lines::RecordedLine;
use reigen_core::time::{Nanos, Origin};
use rows::Rows;

/// Reads a CSV from its bytes.
pub(crate) struct Csv {
    chunks: Chunks,
    layout: Layout,
    rows: Rows,
    cut_off: bool,
}

impl Csv {
    /// Reads the header, and looks at the first rows to tell levels from numbers.
    pub(crate) fn open(mut chunks: Chunks, options: &ReadOptions) -> Result<Self, Failure> {
        let mut record = Record::default();
        let (header, consumed, line) = loop {
            let (bytes, at_end) = (chunks.bytes(), chunks.finished());
            if let Some(found) = record.read(bytes, at_end) {
                break (record.texts(), found.consumed, 1 + found.lines);
            }
            if at_end {
                return Err(Fault { line: 1, kind: FaultKind::NoTimes }.into());
            }
            if !chunks.fill()? {
                return Err(Fault { line: 1, kind: FaultKind::TooLong(MOST_AT_ONCE) }.into());
            }
        };
        chunks.consume(consumed);
        chunks.fill()?;
        let layout = Layout::new(header, options, chunks.bytes(), chunks.finished(), line)?;
        Ok(Self { chunks, layout, rows: Rows::new(record, line), cut_off: false })
    }
}

impl Reader for Csv {
    fn lines(&self) -> &[RecordedLine] {
        &self.layout.lines
    }

    fn bits(&self) -> usize {
        self.layout.bits
    }

    fn numbers(&self) -> usize {
        self.layout.numbers
    }

    fn want_numbers(&mut self, numbers: &[usize]) {
        self.layout.want_numbers(numbers);
    }

    fn origin(&self) -> Option<Origin> {
        self.rows.origin
    }

    fn tick(&self) -> Option<Nanos> {
        self.layout.rate.and_then(|rate| rate.whole_period())
    }

    fn rounds(&self) -> bool {
        false
    }

    fn line(&self) -> u64 {
        self.rows.line
    }

    fn cut_off(&self) -> bool {
        self.cut_off
    }

    fn read(&mut self, piece: &mut Piece) -> Result<bool, Failure> {
        let roomy = self.chunks.fill()?;
        let at_end = self.chunks.finished();
        let done = self.rows.read(&self.layout, self.chunks.bytes(), at_end, piece)?;
        if done.consumed == 0 && !roomy {
            return Err(Fault { line: self.rows.line, kind: FaultKind::TooLong(MOST_AT_ONCE) }.into());
        }
        self.cut_off |= done.cut_off;
        self.chunks.consume(done.consumed);
        Ok(!at_end)
    }
}
