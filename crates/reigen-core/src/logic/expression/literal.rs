//! Literals with a type or a base before them, as IEC 61131-3 has them: `16#FF`, `2#1010`, `T#2s500ms`, `BOOL#1`.

use super::{ExpressionErrorKind, Value};
use crate::cast;

/// Units of a duration, the longest name first, in nanoseconds.
const UNITS: [(&str, f64); 7] =
    [("ms", 1e6), ("us", 1e3), ("ns", 1.0), ("d", 86_400e9), ("h", 3_600e9), ("m", 60e9), ("s", 1e9)];

/// How long a literal is that has a `#` at `mark`: all letters and digits behind it, a sign before them, a point within.
pub(super) fn length(text: &str, mark: usize) -> usize {
    let bytes = text.as_bytes();
    let signed = mark + 1 + usize::from(matches!(bytes.get(mark + 1), Some(b'+' | b'-')));
    let mut at = signed;
    while let Some(byte) = bytes.get(at) {
        let within = byte.is_ascii_alphanumeric() || *byte == b'_';
        let point = *byte == b'.' && bytes.get(at + 1).is_some_and(u8::is_ascii_digit);
        let exponent = matches!(byte, b'+' | b'-') && matches!(bytes.get(at - 1), Some(b'e' | b'E'));
        if !(within || point || (exponent && at > signed)) {
            break;
        }
        at += 1;
    }
    at
}

/// The value of a literal, parted at its `#`; `plain` reads a number without one.
pub(super) fn value(
    before: &str,
    after: &str,
    plain: impl Fn(&str) -> Result<Value, ExpressionErrorKind>,
) -> Result<Value, ExpressionErrorKind> {
    let wrong = || ExpressionErrorKind::BadLiteral(format!("{before}#{after}"));
    let digits = || after.chars().filter(|letter| *letter != '_').collect::<String>();
    match before.to_ascii_uppercase().as_str() {
        base @ ("2" | "8" | "16") => {
            let base = base.parse().map_err(|_| wrong())?;
            i64::from_str_radix(&digits(), base)
                .ok()
                .filter(|number| *number >= 0)
                .map(Value::Integer)
                .ok_or_else(wrong)
        }
        "BOOL" => match digits().to_ascii_uppercase().as_str() {
            "1" | "TRUE" => Ok(Value::Bit(true)),
            "0" | "FALSE" => Ok(Value::Bit(false)),
            _ => Err(wrong()),
        },
        "T" | "TIME" | "LT" | "LTIME" => duration(&digits()).ok_or_else(wrong).map(Value::Real),
        "SINT" | "INT" | "DINT" | "LINT" | "USINT" | "UINT" | "UDINT" | "ULINT" => {
            signed(after, plain).filter(|value| matches!(value, Value::Integer(_))).ok_or_else(wrong)
        }
        "REAL" | "LREAL" => signed(after, plain).and_then(Value::as_real).and_then(Value::real).ok_or_else(wrong),
        _ => Err(wrong()),
    }
}

fn signed(text: &str, plain: impl Fn(&str) -> Result<Value, ExpressionErrorKind>) -> Option<Value> {
    match text.strip_prefix('-') {
        Some(size) => plain(size).ok()?.negated(),
        None => plain(text.strip_prefix('+').unwrap_or(text)).ok(),
    }
}

/// The seconds of a duration such as `1d2h3m4s5ms6us7ns`, each unit at most once and in falling order.
fn duration(text: &str) -> Option<f64> {
    let (sign, mut rest) = match text.strip_prefix('-') {
        Some(rest) => (-1.0, rest),
        None => (1.0, text.strip_prefix('+').unwrap_or(text)),
    };
    let (mut nanos, mut last_unit) = (0.0, f64::INFINITY);
    while !rest.is_empty() {
        let end = rest.find(|letter: char| !(letter.is_ascii_digit() || letter == '.'))?;
        let (number, after) = rest.split_at(end);
        let lower = after.to_ascii_lowercase();
        let (name, unit) = UNITS.iter().find(|(name, _)| lower.starts_with(name))?;
        if *unit >= last_unit {
            return None;
        }
        nanos += number.parse::<f64>().ok()? * unit;
        last_unit = *unit;
        rest = after.get(name.len()..)?;
    }
    // In whole nanoseconds, as all times are.
    let whole = (last_unit < f64::INFINITY).then(|| cast::u64_from_f64(nanos.round()))?;
    Some(sign * crate::time::Nanos(whole).seconds())
}
