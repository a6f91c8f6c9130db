//! Values as people type them: a decimal number and a unit, such as `8 ms`, `20us` or `10 kHz`.

use crate::names::list;
use crate::time::{MOST_FILE_TIME_NS, Nanos};
use std::fmt;
use thiserror::Error;

/// The longest time that a setting may have: ten years.
pub const MOST_TIME: Nanos = Nanos(315_360_000 * 1_000_000_000);
/// The highest sample rate that is read: one sample a picosecond.
const MOST_RATE_MILLIHERTZ: u64 = 1_000_000_000_000_000;

/// A period in nanoseconds is this over the rate in millihertz.
const MILLIHERTZ_NS: u128 = 1_000_000_000_000;

/// Units of time and how many nanoseconds each has, as a power of ten and a factor.
const TIME_UNITS: [(&str, i32, u32); 11] = [
    ("ns", 0, 1),
    ("us", 3, 1),
    ("µs", 3, 1),
    ("μs", 3, 1),
    ("ms", 6, 1),
    ("s", 9, 1),
    ("min", 9, 60),
    ("h", 9, 3600),
    ("d", 9, 86400),
    ("day", 9, 86400),
    ("days", 9, 86400),
];

/// Units of frequency and their power of ten in millihertz.
const FREQUENCY_UNITS: [(&str, i32); 6] = [("mHz", 0), ("Hz", 3), ("kHz", 6), ("MHz", 9), ("GHz", 12), ("", 3)];

/// Why a value could not be read.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum QuantityError {
    /// It does not begin with a decimal number.
    #[error("`{text}` does not begin with a number")]
    NoNumber {
        /// What stood there.
        text: String,
    },
    /// A number without its unit, where it could be either of two.
    #[error("`{text}` has no unit: is it `{text} {}` or `{text} {}`?", .units.0, .units.1)]
    NoUnit {
        /// What stood there.
        text: String,
        /// Two units that it could have.
        units: (&'static str, &'static str),
    },
    /// A value that must be more than zero.
    #[error("`{text}` must be above zero")]
    NotAboveZero {
        /// What stood there.
        text: String,
        /// What is wanted.
        kind: &'static str,
    },
    /// A unit that does not belong to the kind of value.
    #[error("unknown unit of {kind} `{unit}`: use {}", list(known))]
    UnknownUnit {
        /// The unit as typed.
        unit: String,
        /// What is wanted.
        kind: &'static str,
        /// The units that are known.
        known: Vec<&'static str>,
    },
    /// A value below zero.
    #[error("`{text}` is negative")]
    Negative {
        /// What stood there.
        text: String,
    },
    /// A rate of zero.
    #[error("a rate of zero gives no times")]
    Zero,
    /// More than any setting may have.
    #[error("`{text}` is too large: at most {most}")]
    TooLarge {
        /// What stood there.
        text: String,
        /// The largest value, with its unit.
        most: &'static str,
    },
    /// Finer than the smallest step.
    #[error("`{text}` is finer than {least}")]
    TooFine {
        /// What stood there.
        text: String,
        /// The smallest step, with its unit.
        least: &'static str,
    },
}

/// An exact decimal number: `digits` · 10^`exponent`, with a sign.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Decimal {
    /// Whether a minus sign stood before it.
    pub negative: bool,
    digits: u128,
    exponent: i32,
    /// Whether digits beyond the 36th were dropped.
    inexact: bool,
}

impl Decimal {
    /// Reads a number at the start of `text`; gives it and the number of bytes it took.
    ///
    /// Sign, digits with one point, and an exponent after `e` or `E`; `None` where there is no digit.
    pub fn parse_prefix(text: &[u8]) -> Option<(Decimal, usize)> {
        let mut number = Decimal { negative: false, digits: 0, exponent: 0, inexact: false };
        let mut at = 0;
        if let Some(sign @ (b'+' | b'-')) = text.first() {
            number.negative = *sign == b'-';
            at = 1;
        }
        let (mut seen, mut point) = (false, false);
        while let Some(&byte) = text.get(at) {
            match byte {
                b'0'..=b'9' => {
                    seen = true;
                    number.take_digit(byte - b'0', point);
                }
                b'.' if !point => point = true,
                _ => break,
            }
            at += 1;
        }
        if !seen {
            return None;
        }
        let (exponent, length) = exponent_at(text.get(at..).unwrap_or_default());
        number.exponent = number.exponent.saturating_add(exponent);
        Some((number, at + length))
    }

