//! Times and lengths of time, in whole nanoseconds.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::ops::{Add, AddAssign, Sub};

/// A time since the start of the recording, or a length of time, in nanoseconds.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize, schemars::JsonSchema,
)]
#[serde(transparent)]
#[repr(transparent)]
pub struct Nanos(pub u64);

/// The furthest from zero that a file's own time may be, in nanoseconds: 146 years.
///
/// Half of what `i64` holds, so that sums of two times never overflow.
pub const MOST_FILE_TIME_NS: i64 = 1 << 62;

/// Whether a file's own time lies within what is worked with.
pub fn is_file_time(file_time_ns: i64) -> bool {
    (-MOST_FILE_TIME_NS..=MOST_FILE_TIME_NS).contains(&file_time_ns)
}

impl Nanos {
    /// The length of time as seconds; exact below 2^53 ns (104 days).
    pub fn seconds(self) -> f64 {
        self.0 as f64 / 1e9
    }

    /// The time as a place in the recording, from its start on: see [`place`].
    pub fn place(self) -> String {
        place(i64::try_from(self.0).unwrap_or(i64::MAX))
    }

    /// The time before this one by `other`, or zero.
    pub fn saturating_sub(self, other: Nanos) -> Nanos {
        Nanos(self.0.saturating_sub(other.0))
    }
}

/// A time beyond all times is the last one, at which nothing is ever due.
impl Add for Nanos {
    type Output = Nanos;
    #[inline]
    fn add(self, other: Nanos) -> Nanos {
        Nanos(self.0.saturating_add(other.0))
    }
}

impl Sub for Nanos {
    type Output = Nanos;
    #[inline]
    fn sub(self, other: Nanos) -> Nanos {
        Nanos(self.0 - other.0)
    }
}

impl AddAssign for Nanos {
    #[inline]
    fn add_assign(&mut self, other: Nanos) {
        *self = *self + other;
    }
}

/// A length of time as a person reads it: exact, in the largest unit that leaves it at least 1.
impl fmt::Display for Nanos {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (unit, size) = match self.0 {
            0 => ("s", 1_000_000_000),
            1..1_000 => ("ns", 1),
            1_000..1_000_000 => ("µs", 1_000),
            1_000_000..1_000_000_000 => ("ms", 1_000_000),
            _ => ("s", 1_000_000_000),
        };
        let decimals = decimal_places(size);
        let rest = format!("{:0decimals$}", self.0 % size);
        let rest = rest.trim_end_matches('0');
        let text = match rest {
            "" => format!("{} {unit}", self.0 / size),
            _ => format!("{}.{rest} {unit}", self.0 / size),
        };
        formatter.pad(&text)
    }
}

fn decimal_places(size: u64) -> usize {
    size.ilog10() as usize
}

/// A half-open stretch of time `[from, until)` that the engine works through at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Window {
    /// The first time that belongs to the window.
    pub from: Nanos,
    /// The first time that no longer does.
    pub until: Nanos,
}

/// The file's own time of a recording's first time, in nanoseconds; may be negative.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(transparent)]
pub struct Origin(pub i64);

impl Origin {
    /// The file's own time, in nanoseconds, of a time since the recording's start.
    pub fn file_time_ns(self, time: Nanos) -> i64 {
        self.0.saturating_add(i64::try_from(time.0).unwrap_or(i64::MAX))
    }

    /// The time since the recording's start of a file's own time; `None` where it lies before the start.
    pub fn since_start(self, file_time_ns: i64) -> Option<Nanos> {
        let since = i128::from(file_time_ns) - i128::from(self.0);
        u64::try_from(since).ok().map(Nanos)
    }
}

