//! Electrical values as people type and read them: `4k7`, `100nF`, `2.2 kΩ`, `24 V`, `15 mA`.
//!
//! Each quantity is a type of its own over a number in its SI unit, so that a sum cannot mix volts with amperes.
//! SI prefixes from p to G; `u` serves for `µ`, `ohm` for `Ω`; and in resistors and voltages a prefix or the unit's
//! letter may stand for the decimal point (`4k7`, `2R2`, `3V3`; the letter code of IEC 60062).

use crate::cast;
use crate::quantity::{Decimal, QuantityError};
use crate::time::Nanos;
use schemars::generate::Contract;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::de::{self, Deserialize, Deserializer, Visitor};
use serde::{Serialize, Serializer};
use std::borrow::Cow;
use std::fmt;
use std::ops::{Add, Div, Mul, Sub};
use std::str::FromStr;

/// Prefixes and their power of ten; the empty one last, since the others begin with a letter of their own.
const PREFIXES: [(&str, i32); 10] =
    [("p", -12), ("n", -9), ("u", -6), ("µ", -6), ("μ", -6), ("m", -3), ("k", 3), ("M", 6), ("G", 9), ("", 0)];

/// What is known of one quantity.
struct Kind {
    /// What a person calls it.
    name: &'static str,
    /// The unit as it is printed.
    symbol: &'static str,
    /// The unit as it may be typed.
    typed: &'static [&'static str],
    /// Two units that a bare number could have; `None` where it can only be the unit itself.
    bare: Option<(&'static str, &'static str)>,
    /// Whether the value may be below zero.
    signed: bool,
    /// Whether the value may be zero.
    zero: bool,
}

macro_rules! quantities {
    ($($(#[$doc:meta])* $name:ident = $kind:expr;)+) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, Default, PartialEq, PartialOrd)]
        pub struct $name(pub f64);

        impl FromStr for $name {
            type Err = QuantityError;
            fn from_str(text: &str) -> Result<Self, QuantityError> {
                read(text, &$kind).map(Self)
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter.write_str(&engineering(self.0, $kind.symbol))
            }
        }

        impl JsonSchema for $name {
            fn schema_name() -> Cow<'static, str> {
                stringify!($name).into()
            }

            /// Text where a person writes it, a number in its SI unit where the program does.
            fn json_schema(generator: &mut SchemaGenerator) -> Schema {
                match generator.contract() {
                    Contract::Serialize => json_schema!({ "type": "number" }),
                    _ => json_schema!({
                        "type": "string",
                        "description": format!("{} with its unit", $kind.name),
                    }),
                }
            }
        }

        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
                struct Text;
                impl Visitor<'_> for Text {
                    type Value = $name;
                    fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                        write!(formatter, "a {} with its unit, in quotes, such as \"{}\"", $kind.name, engineering(12.0, $kind.symbol))
                    }
                    fn visit_str<E: de::Error>(self, text: &str) -> Result<$name, E> {
                        text.parse().map_err(E::custom)
                    }
                }
                deserializer.deserialize_any(Text)
            }
        }

        impl Serialize for $name {
            fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                serializer.serialize_f64(self.0)
            }
        }

        impl Add for $name {
            type Output = Self;
            fn add(self, other: Self) -> Self { Self(self.0 + other.0) }
        }

        impl Sub for $name {
            type Output = Self;
            fn sub(self, other: Self) -> Self { Self(self.0 - other.0) }
        }

        impl Mul<f64> for $name {
            type Output = Self;
            fn mul(self, factor: f64) -> Self { Self(self.0 * factor) }
        }

        impl Div for $name {
            type Output = f64;
            fn div(self, other: Self) -> f64 { self.0 / other.0 }
        }
    )+};
}

const fn positive(
    name: &'static str,
    symbol: &'static str,
    typed: &'static [&'static str],
    bare: Option<(&'static str, &'static str)>,
) -> Kind {
    Kind { name, symbol, typed, bare, signed: false, zero: false }
}

