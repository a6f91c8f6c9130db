//! A trace: all points, and the raw lines they come from, as a VCD (IEEE 1364).

use crate::write::names::vcd_name;
use crate::write::output_file::{FinishedFile, OutputError, OutputFile};
use reigen_core::cast;
use reigen_core::column::{BitColumn, CountColumn, ReadingColumn, StepColumn};
use reigen_core::time::{Nanos, Origin, Window, seconds_short};
use std::io::{self, Write};

/// A signal of the trace.
#[derive(Debug, Clone, Copy)]
pub enum Column<'a> {
    /// Two levels.
    Bit(&'a BitColumn),
    /// A whole number.
    Count(&'a CountColumn),
    /// A real number.
    Reading(&'a ReadingColumn),
}

/// What kind of signal a name stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// Two levels.
    Bit,
    /// A whole number.
    Count,
    /// A real number.
    Reading,
}

/// A trace in the making.
pub struct TraceFile {
    file: OutputFile,
    /// What is added to a time since the start.
    shift: Origin,
    /// What each signal showed last; of a real number its bits.
    shown: Vec<Option<i64>>,
    last_mark: Option<Nanos>,
    changes: Vec<(Nanos, usize, i64)>,
    shapes: Vec<Shape>,
}

/// What the signals are called and where the times begin.
#[derive(Debug)]
pub struct Names<'a> {
    /// The station's points, under their names.
    pub points: Vec<(&'a str, Shape)>,
    /// The raw lines.
    pub lines: Vec<&'a str>,
    /// The file's own first time.
    pub origin: Origin,
}

impl TraceFile {
    /// Begins a trace in a file. Its signals are first the points, then the lines.
    ///
    /// A VCD knows no negative times: where the recording has such, the trace begins at 0 and says so.
    ///
    /// # Errors
    /// Where the file cannot be written.
    pub fn create(mut file: OutputFile, names: &Names<'_>) -> Result<Self, OutputError> {
        write_header(&mut file, names).map_err(|error| file.explain(error))?;
        let shapes: Vec<Shape> =
            names.points.iter().map(|(_, shape)| *shape).chain(names.lines.iter().map(|_| Shape::Bit)).collect();
        Ok(Self {
            file,
            shift: Origin(names.origin.0.max(0)),
            shown: vec![None; shapes.len()],
            last_mark: None,
            changes: Vec::new(),
            shapes,
        })
    }

    /// Writes what the signals did in one window; `columns` come in the order of the names.
    ///
    /// # Errors
    /// Where the file cannot be written.
    pub fn write<'a>(
        &mut self,
        window: Window,
        columns: impl IntoIterator<Item = Column<'a>>,
    ) -> Result<(), OutputError> {
        self.changes.clear();
        for (signal, column) in columns.into_iter().enumerate() {
            let known = self.shown.get(signal).copied().flatten().is_some();
            match column {
                Column::Bit(column) => bit_changes(signal, column, known, window, &mut self.changes),
                Column::Count(column) => steps(signal, column, |value| value, known, window, &mut self.changes),
                Column::Reading(column) => {
                    let bits = |value: f64| value.to_bits().cast_signed();
                    steps(signal, column, bits, known, window, &mut self.changes);
                }
            }
        }
        self.changes.sort_by_key(|change| change.0);
        self.write_changes().map_err(|error| self.file.explain(error))
    }

    fn write_changes(&mut self) -> io::Result<()> {
        for &(time, signal, value) in &self.changes {
            let (Some(shown), Some(shape)) = (self.shown.get_mut(signal), self.shapes.get(signal)) else { continue };
            if *shown == Some(value) {
                continue;
            }
            *shown = Some(value);
            if self.last_mark != Some(time) {
                self.last_mark = Some(time);
                writeln!(self.file, "#{}", self.shift.file_time_ns(time))?;
            }
            match shape {
                Shape::Bit => writeln!(self.file, "{value}{}", code(signal))?,
                Shape::Count => writeln!(self.file, "b{value:b} {}", code(signal))?,
                Shape::Reading => {
                    writeln!(self.file, "r{} {}", f64::from_bits(value.cast_unsigned()), code(signal))?;
                }
            }
        }
        Ok(())
    }

    /// Ends the trace at `end`; it is whole then, and waits to be put in its place.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn finish(mut self, end: Nanos) -> Result<FinishedFile, OutputError> {
        if self.last_mark != Some(end) {
            let time = self.shift.file_time_ns(end);
            writeln!(self.file, "#{time}").map_err(|error| self.file.explain(error))?;
        }
        self.file.finish()
    }
}

