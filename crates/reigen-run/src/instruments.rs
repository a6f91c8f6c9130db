//! Two instruments on one quantity: how one follows from the other, settling left out.

use crate::compare::Course;
use reigen_core::time::Nanos;
use serde::Serialize;

/// An instrument whose means before and after a time differ by more than this share is on its way to another value.
const MOVES: f64 = 0.02;
/// At most so many means are compared.
const MOST_MEANS: u64 = 1_000_000;
/// So many means begin within the time of one.
const OVERLAP: u64 = 4;
/// Readings that differ by less than this share of their mean are of one value: no gain follows from them.
const ONE_VALUE: f64 = 0.01;
/// What sums may add to a mean, as a share of it.
const ROUNDING: f64 = 1e-9;

/// How the second instrument follows from the first, over the time that both have settled.
///
/// Means over the settling time are compared, not single readings, so that the steps of a coarse reading are no difference.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct InstrumentFit {
    /// What one unit of the first is in the second, by least squares over time; `None` where the first had one value only.
    pub gain: Option<f64>,
    /// What the second reads where the first reads 0; with no gain the mean difference.
    pub offset: Option<f64>,
    /// The mean difference, second less first.
    pub mean_difference: Option<f64>,
    /// The greatest difference, second less first.
    pub greatest: Option<f64>,
    /// Where that first was.
    #[serde(rename = "greatest_at_ns")]
    pub greatest_at: Option<Nanos>,
    /// The greatest difference as a share of the larger of both readings.
    pub greatest_share: Option<f64>,
    /// How long they are compared.
    #[serde(rename = "compared_ns")]
    pub compared: Nanos,
    /// How long one of them was settling.
    #[serde(rename = "settling_ns")]
    pub settling: Nanos,
}

/// Sums over time, about their means (West 1979).
#[derive(Debug, Default)]
struct Sums {
    weight: f64,
    mean: [f64; 2],
    square: f64,
    product: f64,
}

impl Sums {
    fn take(&mut self, [one, two]: [f64; 2], weight: f64) {
        self.weight += weight;
        let share = weight / self.weight;
        let away = [one - self.mean[0], two - self.mean[1]];
        self.mean[0] += away[0] * share;
        self.mean[1] += away[1] * share;
        self.square += weight * away[0] * (one - self.mean[0]);
        self.product += weight * away[0] * (two - self.mean[1]);
    }
}

/// A number over time, whose mean over any stretch is known at once.
struct Means<'a> {
    steps: &'a [(Nanos, f64)],
    /// At each step the integral up to it, in seconds.
    integrals: Vec<f64>,
}

impl<'a> Means<'a> {
    fn new(course: &'a Course) -> Self {
        let steps = course.steps();
        let mut integrals = Vec::with_capacity(steps.len());
        let (mut sum, mut before) = (0.0, None);
        for &(at, value) in steps {
            sum += before.map_or(0.0, |(since, before)| (at - since).seconds() * before);
            integrals.push(sum);
            before = Some((at, value));
        }
        Self { steps, integrals }
    }

    /// The integral from the first value up to a time.
    fn up_to(&self, time: Nanos) -> Option<f64> {
        let last = self.steps.partition_point(|(at, _)| *at <= time).checked_sub(1)?;
        let ((since, value), integral) = (self.steps.get(last)?, self.integrals.get(last)?);
        Some(integral + (time - *since).seconds() * value)
    }

    /// The mean from one time to a later one; `None` where it has no value yet at the first.
    fn mean(&self, from: Nanos, until: Nanos) -> Option<f64> {
        Some((self.up_to(until)? - self.up_to(from)?) / (until - from).seconds())
    }

    /// The mean from one time to a later one, where that before it and that behind it are the same.
    fn settled(&self, from: Nanos, until: Nanos) -> Option<f64> {
        let length = until - from;
        let mean = self.mean(from, until)?;
        let around = [self.mean(from.0.checked_sub(length.0).map(Nanos)?, from)?, self.mean(until, until + length)?];
        around.iter().all(|other| (other - mean).abs() <= MOVES * mean.abs().max(other.abs())).then_some(mean)
    }
}