quantities! {
    /// Volts; below zero too.
    Volts = Kind { name: "voltage", symbol: "V", typed: &["V"], bare: None, signed: true, zero: true };
    /// Amperes; zero too.
    Amperes = Kind { zero: true, ..positive("current", "A", &["A"], Some(("mA", "A"))) };
    /// Ohms, above zero.
    Ohms = positive("resistance", "Ω", &["Ω", "Ω", "ohm", "R"], None);
    /// Farads, above zero.
    Farads = positive("capacitance", "F", &["F"], Some(("nF", "uF")));
    /// Hertz, above zero.
    Hertz = positive("frequency", "Hz", &["Hz"], None);
    /// Seconds, above zero.
    Seconds = positive("time", "s", &["s"], Some(("ms", "s")));
    /// Metres; zero too.
    Metres = Kind { zero: true, ..positive("length", "m", &["m"], Some(("cm", "m"))) };
    /// Watts; only worked out, never typed.
    Watts = positive("power", "W", &["W"], None);
}

impl Div<Ohms> for Volts {
    type Output = Amperes;
    fn div(self, resistance: Ohms) -> Amperes {
        Amperes(self.0 / resistance.0)
    }
}

impl Div<Amperes> for Volts {
    type Output = Ohms;
    fn div(self, current: Amperes) -> Ohms {
        Ohms(self.0 / current.0)
    }
}

impl Mul<Ohms> for Amperes {
    type Output = Volts;
    fn mul(self, resistance: Ohms) -> Volts {
        Volts(self.0 * resistance.0)
    }
}

impl Mul<Amperes> for Volts {
    type Output = Watts;
    fn mul(self, current: Amperes) -> Watts {
        Watts(self.0 * current.0)
    }
}

impl Mul<Farads> for Ohms {
    type Output = Seconds;
    fn mul(self, capacitance: Farads) -> Seconds {
        Seconds(self.0 * capacitance.0)
    }
}

impl Ohms {
    /// Two resistors side by side: R₁·R₂ / (R₁ + R₂).
    pub fn parallel(self, other: Ohms) -> Ohms {
        Ohms(self.0 * other.0 / (self.0 + other.0))
    }
}

/// A part of a whole, typed in percent: `5 %`, `±0.1%`.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Serialize)]
pub struct Share(pub f64);

impl FromStr for Share {
    type Err = QuantityError;
    fn from_str(text: &str) -> Result<Self, QuantityError> {
        let kind = Kind {
            name: "share",
            symbol: "%",
            typed: &["%"],
            bare: Some(("%", "% of one")),
            signed: false,
            zero: true,
        };
        let unsigned = text.trim_start();
        let percent = read(unsigned.strip_prefix('±').unwrap_or(text), &kind)?;
        match percent < 100.0 {
            true => Ok(Self(percent / 100.0)),
            false => Err(QuantityError::TooLarge { text: text.to_owned(), most: "99.9 %" }),
        }
    }
}

impl fmt::Display for Share {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "{} %", significant(self.0 * 100.0))
    }
}

impl JsonSchema for Share {
    fn schema_name() -> Cow<'static, str> {
        "Share".into()
    }

    fn json_schema(_generator: &mut SchemaGenerator) -> Schema {
        json_schema!({ "type": ["string", "number"], "description": "share, such as \"5 %\"" })
    }
}

impl<'de> Deserialize<'de> for Share {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(de::Error::custom)
    }
}

/// How fast something turns or pulses.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Speed {
    /// Revolutions a minute.
    Rpm(f64),
    /// Pulses a second.
    Pulses(Hertz),
}

impl Speed {
    /// Pulses a second of something that gives `pulses_per_rev` in a revolution.
    pub fn pulses(self, pulses_per_rev: f64) -> Hertz {
        match self {
            Speed::Rpm(rpm) => Hertz(rpm * pulses_per_rev / 60.0),
            Speed::Pulses(hertz) => hertz,
        }
    }
}

