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
use crate::pipeline::ParseProgress;
use crate::word::{ANY, DIGIT, Range, Word, eight_digits};
use reigen_core::cast;
use reigen_core::time::{MOST_FILE_TIME_NS, Nanos};

/// How many bytes are looked at together. A line that the fast form takes is shorter.
const LOOK: usize = 24;
/// After this many unusual lines in a row, the rest of the piece goes to the plain form at once.
const PATIENCE: usize = 64;
/// The most digits of a time that the fast form takes.
const MOST_DIGITS: usize = 15;
/// The bytes of a pair beside its digits: `#`, two line ends, a level and a letter.
const BESIDE_DIGITS: usize = 5;
/// Eight digits `0`.
const ZEROS: u64 = 0x3030_3030_3030_3030;

/// Reads as [`Body::read`] does.
pub(super) fn read(
    body: &mut Body,
    layout: &Layout,
    bytes: &[u8],
    at_end: bool,
    piece: &mut Piece,
) -> Result<ParseProgress, Fault> {
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
            return Ok(ParseProgress { consumed: at, cut_off: done.cut_off });
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
        let pairs = {
            let (clock, letters) = (&mut clock, &layout.one_letter);
            match shape.pair_length() {
                9 => pairs::<9>(clock, letters, shape, rest, columns),
                10 => pairs::<10>(clock, letters, shape, rest, columns),
                11 => pairs::<11>(clock, letters, shape, rest, columns),
                12 => pairs::<12>(clock, letters, shape, rest, columns),
                13 => pairs::<13>(clock, letters, shape, rest, columns),
                14 => pairs::<14>(clock, letters, shape, rest, columns),
                15 => pairs::<15>(clock, letters, shape, rest, columns),
                16 => pairs::<16>(clock, letters, shape, rest, columns),
                17 => pairs::<17>(clock, letters, shape, rest, columns),
                18 => pairs::<18>(clock, letters, shape, rest, columns),
                19 => pairs::<19>(clock, letters, shape, rest, columns),
                20 => pairs::<20>(clock, letters, shape, rest, columns),
                _ => 0,
            }
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
/// `LENGTH`: its bytes, known while compiling, so that no place in it has to be checked. This is the loop in which the
/// time of a run goes: whether a pair has its shape is told by its first and its last eight bytes, and eight between them
/// where it is longer, before anything is worked out.
#[inline(never)]
fn pairs<const LENGTH: usize>(
    clock: &mut Clock,
    one_letter: &[u32; 256],
    shape: &TimeShape,
    bytes: &[u8],
    columns: &mut [PieceColumn],
) -> usize {
    let digits = LENGTH - BESIDE_DIGITS;
    let (Some(pair), high_value) = (shape.pair, shape.high_value) else { return 0 };
    let (mut units, mut pairs) = (clock.units, 0);
    for text in bytes.as_chunks::<LENGTH>().0 {
        let (first, last) = (word_at(text, 0), word_at(text, LENGTH - 8));
        let between = if LENGTH > 16 { pair.between.misfit(word_at(text, 8)) } else { 0 };
        if pair.first.misfit(first) | between | pair.last.misfit(last) != 0 {
            break;
        }
        let low = word_at(text, low_at(digits)) ^ ZEROS;
        let next = if digits <= 8 { eight_digits(low << shift(digits)) } else { high_value + eight_digits(low) };
        let (level, letter) = (cast::low_byte(last >> 40) & 1, cast::low_byte(last >> 48));
        let Some(column) = columns.get_mut(one_letter[usize::from(letter)] as usize) else { break };
        if next < units {
            break;
        }
        units = next;
        column.set(Nanos((units - clock.origin_units) * clock.factor), level);
        pairs += 1;
    }
    clock.units = units;
    pairs
}

/// Eight bytes from a place on; zero where there are fewer.
#[inline(always)]
fn word_at(text: &[u8], at: usize) -> u64 {
    text.get(at..).and_then(<[u8]>::first_chunk).map_or(0, |word| u64::from_le_bytes(*word))
}

/// Where the last eight digits of a time begin in its line, or the first where there are fewer.
#[inline(always)]
const fn low_at(digits: usize) -> usize {
    1 + digits.saturating_sub(8)
}

/// How far eight bytes from there are to be shifted so that the last digit comes last.
#[inline(always)]
const fn shift(digits: usize) -> usize {
    8 * 8usize.saturating_sub(digits)
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
    /// Where there are more than eight: what those before the last eight are worth.
    high_value: u64,
    /// The bytes of a line of a time mark.
    mark: [Word; LOOK / 8],
    /// The bytes of such a line and a value of one letter, for pairs of 9 to 20 bytes.
    pair: Option<Pair>,
}

/// The first and the last eight bytes of a pair, and those after the first where there are more than sixteen.
#[derive(Debug, Clone, Copy)]
struct Pair {
    first: Word,
    between: Word,
    last: Word,
}

impl TimeShape {
    /// The shape of marks like that of `units`.
    fn of(units: u64) -> Self {
        let digits = units.checked_ilog10().unwrap_or(0) as usize + 1;
        if digits > MOST_DIGITS {
            return Self::default();
        }
        let more = digits.saturating_sub(8);
        // The digits before the last eight must be the same, those after any.
        let digit = |place: usize| {
            let digit = b'0' + (units / 10u64.pow(cast::u32_from_usize(digits - 1 - place)) % 10) as u8;
            if place < more { (digit, 1) } else { DIGIT }
        };
        let mut ranges: Vec<Range> = vec![(b'#', 1)];
        ranges.extend((0..digits).map(digit));
        ranges.push((b'\n', 1));
        let mark: Vec<Word> = ranges.chunks(8).map(Word::of).collect();
        ranges.extend([(b'0', 2), ANY, (b'\n', 1)]);
        let pair = match (ranges.first_chunk::<8>(), ranges.last_chunk::<8>()) {
            (Some(first), Some(last)) if (9..=20).contains(&ranges.len()) => {
                let between = ranges.get(8..16).map(Word::of).unwrap_or_default();
                Some(Pair { first: Word::of(first), between, last: Word::of(last) })
            }
            _ => None,
        };
        Self {
            digits,
            high_value: units / 100_000_000 * 100_000_000,
            mark: std::array::from_fn(|word| mark.get(word).copied().unwrap_or_default()),
            pair,
        }
    }

    /// The bytes of a time mark and a value of one letter.
    fn pair_length(&self) -> usize {
        self.digits + BESIDE_DIGITS
    }

    /// Whether all times of this shape are within bounds, where a unit is so many nanoseconds.
    fn fits(&self, factor: u64) -> bool {
        let most = 10u64.pow(cast::u32_from_usize(self.digits)) - 1;
        self.digits > 0 && most <= MOST_FILE_TIME_NS as u64 / factor
    }

    /// The time of a line `#digits`; `None` where it is not of this shape.
    fn time(&self, line: &[u8; LOOK]) -> Option<u64> {
        let words = line.as_chunks::<8>().0.iter().zip(self.mark);
        if words.fold(0, |misfit, (word, wanted)| misfit | wanted.misfit(u64::from_le_bytes(*word))) != 0 {
            return None;
        }
        let low = word_at(line, low_at(self.digits)) ^ ZEROS;
        Some(match self.digits {
            ..=8 => eight_digits(low << shift(self.digits)),
            _ => self.high_value + eight_digits(low),
        })
    }
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