/// Compares two numbers up to a time by their means over `settle`, where both are settled.
pub fn fit(courses: [&Course; 2], end: Nanos, settle: Nanos) -> InstrumentFit {
    let [one, two] = courses.map(Means::new);
    let mut told = InstrumentFit {
        gain: None,
        offset: None,
        mean_difference: None,
        greatest: None,
        greatest_at: None,
        greatest_share: None,
        compared: Nanos(0),
        settling: Nanos(0),
    };
    let starts = [one.steps.first(), two.steps.first()].map(|first| first.map_or(end, |(at, _)| *at));
    let step = Nanos((settle.0 / OVERLAP).max(end.0 / MOST_MEANS).max(1));
    let mut sums = Sums::default();
    let mut from = starts[0].max(starts[1]);
    while from + settle + settle <= end {
        match one.settled(from, from + settle).zip(two.settled(from, from + settle)) {
            None => told.settling += step,
            Some((one, two)) => {
                told.compared += step;
                sums.take([one, two], step.seconds());
                // What differs by its rounding only is no greater difference.
                if told.greatest.is_none_or(|greatest: f64| greatest.abs() * (1.0 + ROUNDING) < (two - one).abs()) {
                    (told.greatest, told.greatest_at) = (Some(two - one), Some(from));
                    let larger = one.abs().max(two.abs());
                    told.greatest_share = Some(if larger > 0.0 { (two - one).abs() / larger } else { 0.0 });
                }
            }
        }
        from += step;
    }
    if sums.weight > 0.0 {
        let [one, two] = sums.mean;
        let spread = (sums.square / sums.weight).sqrt();
        told.gain = (spread > ONE_VALUE * one.abs()).then(|| sums.product / sums.square);
        told.offset = Some(two - told.gain.unwrap_or(1.0) * one);
        told.mean_difference = Some(two - one);
    }
    told
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn course(steps: &[(u64, f64)]) -> Course {
        Course::of_steps(steps.iter().map(|(at, value)| (Nanos(*at), *value)).collect())
    }

    proptest! {
        #[test]
        fn gain_and_offset_are_found_though_one_lags_and_flickers(
            values in prop::collection::vec(50..500i32, 2..9),
            gain in 0.5..2.0f64,
            offset in -20.0..50.0f64,
            lag in 0..200u64,
        ) {
            // Each value stands for 4000 ns; the second instrument lags, and flickers about its value.
            let values: Vec<f64> = values.into_iter().map(f64::from).collect();
            let at = |number: usize| number as u64 * 4000;
            let one: Vec<(u64, f64)> = values.iter().enumerate().map(|(number, value)| (at(number), *value)).collect();
            let two: Vec<(u64, f64)> = (0..values.len() * 200)
                .map(|tick| (tick as u64 * 20 + lag, gain * values[tick / 200] + offset + if tick % 2 == 0 { 3.0 } else { -3.0 }))
                .collect();
            let told = fit([&course(&one), &course(&two)], Nanos(at(values.len())), Nanos(400));
            let (least, most) = values.iter().fold((f64::MAX, f64::MIN), |(least, most), value| (least.min(*value), most.max(*value)));
            if most - least > 100.0 {
                let found = told.gain.unwrap() * 100.0 + told.offset.unwrap();
                prop_assert!((found - (gain * 100.0 + offset)).abs() < 3.0, "{:?}", told);
            }
            prop_assert!(told.compared.0 > 1000 * values.len() as u64, "{:?}", told);
        }
    }

    #[test]
    fn what_settles_is_left_out() {
        let one = course(&[(0, 100.0), (10_000, 200.0)]);
        let two = course(&[(0, 101.0), (10_050, 150.0), (10_100, 202.0)]);
        let told = fit([&one, &two], Nanos(20_000), Nanos(400));
        assert_eq!(told.greatest.map(f64::round), Some(2.0));
        assert!((told.gain.unwrap() - 1.01).abs() < 1e-6 && told.offset.unwrap().abs() < 1e-4, "{told:?}");
        assert!(told.settling.0 > 1000 && told.settling.0 < 2000, "{told:?}");
        let (still, other) = (course(&[(0, 50.0)]), course(&[(0, 51.0)]));
        let told = fit([&still, &other], Nanos(10_000), Nanos(100));
        assert_eq!((told.gain, told.offset.map(f64::round)), (None, Some(1.0)));
        assert_eq!(fit([&still, &course(&[])], Nanos(1000), Nanos(10)).offset, None);
    }
}
