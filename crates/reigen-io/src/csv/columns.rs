//! What each column of a CSV is: the time, levels, numbers.

use super::burst::{Burst, burst};
use super::dialect::{Dialect, LevelWords, WordPair, decimal_of, hexadecimal, mark_word};
use super::header::Header;
use super::record::Record;
use crate::date::{self, dated};
use crate::error::{Fault, FaultKind, shown};
use crate::options::{ReadOptions, Thresholds, TimeUnit};
use crate::pipeline::Head;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::names::{counted, without_unit};
use reigen_core::time::{Nanos, is_file_time};

/// What the header and the first rows say.
#[derive(Debug)]
pub(super) struct Layout {
    pub(super) head: Head,
    pub(super) dialect: Dialect,
    /// The time column, and what its cells are; none where rows are samples.
    pub(super) time: Option<(usize, TimeForm)>,
    /// The name of each cell of a row.
    pub(super) names: Vec<String>,
    /// What each cell of a row is.
    pub(super) columns: Vec<Column>,
    /// Which sample of its row each cell belongs to, where a row has several.
    pub(super) samples: Option<Burst>,
    pub(super) thresholds: Option<Thresholds>,
    /// Columns of two words, of which one was said to be high.
    pub(super) pairs: Vec<WordPair>,
}

/// What the cells of a time column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum TimeForm {
    /// Numbers in this unit.
    Number(TimeUnit),
    /// Dates and times, with a zone or without.
    Date { zoned: bool },
}

/// What the cells of one column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Column {
    /// The time.
    Time,
    /// The two words for levels.
    Levels { signal: usize, words: LevelWords },
    /// A number of which the thresholds make a level.
    Digitised { signal: usize },
    /// A number.
    Numbers { number: usize },
    /// One of two words, by its number among the layout's pairs.
    Pair { signal: usize, pair: usize },
    /// Words, which no point can use.
    Words,
}

/// What the first rows show of a column.
#[derive(Debug, Clone, PartialEq)]
enum Look {
    /// Nothing in it yet.
    Empty,
    Levels(LevelWords),
    Number {
        why: String,
    },
    Words {
        why: String,
        /// The first of them, each once; three are more than a pair.
        words: Vec<Vec<u8>>,
    },
}

/// More words than these are no pair.
const PAIR: usize = 2;

/// The bytes below a header, and where they are.
#[derive(Debug, Clone, Copy)]
pub(super) struct Below<'a> {
    pub(super) rows: &'a [u8],
    pub(super) at_end: bool,
    pub(super) line: u64,
}

impl Layout {
    /// Makes sense of the header and of the rows at hand, which must be read by the `record` of its separator.
    pub(super) fn new(
        header: &Header,
        unit_row: Option<TimeUnit>,
        options: &ReadOptions,
        below: Below<'_>,
        record: &mut Record,
    ) -> Result<Self, Fault> {
        let refuse = |kind| Fault { line: header.line, kind };
        let column = header.time.map(|(column, _)| header.names.get(column).cloned().unwrap_or_default());
        let Below { rows, at_end, line } = below;
        let decimal = decimal_of(record, header.separator, rows, at_end, line, options)
            .map_err(|(line, kind)| Fault { line, kind })?;
        let dialect = Dialect { separator: header.separator, decimal };
        let cells = record.read(rows, at_end).map_or(0, |_| record.len());
        let time = header.time.map(|(column, unit)| (column, unit.or(unit_row)));
        let form = time.map(|(number, unit)| {
            let first = (cells > 0).then(|| record.cell(number));
            time_form(column.as_deref().unwrap_or_default(), unit, first, options).map(|form| (number, form))
        });
        let time = form.transpose().map_err(refuse)?;
        let (names, samples) = burst(&header.names, time.map(|(number, _)| number), cells, options).map_err(refuse)?;
        if let (Some(column), Some(_), None) = (column, options.sample_rate, &samples) {
            return Err(refuse(FaultKind::TwoTimes(column)));
        }
        let looks = look_at(record, below, names.len(), dialect);
        let by_rate = if time.is_some() { None } else { options.sample_rate };
        let mut layout = Self {
            head: Head { rate: by_rate, ..Head::default() },
            dialect,
            time,
            columns: Vec::new(),
            samples,
            thresholds: options.thresholds,
            pairs: Vec::new(),
            names,
        };
        layout.names = without_units(&layout.names, layout.time.map(|(time, _)| time));
        check_high(&looks, options).map_err(refuse)?;
        for (number, look) in looks.into_iter().enumerate() {
            let column = match time {
                Some((time, _)) if time == number => Column::Time,
                _ => layout.add_line(number, look, options),
            };
            layout.columns.push(column);
        }
        layout.head.tick = match by_rate {
            Some(rate) => rate.time_of(1).unwrap_or_default(),
            None => layout.constant_step(record, below).unwrap_or_default(),
        };
        let first = record.read(rows, at_end).zip(time).map(|(_, (number, _))| shown(record.cell(number)));
        layout.head.taken_for = layout.told(header, &first.unwrap_or_default());
        Ok(layout)
    }

