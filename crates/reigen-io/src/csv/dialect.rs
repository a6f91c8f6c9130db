//! How a CSV parts its cells, writes its numbers and names its levels.

use super::record::Record;
use crate::error::{FaultKind, shown};
use crate::options::ReadOptions;
use reigen_core::quantity::Decimal;

/// What may part cells.
pub(super) const SEPARATORS: [u8; 4] = [b',', b';', b'\t', b' '];

/// How a CSV parts its cells and writes its numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Dialect {
    pub(super) separator: u8,
    pub(super) decimal: u8,
}

impl Dialect {
    /// In words: "CSV separated by `;`, with decimal commas".
    pub(super) fn told(self) -> String {
        let commas = if self.decimal == b',' { ", with decimal commas" } else { "" };
        format!("CSV separated by {}{commas}", separator_word(self.separator))
    }

    /// An exact number, which the whole cell must be.
    pub(super) fn number(self, cell: &[u8]) -> Option<Decimal> {
        self.with_point(cell, Decimal::parse)
    }

    /// A number as a reading, which must be finite; also one in hexadecimal.
    pub(super) fn value(self, cell: &[u8]) -> Option<f64> {
        let parse = |cell: &[u8]| std::str::from_utf8(cell).ok()?.parse().ok().filter(|value: &f64| value.is_finite());
        self.with_point(cell, parse).or_else(|| hexadecimal(cell))
    }

    /// Does something with a cell whose decimal mark is a point.
    fn with_point<T>(self, cell: &[u8], work: impl FnOnce(&[u8]) -> Option<T>) -> Option<T> {
        /// Longer cells are no numbers that anyone wrote.
        const MOST: usize = 64;
        if self.decimal == b'.' || !cell.iter().any(|byte| matches!(byte, b',' | b'.')) {
            return work(cell);
        }
        let mut room = [0; MOST];
        let text = room.get_mut(..cell.len()).filter(|_| !cell.contains(&b'.'))?;
        text.copy_from_slice(cell);
        text.iter_mut().filter(|byte| **byte == b',').for_each(|byte| *byte = b'.');
        work(text)
    }

    /// The same with the other decimal mark.
    pub(super) fn swapped(self) -> Self {
        Self { decimal: if self.decimal == b',' { b'.' } else { b',' }, ..self }
    }
}

/// A whole number in hexadecimal, as programs write it (`0x1F`) and as IEC 61131-3 does (`16#1F`), exact up to 2^53.
pub(super) fn hexadecimal(cell: &[u8]) -> Option<f64> {
    const MOST: u64 = 1 << 53;
    let text = std::str::from_utf8(cell).ok()?;
    let digits = ["0x", "0X", "16#"].into_iter().find_map(|prefix| text.strip_prefix(prefix))?;
    // The standard lets digits be grouped: 16#FF_00.
    let digits: String = digits.chars().filter(|letter| *letter != '_').collect();
    let whole = digits.chars().all(|letter| letter.is_ascii_hexdigit()).then(|| u64::from_str_radix(&digits, 16));
    whole?.ok().filter(|whole| *whole <= MOST).map(|whole| whole as f64)
}

/// A column of two words, of which somebody said which one is high.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct WordPair {
    pub(super) high: Vec<u8>,
    /// The other word; `None` while the column has not shown it.
    pub(super) low: Option<Vec<u8>>,
}

impl WordPair {
    /// The level that a cell names.
    pub(super) fn level(&self, cell: &[u8]) -> Option<bool> {
        if cell.eq_ignore_ascii_case(&self.high) {
            return Some(true);
        }
        match &self.low {
            Some(low) => cell.eq_ignore_ascii_case(low).then_some(false),
            None => Some(false),
        }
    }

    /// Both words, low before high.
    pub(super) fn told(&self) -> String {
        let text = |word: &[u8]| shown(word);
        match &self.low {
            Some(low) => format!("{} and {}", text(low), text(&self.high)),
            None => text(&self.high),
        }
    }
}

/// A separator as a message names it.
pub(super) fn separator_word(separator: u8) -> &'static str {
    match separator {
        b',' => "`,`",
        b';' => "`;`",
        b'\t' => "tabs",
        _ => "spaces",
    }
}

/// A decimal mark as a message names it.
pub(super) fn mark_word(decimal: u8) -> &'static str {
    if decimal == b',' { "decimal commas" } else { "decimal points" }
}

/// Tells the decimal mark by the rows at hand, or asks for it.
pub(super) fn decimal_of(
    record: &mut Record,
    separator: u8,
    rows: &[u8],
    at_end: bool,
    line: u64,
    options: &ReadOptions,
) -> Result<u8, (u64, FaultKind)> {
    if let Some(decimal) = options.decimal {
        return Ok(decimal);
    }
    let (point, comma) = (Dialect { separator, decimal: b'.' }, Dialect { separator, decimal: b',' });
    let (mut with_point, mut with_comma, mut grouped) = (None, None, true);
    record.each_row(rows, at_end, line, |record, line| {
        for number in 0..record.len() {
            let cell = record.cell(number);
            if cell.contains(&b'.') && point.number(cell).is_some() {
                with_point.get_or_insert_with(|| (line, shown(cell)));
            } else if cell.contains(&b',') && comma.number(cell).is_some() {
                with_comma.get_or_insert_with(|| (line, shown(cell)));
                grouped &= could_be_thousands(cell);
            }
        }
    });
    match (with_point, with_comma) {
        (Some((line, point)), Some((other, comma))) => {
            Err((line.max(other), FaultKind::MixedDecimals { point, comma }))
        }
        (None, Some((line, cell))) if grouped => Err((line, FaultKind::CommaOrThousands(cell))),
        (None, Some(_)) => Ok(b','),
        _ => Ok(b'.'),
    }
}

/// Whether `1,234` may be meant: digits in groups of three.
fn could_be_thousands(cell: &[u8]) -> bool {
    let mut groups = cell.strip_prefix(b"-").unwrap_or(cell).split(|byte| *byte == b',');
    let first = groups.next().unwrap_or_default();
    (1..=3).contains(&first.len()) && first.first() != Some(&b'0') && groups.all(|group| group.len() == 3)
}

/// The words that a column has for its two levels.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum LevelWords {
    Digits,
    TrueFalse,
    OnOff,
    HighLow,
}

impl LevelWords {
    /// The level that a cell names, and in which words.
    #[inline]
    pub(super) fn of(cell: &[u8]) -> Option<(Self, bool)> {
        let is = |word: &str| cell.eq_ignore_ascii_case(word.as_bytes());
        Some(match cell {
            b"0" => (Self::Digits, false),
            b"1" => (Self::Digits, true),
            _ if is("TRUE") => (Self::TrueFalse, true),
            _ if is("FALSE") => (Self::TrueFalse, false),
            _ if is("ON") => (Self::OnOff, true),
            _ if is("OFF") => (Self::OnOff, false),
            _ if is("H") || is("HIGH") => (Self::HighLow, true),
            _ if is("L") || is("LOW") => (Self::HighLow, false),
            _ => return None,
        })
    }

    /// The level that a cell names in these words.
    #[inline]
    pub(super) fn level(self, cell: &[u8]) -> Option<bool> {
        Self::of(cell).filter(|(words, _)| *words == self).map(|(_, level)| level)
    }

    /// The words, low before high.
    pub(super) fn told(self) -> &'static str {
        match self {
            Self::Digits => "0 and 1",
            Self::TrueFalse => "FALSE and TRUE",
            Self::OnOff => "OFF and ON",
            Self::HighLow => "L and H",
        }
    }
}
