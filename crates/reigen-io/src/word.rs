//! Eight bytes at a time, held against what they must be.

/// What eight bytes must be: each within a range.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Word {
    /// Where the ranges begin: at a byte whose low bits are zero as far as the range goes.
    begin: u64,
    /// For each byte 128 less the length of its range.
    reach: u64,
}

/// The first byte of a range and its length.
pub(crate) type Range = (u8, u8);
/// A digit.
pub(crate) const DIGIT: Range = (b'0', 10);
/// Any byte of ASCII.
pub(crate) const ANY: Range = (0, 128);

impl Word {
    /// The word of up to eight ranges; bytes without one must be 0 to 127.
    pub(crate) fn of(ranges: &[Range]) -> Self {
        let mut word = Self::default();
        for (place, &(begin, length)) in ranges.iter().enumerate().take(8) {
            word.begin |= u64::from(begin) << (8 * place);
            word.reach |= u64::from(128 - length) << (8 * place);
        }
        word
    }

    /// Zero where all bytes are within their ranges.
    ///
    /// A byte outside has bit 7 set, or gets it by the sum; a carry into the next byte comes only from one that
    /// has it set already.
    #[inline(always)]
    pub(crate) fn misfit(self, bytes: u64) -> u64 {
        let beyond = bytes ^ self.begin;
        (beyond.wrapping_add(self.reach) | beyond) & 0x8080_8080_8080_8080
    }
}

/// What eight digits 0 to 9 are worth, the first in the lowest byte: pairs, then fours, then all.
#[inline(always)]
pub(crate) fn eight_digits(digits: u64) -> u64 {
    let pairs = digits.wrapping_mul(10).wrapping_add(digits >> 8);
    let low = (pairs & 0x0000_00ff_0000_00ff).wrapping_mul(0x000f_4240_0000_0064);
    let high = (pairs >> 16 & 0x0000_00ff_0000_00ff).wrapping_mul(0x0000_2710_0000_0001);
    low.wrapping_add(high) >> 32
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_word_fits_where_each_byte_is_in_its_range(
            ranges in prop::collection::vec(prop_oneof![Just(DIGIT), Just(ANY), Just((b'#', 1)), Just((b'0', 2))], 8),
            bytes in any::<[u8; 8]>(),
            near in prop::collection::vec(0..3u8, 8),
            exact in any::<bool>(),
        ) {
            let near: Vec<u8> = ranges.iter().zip(&near).map(|(range, more)| range.0.wrapping_add(*more)).collect();
            let bytes: [u8; 8] = if exact { near.try_into().unwrap() } else { bytes };
            let fits = ranges.iter().zip(bytes).all(|((begin, length), byte)| {
                byte >= *begin && u32::from(byte) < u32::from(*begin) + u32::from(*length)
            });
            prop_assert_eq!(Word::of(&ranges).misfit(u64::from_le_bytes(bytes)) == 0, fits);
        }
    }
}
