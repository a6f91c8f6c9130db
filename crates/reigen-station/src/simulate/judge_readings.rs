//! Positions, speeds and values, held against what really happened.

use super::judge::{Judgement, ReadingError};
use super::truth::{At, Truth, TruthFile};
use reigen_core::time::{Nanos, Origin, seconds_short};
use reigen_core::units::significant;

/// An error is a difference where it is beyond so many times the stated resolution,
const RESOLUTIONS: f64 = 2.0;
/// and beyond this share of the truth: marks of a real wheel are not even.
const SHARE: f64 = 0.03;
/// Of an analog value beyond this share of all that it did: noise is no error of the station.
const OF_RANGE: f64 = 0.02;

/// A reading: when it came, its value, the resolution that it states, and over how long it was taken.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ReadingSample {
    /// When.
    pub at: Nanos,
    /// What.
    pub value: f64,
    /// What it resolves, where it says so.
    pub resolution: Option<f64>,
    /// The time that it speaks for.
    pub over: Nanos,
}

impl TruthFile {
    /// Judges an encoder by all the counts that it made, up less down; `counts_per_cycle` is 1, 2 or 4.
    pub fn judge_position(&self, line: &str, counts: i64, counts_per_cycle: i64) -> Option<Judgement> {
        let (source, Truth::Encoder { position, .. }) = self.source_of(line)? else { return None };
        let really = position.div_euclid(4 / counts_per_cycle.clamp(1, 4));
        // Where not every edge counts, the last cycle may be under way.
        let near = i64::from(counts_per_cycle < 4);
        let mut differences = Vec::new();
        let (off, turned) = ((counts - really).abs(), (counts + really).abs());
        if off > near && turned <= near {
            differences.push("it counts the other way: A and B are swapped, or `reverse` is wrong".to_owned());
        } else if off > near {
            let what = if counts.abs() < really.abs() { "lost" } else { "too many" };
            differences.push(format!("{off} counts {what}, of {really}"));
        }
        Some(Judgement::of_counts(source, counts, really, differences))
    }

    /// Judges a rate by the speed of the shaft behind its line; readings are in revolutions a minute.
    pub fn judge_speed(&self, line: &str, readings: &[ReadingSample], origin: Origin) -> Option<Judgement> {
        let (source, truth) = self.source_of(line)?;
        let (Truth::Wheel { speed_rpm, .. } | Truth::Encoder { speed_rpm, .. } | Truth::Register { speed_rpm, .. }) =
            truth
        else {
            return None;
        };
        let truth = |reading: &ReadingSample| {
            let from = reading.at.saturating_sub(reading.over);
            // What the speed did within the time of the reading and the one before is no error of it.
            let swing = swing(speed_rpm, from.saturating_sub(reading.over), reading.at);
            (mean(speed_rpm, from, reading.at).abs(), swing)
        };
        let allowed = |reading: &ReadingSample, really: f64| {
            (reading.resolution.unwrap_or(0.0) * RESOLUTIONS).max(SHARE * really)
        };
        Some(judged(source, "rpm", readings, origin, &truth, &allowed))
    }

    /// Judges an analog point by what its line really did, through its own scale.
    pub fn judge_value(
        &self,
        line: &str,
        unit: &str,
        readings: &[ReadingSample],
        scale: &dyn Fn(f64) -> f64,
        origin: Origin,
    ) -> Option<Judgement> {
        let (source, Truth::Analog { values, .. }) = self.source_of(line)? else { return None };
        let scaled: Vec<At> = values.iter().map(|at| At { value: scale(at.value), ..*at }).collect();
        let ends = scaled.iter().fold((f64::MAX, f64::MIN), |(low, high), at| (low.min(at.value), high.max(at.value)));
        let range = (ends.1 - ends.0).abs();
        let truth = |reading: &ReadingSample| (value_at(&scaled, reading.at), 0.0);
        Some(judged(source, unit, readings, origin, &truth, &|_, _| OF_RANGE * range))
    }
}

/// Compares each reading with the truth, which may have swung while it was taken.
fn judged(
    source: &str,
    unit: &str,
    readings: &[ReadingSample],
    origin: Origin,
    truth: &dyn Fn(&ReadingSample) -> (f64, f64),
    allowed: &dyn Fn(&ReadingSample, f64) -> f64,
) -> Judgement {
    let mut error = ReadingError {
        unit: unit.to_owned(),
        readings: readings.len() as u64,
        mean: 0.0,
        largest: 0.0,
        at: Nanos(0),
        resolution: readings.iter().filter_map(|reading| reading.resolution).reduce(f64::max),
    };
    let (mut beyond, mut sum) = (0u64, 0.0);
    for reading in readings {
        let (really, swing) = truth(reading);
        let off = ((reading.value.abs() - really.abs()).abs() - swing).max(0.0);
        sum += off;
        beyond += u64::from(off > allowed(reading, really));
        if off > error.largest {
            (error.largest, error.at) = (off, reading.at);
        }
    }
    error.mean = if readings.is_empty() { 0.0 } else { sum / readings.len() as f64 };
    // A few off, as where noise or a single mark is, are no error of the station.
    let differs = beyond * 50 > readings.len() as u64;
    let differences = differs.then(|| {
        format!(
            "{beyond} of {} readings are off by more than they resolve, at most by {} {unit} at {} s",
            readings.len(),
            significant(error.largest),
            seconds_short(origin.file_time_ns(error.at))
        )
    });
    Judgement {
        source: source.to_owned(),
        counted: None,
        really: None,
        error: Some(error),
        differences: differences.into_iter().collect(),
    }
}

