//! Packed samples, many at a time: the fast form.
//!
//! Most samples are the same as the one before. So a block of bytes is held against the last sample, written
//! as often as it goes into eight bytes. Where a block of samples of one byte differs, all of its changes are found at once, a
//! bit each; of longer samples the first bit that differs tells the next sample to take.

use super::Reader;
use reigen_core::cast;
use reigen_core::time::Nanos;

/// The bytes of a block.
const BLOCK: usize = 32;

/// The samples of one byte that are held against those before them together.
const SAMPLES: usize = 64;

/// Reads samples that go evenly into eight bytes by blocks, others one after another.
pub(super) fn read<'a>(reader: &mut Reader<'a>, bytes: &'a [u8]) {
    let width = reader.format.width;
    if width == 1 {
        return read_bytes(reader, bytes);
    }
    let (blocks, rest) = match 8usize.is_multiple_of(width) {
        true => bytes.as_chunks::<BLOCK>(),
        false => (&[][..], bytes),
    };
    let mut pattern = None;
    for (block, samples) in blocks.iter().enumerate() {
        let words = samples.as_chunks::<8>().0;
        if pattern.is_some_and(|pattern| is_all(words, pattern)) {
            continue;
        }
        for (word, text) in words.iter().enumerate() {
            let first = (block * (BLOCK / 8) + word) * (8 / width);
            pattern = read_word(reader, first, text, pattern);
        }
    }
    let first = blocks.len() * (BLOCK / width);
    rest.chunks_exact(width).enumerate().for_each(|(number, now)| reader.sample(first + number, now));
}

/// Reads samples of one byte.
fn read_bytes<'a>(reader: &mut Reader<'a>, bytes: &'a [u8]) {
    let Some(first) = bytes.get(..1) else { return };
    reader.sample(0, first);
    let (blocks, rest) = bytes.as_chunks::<SAMPLES>();
    // A bit without a line has a column that is not there.
    let signals: [usize; 8] =
        std::array::from_fn(|bit| reader.format.signals.get(bit).copied().flatten().unwrap_or(usize::MAX));
    let columns = reader.piece.columns.as_mut_slice();
    let (mut last, mut time) = (first[0], reader.first);
    for samples in blocks {
        let words = samples.as_chunks::<8>().0;
        if !is_all(words, repeated(&[last])) {
            let mut changes = changes_of(words, last);
            while changes != 0 {
                let number = changes.trailing_zeros() as usize % SAMPLES;
                changes &= changes - 1;
                let mut changed = last ^ samples[number];
                last = samples[number];
                // Mostly a single line changes.
                while changed != 0 {
                    let bit = changed.trailing_zeros() as usize % 8;
                    changed &= changed - 1;
                    if let Some(column) = columns.get_mut(signals[bit]) {
                        column.toggle(Nanos(time + number as u64));
                    }
                }
            }
        }
        time += SAMPLES as u64;
    }
    let first = blocks.len() * SAMPLES;
    reader.last = first.checked_sub(1).map_or(reader.last, |at| bytes.get(at..first));
    rest.chunks_exact(1).enumerate().for_each(|(number, now)| reader.sample(first + number, now));
}

/// Which samples of one byte are others than those before them: a bit each, the first the lowest.
#[inline(always)]
fn changes_of(words: &[[u8; 8]], last: u8) -> u64 {
    const HIGH: u64 = 0x8080_8080_8080_8080;
    // Brings the high bits of eight bytes together in the uppermost byte.
    const GATHER: u64 = 0x0002_0408_1020_4081;
    let (mut changes, mut before) = (0, u64::from(last));
    for (number, word) in words.iter().enumerate() {
        let word = u64::from_le_bytes(*word);
        let different = word ^ (word << 8 | before);
        before = word >> 56;
        let marked = (((different & !HIGH) + !HIGH) | different) & HIGH;
        changes |= (marked.wrapping_mul(GATHER) >> 56) << (8 * number);
    }
    changes
}

/// Whether words are nothing but this pattern.
#[inline(always)]
fn is_all(words: &[[u8; 8]], pattern: u64) -> bool {
    words.iter().fold(0, |different, word| different | (u64::from_le_bytes(*word) ^ pattern)) == 0
}

/// Reads eight bytes whose first sample has the number `first`; gives the pattern of the last one.
#[inline]
fn read_word<'a>(reader: &mut Reader<'a>, first: usize, text: &'a [u8; 8], pattern: Option<u64>) -> Option<u64> {
    let (width, word) = (reader.format.width, u64::from_le_bytes(*text));
    // Before the first sample of all, everything differs.
    let mut different = pattern.map_or(u64::MAX, |pattern| word ^ pattern);
    let mut pattern = pattern;
    while different != 0 {
        let within = different.trailing_zeros() as usize / 8 / width;
        let next = (within + 1) * width;
        let Some(now) = text.get(within * width..next) else { break };
        reader.change(first + within, now);
        let shown = repeated(now);
        pattern = Some(shown);
        different = (word ^ shown) & u64::MAX.checked_shl(8 * cast::u32_from_usize(next)).unwrap_or(0);
    }
    pattern
}

/// A sample written as often as it goes into eight bytes, the first byte lowest.
#[inline]
fn repeated(sample: &[u8]) -> u64 {
    const ONCE: [u64; 9] = [0, 0x0101_0101_0101_0101, 0x0001_0001_0001_0001, 0, 0x0000_0001_0000_0001, 0, 0, 0, 1];
    let value = sample.iter().rev().fold(0, |value, byte| value << 8 | u64::from(*byte));
    ONCE.get(sample.len()).map_or(0, |once| value.wrapping_mul(*once))
}