    /// Reads the whole of `text` as a number.
    pub fn parse(text: &[u8]) -> Option<Decimal> {
        let (number, length) = Self::parse_prefix(text)?;
        (length == text.len()).then_some(number)
    }

    fn take_digit(&mut self, digit: u8, after_point: bool) {
        const MOST: u128 = 10u128.pow(36);
        if self.digits < MOST {
            self.digits = self.digits * 10 + u128::from(digit);
            self.exponent -= i32::from(after_point);
        } else {
            self.inexact |= digit != 0;
            self.exponent += i32::from(!after_point);
        }
    }

    /// The number times 10^`power`, rounded to a whole one with halves up; `None` where it does not fit.
    ///
    /// The second part says whether the result is exact.
    pub fn scaled(self, power: i32) -> Option<(i128, bool)> {
        let shift = self.exponent.saturating_add(power);
        if self.digits == 0 {
            return Some((0, true));
        }
        if shift >= 0 {
            let factor = 10i128.checked_pow(shift.unsigned_abs())?;
            let size = i128::try_from(self.digits).ok()?.checked_mul(factor)?;
            return Some((if self.negative { -size } else { size }, !self.inexact));
        }
        let Some(divisor) = 10i128.checked_pow(shift.unsigned_abs()) else {
            return Some((0, false));
        };
        let size = i128::try_from(self.digits).ok()?;
        let signed = if self.negative { -size } else { size };
        // Halves up: floor(x + 1/2).
        let doubled = signed.checked_mul(2)?.checked_add(divisor)?;
        let rounded = doubled.div_euclid(divisor.checked_mul(2)?);
        Some((rounded, signed % divisor == 0 && !self.inexact))
    }
}

fn exponent_at(text: &[u8]) -> (i32, usize) {
    let [b'e' | b'E', rest @ ..] = text else { return (0, 0) };
    let (negative, signed) = match rest.first() {
        Some(b'-') => (true, 1),
        Some(b'+') => (false, 1),
        _ => (false, 0),
    };
    let digits = rest.iter().skip(signed).take_while(|byte| byte.is_ascii_digit());
    let (value, count) = digits.fold((0i32, 0), |(value, count), digit| {
        (value.saturating_mul(10).saturating_add(i32::from(digit - b'0')), count + 1)
    });
    match count {
        0 => (0, 0),
        _ => (if negative { -value } else { value }, 1 + signed + count),
    }
}

/// Splits a value into its number and its unit.
fn split(text: &str) -> Result<(Decimal, &str), QuantityError> {
    let text = text.trim();
    let (number, length) =
        Decimal::parse_prefix(text.as_bytes()).ok_or_else(|| QuantityError::NoNumber { text: text.to_owned() })?;
    if number.negative {
        return Err(QuantityError::Negative { text: text.to_owned() });
    }
    Ok((number, text.get(length..).unwrap_or_default().trim()))
}

/// A number times 10^`power` times `factor` as a whole one; `None` where it is too large, and whether it is exact.
fn whole(number: Decimal, power: i32, factor: u32) -> Option<(u64, bool)> {
    let (size, exact) = number.scaled(power)?;
    match exact {
        true => Some((u64::try_from(size).ok()?.checked_mul(u64::from(factor))?, true)),
        // A fraction of a unit that is sixty or more of the next may still be whole.
        false => {
            let (fine, exact) = number.scaled(power + 3)?;
            let fine = fine.checked_mul(i128::from(factor))?;
            Some((u64::try_from(fine / 1000).ok()?, exact && fine % 1000 == 0))
        }
    }
}

/// Reads a time that is not negative, in whole nanoseconds: `8 ms`, `20us`, `1.5 s`.
///
/// # Errors
/// Says what is wrong with the number or the unit.
pub fn parse_time(text: &str) -> Result<Nanos, QuantityError> {
    parse_time_up_to(text, MOST_TIME, "3650 d")
}

fn parse_time_up_to(text: &str, most: Nanos, most_text: &'static str) -> Result<Nanos, QuantityError> {
    let (number, unit) = split(text)?;
    let text = text.trim().to_owned();
    if unit.is_empty() {
        return Err(QuantityError::NoUnit { text, units: ("s", "ms") });
    }
    let Some((_, power, factor)) = TIME_UNITS.iter().find(|(name, _, _)| *name == unit) else {
        return Err(unknown_unit(unit, "time", &TIME_UNITS.map(|(name, _, _)| name)));
    };
    match whole(number, *power, *factor) {
        Some((size, true)) if size <= most.0 => Ok(Nanos(size)),
        Some((size, false)) if size <= most.0 => Err(QuantityError::TooFine { text, least: "1 ns" }),
        _ => Err(QuantityError::TooLarge { text, most: most_text }),
    }
}