/// A file's own time as seconds, exact and without needless zeros: `-0.0000015`.
pub fn seconds_short(file_time_ns: i64) -> String {
    let sign = if file_time_ns < 0 { "-" } else { "" };
    let size = file_time_ns.unsigned_abs();
    let text = format!("{sign}{}.{:09}", size / 1_000_000_000, size % 1_000_000_000);
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// A place in a recording as people read it: to the millisecond, or to three digits in the first second: `48.065 s`,
/// `1.25 ms`. [`seconds_short`] has all digits.
pub fn place(file_time_ns: i64) -> String {
    let sign = if file_time_ns < 0 { "-" } else { "" };
    let size = file_time_ns.unsigned_abs();
    if size < SECOND {
        return format!("{sign}{}", crate::units::short_time(Nanos(size)));
    }
    let rounded = size.saturating_add(MILLISECOND / 2) / MILLISECOND * MILLISECOND;
    let text = format!("{sign}{}.{:03}", rounded / SECOND, rounded % SECOND / MILLISECOND);
    format!("{} s", text.trim_end_matches('0').trim_end_matches('.'))
}

/// Places one below the other, in seconds with as many digits as tell neighbours apart: three at least.
pub fn places(file_times_ns: &[i64]) -> Vec<String> {
    let shown = |digits: u32| -> Vec<String> { file_times_ns.iter().map(|&time| seconds_to(time, digits)).collect() };
    let tells = |shown: &[String]| {
        let pairs = file_times_ns.windows(2).zip(shown.windows(2));
        pairs.into_iter().all(|(times, texts)| times.first() == times.last() || texts.first() != texts.last())
    };
    (3..9).map(shown).find(|shown| tells(shown)).unwrap_or_else(|| shown(9))
}

/// A time in seconds with so many digits behind the point, at most nine.
fn seconds_to(file_time_ns: i64, digits: u32) -> String {
    let sign = if file_time_ns < 0 { "-" } else { "" };
    let step = 10u64.pow(9 - digits.min(9));
    let rounded = file_time_ns.unsigned_abs().saturating_add(step / 2) / step * step;
    let rest = format!("{:09}", rounded % SECOND);
    let digits = usize::try_from(digits).unwrap_or(9);
    format!("{sign}{}.{} s", rounded / SECOND, rest.get(..digits).unwrap_or(&rest))
}

/// Nanoseconds in a second, and in a millisecond.
const SECOND: u64 = 1_000_000_000;
const MILLISECOND: u64 = 1_000_000;

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_place_is_told_to_the_millisecond() {
        let cases: [(i64, &str); 7] = [
            (0, "0 s"),
            (48_064_661_062, "48.065 s"),
            (30_000_000_000, "30 s"),
            (1_999_600_000, "2 s"),
            (1_234_567, "1.23 ms"),
            (-1_500, "-1.5 µs"),
            (i64::MIN, "-9223372036.855 s"),
        ];
        for (time_ns, text) in cases {
            assert_eq!(place(time_ns), text);
        }
    }

    #[test]
    fn places_below_one_another_are_told_apart() {
        for (times, shown) in [
            (vec![], vec![]),
            (vec![30_000_000_000, 30_005_000_000], vec!["30.000 s", "30.005 s"]),
            (vec![30_001_914_977, 30_002_177_686, 30_002_474_841], vec!["30.0019 s", "30.0022 s", "30.0025 s"]),
            (vec![5, 5, 6], vec!["0.000000005 s", "0.000000005 s", "0.000000006 s"]),
            (vec![-1_500_000_000], vec!["-1.500 s"]),
        ] {
            assert_eq!(places(&times), shown);
        }
    }

    proptest! {
        #[test]
        fn neighbours_that_differ_are_shown_different(times in prop::collection::vec(-10_000_000_000i64..10_000_000_000, 0..20)) {
            let mut times = times;
            times.sort_unstable();
            let shown = places(&times);
            for (pair, texts) in times.windows(2).zip(shown.windows(2)) {
                prop_assert_eq!(pair[0] == pair[1], texts[0] == texts[1], "{:?} {:?}", pair, texts);
            }
            for (time, text) in times.iter().zip(&shown) {
                let seconds: f64 = text.trim_end_matches(" s").parse().unwrap();
                prop_assert!((seconds - *time as f64 / 1e9).abs() <= 0.0005, "{} as {}", time, text);
            }
        }
    }

    #[test]
    fn lengths_of_time_print_exactly_in_a_sensible_unit() {
        let cases = [
            (0, "0 s"),
            (999, "999 ns"),
            (1_500, "1.5 µs"),
            (8_000_000, "8 ms"),
            (3_204_118_000, "3.204118 s"),
            (1_000_000_001, "1.000000001 s"),
        ];
        for (nanos, text) in cases {
            assert_eq!(Nanos(nanos).to_string(), text);
        }
    }

    #[test]
    fn file_times_go_there_and_back_over_a_negative_origin() {
        let origin = Origin(-1_500);
        assert_eq!(origin.file_time_ns(Nanos(500)), -1_000);
        assert_eq!(origin.since_start(-1_000), Some(Nanos(500)));
        assert_eq!(origin.since_start(-1_501), None);
        assert_eq!(seconds_short(-1_500), "-0.0000015");
        assert_eq!(seconds_short(20_000_000_000), "20");
    }
}
