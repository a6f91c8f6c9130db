//! Words between white space.

/// Whether a byte parts words.
#[inline]
pub(super) fn is_space(byte: u8) -> bool {
    matches!(byte, b' ' | b'\n' | b'\r' | b'\t' | 0x0b | 0x0c)
}

/// Passes white space from `at`; gives where it ends, and the lines that end in it.
#[inline]
pub(super) fn skip_space(bytes: &[u8], mut at: usize) -> (usize, u64) {
    let mut lines = 0;
    while let Some(&byte) = bytes.get(at) {
        if !is_space(byte) {
            break;
        }
        lines += u64::from(byte == b'\n');
        at += 1;
    }
    (at, lines)
}

/// Where the word that starts at `start` ends; `None` where it may go on beyond the bytes at hand.
#[inline]
pub(super) fn word_end(bytes: &[u8], start: usize, at_end: bool) -> Option<usize> {
    let rest = bytes.get(start..)?;
    match rest.iter().position(|&byte| is_space(byte)) {
        Some(length) => Some(start + length),
        None if at_end => Some(bytes.len()),
        None => None,
    }
}
