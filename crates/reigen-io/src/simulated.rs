//! A simulated recording, written in a stream.

use crate::output_file::OutputError;
use crate::trace::code;
use reigen_core::simulate::{Change, Simulation, Value};
use reigen_core::time::Nanos;
use std::io::{self, Write};
use std::path::Path;

/// The endings of simulated recordings.
const ENDINGS: &str = ".vcd, .csv";

/// A format that a simulated recording is written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// IEEE 1364.
    Vcd,
    /// RFC 4180: a row for each time at which something changes.
    Csv,
}

impl Format {
    /// The format of a file by its ending.
    ///
    /// # Errors
    /// Where the ending tells none.
    pub fn of(path: &Path) -> Result<Self, OutputError> {
        match path.extension().and_then(|ending| ending.to_str()) {
            Some("vcd") => Ok(Format::Vcd),
            Some("csv") => Ok(Format::Csv),
            _ => Err(OutputError::Ending { path: path.to_owned(), known: ENDINGS }),
        }
    }
}

/// Writes all changes of a simulation.
///
/// # Errors
/// Where `out` takes no more.
pub fn write(simulation: &mut Simulation, format: Format, out: &mut impl Write) -> io::Result<()> {
    match format {
        Format::Vcd => write_vcd(simulation, out),
        Format::Csv => write_csv(simulation, out),
    }
}

fn write_vcd(simulation: &mut Simulation, out: &mut impl Write) -> io::Result<()> {
    writeln!(out, "$timescale 1 ns $end\n$scope module scenario $end")?;
    let codes: Vec<String> = (0..simulation.names().len()).map(code).collect();
    for ((name, value), code) in simulation.names().iter().zip(simulation.start()).zip(&codes) {
        match value {
            Value::Level(_) => writeln!(out, "$var wire 1 {code} {name} $end")?,
            Value::Number(_) => writeln!(out, "$var real 64 {code} {name} $end")?,
        }
    }
    writeln!(out, "$upscope $end\n$enddefinitions $end\n#0")?;
    for (value, code) in simulation.start().iter().zip(&codes) {
        write_value(*value, code, out)?;
    }
    let mut now = Nanos(0);
    for change in simulation.by_ref() {
        if change.time != now {
            now = change.time;
            out.write_all(b"#")?;
            out.write_all(itoa::Buffer::new().format(now.0).as_bytes())?;
            out.write_all(b"\n")?;
        }
        if let Some(code) = codes.get(change.line) {
            write_value(change.value, code, out)?;
        }
    }
    let end = simulation.end();
    if now != end {
        writeln!(out, "#{}", end.0)?;
    }
    Ok(())
}

fn write_value(value: Value, code: &str, out: &mut impl Write) -> io::Result<()> {
    match value {
        Value::Level(level) => {
            out.write_all(if level { b"1" } else { b"0" })?;
            out.write_all(code.as_bytes())?;
            out.write_all(b"\n")
        }
        Value::Number(number) => writeln!(out, "r{number} {code}"),
    }
}

/// The row that a CSV is at.
struct Row {
    now: Nanos,
    values: Vec<Value>,
    /// Which lines have changed in it.
    changed: Vec<bool>,
    /// Room for its text.
    text: Vec<u8>,
}

impl Row {
    fn write(&mut self, out: &mut impl Write) -> io::Result<()> {
        const SECOND: u64 = 1_000_000_000;
        self.changed.fill(false);
        self.text.clear();
        self.text.extend_from_slice(itoa::Buffer::new().format(self.now.0 / SECOND).as_bytes());
        // Nine decimals: a one in front keeps the zeros, and gives its place to the point.
        let place = self.text.len();
        self.text.extend_from_slice(itoa::Buffer::new().format(SECOND + self.now.0 % SECOND).as_bytes());
        if let Some(one) = self.text.get_mut(place) {
            *one = b'.';
        }
        for value in &self.values {
            match value {
                Value::Level(level) => self.text.extend_from_slice(if *level { b",1" } else { b",0" }),
                Value::Number(number) => write!(self.text, ",{number}")?,
            }
        }
        self.text.push(b'\n');
        out.write_all(&self.text)
    }

    /// Takes a change; what came before it, at another time or of the same line, is written first.
    fn take(&mut self, change: Change, out: &mut impl Write) -> io::Result<()> {
        let again = self.changed.get(change.line) == Some(&true);
        if change.time != self.now || again {
            self.write(out)?;
            self.now = change.time;
        }
        if let (Some(value), Some(changed)) = (self.values.get_mut(change.line), self.changed.get_mut(change.line)) {
            (*value, *changed) = (change.value, true);
        }
        Ok(())
    }
}

fn write_csv(simulation: &mut Simulation, out: &mut impl Write) -> io::Result<()> {
    writeln!(out, "time_s,{}", simulation.names().join(","))?;
    let values = simulation.start().to_vec();
    let mut row = Row { now: Nanos(0), changed: vec![false; values.len()], values, text: Vec::new() };
    for change in simulation.by_ref() {
        row.take(change, out)?;
    }
    row.write(out)?;
    if row.now != simulation.end() {
        row.now = simulation.end();
        row.write(out)?;
    }
    Ok(())
}
