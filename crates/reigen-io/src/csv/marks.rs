//! The cells of decimals, eight bytes at a time.

use super::dialect::Dialect;
use crate::word::eight_digits;
use reigen_core::cast;
use reigen_core::time::MOST_FILE_TIME_NS;

const ONES: u64 = 0x0101_0101_0101_0101;
const HIGH: u64 = 0x8080_8080_8080_8080;
const ZEROS: u64 = 0x3030_3030_3030_3030;

/// The powers of ten that a real number holds exactly.
const POWERS: [f64; 23] = [
    1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20,
    1e21, 1e22,
];
/// Whole numbers below this are real numbers too.
const EXACT: u64 = 1 << 53;

/// What ends a cell and what parts a number's digits, for eight bytes at a time.
pub(super) struct Marks {
    dialect: Dialect,
    /// What is below this byte ends a cell: line ends, and most separators.
    below: u64,
    /// The separator, which may not be below it.
    separator: u64,
    decimal: u64,
}

impl Marks {
    pub(super) fn new(dialect: Dialect) -> Self {
        // Of the bytes of a number only the decimal comma is below `-`.
        let below = if dialect.decimal == b',' { b',' } else { b'-' };
        let all = |byte: u8| ONES * u64::from(byte);
        Self { dialect, below: all(below), separator: all(dialect.separator), decimal: all(dialect.decimal) }
    }

    /// A number of digits with at most one mark, and its length; `None` for any other.
    ///
    /// Digits and power are exact as real numbers, so that their quotient is rounded once, as it must be
    /// (Clinger, 1990).
    #[inline]
    pub(super) fn number(&self, bytes: &[u8]) -> Option<(f64, usize)> {
        let negative = bytes.first() == Some(&b'-');
        let digits = if negative { bytes.get(1..)? } else { bytes };
        let (size, decimals, length) = self.short(digits).or_else(|| self.long(digits))?;
        let value = Self::value(size, decimals, negative)?;
        Some((value, length + usize::from(negative)))
    }

    /// The number of these digits, so many of them after the mark.
    #[inline]
    pub(super) fn value(size: u64, decimals: usize, negative: bool) -> Option<f64> {
        let (whole, power) = Self::fraction(size, decimals, negative)?;
        Some(whole / power)
    }

    /// The number of these digits as a whole number, and by what it is to be divided.
    #[inline]
    pub(super) fn fraction(size: u64, decimals: usize, negative: bool) -> Option<(f64, f64)> {
        if size >= EXACT {
            return None;
        }
        let whole = size as f64;
        Some((if negative { -whole } else { whole }, *POWERS.get(decimals)?))
    }

    /// The bytes of eight that end a cell: the high bit of each.
    #[inline]
    pub(super) fn ends(&self, word: u64) -> u64 {
        const LOW: u64 = !HIGH;
        let is_below = !(word | HIGH).wrapping_sub(self.below) & !word;
        let parted = word ^ self.separator;
        let is_separator = !(((parted & LOW) + LOW) | parted);
        (is_below | is_separator) & HIGH
    }

    /// Whether a byte parts cells.
    #[inline]
    pub(super) fn is_separator(&self, byte: u8) -> bool {
        byte == self.dialect.separator
    }

    /// Where the line ends whose last cell ends here, its end included; `None` where the cell is not the last.
    #[inline]
    pub(super) fn line_end(&self, bytes: &[u8], at: usize) -> Option<usize> {
        match bytes.get(at)? {
            b'\n' => Some(at + 1),
            b'\r' if bytes.get(at + 1) == Some(&b'\n') => Some(at + 2),
            _ => None,
        }
    }

    /// The digits of a cell from one place to another, those of them after the mark, and whether a `-` stands before them.
    #[inline]
    pub(super) fn cell(&self, bytes: &[u8], from: usize, until: usize) -> Option<(u64, usize, bool)> {
        let negative = bytes.get(from) == Some(&b'-');
        let from = from + usize::from(negative);
        let length = until.checked_sub(from)?;
        let digits = bytes.get(from..)?;
        if (1..=8).contains(&length)
            && let Some(word) = digits.first_chunk()
        {
            let (size, decimals) = self.digits(u64::from_le_bytes(*word), length)?;
            return Some((size, decimals, negative));
        }
        let (size, decimals, found) = self.long(digits)?;
        (found == length).then_some((size, decimals, negative))
    }

    /// The digits of a cell that ends within eight bytes, those of them after the mark, and the length.
    #[inline]
    fn short(&self, bytes: &[u8]) -> Option<(u64, usize, usize)> {
        let word = u64::from_le_bytes(*bytes.first_chunk()?);
        // The lowest byte that is below, and the lowest that is the separator, are told rightly.
        let parted = word ^ self.separator;
        let ends = (word.wrapping_sub(self.below) & !word | parted.wrapping_sub(ONES) & !parted) & HIGH;
        if ends == 0 {
            return None;
        }
        let length = (ends.trailing_zeros() / 8) as usize;
        let (size, decimals) = self.digits(word, length)?;
        Some((size, decimals, length))
    }

