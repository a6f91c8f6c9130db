//! A recording as packed samples: a bit a line, at a constant step.

use super::{
    Changes, Heading, Out, Text,
    output_file::{FinishedFile, OutputError, Outputs},
};
use crate::packed::sidecar;
use reigen_core::change::{Change, Value};
use reigen_core::time::Nanos;
use reigen_core::units::engineering;
use std::io::{self, Write};
use std::path::Path;

/// Packed samples of more bytes are a mistake in the step: a gap in a recording fills a disk with equal samples.
const MOST_BYTES: u128 = 100_000_000_000;

/// Packed samples in the making.
pub(super) struct Packed<W: Write> {
    text: Text<W>,
    step: Nanos,
    /// The sample to come, as it is so far; a line without a level as yet is low.
    sample: Vec<u8>,
    /// How many samples have been written.
    written: u64,
}

impl<W: Write> Packed<W> {
    /// Samples of as many bytes as the lines need.
    pub(super) fn begin(heading: &Heading, out: Out<W>) -> Self {
        let sample = vec![0; heading.lines.len().div_ceil(8)];
        Self { text: Text::new(out), step: heading.step, sample, written: 0 }
    }

    /// Writes all samples before this time.
    fn write_before(&mut self, time: Nanos) -> io::Result<()> {
        let until = time.0.div_ceil(self.step.0.max(1));
        let bytes = u128::from(until) * self.sample.len() as u128;
        if bytes > MOST_BYTES {
            let (bytes, step) = (engineering(bytes as f64, "B"), self.step);
            let why = format!(
                "it would have {bytes} at a step of {step}, and {} are the most",
                engineering(MOST_BYTES as f64, "B")
            );
            return Err(io::Error::new(io::ErrorKind::FileTooLarge, why));
        }
        while self.written < until {
            self.text.text.extend_from_slice(&self.sample);
            self.text.pass()?;
            self.written += 1;
        }
        Ok(())
    }
}

impl<W: Write + Send> Changes for Packed<W> {
    fn take(&mut self, change: Change) -> io::Result<()> {
        self.write_before(change.time)?;
        if let (Value::Level(level), Some(byte)) = (change.value, self.sample.get_mut(change.line / 8)) {
            let bit = 1 << (change.line % 8);
            *byte = if level { *byte | bit } else { *byte & !bit };
        }
        Ok(())
    }

    /// The last sample is the first at or after the end.
    fn finish(mut self: Box<Self>, end: Nanos) -> io::Result<()> {
        self.write_before(end)?;
        self.text.text.extend_from_slice(&self.sample);
        self.text.finish()
    }
}

/// Checks that packed samples can hold what is to be written; says why not.
pub(super) fn check(heading: &Heading) -> Result<(), String> {
    if heading.step == Nanos(0) {
        return Err("samples need a step: write another format, and convert that with --step".to_owned());
    }
    if let Some(number) = heading.lines.iter().find(|line| line.number) {
        return Err(format!("`{}` is a number, and samples hold levels: choose lines with --lines", number.name));
    }
    let names: Vec<String> = heading.lines.iter().map(|line| line.name.clone()).collect();
    sidecar::check_names(&names)?;
    sidecar::rate_of(heading.step)
        .map(drop)
        .ok_or_else(|| format!("a step of {} is not a whole rate in millihertz: use another --step", heading.step))
}

/// Writes what they mean into a file beside them.
pub(super) fn write_sidecar(outputs: &Outputs, path: &Path, heading: &Heading) -> Result<FinishedFile, OutputError> {
    let mut file = outputs.create(&sidecar::path(path))?;
    let names = heading.lines.iter().map(|line| line.name.clone()).collect();
    let text = sidecar::text(heading.step, names);
    file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
    file.finish()
}
