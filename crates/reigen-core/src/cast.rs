//! From one type of number to another, where the value may not fit: the nearest that does.
//!
//! The one place where numbers are cast; elsewhere it is an error of the build to do so. Conversions that always fit are `From`.

#![allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]

macro_rules! from_f64 {
    ($($name:ident: $to:ty),+ $(,)?) => {
        $(
            #[doc = concat!("The whole part of a real number as `", stringify!($to), "`: the nearest that fits, and 0 for no number.")]
            #[inline]
            pub fn $name(value: f64) -> $to {
                value as $to
            }
        )+
    };
}

from_f64! {
    i32_from_f64: i32,
    u32_from_f64: u32,
    i64_from_f64: i64,
    u64_from_f64: u64,
    usize_from_f64: usize,
}

/// 2^63: the first real number that no `i64` holds.
pub const TWO_TO_63: f64 = 9_223_372_036_854_775_808.0;

/// The whole part of a real number; `None` where no `i64` holds it.
#[inline]
pub fn whole_i64(value: f64) -> Option<i64> {
    (-TWO_TO_63..TWO_TO_63).contains(&value).then_some(value as i64)
}

/// The nearest single real number; beyond them an infinite one.
#[inline]
pub fn f32_from_f64(value: f64) -> f32 {
    value as f32
}

macro_rules! from_unsigned {
    ($($name:ident: $from:ty => $to:ty),+ $(,)?) => {
        $(
            #[doc = concat!("A `", stringify!($from), "` as `", stringify!($to), "`: the most where it is more than that.")]
            #[inline]
            pub fn $name(value: $from) -> $to {
                <$to>::try_from(value).unwrap_or(<$to>::MAX)
            }
        )+
    };
}

from_unsigned! {
    usize_from_u64: u64 => usize,
    i64_from_usize: usize => i64,
    u32_from_usize: usize => u32,
    i32_from_usize: usize => i32,
    i32_from_u32: u32 => i32,
    i64_from_u64: u64 => i64,
    u64_from_u128: u128 => u64,
    u8_from_usize: usize => u8,
}

macro_rules! from_signed {
    ($($name:ident: $from:ty => $to:ty),+ $(,)?) => {
        $(
            #[doc = concat!("A `", stringify!($from), "` as `", stringify!($to), "`: 0 where it is below, the most where it is more than that.")]
            #[inline]
            pub fn $name(value: $from) -> $to {
                <$to>::try_from(value.max(0)).unwrap_or(<$to>::MAX)
            }
        )+
    };
}

from_signed! {
    u64_from_i64: i64 => u64,
    usize_from_i64: i64 => usize,
    usize_from_i32: i32 => usize,
    u32_from_i32: i32 => u32,
    u128_from_i32: i32 => u128,
}

/// The lowest eight bits.
#[inline]
pub fn low_byte(value: u64) -> u8 {
    value as u8
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_does_not_fit_is_the_nearest_that_does() {
        assert_eq!([u64_from_f64(-1.5), u64_from_f64(f64::NAN), u64_from_f64(1e30)], [0, 0, u64::MAX]);
        assert_eq!([i64_from_f64(-1.5), i64_from_f64(-1e30), i64_from_f64(2.9)], [-1, i64::MIN, 2]);
        assert_eq!(
            [-TWO_TO_63, -2.5, 9.2e18].map(whole_i64),
            [Some(i64::MIN), Some(-2), Some(9_200_000_000_000_000_000)]
        );
        assert_eq!([TWO_TO_63, -9.3e18, f64::NAN, f64::INFINITY].map(whole_i64), [None; 4]);
        assert_eq!([i64_from_u64(u64::MAX), i64_from_u64(7)], [i64::MAX, 7]);
        assert_eq!([u64_from_i64(-7), u64_from_i64(i64::MAX)], [0, i64::MAX.unsigned_abs()]);
        assert_eq!([u32_from_usize(usize::MAX), u32_from_usize(3)], [u32::MAX, 3]);
        assert_eq!([u64_from_u128(u128::MAX), u64_from_u128(3)], [u64::MAX, 3]);
        assert_eq!([low_byte(0x1ff), low_byte(7)], [0xff, 7]);
    }
}
