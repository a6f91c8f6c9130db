//! The time axis: marks at round times, in the unit that suits the stretch.

use reigen_core::cast;

/// Marks of an axis.
#[derive(Debug, Clone, PartialEq)]
pub struct Axis {
    /// What the labels are in, and what they count from: `s`, or `µs from 3.204 s`.
    pub title: String,
    /// Times in nanoseconds of the file, with their labels.
    pub marks: Vec<(i64, String)>,
}

/// A logarithmic axis of times, from left to right.
#[derive(Debug, Clone, Copy)]
pub(crate) struct LogAxis {
    /// The pixels between which it runs.
    pub(crate) left: i32,
    pub(crate) right: i32,
    /// Logarithms of the shortest and the longest time, in nanoseconds.
    pub(crate) ends: (f64, f64),
}

impl LogAxis {
    /// Where a time stands; one beyond an end stands at it.
    pub(crate) fn x(&self, nanos: f64) -> i32 {
        let (shortest, longest) = self.ends;
        let share = (nanos.max(1.0).log10() - shortest) / (longest - shortest).max(1e-9);
        self.left + cast::i32_from_f64(share.clamp(0.0, 1.0) * f64::from(self.right - self.left))
    }
}

/// Units and their nanoseconds, the largest first.
const UNITS: [(&str, i64); 4] = [("s", 1_000_000_000), ("ms", 1_000_000), ("µs", 1_000), ("ns", 1)];

/// The axis of a stretch in the file's own times, with about `wanted` marks.
pub fn axis(from_ns: i64, until_ns: i64, wanted: i64) -> Axis {
    // Times may lie as far from 0 as their type allows: what would go beyond is no mark.
    let length = until_ns.saturating_sub(from_ns).max(1);
    let step = round_step(length / wanted.max(1));
    let (unit, size) = UNITS.into_iter().find(|(_, size)| *size <= length).unwrap_or(("ns", 1));
    // Times far from 0 are counted from a round time near the start, so that labels stay short.
    let far = unit != "s" && from_ns.unsigned_abs().max(until_ns.unsigned_abs()) / length.unsigned_abs() > 100;
    let base_step = step.saturating_mul(10);
    let base = if far { from_ns.div_euclid(base_step).saturating_mul(base_step) } else { 0 };
    let title = if far { format!("{unit} from {} s", decimal(base, UNITS[0].1)) } else { unit.to_owned() };
    let first = from_ns.div_euclid(step).saturating_mul(step);
    let marks = (0..=wanted * 4 + 4)
        .filter_map(|number| first.checked_add(number.checked_mul(step)?))
        .filter(|mark| (from_ns..=until_ns).contains(mark))
        .map(|mark| (mark, decimal(mark.saturating_sub(base), size)))
        .collect();
    Axis { title, marks }
}

/// The least of 1, 2, 5, 10, 20, 50, … at or above `least`.
fn round_step(least: i64) -> i64 {
    let mut power = 1i64;
    loop {
        for factor in [1, 2, 5] {
            if power.saturating_mul(factor) >= least {
                return power.saturating_mul(factor);
            }
        }
        power = power.saturating_mul(10);
    }
}

/// A number of nanoseconds in a unit, exactly: `3.204`.
fn decimal(nanos: i64, unit: i64) -> String {
    let sign = if nanos < 0 { "-" } else { "" };
    let (whole, part) = (nanos.unsigned_abs() / unit.unsigned_abs(), nanos.unsigned_abs() % unit.unsigned_abs());
    if part == 0 {
        return format!("{sign}{whole}");
    }
    let digits = unit.ilog10() as usize;
    format!("{sign}{whole}.{}", format!("{part:0digits$}").trim_end_matches('0'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn marks_are_round_and_in_a_sensible_unit() {
        let labels = |from, until| {
            let axis = axis(from, until, 6);
            (axis.title, axis.marks.iter().map(|(_, label)| label.as_str()).collect::<Vec<_>>().join(" "))
        };
        assert_eq!(labels(0, 120_000_000_000), ("s".to_owned(), "0 20 40 60 80 100 120".to_owned()));
        assert_eq!(labels(-5_000_000, 25_000_000), ("ms".to_owned(), "-5 0 5 10 15 20 25".to_owned()));
        assert_eq!(
            labels(3_204_118_000, 3_204_148_000),
            ("µs from 3.2041 s".to_owned(), "20 25 30 35 40 45".to_owned())
        );
        assert_eq!(labels(7, 8), ("ns".to_owned(), "7 8".to_owned()));
    }

    proptest! {
        #[test]
        fn every_axis_has_a_few_marks_within(from in -1_000_000_000_000i64..1_000_000_000_000, length in 10..1_000_000_000_000i64) {
            let axis = axis(from, from + length, 8);
            prop_assert!((2..=17).contains(&axis.marks.len()), "{:?}", axis);
            prop_assert!(axis.marks.iter().all(|(mark, _)| (from..=from + length).contains(mark)));
        }

        #[test]
        fn no_axis_leaves_its_stretch_however_long_that_is(one in any::<i64>(), other in any::<i64>(), wanted in 1..20i64) {
            let (from, until) = (one.min(other), one.max(other));
            prop_assert!(axis(from, until, wanted).marks.iter().all(|(mark, _)| (from..=until).contains(mark)));
        }
    }
}