    fn add_line(&mut self, column: usize, look: Look, options: &ReadOptions) -> Column {
        let name = self.names.get(column).cloned().unwrap_or_default();
        if let Some(same) = self.sample_before(column) {
            return same;
        }
        let digitised = self.thresholds.is_some() && matches!(look, Look::Number { .. });
        let (kind, column) = match look {
            Look::Empty => (LineKind::Level, Column::Levels { signal: self.head.bits, words: LevelWords::Digits }),
            Look::Levels(words) => (LineKind::Level, Column::Levels { signal: self.head.bits, words }),
            Look::Number { .. } if digitised => (LineKind::Level, Column::Digitised { signal: self.head.bits }),
            Look::Number { why } => (LineKind::Number { why }, Column::Numbers { number: self.head.numbers }),
            Look::Words { why, words } => match pair_of(&words, options) {
                Some(pair) => {
                    self.pairs.push(pair);
                    (LineKind::Level, Column::Pair { signal: self.head.bits, pair: self.pairs.len() - 1 })
                }
                None => (LineKind::Words { why }, Column::Words),
            },
        };
        let signal = match kind {
            LineKind::Level => &mut self.head.bits,
            _ => &mut self.head.numbers,
        };
        self.head.lines.push(RecordedLine { name, signal: *signal, kind, step: None });
        *signal += 1;
        column
    }

    /// What the first sample of a burst is that this column belongs to.
    fn sample_before(&self, column: usize) -> Option<Column> {
        let samples = self.samples.as_ref()?;
        samples.of_cell.get(column).filter(|sample| **sample > 0)?;
        let name = self.names.get(column)?;
        self.columns.get(self.names.iter().position(|other| other == name)?).copied()
    }

    /// What the file was read as, in one line.
    fn told(&self, header: &Header, first: &str) -> String {
        let mut told = self.dialect.told();
        let mut add = |text: String| {
            told.push_str("; ");
            told.push_str(&text);
        };
        match header.line {
            1 => {}
            line => add(format!("{} above the header skipped", counted(line - 1, "line"))),
        }
        match (self.time, self.head.rate) {
            (Some((column, form)), _) => {
                let name = self.names.get(column).map(String::as_str).unwrap_or_default();
                let what = match form {
                    TimeForm::Number(unit) => format!("in {unit}"),
                    TimeForm::Date { zoned: true } => format!("as dates from {first} on, in seconds since 1970 (UTC)"),
                    TimeForm::Date { zoned: false } => {
                        format!("as dates from {first} on, without a zone, in seconds since 1970")
                    }
                };
                add(format!("time `{name}` {what}"));
            }
            _ => add("a row a sample".to_owned()),
        }
        if let Some(samples) = &self.samples {
            add(format!("{} in a row", counted(samples.count as u64, "sample")));
        }
        let lines = &self.head.lines;
        let count = |wanted: fn(&LineKind) -> bool| lines.iter().filter(|line| wanted(&line.kind)).count() as u64;
        add(format!(
            "{} with levels, {} with numbers",
            counted(count(|kind| *kind == LineKind::Level), "line"),
            count(|kind| matches!(kind, LineKind::Number { .. })),
        ));
        let mut words: Vec<&str> = Vec::new();
        for column in &self.columns {
            if let Column::Levels { words: named, .. } = column
                && !words.contains(&named.told())
            {
                words.push(named.told());
            }
        }
        let named: Vec<String> = self.pairs.iter().map(WordPair::told).collect();
        if !named.is_empty() {
            add(format!("words for levels (low and high): {}", named.join(", ")));
        }
        if words.iter().any(|word| *word != LevelWords::Digits.told()) {
            add(format!("levels are {}", words.join(", ")));
        }
        told
    }

