//! Where the header of a CSV is, and how its cells are parted: told by the content, or asked for.

use super::dialect::{Dialect, LevelWords, SEPARATORS, separator_word};
use super::record::Record;
use crate::date;
use crate::error::{Fault, FaultKind, shown};
use crate::options::{ReadOptions, TimeUnit};
use reigen_core::names::nearest;
use reigen_core::quantity::Decimal;

/// Within so many lines the header is looked for.
const MOST_LINES: usize = 200;
/// So many rows below the header show whether the cells are parted rightly.
const ROWS_SEEN: usize = 20;

/// The header of a CSV.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Header {
    pub(super) separator: u8,
    pub(super) names: Vec<String>,
    /// The line that it is in, from 1.
    pub(super) line: u64,
    /// The bytes and lines up to its end, those before it included.
    pub(super) consumed: usize,
    pub(super) lines: u64,
    /// The number of the time column, and the unit that it names.
    pub(super) time: Option<(usize, Option<TimeUnit>)>,
    /// Whether every cell below it is a time, a number or a level.
    plain: bool,
}

/// Finds the header among the bytes at hand.
pub(super) fn find(bytes: &[u8], at_end: bool, options: &ReadOptions) -> Result<Header, Fault> {
    let separators: Vec<u8> = options.separator.map_or(SEPARATORS.to_vec(), |separator| vec![separator]);
    let mut found: Vec<Header> = Vec::new();
    for &separator in &separators {
        let header = Record::with(separator, |record| Search { bytes, at_end, options, record, separator }.header());
        found.extend(header?);
    }
    // The surest are those with nothing but times, numbers and levels, and among them those with the most cells.
    let surest = found.iter().map(|header| (header.plain, header.names.len())).max();
    found.retain(|header| Some((header.plain, header.names.len())) == surest);
    match found.as_slice() {
        [] => Err(none_found(bytes, at_end, options, &separators)),
        [header] => Ok(header.clone()),
        // Tabs with spaces around them can be split at either, with the same result.
        [first, rest @ ..] if rest.iter().all(|other| (&other.names, other.line) == (&first.names, first.line)) => {
            Ok(first.clone())
        }
        [first, second, ..] => Err(Fault {
            line: first.line,
            kind: FaultKind::TwoSeparators {
                one: separator_word(first.separator),
                other: separator_word(second.separator),
            },
        }),
    }
}

/// Looks for a header with one separator.
struct Search<'a> {
    bytes: &'a [u8],
    at_end: bool,
    options: &'a ReadOptions,
    record: &'a mut Record,
    separator: u8,
}

impl Search<'_> {
    /// The first row that may be the header; one whose next row goes with it comes before one that only says so.
    fn header(mut self) -> Result<Option<Header>, Fault> {
        let mut by_name = None;
        let (mut at, mut line) = (0, 1);
        for _ in 0..MOST_LINES {
            let rest = self.bytes.get(at..).unwrap_or_default();
            if let Some(found) = self.record.read(rest, self.at_end) {
                let names = self.record.texts();
                let below = rest.get(found.consumed..).unwrap_or_default();
                let header = Header {
                    separator: self.separator,
                    line: line + found.lines_before,
                    consumed: at + found.consumed,
                    lines: line - 1 + found.lines,
                    time: self.time_column(&names, below, line + found.lines_before)?,
                    plain: false,
                    names,
                };
                match self.judge(&header, below) {
                    Fit::Whole { plain } => return Ok(Some(Header { plain, ..header })),
                    Fit::ByName if by_name.is_none() => by_name = Some(header),
                    _ => {}
                }
            }
            let Some(length) = memchr::memchr(b'\n', rest) else { break };
            at += length + 1;
            line += 1;
        }
        Ok(by_name)
    }

    /// The time column of a row of names; with the option, the one so named.
    fn time_column(
        &mut self,
        names: &[String],
        below: &[u8],
        line: u64,
    ) -> Result<Option<(usize, Option<TimeUnit>)>, Fault> {
        if let Some(wanted) = &self.options.time {
            let column = names.iter().position(|name| name == wanted);
            return Ok(column.map(|column| (column, time_name(wanted).flatten())));
        }
        let named: Vec<(usize, Option<TimeUnit>)> =
            names.iter().enumerate().filter_map(|(column, name)| Some((column, time_name(name)?))).collect();
        let dated = |record: &mut Record, column: usize| {
            record.read(below, self.at_end).is_some() && date::moment(record.cell(column)).is_some()
        };
        // A name that tells its unit, or that dates stand below, is surer than one that may mean anything.
        let mut sure = Vec::new();
        for (column, unit) in &named {
            if unit.is_some() || dated(self.record, *column) {
                sure.push((*column, *unit));
            }
        }
        let name = |column: usize| names.get(column).cloned().unwrap_or_default();
        let by_rate = self.options.sample_rate.is_some();
        match (sure.as_slice(), named.as_slice()) {
            ([one], _) => Ok(Some(*one)),
            ([], [one, ..]) if !by_rate => Ok(Some(*one)),
            ([], _) => Ok(None),
            ([one, other, ..], _) => {
                Err(Fault { line, kind: FaultKind::TwoTimeColumns { one: name(one.0), other: name(other.0) } })
            }
        }
    }

    /// How well a row goes as the header over what is below it.
    fn judge(&mut self, header: &Header, below: &[u8]) -> Fit {
        let by_rate = self.options.sample_rate.is_some();
        let wanted = header.names.len();
        if header.names.iter().all(|name| Decimal::parse(name.as_bytes()).is_some()) {
            return Fit::None;
        }
        let Some((time, unit)) = header.time else {
            // Without a time column the header is the row above the first plain one; else the first of all.
            let fits = |record: &Record| record.len() >= wanted && record.len().is_multiple_of(wanted);
            return match by_rate && self.options.time.is_none() && wanted > 0 {
                true if self.row_below(below, fits) && self.plain(below, None) => Fit::Whole { plain: true },
                true => Fit::ByName,
                false => Fit::None,
            };
        };
        let enough = wanted > 1 || self.options.time.is_some();
        let separator = self.separator;
        let is_row = |record: &Record| {
            let cell = record.cell(time);
            let is_time = is_number(cell, separator) || date::moment(cell).is_some();
            record.len() >= wanted && (is_time || unit_row(cell).is_some())
        };
        match self.row_below(below, is_row) {
            true if enough => Fit::Whole { plain: self.plain(below, Some(time)) },
            _ if unit.is_some() && enough || self.options.time.is_some() => Fit::ByName,
            _ => Fit::None,
        }
    }

    /// Whether there is a row below, and is such a one.
    fn row_below(&mut self, below: &[u8], fits: impl Fn(&Record) -> bool) -> bool {
        self.record.read(below, self.at_end).is_some() && fits(self.record)
    }

    /// Whether all cells of the first rows are times, numbers or levels.
    fn plain(&mut self, below: &[u8], time: Option<usize>) -> bool {
        let (mut plain, mut seen, separator) = (true, 0, self.separator);
        self.record.each_row(below, self.at_end, 0, |record, _| {
            seen += 1;
            if seen <= ROWS_SEEN && !(seen == 1 && time.is_some_and(|time| unit_row(record.cell(time)).is_some())) {
                let is_plain = |cell: &[u8]| {
                    cell.is_empty()
                        || is_number(cell, separator)
                        || LevelWords::of(cell).is_some()
                        || date::moment(cell).is_some()
                };
                plain &= record.cells().all(is_plain);
            }
        });
        plain
    }
}