    /// The first so many bytes of eight as digits with at most one mark, and those of them after it.
    #[inline]
    fn digits(&self, word: u64, length: usize) -> Option<(u64, usize)> {
        let marks = word ^ self.decimal;
        let mark = ((marks.wrapping_sub(ONES) & !marks & HIGH).trailing_zeros() / 8) as usize;
        let (digits, count, decimals) = match mark < length {
            true => {
                let below = (1u64 << (8 * mark)) - 1;
                ((word & below) | (word >> 8 & !below), length - 1, length - 1 - mark)
            }
            false => (word, length, 0),
        };
        if count == 0 {
            return None;
        }
        // The digits stand at the upper end, noughts before them.
        let shift = 8 * cast::u32_from_usize(8 - count);
        let digits = (digits << shift) | (ZEROS & (1u64 << shift).wrapping_sub(1));
        let is_digits = (digits.wrapping_add(0x4646_4646_4646_4646) | digits.wrapping_sub(ZEROS)) & HIGH == 0;
        is_digits.then(|| (eight_digits(digits ^ ZEROS), decimals))
    }

    /// The same for any cell, digit by digit.
    fn long(&self, bytes: &[u8]) -> Option<(u64, usize, usize)> {
        let (mut size, mut length, mut mark) = (0u64, 0, None);
        for &byte in bytes {
            match byte {
                b'0'..=b'9' => size = size.checked_mul(10)?.checked_add(u64::from(byte - b'0'))?,
                b'\n' | b'\r' => break,
                _ if byte == self.dialect.separator => break,
                _ if byte == self.dialect.decimal && mark.is_none() => mark = Some(length),
                _ => return None,
            }
            length += 1;
        }
        let decimals = mark.map_or(0, |mark| length - 1 - mark);
        let any = length > usize::from(mark.is_some());
        any.then_some((size, decimals, length))
    }

    /// The file's own time in nanoseconds, where it is a whole number of them, and the cell's length.
    #[inline]
    pub(super) fn file_time(&self, bytes: &[u8], power: i32) -> Option<(i64, usize)> {
        let negative = bytes.first() == Some(&b'-');
        let digits = if negative { bytes.get(1..)? } else { bytes };
        let (size, decimals, length) = self.short(digits).or_else(|| self.long(digits))?;
        Some((Self::nanos(size, decimals, negative, power)?, length + usize::from(negative)))
    }

    /// The nanoseconds of these digits, so many of them after the mark, in a unit of this power of ten.
    #[inline]
    pub(super) fn nanos(size: u64, decimals: usize, negative: bool, power: i32) -> Option<i64> {
        let shift = power.checked_sub(i32::try_from(decimals).ok()?)?;
        let factor = 10u64.checked_pow(u32::try_from(shift).ok()?)?;
        let nanos = i64::try_from(size.checked_mul(factor)?).ok().filter(|nanos| *nanos <= MOST_FILE_TIME_NS)?;
        Some(if negative { -nanos } else { nanos })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_number_is_what_the_plain_form_reads(
            text in "-?[0-9]{0,12}[.,]?[0-9]{0,9}",
            dialect in prop::sample::select(vec![(b',', b'.'), (b';', b'.'), (b';', b','), (b'\t', b','), (b' ', b','), (b' ', b'.')]),
            line_end in any::<bool>(),
        ) {
            let dialect = Dialect { separator: dialect.0, decimal: dialect.1 };
            let end = if line_end { '\n' } else { char::from(dialect.separator) };
            // The cell may go on to what looks like its end.
            let text = text.replace(char::from(dialect.separator), "");
            let whole = format!("{text}{end}1.5,2.5\n9999999");
            let (plain, marks) = (dialect.value(text.as_bytes()), Marks::new(dialect));
            match marks.number(whole.as_bytes()) {
                // The caller checks the end of the cell.
                Some((_, length)) if length < text.len() => prop_assert!(plain.is_none()),
                Some((value, length)) => {
                    prop_assert_eq!((length, value.to_bits()), (text.len(), plain.unwrap().to_bits()));
                }
                // What it leaves to the plain form is not a number, or a long one.
                None => prop_assert!(plain.is_none() || text.len() > 15),
            }
            if let Some((time, _)) = marks.file_time(whole.as_bytes(), 9).filter(|(_, length)| *length == text.len()) {
                let plain = dialect.number(text.as_bytes()).and_then(|number| number.scaled(9));
                prop_assert_eq!(plain, Some((i128::from(time), true)));
            }
        }
    }
}
