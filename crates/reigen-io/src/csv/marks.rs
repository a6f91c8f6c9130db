//! The cells of decimals: where they end, 64 bytes at a time, and what they are, eight bytes at a time.

use super::dialect::Dialect;
use crate::word::eight_digits;
use reigen_core::time::MOST_FILE_TIME_NS;
use wide::u8x16;

const ONES: u64 = 0x0101_0101_0101_0101;
const HIGH: u64 = 0x8080_8080_8080_8080;
const ZEROS: u64 = 0x3030_3030_3030_3030;

/// The powers of ten that a real number holds exactly.
const POWERS: [f64; 23] = [
    1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20,
    1e21, 1e22,
];
/// The powers of ten of 64 bits.
const TENS: [u64; 20] = {
    let mut tens = [1; 20];
    let mut power = 1;
    while power < 20 {
        tens[power] = tens[power - 1] * 10;
        power += 1;
    }
    tens
};
/// Whole numbers below this are real numbers too.
const EXACT: u64 = 1 << 53;

/// What ends a cell and what parts a number's digits.
pub(super) struct Marks {
    dialect: Dialect,
    /// What is not above this byte ends a cell: line ends, and most separators. So does the separator, which may be above.
    last_end: u8,
    decimal: u64,
}

impl Marks {
    pub(super) fn new(dialect: Dialect) -> Self {
        // Of the bytes of a number only the decimal comma is below `-`.
        let last_end = if dialect.decimal == b',' { b',' - 1 } else { b'-' - 1 };
        Self { dialect, last_end, decimal: ONES * u64::from(dialect.decimal) }
    }

    /// A number of digits with at most one mark, and its length; `None` for any other.
    ///
    /// Digits and power are exact as real numbers, so that their quotient is rounded once, as it must be
    /// (Clinger, 1990).
    #[inline]
    pub(super) fn number(&self, bytes: &[u8]) -> Option<(f64, usize)> {
        let length = self.length(bytes)?;
        let (whole, power) = self.fraction(bytes, 0, length)?;
        Some((whole / power, length))
    }

    /// The file's own time in nanoseconds, where it is a whole number of them, and the cell's length.
    #[inline]
    pub(super) fn file_time(&self, bytes: &[u8], power: i32) -> Option<(i64, usize)> {
        let length = self.length(bytes)?;
        Some((self.nanos(bytes, 0, length, power)?, length))
    }

    /// The length of the cell that comes next; `None` where its end is not to be seen.
    #[inline]
    fn length(&self, bytes: &[u8]) -> Option<usize> {
        bytes.iter().position(|byte| self.is_end(*byte))
    }

    /// Whether a byte may end a cell. In a number none of them comes.
    #[inline(always)]
    fn is_end(&self, byte: u8) -> bool {
        byte <= self.last_end || byte == self.dialect.separator
    }

    /// Which of 64 bytes may end a cell: a bit for each, that of the first the lowest.
    #[inline(always)]
    pub(super) fn ends(&self, bytes: &[u8; 64]) -> u64 {
        let (last_end, separator) = (u8x16::splat(self.last_end), u8x16::splat(self.dialect.separator));
        let ends = |sixteen: &[u8; 16]| {
            let sixteen = u8x16::from(*sixteen);
            let ends = sixteen.min(last_end).simd_eq(sixteen) | sixteen.simd_eq(separator);
            u64::from(ends.to_bitmask())
        };
        let (sixteens, _) = bytes.as_chunks::<16>();
        sixteens.iter().rev().fold(0, |all, sixteen| all << 16 | ends(sixteen))
    }

    /// Whether a byte parts cells.
    #[inline(always)]
    pub(super) fn is_separator(&self, byte: u8) -> bool {
        byte == self.dialect.separator
    }

    /// The number of the cell from one place to another, as a whole number and by what it is to be divided.
    #[inline(always)]
    pub(super) fn fraction(&self, bytes: &[u8], from: usize, until: usize) -> Option<(f64, f64)> {
        match self.short(bytes, from, until) {
            Some((size, decimals)) => Some((size as f64, *POWERS.get(decimals)?)),
            None => self.other_fraction(bytes.get(from..until)?),
        }
    }