    /// A time cell in nanoseconds, exact to the rounding with halves up.
    pub(super) fn file_time(&self, cell: &[u8]) -> Result<i64, FaultKind> {
        match self.time {
            Some((_, TimeForm::Date { zoned })) => dated(date::moment(cell), zoned, cell),
            Some((_, TimeForm::Number(unit))) => {
                let other = || self.dialect.swapped().number(cell).map(|_| self.other_mark(cell, "time"));
                let number =
                    self.dialect.number(cell).ok_or_else(|| other().unwrap_or(FaultKind::NoTime(shown(cell))))?;
                let nanos = number.scaled(unit.power()).and_then(|(nanos, _)| i64::try_from(nanos).ok());
                nanos.filter(|nanos| is_file_time(*nanos)).ok_or_else(|| FaultKind::TimeTooLarge(shown(cell)))
            }
            None => Ok(0),
        }
    }

    /// A number with the decimal mark that the file does not have.
    pub(super) fn other_mark(&self, cell: &[u8], column: &str) -> FaultKind {
        FaultKind::OtherDecimal { found: shown(cell), column: column.to_owned(), mark: mark_word(self.dialect.decimal) }
    }

    /// The step of the first rows at hand, where it is constant; at least three are wanted.
    fn constant_step(&self, record: &mut Record, below: Below<'_>) -> Option<Nanos> {
        let (column, _) = self.time?;
        let mut times = Vec::new();
        record.each_row(below.rows, below.at_end, below.line, |record, _| {
            if times.len() < STEP_ROWS {
                times.extend(self.file_time(record.cell(column)).ok());
            }
        });
        let steps: Vec<u64> = times.iter().zip(times.iter().skip(1)).map(|(one, other)| one.abs_diff(*other)).collect();
        let (least, most) = (*steps.iter().min()?, *steps.iter().max()?);
        let rounding = u64::from(least >= ROUNDED_FROM);
        let step = (steps.len() >= 2 && least > 0 && most - least <= rounding).then_some(Nanos(least))?;
        // Within a row samples come closer.
        Some(self.samples.as_ref().map_or(step, |samples| samples.after(1).min(step)))
    }
}

/// The pair of a column of words, where one of them was said to be high.
fn pair_of(words: &[Vec<u8>], options: &ReadOptions) -> Option<WordPair> {
    let is_high = |word: &&Vec<u8>| options.high.iter().any(|high| high.as_bytes().eq_ignore_ascii_case(word));
    let high = words.iter().find(is_high).filter(|_| words.len() <= PAIR)?;
    Some(WordPair { high: high.clone(), low: words.iter().find(|word| *word != high).cloned() })
}

