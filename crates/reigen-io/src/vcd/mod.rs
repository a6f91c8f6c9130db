//! VCD, the value change dump of IEEE 1364.

mod body;
mod codes;
mod header;
mod layout;
#[cfg(test)]
mod tests;
mod token;

use crate::chunks::{Chunks, MOST_AT_ONCE};
use crate::error::{Fault, FaultKind};
use crate::piece::Piece;
use crate::recording::{Failure, Reader};
use body::Body;
use layout::Layout;
use reigen_core::lines::RecordedLine;
use reigen_core::time::{Nanos, Origin};

/// Reads a VCD from its bytes.
pub(crate) struct Vcd {
    chunks: Chunks,
    layout: Layout,
    body: Body,
    cut_off: bool,
}

impl Vcd {
    /// Reads the declarations.
    pub(crate) fn open(mut chunks: Chunks) -> Result<Self, Failure> {
        let (layout, line) = header::read(&mut chunks)?;
        Ok(Self { chunks, layout, body: Body::new(line), cut_off: false })
    }
}

impl Reader for Vcd {
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
        self.body.origin
    }

    fn tick(&self) -> Option<Nanos> {
        Some(self.layout.scale.tick())
    }

    fn rounds(&self) -> bool {
        self.layout.scale.rounds()
    }

    fn line(&self) -> u64 {
        self.body.line
    }

    fn cut_off(&self) -> bool {
        self.cut_off
    }

    fn read(&mut self, piece: &mut Piece) -> Result<bool, Failure> {
        let roomy = self.chunks.fill()?;
        let at_end = self.chunks.finished();
        let bytes = self.chunks.bytes();
        let done = self.body.read(&self.layout, bytes, at_end, piece)?;
        if done.consumed == 0 && !roomy {
            return Err(Fault { line: self.body.line, kind: FaultKind::TooLong(MOST_AT_ONCE) }.into());
        }
        self.cut_off |= done.cut_off;
        self.chunks.consume(done.consumed);
        Ok(!at_end)
    }
}
