//! Two runs compared, point by point: one station over two recordings, or two stations over one.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use reigen_core::engine::PointColumns;
use reigen_core::time::Nanos;
use serde::Serialize;

/// So many changes of a point are kept; of more, only sums are compared.
const MOST_CHANGES: usize = 2_000_000;

/// What the main value of each point did over a run.
#[derive(Debug, Default)]
pub struct Courses {
    /// Of each point.
    pub points: Vec<Course>,
    /// The last time that counts.
    pub end: Nanos,
}

/// What a point did: its value from each time on.
#[derive(Debug, Clone, Default)]
pub struct Course {
    /// Times and values; bits are 0 and 1.
    steps: Vec<(Nanos, f64)>,
    is_bit: bool,
    /// Whether there were more changes than are kept.
    cut: bool,
}

/// How two courses differ.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct CourseDifference {
    /// When they first differ by more than is tolerated, from the start.
    #[serde(rename = "first_ns")]
    pub first: Option<Nanos>,
    /// How long they differ by more than is tolerated.
    #[serde(rename = "differs_ns")]
    pub differs: Nanos,
    /// Of numbers the greatest difference.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub greatest: Option<f64>,
    /// Of numbers the mean difference, second less first, over the time that both have a value.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mean: Option<f64>,
}

/// How a point differs between two runs.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct PointDifference {
    /// Whether it differs by more than is tolerated.
    pub differs: bool,
    /// How often a state went on; the last value of a number.
    pub values: [Option<f64>; 2],
    /// Whether that is how often it went on.
    pub is_state: bool,
    /// The difference over time.
    #[serde(flatten)]
    pub course: CourseDifference,
    /// Whether there were more changes than are compared one by one.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub cut: bool,
}

/// Whether two values are further apart than a share of the larger, or only one of them is known.
fn apart(one: Option<f64>, two: Option<f64>, tolerance: f64) -> bool {
    match (one, two) {
        (Some(one), Some(two)) => (two - one).abs() > tolerance * one.abs().max(two.abs()),
        (one, two) => one.is_some() != two.is_some(),
    }
}

impl Observer for Courses {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        for columns in view.engine.points() {
            if self.points.len() <= columns.point {
                self.points.resize(columns.point + 1, Course::default());
            }
            if let Some(course) = self.points.get_mut(columns.point) {
                course.take(&columns, view.window.from);
            }
        }
        Ok(())
    }

    fn finish(&mut self, end: Nanos) -> Result<Vec<reigen_core::finding::Finding>, RunError> {
        self.end = end;
        Ok(Vec::new())
    }
}

impl Course {
    fn push(&mut self, at: Nanos, value: f64) {
        if self.steps.len() >= MOST_CHANGES {
            self.cut = true;
            return;
        }
        match self.steps.last_mut() {
            // After an instant only its last value stands.
            Some(last) if last.0 == at => last.1 = value,
            Some(last) if last.1 == value => {}
            _ => self.steps.push((at, value)),
        }
    }

    fn take(&mut self, columns: &PointColumns<'_>, from: Nanos) {
        if let Some(bit) = columns.bit() {
            self.is_bit = true;
            let Some(mut level) = bit.level else { return };
            let as_number = |level: bool| f64::from(u8::from(level));
            if self.steps.is_empty() {
                self.push(bit.since.max(from), as_number(level));
            }
            for &toggle in &bit.toggles {
                level = !level;
                self.push(toggle, as_number(level));
            }
        } else if let Some(count) = columns.count() {
            let before = count.before.filter(|_| self.steps.is_empty()).map(|before| (from, before as f64));
            before.into_iter().for_each(|(at, value)| self.push(at, value));
            count.times.iter().zip(&count.values).for_each(|(&at, &value)| self.push(at, value as f64));
        } else if let Some(reading) = columns.reading() {
            let before = reading.before.filter(|_| self.steps.is_empty()).map(|before| (from, before));
            before.into_iter().for_each(|(at, value)| self.push(at, value));
            reading.times.iter().zip(&reading.values).for_each(|(&at, &value)| self.push(at, value));
        }
    }

    /// Times and values; bits are 0 and 1.
    pub(crate) fn steps(&self) -> &[(Nanos, f64)] {
        &self.steps
    }

    /// A course of a number.
    #[cfg(test)]
    pub(crate) fn of_steps(steps: Vec<(Nanos, f64)>) -> Self {
        Self { steps, is_bit: false, cut: false }
    }

    /// Whether it is a bit.
    pub fn is_bit(&self) -> bool {
        self.is_bit
    }

