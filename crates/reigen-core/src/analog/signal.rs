//! Analog signals: 4–20 mA and its relatives.

use std::str::FromStr;

/// An analog signal: from its low to its high end, a current or a voltage.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Signal {
    /// What it gives at the low end of what is measured, in amperes or volts.
    pub low: f64,
    /// What it gives at the high end.
    pub high: f64,
    /// Whether it is a current.
    pub is_current: bool,
}

impl Signal {
    /// 4 to 20 mA (IEC 60381-1).
    pub const FOUR_TO_TWENTY: Signal = Signal { low: 0.004, high: 0.020, is_current: true };

    /// Its ends, in amperes or volts.
    pub fn ends(self) -> (f64, f64) {
        (self.low, self.high)
    }

    /// Whether it is a current.
    pub fn is_current(self) -> bool {
        self.is_current
    }

    /// Whether two signals have the same ends, to a millionth of the span.
    pub fn is_same(self, other: Signal) -> bool {
        let near = |one: f64, two: f64| (one - two).abs() <= 1e-6 * (self.high - self.low).abs();
        self.is_current == other.is_current && near(self.low, other.low) && near(self.high, other.high)
    }

    /// A signal between two ends.
    ///
    /// # Errors
    /// Where the low end is not below the high one.
    pub fn between(low: f64, high: f64, is_current: bool) -> Result<Self, String> {
        let signal = Signal { low, high, is_current };
        match low < high && low.is_finite() && high.is_finite() {
            true => Ok(signal),
            false => Err(format!("the low end of a signal must come first, found {signal}")),
        }
    }

    /// Both ends in milliamperes or volts, and that unit.
    pub fn usual(self) -> ([f64; 2], &'static str) {
        let scale = if self.is_current { 1e3 } else { 1.0 };
        // As decimal figures: 0.004 A are 4 mA, to the last digit.
        let rounded = |value: f64| (value * scale * 1e9).round() / 1e9;
        ([rounded(self.low), rounded(self.high)], if self.is_current { "mA" } else { "V" })
    }
}

impl FromStr for Signal {
    type Err = String;

    /// Reads `4-20mA`, `0-10V`, `0.5 - 4.5 V`.
    fn from_str(text: &str) -> Result<Self, String> {
        let wrong =
            || format!("`{text}` is not a signal: write two ends and a unit, such as 4-20mA, 0-10V or 0.5-4.5V");
        let plain: String = text.chars().filter(|letter| !letter.is_whitespace()).collect();
        let unit = plain.trim_start_matches(|letter: char| letter.is_ascii_digit() || ".+-".contains(letter));
        let ends = plain.strip_suffix(unit).ok_or_else(wrong)?;
        // A minus may stand before the first end, so the dash between is looked for behind it.
        let dash = ends.get(1..).and_then(|rest| rest.find('-')).ok_or_else(wrong)? + 1;
        let (low, high) = (ends.get(..dash), ends.get(dash + 1..));
        let number = |text: Option<&str>| text.and_then(|text| text.parse::<f64>().ok()).ok_or_else(wrong);
        let (scale, is_current) = match unit.to_ascii_lowercase().as_str() {
            "ma" => (1e-3, true),
            "v" => (1.0, false),
            "mv" => (1e-3, false),
            "a" => (1.0, true),
            _ => return Err(wrong()),
        };
        // A division keeps decimal figures where a product by 0.001 does not.
        let scaled = |value: f64| if scale == 1.0 { value } else { value / 1e3 };
        Signal::between(scaled(number(low)?), scaled(number(high)?), is_current)
    }
}

impl std::fmt::Display for Signal {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let ([low, high], unit) = self.usual();
        write!(formatter, "{low}-{high}{unit}")
    }
}