fn bit_changes(signal: usize, column: &BitColumn, known: bool, window: Window, changes: &mut Vec<(Nanos, usize, i64)>) {
    let Some(mut level) = column.level else { return };
    if !known {
        changes.push((column.since.max(window.from), signal, i64::from(level)));
    }
    for &time in &column.toggles {
        level = !level;
        changes.push((time, signal, i64::from(level)));
    }
}

/// The steps of a number, each in a form that fits all signals.
fn steps<V: Copy>(
    signal: usize,
    column: &StepColumn<V>,
    form: impl Fn(V) -> i64,
    known: bool,
    window: Window,
    changes: &mut Vec<(Nanos, usize, i64)>,
) {
    if let (Some(value), false) = (column.before, known) {
        changes.push((window.from, signal, form(value)));
    }
    changes.extend(column.times.iter().zip(&column.values).map(|(&time, &value)| (time, signal, form(value))));
}

fn write_header(file: &mut OutputFile, names: &Names<'_>) -> io::Result<()> {
    if names.origin.0 < 0 {
        let start = seconds_short(names.origin.0);
        writeln!(file, "$comment time 0 here is {start} s in the recording $end")?;
    }
    writeln!(file, "$timescale 1 ns $end\n$scope module station $end")?;
    for (number, (name, shape)) in names.points.iter().enumerate() {
        let code = code(number);
        match shape {
            Shape::Bit => writeln!(file, "$var wire 1 {code} {name} $end")?,
            Shape::Count => writeln!(file, "$var integer 64 {code} {name} $end")?,
            Shape::Reading => writeln!(file, "$var real 64 {code} {name} $end")?,
        }
    }
    writeln!(file, "$upscope $end\n$scope module raw $end")?;
    for (number, name) in names.lines.iter().enumerate() {
        let name = vcd_name(name);
        writeln!(file, "$var wire 1 {} {name} $end", code(names.points.len() + number))?;
    }
    writeln!(file, "$upscope $end\n$enddefinitions $end")
}

/// The identifier code of a signal: its number to the base 94 in printable letters.
pub(crate) fn code(mut number: usize) -> String {
    let mut code = String::new();
    loop {
        code.push(char::from(b'!' + cast::u8_from_usize(number % 94)));
        number /= 94;
        if number == 0 {
            return code;
        }
        number -= 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::write::output_file::{Outputs, put_in_place};

    #[test]
    fn codes_are_all_different() {
        let codes: std::collections::HashSet<String> = (0..10_000).map(code).collect();
        assert_eq!(codes.len(), 10_000);
        assert_eq!([code(0), code(93), code(94)], ["!", "~", "!!"]);
    }

    #[test]
    fn a_trace_shows_each_change_once_in_the_order_of_time() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("t.vcd");
        let names =
            Names { points: vec![("n", Shape::Count), ("a", Shape::Bit)], lines: vec!["A"], origin: Origin(100) };
        let mut trace = TraceFile::create(Outputs::default().create(&path).unwrap(), &names).unwrap();
        let time = |times: &[u64]| times.iter().map(|&time| Nanos(time)).collect::<Vec<_>>();
        let mut count = CountColumn { before: None, times: time(&[0, 5]), values: vec![0, -1] };
        let mut bit = BitColumn { level: Some(false), since: Nanos(2), toggles: time(&[5, 5, 7]) };
        let line = BitColumn { level: Some(true), since: Nanos(0), toggles: Vec::new() };
        let window = |from, until| Window { from: Nanos(from), until: Nanos(until) };
        trace.write(window(0, 10), [Column::Count(&count), Column::Bit(&bit), Column::Bit(&line)]).unwrap();
        count.advance();
        bit.advance();
        trace.write(window(10, 20), [Column::Count(&count), Column::Bit(&bit), Column::Bit(&line)]).unwrap();
        put_in_place([trace.finish(Nanos(15)).unwrap()]).unwrap();
        let text = std::fs::read_to_string(&path).unwrap();
        let body = text.split_once("$enddefinitions $end\n").unwrap().1;
        let minus_one = "1".repeat(64);
        let marks = format!("#100\nb0 !\n1#\n#102\n0\"\n#105\nb{minus_one} !\n1\"\n0\"\n#107\n1\"\n#115\n");
        assert_eq!(body, marks);
    }
}
