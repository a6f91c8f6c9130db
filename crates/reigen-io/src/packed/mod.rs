//! Packed samples: some bytes a sample, a bit a line, at a constant rate.

mod fast;
pub(crate) mod sidecar;
#[cfg(test)]
mod tests;

use crate::chunks::Chunks;
use crate::error::{Failure, Fault};
use crate::piece::Piece;
use crate::pipeline::{Form, Format, Head, ParseProgress, Pipeline, Place};
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::names::counted;
use reigen_core::quantity::SampleRate;
use reigen_core::time::{Nanos, Origin};

/// A name that leaves its bit unused.
pub(crate) const UNUSED: &str = "-";

/// Packed samples, by what a person said of them.
pub(crate) struct Packed {
    head: Head,
    /// For each bit of a sample, from bit 0 of its first byte upward, its signal.
    signals: Vec<Option<usize>>,
    /// The bytes of a sample.
    width: usize,
}

/// Opens packed samples whose bits have these names; `-` leaves one unused.
pub(crate) fn open(
    chunks: Chunks,
    rate: SampleRate,
    names: &[String],
    form: Form,
) -> Result<Pipeline<Packed>, Failure> {
    let mut lines = Vec::new();
    let mut signals = Vec::new();
    for name in names {
        let signal = (name != UNUSED).then_some(lines.len());
        if let Some(signal) = signal {
            lines.push(RecordedLine { name: name.clone(), signal, kind: LineKind::Level, step: None });
        }
        signals.push(signal);
    }
    let width = signals.len().div_ceil(8).max(1);
    let taken_for = format!(
        "packed samples of {}; {} with levels",
        counted(width as u64, "byte"),
        counted(lines.len() as u64, "line")
    );
    let head = Head {
        taken_for,
        bits: lines.len(),
        lines,
        rate: Some(rate),
        tick: rate.time_of(1).unwrap_or_default(),
        ..Head::default()
    };
    Pipeline::open(Packed { head, signals, width }, Sample::default(), chunks, form)
}

/// Which sample comes next.
#[derive(Debug, Clone, Default)]
pub(crate) struct Sample {
    number: u64,
    origin: Option<Origin>,
}

impl Place for Sample {
    fn origin(&self) -> Option<Origin> {
        self.origin
    }

    fn know_origin(&mut self, origin: Origin) {
        self.origin = Some(origin);
    }

    fn line(&self) -> u64 {
        1
    }

    fn leads_to(&self, _over: &Self) -> bool {
        true
    }

    fn go_on(&mut self, over: &Self, piece: &mut Piece) {
        piece.sample_base = self.number;
        self.number += over.number;
    }
}

impl Format for Packed {
    type Place = Sample;

    fn head(&self) -> &Head {
        &self.head
    }

    fn head_mut(&mut self) -> &mut Head {
        &mut self.head
    }

    fn boundary(&self, bytes: &[u8], before: usize) -> Option<usize> {
        let whole = (before + bytes.len()) / self.width * self.width;
        whole.checked_sub(before)
    }

    fn begin(&self, origin: Origin) -> Sample {
        Sample { number: 0, origin: Some(origin) }
    }

    fn parse(
        &self,
        form: Form,
        place: &mut Sample,
        bytes: &[u8],
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<ParseProgress, Fault> {
        let mut reader = Reader { format: self, first: place.number, last: None, piece };
        match form {
            Form::Plain => {
                bytes.chunks_exact(self.width).enumerate().for_each(|(number, now)| reader.sample(number, now))
            }
            Form::Fast => fast::read(&mut reader, bytes),
        }
        let samples = bytes.len() / self.width;
        if samples > 0 {
            place.origin.get_or_insert(Origin(0));
            place.number += samples as u64;
            piece.last_time = Some(Nanos(place.number - 1));
        }
        let consumed = samples * self.width;
        let cut_off = at_end && consumed < bytes.len();
        Ok(ParseProgress { consumed: if at_end { bytes.len() } else { consumed }, cut_off })
    }
}

/// Takes samples one after another.
struct Reader<'a> {
    format: &'a Packed,
    /// The number of the first sample.
    first: u64,
    /// The sample before.
    last: Option<&'a [u8]>,
    piece: &'a mut Piece,
}

impl<'a> Reader<'a> {
    /// Takes the sample that is so many after the first.
    #[inline]
    fn sample(&mut self, number: usize, now: &'a [u8]) {
        if self.last != Some(now) {
            self.change(number, now);
        }
    }

    /// Takes a sample that is another than the one before.
    #[inline]
    fn change(&mut self, number: usize, now: &'a [u8]) {
        let time = Nanos(self.first + number as u64);
        for (place, byte) in now.iter().enumerate() {
            let before = self.last.and_then(|last| last.get(place));
            // All bits of the first sample, then those that change.
            self.set_bits(8 * place, time, before.map_or(0xff, |before| before ^ byte), *byte);
        }
        self.last = Some(now);
    }

    /// The bits of a byte that have changed take their levels; the first of them has this number among all.
    #[inline]
    fn set_bits(&mut self, first: usize, time: Nanos, mut changed: u8, now: u8) {
        while changed != 0 {
            let bit = changed.trailing_zeros() as usize;
            changed &= changed - 1;
            if let Some(Some(signal)) = self.format.signals.get(first + bit) {
                self.piece.set(*signal, time, now >> bit & 1 == 1);
            }
        }
    }
}