/// The value of a course of straight pieces at a time.
fn value_at(course: &[At], time: Nanos) -> f64 {
    let next = course.partition_point(|at| at.at <= time);
    let before = next.checked_sub(1).and_then(|before| course.get(before));
    match (before, course.get(next)) {
        (Some(one), Some(other)) => {
            let share = (time - one.at).0 as f64 / (other.at - one.at).0.max(1) as f64;
            one.value + (other.value - one.value) * share
        }
        (Some(one), None) | (None, Some(one)) => one.value,
        (None, None) => 0.0,
    }
}

/// The times between which a course is straight, within a stretch.
fn bends(course: &[At], from: Nanos, until: Nanos) -> Vec<Nanos> {
    let within = course.iter().map(|at| at.at).filter(|at| (from..until).contains(at));
    [from].into_iter().chain(within).chain([until]).collect()
}

fn mean(course: &[At], from: Nanos, until: Nanos) -> f64 {
    let area = |pair: &[Nanos]| match pair {
        [one, other] => (value_at(course, *one) + value_at(course, *other)) / 2.0 * (*other - *one).0 as f64,
        _ => 0.0,
    };
    let length = until.saturating_sub(from).0 as f64;
    if length == 0.0 {
        value_at(course, until)
    } else {
        bends(course, from, until).windows(2).map(area).sum::<f64>() / length
    }
}

/// How far a course goes up and down within a stretch.
fn swing(course: &[At], from: Nanos, until: Nanos) -> f64 {
    let values = bends(course, from, until).into_iter().map(|time| value_at(course, time));
    let (low, high) = values.fold((f64::MAX, f64::MIN), |(low, high), value| (low.min(value), high.max(value)));
    (high - low).max(0.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use indexmap::IndexMap;

    const SECOND: u64 = 1_000_000_000;

    fn at(second: u64, value: f64) -> At {
        At { at: Nanos(second * SECOND), value }
    }

    fn truth(source: Truth) -> TruthFile {
        let sources: IndexMap<_, _> = [("s".to_owned(), source)].into_iter().collect();
        TruthFile { scenario: None, seed: 1, duration_ns: 10 * SECOND, sources, wires: IndexMap::new() }
    }

    fn read(second: u64, value: f64) -> ReadingSample {
        ReadingSample { at: Nanos(second * SECOND), value, resolution: Some(0.5), over: Nanos(SECOND) }
    }

    #[test]
    fn an_encoder_is_judged_by_its_counts_and_its_direction() {
        let speed_rpm = vec![at(0, 60.0)];
        let encoder =
            Truth::Encoder { a: "A".into(), b: "B".into(), index: None, position: 800, revolutions: 2.0, speed_rpm };
        let truth = truth(encoder);
        let told = |counts, per_cycle| truth.judge_position("A", counts, per_cycle).unwrap().differences;
        assert_eq!(told(800, 4), Vec::<String>::new());
        assert_eq!((told(400, 2), told(201, 1)), (vec![], vec![]));
        assert_eq!(told(796, 4), ["4 counts lost, of 800"]);
        assert!(told(-800, 4)[0].contains("the other way"));
        assert!(truth.judge_position("C", 1, 4).is_none());
    }

    #[test]
    fn a_speed_is_judged_over_the_time_that_it_speaks_for() {
        // Up to 60 rpm in four seconds, then steady.
        let speed_rpm = vec![at(0, 0.0), at(4, 60.0), at(10, 60.0)];
        let wheel =
            Truth::Wheel { line: "W".into(), passed: 0, missed: 0, missed_at_ns: vec![], revolutions: 1.0, speed_rpm };
        let truth = truth(wheel);
        let told = |readings: &[ReadingSample]| truth.judge_speed("W", readings, Origin(0)).unwrap();
        let good = told(&[read(2, 22.5), read(3, 30.0), read(8, 60.4)]);
        assert_eq!(good.differences, Vec::<String>::new());
        assert!((good.error.as_ref().unwrap().largest - 0.4).abs() < 1e-9, "{good:?}");
        assert!(told(&[read(8, 80.0), read(9, 60.0)]).differences[0].starts_with("1 of 2 readings are off by more"));
    }

    #[test]
    fn a_value_is_judged_through_the_stations_own_scale() {
        let truth = truth(Truth::Analog { line: "T".into(), values: vec![at(0, 4.0), at(10, 12.0)] });
        let judged = |gain: f64| {
            let readings = [1, 5, 9].map(|second| read(second, (0.8 * second as f64) * gain));
            truth.judge_value("T", "N", &readings, &|raw| (raw - 4.0) * 100.0, Origin(0)).unwrap()
        };
        assert_eq!(judged(100.0).differences, Vec::<String>::new());
        assert_eq!(judged(110.0).differences.len(), 1);
    }
}
