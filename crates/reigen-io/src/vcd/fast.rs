//! The value changes of a VCD, a line at a time: the fast form.
//!
//! Most lines of a long recording are `#digits` or a level and a short code. A time mostly has as many
//! digits as the one before, and all but its last eight are mostly the same: so the place of the line's end is
//! supposed before it is seen, and the next line can be looked at while this one is still being worked out.
//! Every supposition is checked; whatever is different goes to the plain form, which reads at least one line.

use super::body::Body;
use super::layout::{Layout, Scale};
use crate::error::Fault;
use crate::piece::{Piece, PieceColumn};
use crate::pipeline::Done;
use reigen_core::time::{MOST_FILE_TIME_NS, Nanos};

/// How many bytes are looked at together. A line that the fast form takes is shorter.
const LOOK: usize = 24;
/// After this many unusual lines in a row, the rest of the piece goes to the plain form at once.
const PATIENCE: usize = 64;
/// The most digits of a time that the fast form takes.
const MOST_DIGITS: usize = 15;
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
    let Scale::Times(factor) = layout.scale else { return 0 };
    let Some(origin) = body.origin.and_then(|origin| u64::try_from(origin.0).ok()) else { return 0 };
    if !body.has_nothing_open() || !shape.fits(factor) || body.units < origin / factor {
        return 0;
    }
    // All times are multiples of the factor, the origin too.
    let mut clock = Clock { units: body.units, factor, origin_units: origin / factor };
    let columns = piece.columns.as_mut_slice();
    let (mut at, mut count) = (0, 0);
    loop {
        let rest = bytes.get(at..).unwrap_or_default();
        let pairs = match shape.digits {
            ..=8 => pairs::<true>(&mut clock, &layout.one_letter, shape, rest, columns),
            _ => pairs::<false>(&mut clock, &layout.one_letter, shape, rest, columns),
        };
        let pair_bytes = pairs * shape.pair_length();
        let (more, lines) = one_instant(&mut clock, layout, shape, rest.get(pair_bytes..).unwrap_or_default(), columns);
        at += pair_bytes + more;
        count += 2 * pairs as u64 + lines;
        if lines == 0 {
            break;
        }
    }
    if count > 0 {
        body.come_to(clock.units, clock.now(), count, piece);
    }
    at
}

/// The time in the file's units, and what makes nanoseconds of it.
struct Clock {
    units: u64,
    factor: u64,
    origin_units: u64,
}

impl Clock {
    /// The time since the recording's start.
    #[inline]
    fn now(&self) -> Nanos {
        Nanos((self.units - self.origin_units) * self.factor)
    }
}

/// Reads pairs of a time mark and one value of a code of one letter, all of the same length; gives how many.
///
/// `SHORT`: times have at most eight digits. This is the loop in which the time of a run goes: whether a
/// pair has its shape is told by three words under masks, before anything is worked out.
#[inline(never)]
fn pairs<const SHORT: bool>(
    clock: &mut Clock,
    one_letter: &[u32; 256],
    shape: &TimeShape,
    bytes: &[u8],
    columns: &mut [PieceColumn],
) -> usize {
    let length = shape.pair_length();
    let mut units = clock.units;
    let mut pairs = 0;
    let mut rest = bytes;
    while let Some(pair) = rest.first_chunk::<LOOK>() {
        let Some(next) = shape.pair::<SHORT>(pair) else { break };
        let value = shape.digits + 2;
        let (Some(&level), Some(&letter)) = (pair.get(value), pair.get(value + 1)) else { break };
        let signal = one_letter[usize::from(letter)] as usize;
        let (Some(column), true) = (columns.get_mut(signal), next >= units) else { break };
        units = next;
        column.set(Nanos((units - clock.origin_units) * clock.factor), level & 1);
        pairs += 1;
        rest = rest.get(length..).unwrap_or_default();
    }
    clock.units = units;
    pairs
}

/// Reads a time mark, if one comes next, and the values after it; gives the bytes and lines.
#[inline(never)]
fn one_instant(
    clock: &mut Clock,
    layout: &Layout,
    shape: &TimeShape,
    bytes: &[u8],
    columns: &mut [PieceColumn],
) -> (usize, u64) {
    let (mut at, mut count) = (0, 0);
    while let Some(line) = bytes.get(at..).and_then(<[u8]>::first_chunk::<LOOK>) {
        if line[0] == b'#' {
            if count > 0 {
                break;
            }
            let Some(next) = shape.time(line).filter(|next| *next >= clock.units) else { break };
            clock.units = next;
            at += shape.digits + 2;
            count += 1;
            continue;
        }
        let level = line[0] ^ b'0';
        // The two lengths are kept apart, so that where the next line begins is never waited for.
        if line[2] == b'\n' && level <= 1 {
            let Some(column) = columns.get_mut(layout.one_letter[usize::from(line[1])] as usize) else { break };
            column.set(clock.now(), level);
            at += 3;
        } else if line[3] == b'\n' && level <= 1 {
            let signal = layout.bit_of(&[line[1], line[2]]);
            let Some(column) = signal.and_then(|signal| columns.get_mut(signal)) else { break };
            column.set(clock.now(), level);
            at += 4;
        } else {
            break;
        }
        count += 1;
    }
    (at, count)
}

