//! What each column of a CSV is: the time, levels, numbers.

use super::record::Record;
use super::rows::file_time;
use crate::error::{Fault, FaultKind, shown};
use crate::options::{ReadOptions, Thresholds};
use crate::pipeline::Head;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::quantity::Decimal;
use reigen_core::time::Nanos;

/// Names of a time column, and the power of ten from its unit to nanoseconds.
const TIME_COLUMNS: [(&str, i32); 4] = [("time_s", 9), ("time_ms", 6), ("time_us", 3), ("time_ns", 0)];

/// What the header and the first rows say.
#[derive(Debug)]
pub(super) struct Layout {
    pub(super) head: Head,
    /// The header's cells.
    pub(super) names: Vec<String>,
    /// What each cell of a row is.
    pub(super) columns: Vec<Column>,
    pub(super) thresholds: Option<Thresholds>,
}

/// What the cells of one column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Column {
    /// The time, with the power of ten that makes nanoseconds of it.
    Time(i32),
    /// 0 or 1.
    Levels { signal: usize },
    /// A number of which the thresholds make a level.
    Digitised { signal: usize },
    /// A number.
    Numbers { number: usize },
    /// Words, which no point can use.
    Words,
}

/// What the first rows show of a column.
#[derive(Debug, Clone, PartialEq)]
enum Look {
    Levels,
    Number { why: String },
    Words { why: String },
}

impl Layout {
    /// Makes sense of the header and of the rows at hand.
    pub(super) fn new(
        names: Vec<String>,
        options: &ReadOptions,
        rows: &[u8],
        at_end: bool,
        line: u64,
    ) -> Result<Self, Fault> {
        let first = names.first().cloned().unwrap_or_default();
        let time = TIME_COLUMNS.iter().find(|(name, _)| *name == first).map(|(_, power)| *power);
        let refuse = |kind| Err(Fault { line: 1, kind });
        if names.iter().all(|name| Decimal::parse(name.as_bytes()).is_some()) {
            return refuse(FaultKind::NoHeader(shown(names.join(",").as_bytes())));
        }
        match (time, options.sample_rate) {
            (Some(_), Some(_)) => return refuse(FaultKind::TwoTimes(first)),
            (None, None) => return refuse(FaultKind::NoTimeColumn(shown(first.as_bytes()))),
            _ => {}
        }
        let looks = look_at(rows, at_end, names.len(), line);
        let mut layout = Self {
            head: Head { rate: options.sample_rate, ..Head::default() },
            columns: Vec::new(),
            thresholds: options.thresholds,
            names,
        };
        for (number, look) in looks.into_iter().enumerate() {
            let column = match (number, time) {
                (0, Some(power)) => Column::Time(power),
                _ => layout.add_line(number, look),
            };
            layout.columns.push(column);
        }
        layout.head.tick = match options.sample_rate {
            Some(rate) => rate.time_of(1).unwrap_or_default(),
            None => constant_step(rows, at_end, layout.time_power()).unwrap_or_default(),
        };
        Ok(layout)
    }

    fn add_line(&mut self, column: usize, look: Look) -> Column {
        let name = self.names.get(column).cloned().unwrap_or_default();
        let digitised = self.thresholds.is_some() && matches!(look, Look::Number { .. });
        let (kind, column) = match look {
            Look::Levels => (LineKind::Level, Column::Levels { signal: self.head.bits }),
            Look::Number { .. } if digitised => (LineKind::Level, Column::Digitised { signal: self.head.bits }),
            Look::Number { why } => (LineKind::Number { why }, Column::Numbers { number: self.head.numbers }),
            Look::Words { why } => (LineKind::Words { why }, Column::Words),
        };
        let signal = match kind {
            LineKind::Level => &mut self.head.bits,
            _ => &mut self.head.numbers,
        };
        self.head.lines.push(RecordedLine { name, signal: *signal, kind });
        *signal += 1;
        column
    }

    /// The power of ten that makes nanoseconds of the time column.
    pub(super) fn time_power(&self) -> i32 {
        match self.columns.first() {
            Some(Column::Time(power)) => *power,
            _ => 0,
        }
    }
}

/// So many rows tell whether they come at a constant step.
const STEP_ROWS: usize = 1000;
/// Steps of at least this length are the same though rounding parts them by a nanosecond.
const ROUNDED_FROM: u64 = 1000;

/// The step of the first rows at hand, where it is constant; at least three are wanted.
fn constant_step(rows: &[u8], at_end: bool, power: i32) -> Option<Nanos> {
    Record::with(|record| {
        let (mut rest, mut times) = (rows, Vec::new());
        while let Some(found) = record.read(rest, at_end).filter(|found| found.consumed > 0) {
            // The last row at hand may be half of one.
            let Some(after) = rest.get(found.consumed..).filter(|after| at_end || !after.is_empty()) else { break };
            rest = after;
            times.extend(file_time(record.cell(0), power).ok());
            if times.len() == STEP_ROWS {
                break;
            }
        }
        let steps: Vec<u64> = times.iter().zip(times.iter().skip(1)).map(|(one, other)| one.abs_diff(*other)).collect();
        let (least, most) = (*steps.iter().min()?, *steps.iter().max()?);
        let rounding = u64::from(least >= ROUNDED_FROM);
        (steps.len() >= 2 && least > 0 && most - least <= rounding).then_some(Nanos(least))
    })
}

/// Looks at the rows at hand: a column of nothing but 0 and 1 has levels.
fn look_at(rows: &[u8], at_end: bool, columns: usize, line: u64) -> Vec<Look> {
    Record::with(|record| look_with(record, rows, at_end, columns, line))
}

fn look_with(record: &mut Record, rows: &[u8], at_end: bool, columns: usize, mut line: u64) -> Vec<Look> {
    let mut looks = vec![Look::Levels; columns];
    let mut rest = rows;
    while let Some(found) = record.read(rest, at_end) {
        if found.consumed == 0 {
            break;
        }
        for (number, look) in looks.iter_mut().enumerate().take(record.len()) {
            let first = rest.len() == rows.len();
            look.see(record.cell(number), line + found.lines_before, first);
        }
        line += found.lines;
        rest = rest.get(found.consumed..).unwrap_or_default();
    }
    looks
}

impl Look {
    fn see(&mut self, cell: &[u8], line: u64, first: bool) {
        if *self != Look::Levels || matches!(cell, b"0" | b"1") {
            return;
        }
        let found = shown(cell);
        if Decimal::parse(cell).is_some() {
            *self = Look::Number { why: format!("a number (`{found}` in line {line})") };
        } else if first {
            // A word further down, in a column that had levels, is refused where it stands.
            *self = Look::Words { why: format!("a column of words (`{found}` in line {line})") };
        }
    }
}