impl FromStr for Speed {
    type Err = QuantityError;
    fn from_str(text: &str) -> Result<Self, QuantityError> {
        let rpm = text.trim().strip_suffix("rpm");
        match rpm {
            Some(number) => read(number, &positive("speed", "rpm", &[""], None)).map(Self::Rpm),
            None => read(text, &positive("speed", "Hz", &["Hz"], Some(("rpm", "Hz"))))
                .map(|hertz| Self::Pulses(Hertz(hertz))),
        }
    }
}

impl fmt::Display for Speed {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Speed::Rpm(rpm) => write!(formatter, "{} rpm", significant(*rpm)),
            Speed::Pulses(hertz) => hertz.fmt(formatter),
        }
    }
}

impl JsonSchema for Speed {
    fn schema_name() -> Cow<'static, str> {
        "Speed".into()
    }

    fn json_schema(_generator: &mut SchemaGenerator) -> Schema {
        json_schema!({ "type": ["string", "number"], "description": "speed or frequency with its unit" })
    }
}

impl<'de> Deserialize<'de> for Speed {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(de::Error::custom)
    }
}

/// Reads a value of a kind.
fn read(text: &str, kind: &Kind) -> Result<f64, QuantityError> {
    let text = text.trim();
    let (value, unit) = number(text, kind).ok_or_else(|| QuantityError::NoNumber { text: text.to_owned() })?;
    if let (true, Some(units)) = (unit.is_empty(), kind.bare) {
        return Err(QuantityError::NoUnit { text: text.to_owned(), units });
    }
    let Some(power) = power_of(unit, kind) else {
        return Err(QuantityError::UnknownUnit { unit: unit.to_owned(), kind: kind.name, known: vec![kind.symbol] });
    };
    let value = value * 10f64.powi(power);
    match () {
        () if value < 0.0 && !kind.signed => Err(QuantityError::Negative { text: text.to_owned() }),
        () if value == 0.0 && !kind.zero => Err(QuantityError::NotAboveZero { text: text.to_owned(), kind: kind.name }),
        () if value.abs() > MOST => Err(QuantityError::TooLarge { text: text.to_owned(), most: "1000 G" }),
        () => Ok(value),
    }
}

/// The largest value of any kind, far beyond all that is built.
const MOST: f64 = 1e12;

/// The number at the start of a text, and the unit after it; a letter may stand for the decimal point.
fn number<'a>(text: &'a str, kind: &Kind) -> Option<(f64, &'a str)> {
    let (_, length) = Decimal::parse_prefix(text.as_bytes())?;
    let rest = text.get(length..)?;
    let unit = rest.trim_start();
    let whole = text.get(..length)?;
    let value = || whole.parse::<f64>().ok();
    let letter = unit.chars().next().map_or(0, char::len_utf8);
    let after = unit.get(letter..)?;
    let digits = after.bytes().take_while(u8::is_ascii_digit).count();
    let as_point = digits > 0 && rest.len() == unit.len() && whole.bytes().all(|byte| byte.is_ascii_digit());
    if !as_point {
        return Some((value()?, unit));
    }
    let fraction: f64 = format!("{whole}.{}", after.get(..digits)?).parse().ok()?;
    // What follows the digits may only repeat the unit: `4k7Ω`.
    let tail = after.get(digits..)?;
    let known = tail.is_empty() || kind.typed.contains(&tail);
    Some((fraction, if known { unit.get(..letter)? } else { unit }))
}

/// The power of ten of a prefix and unit.
fn power_of(unit: &str, kind: &Kind) -> Option<i32> {
    if unit.is_empty() || kind.typed.contains(&unit) {
        return Some(0);
    }
    // A bare prefix will do where the kind is known: `10k`, `100n`.
    let named =
        |prefix: &str| unit.strip_prefix(prefix).is_some_and(|rest| rest.is_empty() || kind.typed.contains(&rest));
    PREFIXES.iter().find(|(prefix, _)| !prefix.is_empty() && named(prefix)).map(|(_, power)| *power)
}

