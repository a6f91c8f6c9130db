//! VCD, the value change dump of IEEE 1364.

mod body;
mod codes;
mod fast;
mod header;
mod layout;
#[cfg(test)]
mod tests;
mod token;

use crate::chunks::Chunks;
use crate::error::{Failure, Fault};
use crate::piece::Piece;
use crate::pipeline::{Form, Format, Head, ParseProgress, Pipeline};
use body::Body;
use layout::Layout;
use reigen_core::time::Origin;

/// The first word of a comment that says how often a variable was read, with its code and so many nanoseconds.
pub(crate) const STEP: &str = "step_ns";

/// The first word of a comment that says what a point kept when the recording began, with the point's name and its state.
pub(crate) const RESUMES: &str = "resumes";

/// A VCD, by its declarations.
pub(crate) struct Vcd {
    layout: Layout,
}

/// Opens a VCD.
pub(crate) fn open(mut chunks: Chunks, form: Form) -> Result<Pipeline<Vcd>, Failure> {
    let (layout, line) = header::read(&mut chunks)?;
    Pipeline::open(Vcd { layout }, Body::new(line, None), chunks, form)
}

impl Format for Vcd {
    type Place = Body;

    fn head(&self) -> &Head {
        &self.layout.head
    }

    fn head_mut(&mut self) -> &mut Head {
        &mut self.layout.head
    }

    fn want_bits(&mut self, bits: &[usize]) -> bool {
        self.layout.want_bits(bits)
    }

    /// Before a line that begins with a time.
    fn boundary(&self, bytes: &[u8], _before: usize) -> Option<usize> {
        let mut until = bytes.len();
        loop {
            let mark = memchr::memrchr(b'#', bytes.get(..until)?)?;
            if mark > 0 && bytes.get(mark - 1) == Some(&b'\n') {
                return Some(mark);
            }
            until = mark;
        }
    }

    fn begin(&self, origin: Origin) -> Body {
        Body::new(0, Some(origin))
    }

    fn parse(
        &self,
        form: Form,
        place: &mut Body,
        bytes: &[u8],
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<ParseProgress, Fault> {
        match form {
            Form::Plain => place.read(&self.layout, bytes, at_end, piece),
            Form::Fast => fast::read(place, &self.layout, bytes, at_end, piece),
        }
    }
}