/// How well a row goes as the header.
enum Fit {
    /// It and what is below it go together.
    Whole { plain: bool },
    /// It says itself that it is one, and what is below is something else.
    ByName,
    /// It is none.
    None,
}

/// Whether a cell is a number, with either decimal mark.
fn is_number(cell: &[u8], separator: u8) -> bool {
    let dialect = Dialect { separator, decimal: b'.' };
    dialect.number(cell).is_some() || dialect.swapped().number(cell).is_some()
}

/// The unit in a row of units below the names: `(ms)`, `[s]`.
pub(super) fn unit_row(cell: &[u8]) -> Option<TimeUnit> {
    let text = str::from_utf8(cell).ok()?;
    let inner = text.strip_prefix('(').and_then(|text| text.strip_suffix(')'));
    TimeUnit::of(inner.or_else(|| text.strip_prefix('[')?.strip_suffix(']')).unwrap_or(text))
}

/// Whether a name is one of a time column: `time_s`, `Time (ms)`, `t [s]`, `Time / us`, `Timestamp`; and its unit.
pub(super) fn time_name(name: &str) -> Option<Option<TimeUnit>> {
    const NAMES: [&str; 9] =
        ["time", "t", "timestamp", "time stamp", "datetime", "date time", "date/time", "elapsed", "elapsed time"];
    let lower = name.trim().to_lowercase();
    if NAMES.contains(&lower.as_str()) {
        return Some(None);
    }
    let parted = lower
        .strip_suffix([')', ']'])
        .and_then(|text| text.rsplit_once(['(', '[']))
        .or_else(|| lower.rsplit_once(['/', '_', ' ']))?;
    let (base, unit) = (parted.0.trim().trim_end_matches(" in"), TimeUnit::of(parted.1.trim())?);
    NAMES.contains(&base.trim()).then_some(Some(unit))
}

/// Why there is no header, in the words of what most rows look like.
fn none_found(bytes: &[u8], at_end: bool, options: &ReadOptions, separators: &[u8]) -> Fault {
    let rows = separators.iter().map(|&separator| {
        let (mut widest, mut first) = (Vec::new(), Vec::new());
        Record::with(separator, |record| {
            record.each_row(bytes, at_end, 1, |record, _| {
                if first.is_empty() {
                    first = record.texts();
                }
                if record.len() > widest.len() && !record.cells().any(|cell| is_number(cell, separator)) {
                    widest = record.texts();
                }
            });
        });
        (first, widest)
    });
    let (first, widest) = rows.max_by_key(|(first, widest)| first.len().max(widest.len())).unwrap_or_default();
    let cell = first.first().cloned().unwrap_or_default();
    let kind = match &options.time {
        Some(column) => FaultKind::NoSuchColumn {
            nearest: nearest(column, widest.iter().map(String::as_str)).map(str::to_owned),
            column: column.clone(),
        },
        None if first.is_empty() => FaultKind::NoTimes,
        None if first.iter().all(|name| Decimal::parse(name.as_bytes()).is_some()) => {
            FaultKind::NoHeader(shown(first.join(",").as_bytes()))
        }
        None if time_name(&cell).is_some() => FaultKind::NothingButTimes(shown(cell.as_bytes())),
        None => FaultKind::NoTimeColumn(shown(cell.as_bytes())),
    };
    Fault { line: 1, kind }
}
