//! Packed samples, many at a time: the fast form.
//!
//! Most samples are the same as the one before. So a block of bytes is held against the last sample, written
//! as often as it goes into eight bytes, and only a block that differs is looked at sample by sample.

use super::Reader;

/// The bytes of a block.
const BLOCK: usize = 32;

/// Reads samples that go evenly into eight bytes by blocks, others one after another.
pub(super) fn read<'a>(reader: &mut Reader<'a>, bytes: &'a [u8]) {
    let width = reader.format.width;
    if !8usize.is_multiple_of(width) {
        bytes.chunks_exact(width).enumerate().for_each(|(number, now)| reader.sample(number, now));
        return;
    }
    let mut pattern = None;
    for (block, samples) in bytes.chunks(BLOCK).enumerate() {
        if pattern.is_some_and(|pattern| is_all(samples, pattern)) {
            continue;
        }
        let first = block * (BLOCK / width);
        for (number, now) in samples.chunks_exact(width).enumerate() {
            reader.sample(first + number, now);
        }
        pattern = reader.last.map(repeated);
    }
}

/// A sample written as often as it goes into eight bytes.
fn repeated(sample: &[u8]) -> u64 {
    let mut bytes = [0; 8];
    for (to, from) in bytes.iter_mut().zip(sample.iter().cycle()) {
        *to = *from;
    }
    u64::from_ne_bytes(bytes)
}

/// Whether a whole block is nothing but this.
#[inline]
fn is_all(block: &[u8], pattern: u64) -> bool {
    let (words, rest) = block.as_chunks::<8>();
    let different = words.iter().fold(0, |different, word| different | (u64::from_ne_bytes(*word) ^ pattern));
    different == 0 && rest.is_empty()
}
