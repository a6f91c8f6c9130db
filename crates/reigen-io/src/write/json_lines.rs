//! A recording as JSON Lines: an object for each change.

use super::{Changes, Heading, Out, Text, number_text};
use reigen_core::change::{Change, Value};
use reigen_core::time::{Nanos, Origin};
use serde_json::json;
use std::io::{self, Write};

/// JSON Lines in the making.
pub(super) struct JsonLines<W: Write> {
    text: Text<W>,
    origin: Origin,
    /// For each line its name, with what stands before and behind it.
    names: Vec<Vec<u8>>,
    last: Option<Nanos>,
}

impl<W: Write> JsonLines<W> {
    /// Names all lines first, so that the reader of a stream knows them from the start.
    pub(super) fn begin(heading: &Heading, out: Out<W>) -> io::Result<Self> {
        let mut names = Vec::new();
        for line in &heading.lines {
            let mut name = b",\"line\":".to_vec();
            serde_json::to_writer(&mut name, &line.name)?;
            name.extend_from_slice(b",\"value\":");
            names.push(name);
        }
        let mut lines = Self { text: Text::new(out), origin: heading.origin, names, last: None };
        for (number, line) in heading.lines.iter().enumerate() {
            // A line of numbers says so: it may never have one.
            let mut value = if line.number { "null,\"number\":true" } else { "null" }.to_owned();
            if let Some(Nanos(step)) = line.step {
                value += &format!(",\"step_ns\":{step}");
            }
            lines.object(Nanos(0), Some((number, value.as_bytes())));
        }
        for (point, state) in &heading.resumed {
            let time_ns = heading.origin.file_time_ns(Nanos(0));
            let object = json!({ "time_ns": time_ns, "point": point, "resumes": state });
            lines.text.text.extend_from_slice(format!("{object}\n").as_bytes());
        }
        Ok(lines)
    }

    fn object(&mut self, time: Nanos, value: Option<(usize, &[u8])>) {
        self.text.text.extend_from_slice(b"{\"time_ns\":");
        self.text.number(self.origin.file_time_ns(time));
        if let Some((line, value)) = value {
            self.text.text.extend_from_slice(self.names.get(line).map(Vec::as_slice).unwrap_or_default());
            self.text.text.extend_from_slice(value);
        }
        self.text.text.extend_from_slice(b"}\n");
        self.last = Some(time);
    }
}

impl<W: Write + Send> Changes for JsonLines<W> {
    fn take(&mut self, change: Change) -> io::Result<()> {
        match change.value {
            Value::Level(level) => self.object(change.time, Some((change.line, if level { b"1" } else { b"0" }))),
            Value::Unknown => self.object(change.time, Some((change.line, b"null"))),
            Value::Number(number) if !number.is_finite() => self.object(change.time, Some((change.line, b"null"))),
            Value::Number(number) => self.object(change.time, Some((change.line, number_text(number).as_bytes()))),
        }
        self.text.pass()
    }

    /// An object without a line says how far the recording goes.
    fn finish(mut self: Box<Self>, end: Nanos) -> io::Result<()> {
        if self.last != Some(end) {
            self.object(end, None);
        }
        self.text.finish()
    }
}