/// Refuses a word for high that no column of two words has.
fn check_high(looks: &[Look], options: &ReadOptions) -> Result<(), FaultKind> {
    let columns = || {
        looks.iter().filter_map(|look| match look {
            Look::Words { words, .. } if words.len() <= PAIR => Some(words),
            _ => None,
        })
    };
    let known = |high: &str| columns().flatten().any(|word| high.as_bytes().eq_ignore_ascii_case(word));
    let Some(unknown) = options.high.iter().find(|high| !known(high)) else { return Ok(()) };
    let words = columns().flatten().map(|word| shown(word)).collect();
    let more = looks.iter().find_map(|look| match look {
        Look::Words { words, .. } if words.len() > PAIR => {
            Some(words.iter().map(|word| shown(word)).collect::<Vec<_>>().join(", "))
        }
        _ => None,
    });
    Err(FaultKind::NoSuchWord { word: unknown.clone(), words, more })
}

/// Names without their units, such as `CH1` for `CH1 (V)`, where they stay different.
fn without_units(names: &[String], time: Option<usize>) -> Vec<String> {
    let short: Vec<&str> = names.iter().map(|name| without_unit(name)).collect();
    let unique = |number: usize, name: &str| {
        !name.is_empty() && short.iter().enumerate().all(|(other, short)| other == number || *short != name)
    };
    let name = |(number, name): (usize, &String)| match short.get(number) {
        Some(short) if time != Some(number) && unique(number, short) => (*short).to_owned(),
        _ => name.clone(),
    };
    names.iter().enumerate().map(name).collect()
}

/// What the cells of the time column are, by its name, the options and the first of them.
fn time_form(
    column: &str,
    unit: Option<TimeUnit>,
    first: Option<&[u8]>,
    options: &ReadOptions,
) -> Result<TimeForm, FaultKind> {
    if let Some(moment) = first.and_then(date::moment) {
        return Ok(TimeForm::Date { zoned: moment.zoned });
    }
    match (unit, options.time_unit) {
        (Some(own), Some(wanted)) if own != wanted => {
            Err(FaultKind::OtherUnit { column: column.to_owned(), own, wanted })
        }
        (Some(unit), _) | (None, Some(unit)) => Ok(TimeForm::Number(unit)),
        (None, None) => Err(FaultKind::NoTimeUnit(column.to_owned())),
    }
}

/// So many rows tell whether they come at a constant step.
const STEP_ROWS: usize = 1000;
/// Steps of at least this length are the same though rounding parts them by a nanosecond.
const ROUNDED_FROM: u64 = 1000;

/// Looks at the rows read so far: a column with only the two words of a pair has levels.
fn look_at(record: &mut Record, below: Below<'_>, columns: usize, dialect: Dialect) -> Vec<Look> {
    let mut looks = vec![Look::Empty; columns];
    record.each_row(below.rows, below.at_end, below.line, |record, line| {
        for (number, look) in looks.iter_mut().enumerate().take(record.len()) {
            look.see(record.cell(number), line, dialect);
        }
    });
    looks
}

impl Look {
    fn see(&mut self, cell: &[u8], line: u64, dialect: Dialect) {
        if let Look::Words { words, .. } = self {
            if words.len() <= PAIR && !cell.is_empty() && !words.iter().any(|word| word.eq_ignore_ascii_case(cell)) {
                words.push(cell.to_owned());
            }
            return;
        }
        let undecided = matches!(self, Look::Empty | Look::Levels(LevelWords::Digits));
        if !undecided || cell.is_empty() {
            return;
        }
        let first = *self == Look::Empty;
        let found = shown(cell);
        match LevelWords::of(cell) {
            Some((LevelWords::Digits, _)) => *self = Look::Levels(LevelWords::Digits),
            Some((words, _)) if first => *self = Look::Levels(words),
            _ if dialect.number(cell).is_some() || hexadecimal(cell).is_some() => {
                *self = Look::Number { why: format!("a number (`{found}` in line {line})") };
            }
            // A word further down, in a column that had levels, is refused where it stands.
            _ if first => {
                let why = format!("a column of words (`{found}` in line {line})");
                *self = Look::Words { why, words: vec![cell.to_owned()] };
            }
            _ => {}
        }
    }
}
