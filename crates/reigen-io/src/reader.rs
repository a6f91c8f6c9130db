//! What a recording needs of a reader, whatever the format.

use crate::error::Failure;
use crate::piece::Piece;
use crate::pipeline::{Format, Head, Pipeline, Place};
use reigen_core::time::Origin;
use std::sync::Arc;
use std::sync::atomic::AtomicU64;

/// What a recording needs of a pipeline, whatever the format.
pub(crate) trait Reader: Send {
    fn head(&self) -> &Head;
    fn want_numbers(&mut self, numbers: &[usize]);
    /// Whether only these two-level signals get columns; see [`Format::want_bits`].
    fn want_bits(&mut self, bits: &[usize]) -> bool;
    /// The file's own first time.
    fn origin(&self) -> Origin;
    /// The line up to which it has read.
    fn line(&self) -> u64;
    /// Whether the file ended in the middle of something.
    fn cut_off(&self) -> bool;
    /// The bytes dealt with so far.
    fn done(&self) -> Arc<AtomicU64>;
    /// Hands over all pieces; see [`Pipeline::run`].
    fn run(&mut self, consume: &mut Consume<'_>) -> Result<(), Failure>;
}

/// Takes the pieces of a batch, and whether it is the last; gives false to stop.
pub(crate) type Consume<'a> = dyn FnMut(&[&Piece], bool) -> bool + Send + 'a;

impl<F: Format> Reader for Pipeline<F> {
    fn head(&self) -> &Head {
        self.format.head()
    }

    fn want_bits(&mut self, bits: &[usize]) -> bool {
        self.format.want_bits(bits)
    }

    fn want_numbers(&mut self, numbers: &[usize]) {
        self.format.head_mut().want_numbers(numbers);
    }

    fn origin(&self) -> Origin {
        self.place.origin().unwrap_or_default()
    }

    fn line(&self) -> u64 {
        self.place.line()
    }

    fn cut_off(&self) -> bool {
        self.cut_off
    }

    fn done(&self) -> Arc<AtomicU64> {
        Pipeline::done(self)
    }

    fn run(&mut self, consume: &mut Consume<'_>) -> Result<(), Failure> {
        Pipeline::run(self, consume)
    }
}