    #[inline(never)]
    fn other_fraction(&self, cell: &[u8]) -> Option<(f64, f64)> {
        let (negative, size, decimals) = self.other(cell)?;
        let whole = Some(size).filter(|size| *size < EXACT)? as f64;
        Some((if negative { -whole } else { whole }, *POWERS.get(decimals)?))
    }

    /// The nanoseconds of the cell from one place to another, in a unit of this power of ten; `None` where they are no
    /// whole number.
    #[inline]
    pub(super) fn nanos(&self, bytes: &[u8], from: usize, until: usize, power: i32) -> Option<i64> {
        let (negative, size, decimals) = match self.short(bytes, from, until) {
            Some((size, decimals)) => (false, size, decimals),
            None => self.other(bytes.get(from..until)?)?,
        };
        let shift = power.checked_sub(i32::try_from(decimals).ok()?)?;
        let factor = *TENS.get(usize::try_from(shift).ok()?)?;
        let nanos = i64::try_from(size.checked_mul(factor)?).ok().filter(|nanos| *nanos <= MOST_FILE_TIME_NS)?;
        Some(if negative { -nanos } else { nanos })
    }

    /// A cell of one to eight bytes, digits with at most one mark: without it as one number, and how many digits come
    /// after it.
    #[inline(always)]
    fn short(&self, bytes: &[u8], from: usize, until: usize) -> Option<(u64, usize)> {
        let length = until.wrapping_sub(from);
        let word = u64::from_le_bytes(*bytes.get(from..)?.first_chunk()?);
        (length.wrapping_sub(1) < 8).then_some(())?;
        // The cell goes to the upper end, whatever follows it out of the word: below it are noughts.
        let digits = (word ^ ZEROS) << (64 - 8 * length);
        let marks = digits ^ self.decimal ^ ZEROS;
        // The lowest mark is told rightly.
        let mark = marks.wrapping_sub(ONES) & !marks & HIGH;
        if mark == 0 {
            return are_digits(digits).then(|| (eight_digits(digits), 0));
        }
        let to_mark = mark ^ (mark - 1);
        let digits = (digits & to_mark >> 8) << 8 | (digits & !to_mark);
        let after = 7 - (mark.trailing_zeros() / 8) as usize;
        (are_digits(digits) && length > 1).then(|| (eight_digits(digits), after))
    }

    /// A cell that is longer, or begins with `-`: whether it does, its digits as one number, and how many come after the
    /// mark.
    #[inline(never)]
    fn other(&self, cell: &[u8]) -> Option<(bool, u64, usize)> {
        let negative = cell.first() == Some(&b'-');
        let digits = if negative { cell.get(1..)? } else { cell };
        let (size, decimals) = self.middle(digits).or_else(|| self.long(digits))?;
        Some((negative, size, decimals))
    }

    /// Nine to sixteen bytes, with the mark among the last eight.
    fn middle(&self, cell: &[u8]) -> Option<(u64, usize)> {
        let (first, last) = cell.split_at_checked(cell.len().checked_sub(8)?)?;
        let mut padded = [b'0'; 8];
        padded.get_mut(8usize.checked_sub(first.len())?..)?.copy_from_slice(first);
        let first = u64::from_le_bytes(padded) ^ ZEROS;
        let (size, decimals) = self.short(last, 0, 8)?;
        let count = if last.contains(&self.dialect.decimal) { 7 } else { 8 };
        are_digits(first).then_some((eight_digits(first) * TENS.get(count)? + size, decimals))
    }

    /// Any cell of digits, one by one.
    fn long(&self, cell: &[u8]) -> Option<(u64, usize)> {
        let (mut size, mut mark) = (0u64, None);
        for (place, &byte) in cell.iter().enumerate() {
            match byte {
                b'0'..=b'9' => size = size.checked_mul(10)?.checked_add(u64::from(byte - b'0'))?,
                _ if byte == self.dialect.decimal && mark.is_none() => mark = Some(place),
                _ => return None,
            }
        }
        let any = cell.len() > usize::from(mark.is_some());
        any.then_some((size, mark.map_or(0, |mark| cell.len() - 1 - mark)))
    }
}

/// Whether eight bytes are 0 to 9. A carry comes only from a byte that has its high bit set already.
#[inline(always)]
fn are_digits(digits: u64) -> bool {
    (digits.wrapping_add(0x7676_7676_7676_7676) | digits) & HIGH == 0
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
