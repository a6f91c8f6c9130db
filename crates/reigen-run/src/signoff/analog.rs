//! An analog value: two values are set at the machine and held against what is read.

use super::Judged;
use reigen_core::units::resolved;

/// So much of the range it may be off.
const TOLERANCE: f64 = 0.01;
/// So far apart, as a part of the range, two values must be to tell anything.
const APART: f64 = 0.1;

/// A value that was set, and what was read.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pair {
    /// What was set.
    pub set: f64,
    /// What was read.
    pub read: f64,
}

/// Whether two values that are set are far enough apart; `range` is that of the point, where it has one.
pub fn are_apart(first: f64, second: f64, range: Option<[f64; 2]>) -> bool {
    let apart = (second - first).abs();
    apart > 0.0 && range.is_none_or(|[least, most]| apart >= APART * (most - least))
}

/// Says what came of it.
pub fn judge(first: Pair, second: Pair, range: Option<[f64; 2]>, unit: &str) -> Judged {
    let span = range.map_or((second.set - first.set).abs(), |[least, most]| most - least);
    let gain = (second.read - first.read) / (second.set - first.set);
    let offset = first.read - gain * first.set;
    let off = |pair: Pair| pair.read - pair.set;
    let worse = if off(first).abs() > off(second).abs() { first } else { second };
    let worst = off(worse);
    let figures = [
        ("set_1", first.set),
        ("read_1", first.read),
        ("set_2", second.set),
        ("read_2", second.read),
        ("gain", gain),
        ("offset", offset),
    ];
    // Finer than a hundredth of what is allowed is of no interest.
    let step = TOLERANCE * span / 100.0;
    let worst = if worst.abs() < step { 0.0 } else { worst };
    let words = |value: f64| format!("{} {unit}", resolved(value, None)).trim_end().to_owned();
    let judged = if worst.abs() <= TOLERANCE * span {
        Judged::passed(format!("off by {} at most, {} is allowed", words(worst.abs()), words(TOLERANCE * span)))
    } else if gain < 0.0 {
        Judged::failed(
            format!("it falls where it should rise: {} for {}", words(second.read), words(second.set)),
            "the sensor is wired the wrong way round, or `scale` of the station is",
        )
    } else {
        let message = format!("off by {}: it reads {} for {}", words(worst), words(worse.read), words(worse.set));
        Judged::failed(
            message,
            "check both instruments, then `scale` of the station against the data sheet of the sensor",
        )
    };
    judged.with(figures)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signoff::Verdict;

    #[test]
    fn what_is_off_is_told_by_how_much() {
        let pair = |set: f64, read: f64| Pair { set, read };
        let range = Some([0.0, 100.0]);
        let cases = [
            (pair(10.0, 10.4), pair(90.0, 89.8), Verdict::Passed, "off by 0.4 kg"),
            (pair(10.0, 12.0), pair(90.0, 92.0), Verdict::Failed, "off by 2 kg"),
            (pair(10.0, 90.0), pair(90.0, 10.0), Verdict::Failed, "it falls where it should rise"),
        ];
        for (first, second, verdict, message) in cases {
            let judged = judge(first, second, range, "kg");
            assert!(judged.verdict == verdict && judged.message.contains(message), "{judged:?}");
        }
        assert!(are_apart(10.0, 20.0, range) && !are_apart(10.0, 15.0, range) && !are_apart(10.0, 10.0, None));
    }
}
