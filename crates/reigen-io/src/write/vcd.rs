//! A recording as a VCD (IEEE 1364), in steps of a nanosecond.

use super::{Changes, Heading, Out, Text, number_text};
use crate::vcd::{RESUMES, STEP};
use crate::write::trace::code;
use reigen_core::change::{Change, Value};
use reigen_core::time::{Nanos, Origin, seconds_short};
use std::io::{self, Write};

/// A VCD in the making.
pub(super) struct Vcd<W: Write> {
    text: Text<W>,
    codes: Vec<String>,
    /// For each line whether it is a number.
    numbers: Vec<bool>,
    /// What is added to a time since the start.
    shift: Origin,
    /// The time that was marked last.
    marked: Option<Nanos>,
}

impl<W: Write> Vcd<W> {
    /// Writes the declarations. A VCD knows no negative times: where there are such, it begins at 0 and says so.
    pub(super) fn begin(heading: &Heading, out: Out<W>) -> io::Result<Self> {
        let mut text = Text::new(out);
        let origin = heading.origin;
        if origin.0 < 0 {
            writeln!(text.text, "$comment time 0 here is {} s in the recording $end", seconds_short(origin.0))?;
        }
        writeln!(text.text, "$timescale 1 ns $end")?;
        let codes: Vec<String> = (0..heading.lines.len()).map(code).collect();
        let mut scopes: Vec<String> = Vec::new();
        for (line, code) in heading.lines.iter().zip(&codes) {
            let kind = if line.number { "real 64" } else { "wire 1" };
            for name in std::iter::once(&line.name).chain(&line.aliases) {
                let mut parts: Vec<String> =
                    heading.scope.into_iter().chain(name.split('.')).map(super::names::vcd_name).collect();
                let leaf = parts.pop().unwrap_or_default();
                enter(&mut scopes, parts, &mut text.text)?;
                writeln!(text.text, "$var {kind} {code} {leaf} $end")?;
            }
        }
        enter(&mut scopes, Vec::new(), &mut text.text)?;
        for (line, code) in heading.lines.iter().zip(&codes) {
            if let Some(Nanos(step)) = line.step {
                writeln!(text.text, "$comment {STEP} {code} {step} $end")?;
            }
        }
        for (point, state) in &heading.resumed {
            writeln!(text.text, "$comment {RESUMES} {point} {} $end", serde_json::to_string(state)?)?;
        }
        writeln!(text.text, "$enddefinitions $end")?;
        let numbers = heading.lines.iter().map(|line| line.number).collect();
        Ok(Self { text, codes, numbers, shift: Origin(origin.0.max(0)), marked: None })
    }

    /// Marks a time, once.
    #[inline]
    fn mark(&mut self, time: Nanos) {
        if self.marked != Some(time) {
            self.marked = Some(time);
            self.text.text.push(b'#');
            self.text.number(self.shift.file_time_ns(time));
            self.text.text.push(b'\n');
        }
    }
}

/// Leaves and enters scopes until one stands in these.
fn enter(scopes: &mut Vec<String>, wanted: Vec<String>, out: &mut impl Write) -> io::Result<()> {
    let shared = scopes.iter().zip(&wanted).take_while(|(one, other)| one == other).count();
    for _ in shared..scopes.len() {
        writeln!(out, "$upscope $end")?;
    }
    for scope in wanted.iter().skip(shared) {
        writeln!(out, "$scope module {scope} $end")?;
    }
    *scopes = wanted;
    Ok(())
}

impl<W: Write + Send> Changes for Vcd<W> {
    fn take(&mut self, change: Change) -> io::Result<()> {
        self.mark(change.time);
        let Some(code) = self.codes.get(change.line) else { return Ok(()) };
        // A real number of this format is always known: it has none before its first.
        if change.value == Value::Unknown && self.numbers.get(change.line) == Some(&true) {
            return Ok(());
        }
        let text = &mut self.text.text;
        match change.value {
            Value::Level(level) => text.push(if level { b'1' } else { b'0' }),
            Value::Unknown => text.push(b'x'),
            Value::Number(number) => {
                text.push(b'r');
                text.extend_from_slice(number_text(number).as_bytes());
                text.push(b' ');
            }
        }
        text.extend_from_slice(code.as_bytes());
        text.push(b'\n');
        self.text.pass()
    }

    fn finish(mut self: Box<Self>, end: Nanos) -> io::Result<()> {
        self.mark(end);
        self.text.finish()
    }
}
