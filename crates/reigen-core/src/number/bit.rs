//! One bit of a number line: a port that is logged as a byte, or a status word.

use crate::block::{Block, Inputs, NumberSource, Outputs, without_state};
use crate::cast;
use crate::time::Window;

/// The highest bit of a number.
pub const HIGHEST: u32 = 63;

/// The running form: follows one bit of a number, in two's complement where that is below zero.
///
/// A sample that is no whole number has no bits, and the level holds.
pub struct NumberBit {
    of: NumberSource,
    bit: u32,
}

/// A bit of a number; `None` where that is no whole number of 64 bits.
pub fn bit_of(number: f64, bit: u32) -> Option<bool> {
    let is_whole = number.fract() == 0.0;
    // From 2^63 on without a sign.
    let large = (cast::TWO_TO_63..2.0 * cast::TWO_TO_63).contains(&number).then(|| cast::u64_from_f64(number));
    let bits = cast::whole_i64(number).map(i64::cast_unsigned).or(large).filter(|_| is_whole)?;
    Some(bits >> bit.min(HIGHEST) & 1 == 1)
}

impl NumberBit {
    /// A bit of a number, counted from the lowest, which is 0.
    pub fn new(of: NumberSource, bit: u32) -> Self {
        Self { of, bit }
    }
}

impl Block for NumberBit {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let (Some(of), [column]) = (inputs.reading(self.of), outputs.bits) else { return };
        for (&at, &number) in of.times.iter().zip(&of.values) {
            if let Some(level) = bit_of(number, self.bit) {
                column.set(at, level);
            }
        }
    }
}

without_state!(NumberBit);

#[cfg(test)]
mod tests {
    use super::bit_of;

    #[test]
    fn bits_are_those_of_the_whole_number() {
        for (number, bit, level) in [
            (5.0, 0, Some(true)),
            (5.0, 1, Some(false)),
            (5.0, 2, Some(true)),
            (128.0, 7, Some(true)),
            (-1.0, 63, Some(true)),
            (-2.0, 0, Some(false)),
            (9_223_372_036_854_775_808.0, 63, Some(true)),
            (2.5, 1, None),
            (1e30, 0, None),
            (f64::NAN, 0, None),
        ] {
            assert_eq!(bit_of(number, bit), level, "bit {bit} of {number}");
        }
    }
}