/// What the time marks look like at present.
#[derive(Debug, Clone, Copy, Default)]
struct TimeShape {
    /// How many digits they have.
    digits: usize,
    /// Where the last eight of them begin in the line, where there are more.
    low_at: usize,
    /// Where there are fewer: how far eight bytes are to be shifted so that the last digit comes last …
    shift: u32,
    /// … and digits 0 in place of those that are not there.
    fill: u64,
    /// What the digits before the last eight are worth.
    high_value: u64,
    /// The bits in which a line of a time mark agrees with the last one …
    mark: Pattern,
    /// … and a pair of such a line and a value of one letter.
    pair: Pattern,
}

/// Bits that bytes must have.
#[derive(Debug, Clone, Copy, Default)]
struct Pattern {
    mask: [u64; LOOK / 8],
    bits: [u64; LOOK / 8],
}

impl Pattern {
    /// A pattern of masks and bits, byte by byte.
    fn of(bytes: impl Iterator<Item = (u8, u8)>) -> Self {
        let mut pattern = Self::default();
        for (at, (mask, bits)) in bytes.enumerate().take(LOOK) {
            let (word, shift) = (at / 8, 8 * (at % 8));
            pattern.mask[word] |= u64::from(mask) << shift;
            pattern.bits[word] |= u64::from(bits) << shift;
        }
        pattern
    }

    #[inline(always)]
    fn fits(&self, bytes: &[u8; LOOK]) -> bool {
        let mut different = 0;
        for ((word, mask), bits) in bytes.as_chunks::<8>().0.iter().zip(&self.mask).zip(&self.bits) {
            different |= (u64::from_le_bytes(*word) & mask) ^ bits;
        }
        different == 0
    }
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
        // Of the last eight digits the upper half of each byte is told, of those before them all.
        let digit = |place: usize| {
            let digit = b'0' + (units / 10u64.pow((digits - 1 - place) as u32) % 10) as u8;
            if place < more { (0xff, digit) } else { (0xf0, b'0') }
        };
        let mark = [(0xff, b'#')].into_iter().chain((0..digits).map(digit)).chain([(0xff, b'\n')]);
        let value = [(0xfe, b'0'), (0, 0), (0xff, b'\n')];
        Self {
            digits,
            low_at: 1 + more,
            shift: 8 * missing,
            fill: ZEROS & 1u64.checked_shl(8 * missing).map_or(u64::MAX, |one| one - 1),
            high_value: units / 100_000_000 * 100_000_000,
            mark: Pattern::of(mark.clone()),
            pair: Pattern::of(mark.chain(value)),
        }
    }

    /// The bytes of a time mark and a value of one letter.
    fn pair_length(&self) -> usize {
        self.digits + 5
    }

    /// Whether all times of this shape are within bounds, where a unit is so many nanoseconds.
    fn fits(&self, factor: u64) -> bool {
        let most = 10u64.pow(self.digits as u32) - 1;
        self.digits > 0 && most <= MOST_FILE_TIME_NS as u64 / factor
    }

    /// The time of a line `#digits`; `None` where it is not of this shape.
    fn time(&self, line: &[u8; LOOK]) -> Option<u64> {
        if !self.mark.fits(line) {
            return None;
        }
        if self.digits <= 8 { self.units::<true>(line) } else { self.units::<false>(line) }
    }

    /// The time of a line `#digits` with a value of one letter after it; `None` where it is not of this shape.
    #[inline(always)]
    fn pair<const SHORT: bool>(&self, pair: &[u8; LOOK]) -> Option<u64> {
        if self.pair.fits(pair) { self.units::<SHORT>(pair) } else { None }
    }

    /// The time of a line that fits the pattern; `None` where one of the last eight digits is none.
    #[inline(always)]
    fn units<const SHORT: bool>(&self, line: &[u8; LOOK]) -> Option<u64> {
        let (at, shift, fill) = if SHORT { (1, self.shift, self.fill) } else { (self.low_at, 0, 0) };
        let low = u64::from_le_bytes(*line.get(at..)?.first_chunk()?) << shift | fill;
        // The upper halves are those of digits; six more than 9 carries into them.
        let digits = low.wrapping_add(0x0606_0606_0606_0606) & 0x4040_4040_4040_4040 == 0;
        digits.then(|| self.high_value + eight_digits(low))
    }
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
        fn a_shape_reads_what_it_was_made_of(units in prop_oneof![0..10_000u64, 0..10u64.pow(15)], near in 0..1000u64) {
            let read = |shape: TimeShape, units: u64| {
                let mut window = [b'!'; LOOK];
                let text = format!("#{units}\n");
                window[..text.len()].copy_from_slice(text.as_bytes());
                shape.time(&window)
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