/// Most digits after the point that [`resolved`] shows.
const MOST_DIGITS: i32 = 9;

/// A number with the digits that its resolution supports; with five significant ones where there is no resolution.
///
/// The last digit is the one that a step of the resolution changes.
pub fn resolved(value: f64, resolution: Option<f64>) -> String {
    if !is_written_out(value) {
        return significant(value);
    }
    let size = match resolution.filter(|step| *step > 0.0 && step.is_finite()) {
        Some(step) => cast::i32_from_f64(-step.log10().floor()),
        None if value == 0.0 => 0,
        None => 4 - cast::i32_from_f64(value.abs().log10().floor()),
    };
    // Beyond what people read, more digits say nothing.
    let most =
        if value == 0.0 { 0 } else { (6 - cast::i32_from_f64(value.abs().log10().floor())).clamp(0, MOST_DIGITS) };
    let digits = cast::usize_from_i32(size.clamp(0, most));
    let text = format!("{value:.digits$}");
    match (resolution, text.contains('.')) {
        (None, true) => text.trim_end_matches('0').trim_end_matches('.').to_owned(),
        _ => text,
    }
}

/// Whether a number is written with all its digits, and not with a power of ten.
fn is_written_out(value: f64) -> bool {
    value == 0.0 || (1e-9..1e15).contains(&value.abs())
}

/// A number to three significant digits, without noughts at its end: `7.05`, `120`, `0.0033`.
pub fn significant(value: f64) -> String {
    significant_to(value, 3)
}

/// A number to so many significant digits, without noughts at its end.
pub fn significant_to(value: f64, digits: usize) -> String {
    let after = digits.saturating_sub(1);
    if !is_written_out(value) {
        return if value.is_finite() { format!("{value:.after$e}") } else { "unknown".to_owned() };
    }
    if value == 0.0 {
        return "0".to_owned();
    }
    let rounded: f64 = format!("{value:.after$e}").parse().unwrap_or(value);
    let places =
        cast::usize_from_i32((cast::i32_from_usize(after) - cast::i32_from_f64(rounded.abs().log10().floor())).max(0));
    let text = format!("{rounded:.places$}");
    match text.contains('.') {
        true => text.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => text,
    }
}

/// A value with its unit and the prefix that leaves one to three digits before the point: `7.05 V`, `2.2 kΩ`.
pub fn engineering(value: f64, symbol: &str) -> String {
    engineering_to(value, symbol, 3)
}

/// The same to so many significant digits: `17.829 mA`.
pub fn engineering_to(value: f64, symbol: &str, digits: usize) -> String {
    let after = digits.saturating_sub(1);
    let rounded: f64 = format!("{value:.after$e}").parse().unwrap_or(value);
    let step = match rounded == 0.0 || !rounded.is_finite() {
        true => 0,
        false => cast::i32_from_f64((rounded.abs().log10() / 3.0).floor()).clamp(-4, 3),
    };
    let prefix =
        ["p", "n", "µ", "m", "", "k", "M", "G"].get(cast::usize_from_i32(step + 4)).copied().unwrap_or_default();
    format!("{} {prefix}{symbol}", significant_to(value / 10f64.powi(3 * step), digits))
}

/// A length of time with three digits, as people read it; from 1000 s on in whole seconds.
pub fn short_time(time: Nanos) -> String {
    short_time_to(time, 3)
}