/// Reads a file's own time, which may be negative: `-20 ms`, `3.2 s`; in nanoseconds.
///
/// # Errors
/// Says what is wrong with the number or the unit.
pub fn parse_file_time(text: &str) -> Result<i64, QuantityError> {
    let text = text.trim();
    let (sign, size) = match text.strip_prefix('-') {
        Some(rest) if !rest.starts_with(['-', '+']) => (-1, rest),
        _ => (1, text),
    };
    let time = parse_time_up_to(size, Nanos(MOST_FILE_TIME_NS as u64), "53375 d")?;
    Ok(sign * i64::try_from(time.0).unwrap_or(MOST_FILE_TIME_NS))
}

/// A sample rate, exact to a millihertz; never zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SampleRate {
    millihertz: u64,
    /// The time between two samples where it is a whole number of nanoseconds.
    whole_period: Option<u64>,
}

/// The rate in hertz, to the millihertz that it is kept in.
impl fmt::Display for SampleRate {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (whole, rest) = (self.millihertz / 1000, self.millihertz % 1000);
        match rest {
            0 => write!(formatter, "{whole}Hz"),
            _ => write!(formatter, "{}Hz", format!("{whole}.{rest:03}").trim_end_matches('0')),
        }
    }
}

impl SampleRate {
    fn new(millihertz: u64) -> Self {
        let (all, rate) = (MILLIHERTZ_NS, u128::from(millihertz));
        let whole_period = if all.is_multiple_of(rate) { u64::try_from(all / rate).ok() } else { None };
        Self { millihertz, whole_period }
    }

    /// The time of sample `number`, rounded to the nearest nanosecond with halves up; `None` beyond all times.
    #[inline]
    pub fn time_of(self, number: u64) -> Option<Nanos> {
        let time = match self.whole_period {
            Some(period) => number.checked_mul(period)?,
            None => {
                let rate = u128::from(self.millihertz);
                let doubled = u128::from(number) * MILLIHERTZ_NS * 2 + rate;
                u64::try_from(doubled / (rate * 2)).ok()?
            }
        };
        (time < MOST_FILE_TIME_NS as u64).then_some(Nanos(time))
    }
}

/// Reads a sample rate: `10kHz`, `1 MHz`; a bare number is in hertz.
///
/// # Errors
/// Says what is wrong with the number or the unit; zero is refused.
pub fn parse_sample_rate(text: &str) -> Result<SampleRate, QuantityError> {
    let (number, unit) = split(text)?;
    let text = text.trim().to_owned();
    let Some((_, power)) = FREQUENCY_UNITS.iter().find(|(name, _)| *name == unit) else {
        let known = FREQUENCY_UNITS.map(|(name, _)| name);
        return Err(unknown_unit(unit, "frequency", known.get(..5).unwrap_or_default()));
    };
    match number.scaled(*power) {
        Some((0, true)) => Err(QuantityError::Zero),
        Some((size, true)) if size <= i128::from(MOST_RATE_MILLIHERTZ) => {
            Ok(SampleRate::new(u64::try_from(size).unwrap_or(MOST_RATE_MILLIHERTZ)))
        }
        Some((_, false)) => Err(QuantityError::TooFine { text, least: "1 mHz" }),
        _ => Err(QuantityError::TooLarge { text, most: "1000 GHz" }),
    }
}

