//! A recording as a CSV (RFC 4180): a row for each time at which something changes.

use super::{Changes, Heading, Out, Text, number_text};
use reigen_core::change::{Change, Value};
use reigen_core::time::{Nanos, Origin};
use std::io::{self, Write};

/// A CSV in the making, and the row that it is at.
pub(super) struct Csv<W: Write> {
    text: Text<W>,
    origin: Origin,
    now: Nanos,
    values: Vec<Option<Value>>,
    /// Which lines have changed in the row.
    changed: Vec<bool>,
}

impl<W: Write> Csv<W> {
    /// Writes the header.
    pub(super) fn begin(heading: &Heading, out: Out<W>) -> io::Result<Self> {
        let mut text = Text::new(out);
        text.text.extend_from_slice(b"time_s");
        for line in &heading.lines {
            text.text.push(b',');
            text.text.extend_from_slice(quoted(&line.name).as_bytes());
        }
        text.text.push(b'\n');
        let lines = heading.lines.len();
        Ok(Self { text, origin: heading.origin, now: Nanos(0), values: vec![None; lines], changed: vec![false; lines] })
    }

    /// Writes the row; a line without a value as yet has an empty cell.
    fn write(&mut self) -> io::Result<()> {
        const SECOND: u64 = 1_000_000_000;
        let time = self.origin.file_time_ns(self.now);
        if time < 0 {
            self.text.text.push(b'-');
        }
        self.text.number(time.unsigned_abs() / SECOND);
        // Nine decimals: a one in front keeps the zeros, and gives its place to the point.
        let place = self.text.text.len();
        self.text.number(SECOND + time.unsigned_abs() % SECOND);
        if let Some(one) = self.text.text.get_mut(place) {
            *one = b'.';
        }
        for (value, changed) in self.values.iter().zip(&self.changed) {
            let text = &mut self.text.text;
            match value {
                // A number is written once: again in each row, it would be read again as often. What is none has an empty cell.
                Some(Value::Number(number)) if *changed && number.is_finite() => {
                    text.push(b',');
                    text.extend_from_slice(number_text(*number).as_bytes());
                }
                None | Some(Value::Number(_) | Value::Unknown) => text.push(b','),
                Some(Value::Level(level)) => text.extend_from_slice(if *level { b",1" } else { b",0" }),
            }
        }
        self.text.text.push(b'\n');
        self.changed.fill(false);
        self.text.pass()
    }
}

/// A cell, in quotes where it needs them.
fn quoted(cell: &str) -> String {
    let is_plain = |letter: char| letter.is_alphanumeric() || "._[]:-#".contains(letter);
    match !cell.chars().all(is_plain) || cell.is_empty() {
        true => format!("\"{}\"", cell.replace('"', "\"\"")),
        false => cell.to_owned(),
    }
}

impl<W: Write + Send> Changes for Csv<W> {
    /// What came before the change, at another time or of the same line, is written first.
    fn take(&mut self, change: Change) -> io::Result<()> {
        // The last level is held: a CSV has no word for one that is unknown.
        if change.value == Value::Unknown {
            return Ok(());
        }
        let again = self.changed.get(change.line) == Some(&true);
        if change.time != self.now || again {
            self.write()?;
            self.now = change.time;
        }
        if let (Some(value), Some(changed)) = (self.values.get_mut(change.line), self.changed.get_mut(change.line)) {
            (*value, *changed) = (Some(change.value), true);
        }
        Ok(())
    }

    fn finish(mut self: Box<Self>, end: Nanos) -> io::Result<()> {
        self.write()?;
        if self.now != end {
            self.now = end;
            self.write()?;
        }
        self.text.finish()
    }
}