/// The same with so many significant digits.
pub fn short_time_to(time: Nanos, digits: usize) -> String {
    match time.seconds() {
        seconds if seconds >= 999.5 => format!("{seconds:.0} s"),
        seconds => engineering_to(seconds, "s", digits),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn values_are_read_as_people_type_them() {
        for (text, ohms) in [
            ("10k", 10e3),
            ("4k7", 4700.0),
            ("2R2", 2.2),
            ("2.2 kΩ", 2200.0),
            ("1M", 1e6),
            ("330 ohm", 330.0),
            ("4k7Ω", 4700.0),
            ("220", 220.0),
            ("0.5 R", 0.5),
        ] {
            assert_eq!(text.parse(), Ok(Ohms(ohms)), "{text}");
        }
        assert_eq!("100nF".parse(), Ok(Farads(100.0 * 10f64.powi(-9))));
        assert_eq!("4u7".parse(), Ok(Farads(4.7 * 10f64.powi(-6))));
        assert_eq!("3V3".parse(), Ok(Volts(3.3)));
        assert_eq!("-5 V".parse(), Ok(Volts(-5.0)));
        assert_eq!("15 mA".parse(), Ok(Amperes(0.015)));
        assert_eq!("20 m".parse(), Ok(Metres(20.0)));
        assert_eq!("130 rpm".parse(), Ok(Speed::Rpm(130.0)));
        assert_eq!("5 %".parse(), Ok(Share(0.05)));
    }

    #[test]
    fn what_is_no_value_is_refused_with_the_reason() {
        fn message<T: FromStr<Err = QuantityError> + fmt::Debug>(text: &str) -> String {
            text.parse::<T>().unwrap_err().to_string()
        }
        assert_eq!(message::<Ohms>("-10k"), "`-10k` is negative");
        assert_eq!(message::<Ohms>("0"), "`0` must be above zero");
        assert_eq!(message::<Ohms>("10 V"), "unknown unit of resistance `V`: use `Ω`");
        assert_eq!(message::<Ohms>("4k7x"), "unknown unit of resistance `k7x`: use `Ω`");
        assert_eq!(message::<Amperes>("20"), "`20` has no unit: is it `20 mA` or `20 A`?");
        assert_eq!(message::<Speed>("130"), "`130` has no unit: is it `130 rpm` or `130 Hz`?");
        assert_eq!(message::<Share>("120 %"), "`120 %` is too large: at most 99.9 %");
        assert_eq!(message::<Farads>("big"), "`big` does not begin with a number");
    }

    #[test]
    fn values_are_printed_with_three_digits_and_a_prefix() {
        for (value, text) in [
            (7.049, "7.05 V"),
            (0.0, "0 V"),
            (0.9999, "1 V"),
            (999.9, "1 kV"),
            (-0.0123, "-12.3 mV"),
            (4.7e-7, "470 nV"),
            (1e-13, "0.1 pV"),
            (24.0, "24 V"),
        ] {
            assert_eq!(Volts(value).to_string(), text);
        }
    }

    #[test]
    fn a_reading_is_printed_with_the_digits_that_its_resolution_supports() {
        for (value, resolution, text) in [
            (90.4947, Some(10.0), "90"),
            (90.4947, Some(0.5), "90.5"),
            (90.4947, Some(0.016), "90.49"),
            (-90.4947, Some(0.016), "-90.49"),
            (40.0, Some(0.016), "40.00"),
            (90.4947, Some(1e-9), "90.49470"),
            (90.4947, None, "90.495"),
            (0.000_123_456, None, "0.00012346"),
            (25_000.0, None, "25000"),
            (0.0, Some(0.1), "0"),
            (0.0, None, "0"),
        ] {
            assert_eq!(resolved(value, resolution), text, "{value} {resolution:?}");
        }
    }

    proptest! {
        #[test]
        fn a_printed_value_reads_back_to_three_digits(mantissa in 1.0..9.99f64, power in -11..10i32) {
            let value = mantissa * 10f64.powi(power);
            let Ohms(back) = Ohms(value).to_string().parse().unwrap();
            prop_assert!((back / value - 1.0).abs() < 0.0051, "{} {}", value, back);
        }

        #[test]
        fn no_text_makes_it_panic(text in "\\PC{0,10}") {
            let _ = (text.parse::<Ohms>(), text.parse::<Volts>(), text.parse::<Speed>(), text.parse::<Share>());
        }
    }
}