fn unknown_unit(unit: &str, kind: &'static str, known: &[&'static str]) -> QuantityError {
    // The two letters for "micro" look alike: one is enough in a message.
    let known = known.iter().filter(|name| **name != "μs").copied().collect();
    QuantityError::UnknownUnit { unit: unit.to_owned(), kind, known }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn times_are_read_exactly() {
        let cases = [
            ("8 ms", 8_000_000),
            ("20us", 20_000),
            ("20 µs", 20_000),
            ("1.5 s", 1_500_000_000),
            ("0 s", 0),
            ("0.25 min", 15_000_000_000),
            ("1e-3 s", 1_000_000),
            ("3650 d", MOST_TIME.0),
        ];
        for (text, nanos) in cases {
            assert_eq!(parse_time(text), Ok(Nanos(nanos)), "{text}");
        }
    }

    #[test]
    fn what_is_no_time_is_refused_with_the_reason() {
        let cases = [
            ("8", "`8` has no unit: is it `8 s` or `8 ms`?"),
            ("ms", "`ms` does not begin with a number"),
            ("-8 ms", "`-8 ms` is negative"),
            ("8 mV", "unknown unit of time `mV`: use `ns`, `us`, `µs`, `ms`, `s`, `min`, `h`, `d`, `day` or `days`"),
            ("0.5 ns", "`0.5 ns` is finer than 1 ns"),
            ("3651 d", "`3651 d` is too large: at most 3650 d"),
            ("1e99 s", "`1e99 s` is too large: at most 3650 d"),
        ];
        for (text, message) in cases {
            assert_eq!(parse_time(text).unwrap_err().to_string(), message, "{text}");
        }
    }

    #[test]
    fn file_times_may_be_negative_and_as_large_as_a_clock_makes_them() {
        let cases = [
            ("-20 ms", Ok(-20_000_000)),
            ("1700000000 s", Ok(1_700_000_000_000_000_000)),
            ("53376 d", Err(())),
            ("--1 s", Err(())),
        ];
        for (text, time) in cases {
            assert_eq!(parse_file_time(text).map_err(drop), time, "{text}");
        }
    }

    #[test]
    fn rates_are_read_and_zero_is_refused() {
        let period = |text| parse_sample_rate(text).map(|rate| rate.time_of(3));
        assert_eq!(period("10kHz"), Ok(Some(Nanos(300_000))));
        assert_eq!(period("1000"), Ok(Some(Nanos(3_000_000))));
        assert_eq!(period("44.1 kHz"), Ok(Some(Nanos(68_027))));
        assert_eq!(period("0 Hz"), Err(QuantityError::Zero));
        assert!(period("10 kilo").unwrap_err().to_string().starts_with("unknown unit of frequency `kilo`"));
    }

    #[test]
    fn halves_round_up_on_both_sides_of_zero() {
        for (text, whole) in [("1.5", 2), ("-1.5", -1), ("-1.51", -2), ("1.49999999999999999999999999", 1)] {
            let scaled = Decimal::parse(text.as_bytes()).and_then(|number| number.scaled(0));
            assert_eq!(scaled.map(|(size, _)| size), Some(whole), "{text}");
        }
    }

    proptest! {
        #[test]
        fn a_decimal_is_scaled_as_a_fraction_is(
            negative in any::<bool>(),
            before in 0..1_000_000u64,
            after in "[0-9]{0,12}",
            exponent in -8..8i32,
            power in 0..10i32,
        ) {
            let sign = if negative { "-" } else { "" };
            let text = format!("{sign}{before}.{after}e{exponent}");
            let (scaled, exact) = Decimal::parse(text.as_bytes()).unwrap().scaled(power).unwrap();
            // The same as a fraction: digits over a power of ten.
            let digits: i128 = format!("{before}{after}").parse().unwrap();
            let shift = exponent + power - after.len() as i32;
            let (over, under) = (10i128.pow(shift.max(0) as u32), 10i128.pow((-shift).max(0) as u32));
            let value = if negative { -digits } else { digits } * over;
            prop_assert_eq!(exact, value % under == 0);
            prop_assert_eq!(scaled, (2 * value + under).div_euclid(2 * under), "{}", text);
        }

        #[test]
        fn samples_are_at_their_times_to_the_nearest_nanosecond(number in 0..1_000_000_000u64, hertz in 1..50_000_000u64) {
            let rate = parse_sample_rate(&hertz.to_string()).unwrap();
            let time = rate.time_of(number).unwrap().0;
            let exact = number as f64 / hertz as f64 * 1e9;
            prop_assert!((time as f64 - exact).abs() <= 0.5 + exact * 1e-15, "{} at {} Hz", number, hertz);
        }

        #[test]
        fn a_printed_time_reads_back(nanos in 0..MOST_TIME.0) {
            prop_assert_eq!(parse_time(&Nanos(nanos).to_string()), Ok(Nanos(nanos)));
        }

        #[test]
        fn no_text_makes_it_panic(text in "\\PC{0,12}") {
            let _ = (parse_time(&text), parse_sample_rate(&text), parse_file_time(&text));
        }
    }
}