    /// Whether there were more changes than are kept.
    pub fn is_cut(&self) -> bool {
        self.cut
    }

    /// The last value.
    fn last(&self) -> Option<f64> {
        self.steps.last().map(|(_, value)| *value)
    }

    /// How often it went on, where it is a bit.
    fn rises(&self) -> u64 {
        let pairs = self.steps.iter().zip(self.steps.iter().skip(1));
        pairs.filter(|((_, before), (_, after))| *before == 0.0 && *after == 1.0).count() as u64
    }

    /// How it differs from that of another run, over time and at the end.
    pub fn compared(&self, other: &Course, end: Nanos, tolerance: f64) -> PointDifference {
        let course = self.difference(other, end, tolerance);
        let is_state = self.is_bit && other.is_bit;
        let at_end = |course: &Course| if is_state { Some(course.rises() as f64) } else { course.last() };
        let values = [at_end(self), at_end(other)];
        let differs = course.first.is_some() || apart(values[0], values[1], tolerance);
        PointDifference { differs, values, is_state, course, cut: self.cut || other.cut }
    }

    /// How it differs from another, up to a time; numbers differ where they are further apart than this share of the larger.
    fn difference(&self, other: &Course, end: Nanos, tolerance: f64) -> CourseDifference {
        let (mut ours, mut theirs) = (self.steps.iter().peekable(), other.steps.iter().peekable());
        let (mut one, mut two): (Option<f64>, Option<f64>) = (None, None);
        let mut told = CourseDifference { first: None, differs: Nanos(0), greatest: None, mean: None };
        let (mut integral, mut known) = (0.0, 0.0);
        while let Some(at) = [ours.peek(), theirs.peek()].into_iter().flatten().map(|(at, _)| *at).min() {
            if at > end {
                break;
            }
            one = ours.next_if(|(step, _)| *step == at).map(|(_, value)| *value).or(one);
            two = theirs.next_if(|(step, _)| *step == at).map(|(_, value)| *value).or(two);
            let next =
                [ours.peek(), theirs.peek()].into_iter().flatten().map(|(at, _)| *at).min().unwrap_or(end).min(end);
            let length = next.saturating_sub(at);
            if let (Some(one), Some(two)) = (one, two) {
                integral += (two - one) * length.0 as f64;
                known += length.0 as f64;
                let distance = (two - one).abs();
                told.greatest = Some(told.greatest.map_or(distance, |greatest: f64| greatest.max(distance)));
            }
            if apart(one, two, tolerance) {
                told.first.get_or_insert(at);
                told.differs += length;
            }
        }
        let last = one.zip(two).map(|(one, two)| two - one);
        told.mean = if known > 0.0 { Some(integral / known) } else { last };
        if self.is_bit {
            (told.greatest, told.mean) = (None, None);
        }
        told
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn course(steps: &[(u64, f64)]) -> Course {
        Course::of_steps(steps.iter().map(|(at, value)| (Nanos(*at), *value)).collect())
    }

    #[test]
    fn courses_differ_where_their_values_do() {
        type Steps<'a> = &'a [(u64, f64)];
        type Told = (Option<u64>, u64, Option<f64>, Option<f64>);
        let cases: [(Steps<'_>, Steps<'_>, f64, Told); 6] = [
            (&[(0, 1.0), (10, 2.0)], &[(0, 1.0), (10, 2.0)], 0.0, (None, 0, Some(0.0), Some(0.0))),
            (&[(0, 1.0), (10, 2.0)], &[(0, 1.0), (15, 2.0)], 0.0, (Some(10), 5, Some(1.0), Some(-0.05))),
            (&[(0, 100.0)], &[(0, 104.0)], 0.05, (None, 0, Some(4.0), Some(4.0))),
            (&[(0, 100.0)], &[(0, 106.0)], 0.05, (Some(0), 100, Some(6.0), Some(6.0))),
            (&[(0, 1.0)], &[(20, 1.0)], 0.0, (Some(0), 20, Some(0.0), Some(0.0))),
            (&[], &[], 0.0, (None, 0, None, None)),
        ];
        for (one, two, tolerance, (first, differs, greatest, mean)) in cases {
            let told = course(one).difference(&course(two), Nanos(100), tolerance);
            assert_eq!((told.first, told.differs), (first.map(Nanos), Nanos(differs)), "{one:?} {two:?}");
            assert_eq!((told.greatest, told.mean), (greatest, mean), "{one:?} {two:?}");
        }
    }
}
