//! The preferred number series of IEC 60063, E6 to E192.

use reigen_core::cast;
use std::str::FromStr;

/// A series of preferred numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Series {
    /// 6 values a decade, 20 %.
    E6,
    /// 12 values a decade, 10 %.
    E12,
    /// 24 values a decade, 5 %.
    E24,
    /// 48 values a decade, 2 %.
    E48,
    /// 96 values a decade, 1 %.
    E96,
    /// 192 values a decade, 0.5 % and finer.
    E192,
}

/// E24 in hundredths; E12 and E6 are every second and fourth of it (IEC 60063, table 1).
const E24: [u32; 24] = [
    100, 110, 120, 130, 150, 160, 180, 200, 220, 240, 270, 300, 330, 360, 390, 430, 470, 510, 560, 620, 680, 750, 820,
    910,
];

/// All series, coarse to fine, with their names.
pub const ALL: [(&str, Series); 6] = [
    ("E6", Series::E6),
    ("E12", Series::E12),
    ("E24", Series::E24),
    ("E48", Series::E48),
    ("E96", Series::E96),
    ("E192", Series::E192),
];

impl FromStr for Series {
    type Err = String;
    fn from_str(text: &str) -> Result<Self, String> {
        let found = ALL.iter().find(|(name, _)| name.eq_ignore_ascii_case(text));
        found.map(|(_, series)| *series).ok_or_else(|| format!("`{text}` is no series: E6, E12, E24, E48, E96 or E192"))
    }
}

impl std::fmt::Display for Series {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.write_str(ALL.iter().find(|(_, series)| series == self).map_or("", |(name, _)| name))
    }
}

impl Series {
    /// The series in which resistors of a tolerance are made.
    pub fn of_tolerance(share: f64) -> Self {
        // A hair's breadth for shares that have been through a division.
        match share + 1e-9 {
            share if share >= 0.20 => Series::E6,
            share if share >= 0.10 => Series::E12,
            share if share >= 0.05 => Series::E24,
            share if share >= 0.02 => Series::E48,
            share if share >= 0.01 => Series::E96,
            _ => Series::E192,
        }
    }

    /// The values of a decade in hundredths: 100 to 999.
    pub fn decade(self) -> Vec<u32> {
        let every = |step: usize| E24.iter().step_by(step).copied().collect();
        match self {
            Series::E6 => every(4),
            Series::E12 => every(2),
            Series::E24 => every(1),
            Series::E48 => rounded(48),
            Series::E96 => rounded(96),
            Series::E192 => rounded(192),
        }
    }

    /// The greatest preferred value at or below `value`, which must be above zero.
    pub fn below(self, value: f64) -> f64 {
        self.around(value).0
    }

    /// The least preferred value at or above `value`, which must be above zero.
    pub fn above(self, value: f64) -> f64 {
        self.around(value).1
    }

    /// The preferred value whose ratio to `value` is nearest to one.
    pub fn nearest(self, value: f64) -> f64 {
        let (below, above) = self.around(value);
        if value / below <= above / value { below } else { above }
    }

    /// Whether `value` is a preferred one, to three digits.
    pub fn has(self, value: f64) -> bool {
        (self.nearest(value) / value - 1.0).abs() < 1e-6
    }

    /// The neighbours of a value; both the value itself where it is preferred.
    fn around(self, value: f64) -> (f64, f64) {
        let power = cast::i32_from_f64(value.log10().floor()) - 2;
        // Near the border of a decade the logarithm may fall on either side: look into the next ones too.
        let candidates = [power - 1, power, power + 1]
            .into_iter()
            .flat_map(|power| self.decade().into_iter().map(move |hundredths| scaled(hundredths, power)));
        let (mut below, mut above) = (0.0, f64::INFINITY);
        for candidate in candidates {
            // A value that came out of a sum may miss the preferred one by its last bits.
            if candidate <= value * (1.0 + 1e-9) {
                below = f64::max(below, candidate);
            }
            if candidate >= value * (1.0 - 1e-9) {
                above = f64::min(above, candidate);
            }
        }
        (below, above)
    }
}

/// `hundredths` · 10^`power`, as the nearest number to the decimal one.
fn scaled(hundredths: u32, power: i32) -> f64 {
    match power < 0 {
        true => f64::from(hundredths) / 10f64.powi(-power),
        false => f64::from(hundredths) * 10f64.powi(power),
    }
}

/// 10^(k/n) to three digits; 9.20 of E192 is the one exception in the standard, where the formula gives 9.19.
fn rounded(number: u32) -> Vec<u32> {
    let exact =
        |step: u32| cast::u32_from_f64(libm::round(100.0 * libm::pow(10.0, f64::from(step) / f64::from(number))));
    (0..number).map(exact).map(|value| if value == 919 { 920 } else { value }).collect()
}
