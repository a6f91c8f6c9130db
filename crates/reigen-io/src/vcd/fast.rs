//! The value changes of a VCD, a line at a time: the fast form.
//!
//! Most lines of a long recording are `#digits` or a level and a short code. A time mostly has as many
//! digits as the one before, and all but its last eight are mostly the same: so the place of the line's end is
//! supposed before it is seen, and the next line can be looked at while this one is still being worked out.
//! Every supposition is checked; whatever is different goes to the plain form, which reads at least one line.

use super::body::Body;
use super::layout::{Layout, Target};
use crate::error::Fault;
use crate::piece::Piece;
use crate::pipeline::Done;

/// How many bytes are looked at together. A line that the fast form takes is shorter.
const LOOK: usize = 24;
/// After this many unusual lines in a row, the rest of the piece goes to the plain form at once.
const PATIENCE: usize = 64;
/// The most digits of a time that the fast form takes.
const MOST_DIGITS: usize = 16;
/// Eight digits `0`.
const ZEROS: u64 = 0x3030_3030_3030_3030;

/// Reads as [`Body::read`] does.
pub(super) fn read(
    body: &mut Body,
    layout: &Layout,
    bytes: &[u8],
    at_end: bool,
    piece: &mut Piece,
) -> Result<Done, Fault> {
    let mut shape = TimeShape::default();
    let (mut at, mut unusual) = (0, 0);
    loop {
        let taken = lines(body, layout, &shape, bytes.get(at..).unwrap_or_default(), piece);
        at += taken;
        unusual = if taken > 0 { 0 } else { unusual + 1 };
        let rest = bytes.get(at..).unwrap_or_default();
        let one_line = rest.len() > LOOK && unusual < PATIENCE;
        let done = body.read_until(layout, rest, at_end, one_line, piece)?;
        at += done.consumed;
        if !one_line || done.consumed == 0 || at == bytes.len() {
            return Ok(Done { consumed: at, cut_off: done.cut_off });
        }
        if rest.first() == Some(&b'#') {
            shape = TimeShape::of(body.units);
        }
    }
}

/// Reads lines as long as they are of the usual kind; gives the bytes that they take.
fn lines(body: &mut Body, layout: &Layout, shape: &TimeShape, bytes: &[u8], piece: &mut Piece) -> usize {
    if !body.has_nothing_open() {
        return 0;
    }
    let mut at = 0;
    while let Some(window) = bytes.get(at..).and_then(<[u8]>::first_chunk::<LOOK>) {
        if window[0] == b'#' {
            let Some(units) = shape.read(window) else { break };
            if body.set_time(layout, units, piece).is_none() {
                break;
            }
            at += shape.digits + 2;
        } else {
            let level = window[0] ^ b'0';
            let (code, length) = if window[2] == b'\n' {
                (layout.codes.get(&window[1..2]), 3)
            } else if window[3] == b'\n' {
                (layout.codes.get(&window[1..3]), 4)
            } else {
                break;
            };
            let target = code.and_then(|number| layout.targets.get(number as usize));
            let (Some(&Target::Bit(signal)), 0 | 1) = (target, level) else { break };
            piece.set(signal, body.now, level == 1);
            at += length;
        }
        body.line += 1;
    }
    at
}

/// What the time marks look like at present.
#[derive(Debug, Clone, Copy, Default)]
struct TimeShape {
    /// How many digits they have.
    digits: usize,
    /// Where the last eight of them begin in the line, or the first where there are fewer.
    low_at: usize,
    /// How far eight bytes read there are to be shifted so that the last digit comes last.
    shift: u32,
    /// Digits 0 in place of those that are not there.
    fill: u64,
    /// The digits before the last eight, as bytes, and what they are worth.
    high: u64,
    high_mask: u64,
    high_value: u64,
}

impl TimeShape {
    /// The shape of marks like that of `units`.
    fn of(units: u64) -> Self {
        let digits = units.checked_ilog10().unwrap_or(0) as usize + 1;
        if digits > MOST_DIGITS {
            return Self::default();
        }
        let missing = 8usize.saturating_sub(digits) as u32;
        let more = digits.saturating_sub(8);
        let mut high = [0; 8];
        let mut value = units / 100_000_000;
        for digit in high.iter_mut().take(more).rev() {
            *digit = b'0' + (value % 10) as u8;
            value /= 10;
        }
        let below = |bytes: u32| 1u64.checked_shl(8 * bytes).map_or(u64::MAX, |one| one - 1);
        Self {
            digits,
            low_at: 1 + more,
            shift: 8 * missing,
            fill: ZEROS & below(missing),
            high: u64::from_le_bytes(high),
            high_mask: below(more as u32),
            high_value: units / 100_000_000 * 100_000_000,
        }
    }

    /// The time of a line `#digits`; `None` where it is not of this shape.
    #[inline]
    fn read(&self, window: &[u8; LOOK]) -> Option<u64> {
        let ended = self.digits > 0 && window.get(1 + self.digits) == Some(&b'\n');
        let high = u64::from_le_bytes(*window.get(1..)?.first_chunk()?);
        let low = u64::from_le_bytes(*window.get(self.low_at..)?.first_chunk()?) << self.shift | self.fill;
        let same = (high ^ self.high) & self.high_mask == 0;
        (ended && same && all_digits(low)).then(|| self.high_value + eight_digits(low))
    }
}

/// Whether all eight bytes are digits.
#[inline]
fn all_digits(text: u64) -> bool {
    const HIGH: u64 = 0xf0f0_f0f0_f0f0_f0f0;
    (text & HIGH) == ZEROS && (text.wrapping_add(0x0606_0606_0606_0606) & HIGH) == ZEROS
}

/// What eight digits are worth, the first in the lowest byte: pairs, then fours, then all.
#[inline]
fn eight_digits(text: u64) -> u64 {
    let pairs = (text - ZEROS).wrapping_mul(10).wrapping_add((text - ZEROS) >> 8);
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
        fn a_shape_reads_what_it_was_made_of(units in prop_oneof![0..10_000u64, 0..10u64.pow(16)], near in 0..1000u64) {
            let read = |shape: TimeShape, units: u64| {
                let mut window = [b'!'; LOOK];
                let text = format!("#{units}\n");
                window[..text.len()].copy_from_slice(text.as_bytes());
                shape.read(&window)
            };
            let shape = TimeShape::of(units);
            prop_assert_eq!(read(shape, units), Some(units));
            prop_assert!(matches!(read(shape, units + near), None | Some(_)));
            if let Some(other) = read(shape, units + near) {
                prop_assert_eq!(other, units + near);
            }
        }
    }
}
