use super::analog_output::{OnFault, Settings as OutputSettings};
use super::distribution::{Bar, Distribution};
use super::register::{Register, RegisterSummary, Settings, Sources, Went};
use super::sample_rate::{SampleRate, SampleRateSummary, Settings as RateSettings};
use crate::block::{Block, Inputs, Lines, NumberSource, Outputs};
use crate::column::{BitColumn, CountColumn, ReadingColumn};
use crate::time::{Nanos, Window};
use proptest::prelude::*;

const SECOND: u64 = 1_000_000_000;

fn unsigned(bits: u32) -> Settings {
    Settings { bits: Some(bits), signed: false, restarts: false, fastest: None, scale: None }
}

fn restarting(bits: Option<u32>, fastest: Option<f64>) -> Settings {
    Settings { bits, restarts: true, fastest, ..unsigned(16) }
}

/// A register's columns (count, step, resets, wraps) over samples, worked in windows of so many nanoseconds.
fn sampled(
    settings: Settings,
    samples: &[(u64, f64)],
    high: Option<&[(u64, f64)]>,
) -> (Vec<CountColumn>, RegisterSummary) {
    let column = |samples: &[(u64, f64)]| ReadingColumn {
        before: None,
        times: samples.iter().map(|(at, _)| Nanos(*at)).collect(),
        values: samples.iter().map(|(_, value)| *value).collect(),
    };
    let lines = [column(samples), column(high.unwrap_or_default())];
    let sources = Sources { low: NumberSource::Line(0), high: high.map(|_| (NumberSource::Line(1), 16)) };
    let mut block = Register::new(settings, sources);
    let mut counts = vec![CountColumn::default(); 4];
    let lines = Lines { bits: &[], readings: &lines, last: true };
    let inputs = Inputs { lines, bits: &[], counts: &[], readings: &[] };
    let window = Window { from: Nanos(0), until: Nanos(u64::MAX) };
    block.work(window, inputs, Outputs { bits: &mut [], counts: &mut counts, readings: &mut [] });
    (counts, block.summary())
}

fn rate_of(
    counts: &[CountColumn],
    settings: RateSettings,
    until: u64,
) -> (ReadingColumn, ReadingColumn, SampleRateSummary) {
    let mut block = SampleRate::new(settings, NumberSource::Count(0), NumberSource::Count(1));
    let (mut bits, mut readings) = ([BitColumn::default()], [ReadingColumn::default(), ReadingColumn::default()]);
    let inputs = Inputs { lines: Lines::default(), bits: &[], counts, readings: &[] };
    let window = Window { from: Nanos(0), until: Nanos(until) };
    block.work(window, inputs, Outputs { bits: &mut bits, counts: &mut [], readings: &mut readings });
    let [reading, resolution] = readings;
    (reading, resolution, block.summary())
}

#[test]
fn a_step_is_a_count_a_wrap_or_a_restart() {
    let second = Nanos(SECOND);
    let signed = Settings { signed: true, ..unsigned(16) };
    let plain = Settings { bits: None, ..unsigned(16) };
    let cases = [
        ("up", unsigned(16), (10, 15), Went::Steps(5)),
        ("nothing", unsigned(16), (10, 10), Went::Steps(0)),
        ("past the end", unsigned(16), (65_530, 4), Went::Wrapped(10)),
        ("a fall without restarts is a wrap, however far", unsigned(16), (100, 50), Went::Wrapped(65_486)),
        ("a whole turn of one bit", unsigned(1), (1, 0), Went::Wrapped(1)),
        ("of 64 bits", unsigned(64), (i64::MAX, 5), Went::Wrapped(i64::MAX)),
        ("down, the shorter way", signed.clone(), (10, 5), Went::Steps(-5)),
        ("down past zero", signed.clone(), (5, 65_530), Went::Wrapped(-11)),
        ("down past zero in two's complement", signed.clone(), (5, -6), Went::Steps(-11)),
        ("up past the end in two's complement", signed, (32_760, -32_766), Went::Wrapped(10)),
        ("without bits it counts down", plain, (10, 3), Went::Steps(-7)),
        ("without bits it began anew", restarting(None, None), (10, 3), Went::Restarted(3)),
        ("near its end it wrapped", restarting(Some(16), None), (65_000, 200), Went::Wrapped(736)),
        ("far from its end it began anew", restarting(Some(16), None), (20_000, 200), Went::Restarted(200)),
        ("too fast for a wrap", restarting(Some(16), Some(500.0)), (65_000, 200), Went::Restarted(200)),
        ("fast enough for one", restarting(Some(16), Some(735.0)), (65_000, 200), Went::Wrapped(736)),
        ("no fall is a restart", restarting(Some(16), Some(1.0)), (0, 60_000), Went::Steps(60_000)),
    ];
    for (what, settings, (before, now), went) in cases {
        assert_eq!(settings.step(before, now, second), went, "{what}");
    }
}

#[test]
fn a_sample_is_a_count_that_the_register_can_show() {
    let signed = Settings { signed: true, ..unsigned(8) };
    let plain = Settings { bits: None, ..unsigned(8) };
    for (settings, sample, raw) in [
        (unsigned(8), 255.0, Some(255)),
        (unsigned(8), 256.0, None),
        (unsigned(8), -1.0, None),
        (unsigned(8), 2.5, None),
        (signed.clone(), -128.0, Some(-128)),
        (signed.clone(), 255.0, Some(255)),
        (signed, -129.0, None),
        (plain.clone(), -1e15, Some(-1_000_000_000_000_000)),
        (plain.clone(), 1e17, None),
        (plain, f64::NAN, None),
    ] {
        assert_eq!(settings.raw(sample), raw, "{sample}");
    }
    let samples = [(0, 5.0), (1, 300.0), (2, 7.0)];
    let (_, told) = sampled(unsigned(8), &samples, None);
    assert_eq!((told.count, told.samples, told.ignored, told.first_ignored), (Some(2), 2, 1, Some(300.0)));
}

#[test]
fn two_registers_are_one_value_at_each_instant() {
    // 65,534 to 65,538: the lower one wraps in the instant in which the upper one counts.
    let low = [(1, 65_534.0), (3, 2.0), (7, 4.0)];
    let high = [(1, 0.0), (3, 1.0)];
    let (counts, told) = sampled(unsigned(32), &low, Some(&high));
    assert_eq!((counts[0].values.as_slice(), told.wraps, told.raw), ([0, 4, 6].as_slice(), 0, Some(65_540)));
    assert_eq!(counts[1].times, [3, 7].map(Nanos), "a step at each sample but the first");
}

proptest! {
    /// Pulses at any times, and their running count read at any times.
    #[test]
    fn samples_of_a_running_count_give_the_count_and_rates_within_their_resolution(
        steps in prop::collection::vec((1..90u64, 1..60u64), 2..60),
        first in 0..65_536u64,
        every in 1..200u64,
        bits in prop::sample::select(vec![8u32, 16, 24]),
    ) {
        let turn = 1u64 << bits;
        let (mut at, mut pulses, mut samples, mut true_counts) = (0, 0, Vec::new(), Vec::new());
        for (later, more) in steps {
            samples.push((at * SECOND, ((first + pulses) % turn) as f64));
            true_counts.push(pulses);
            (at, pulses) = (at + later, pulses + more);
        }
        let (counts, told) = sampled(unsigned(bits), &samples, None);
        let at_end = *true_counts.last().unwrap();
        prop_assert_eq!(told.count, Some(at_end as i64));
        prop_assert_eq!(told.wraps, (first % turn + at_end) / turn, "and it went past its end as often as it did");
        for ((time, _), count) in samples.iter().zip(&true_counts) {
            prop_assert_eq!(counts[0].at(Nanos(*time)), Some(*count as i64), "at {}", time);
        }
        let settings = RateSettings { phase: Nanos(0), every: Nanos(every * SECOND), per_hertz: 1.0, unit: "Hz".into(), tick: Nanos(1) };
        let end = samples.last().unwrap().0;
        let (readings, resolutions, rate) = rate_of(&counts, settings, end + every * SECOND + 1);
        // The true mean rate between two samples, at each reading.
        let fits = |until: Nanos, reading: f64| {
            let count_at = |time: u64| samples.iter().zip(&true_counts).rfind(|((at, _), _)| *at <= time);
            let ((to, last), earlier) = (count_at(until.0).unwrap().0.to_owned(), samples.iter().filter(|(at, _)| *at < until.0));
            let _ = last;
            earlier.clone().any(|(from, _)| {
                let (a, b) = (count_at(*from).unwrap().1, count_at(to).unwrap().1);
                *from < to && ((b - a) as f64 / ((to - from) / SECOND) as f64 - reading).abs() < 1e-9
            })
        };
        for (at, reading) in readings.times.iter().zip(&readings.values) {
            prop_assert!(fits(*at, *reading), "{} at {}", reading, at);
            prop_assert!(at.0 % (every * SECOND) == 0, "told at a multiple of `every`");
            let resolution = resolutions.at(*at).unwrap();
            prop_assert!(resolution > 0.0 && resolution <= 1.01 * (1.0 + reading), "{}", resolution);
        }
        prop_assert_eq!(rate.last.is_some(), samples.len() > 1);
        // All readings together count what was counted: none is lost between two of them.
        let (least, most) = (rate.min.unwrap_or(0.0), rate.max.unwrap_or(0.0));
        let mean = at_end as f64 / (end / SECOND) as f64;
        prop_assert!(least - 1e-9 <= mean && mean <= most + 1e-9, "{} {} {}", least, mean, most);
    }

    /// A device that restarts counts from 0, and its register is read often enough.
    #[test]
    fn a_restarted_device_is_counted_on(runs in prop::collection::vec(prop::collection::vec(1..50u64, 1..20), 1..6)) {
        let (mut at, mut samples, mut counted) = (0, Vec::new(), 0);
        for (number, run) in runs.iter().enumerate() {
            // Far enough from the end of 16 bits, and each run longer than the first sample of the next.
            let mut raw = if number == 0 { 1000 } else { 0 };
            for step in run {
                let step = if raw == 0 { *step } else { step + 50 };
                raw += step;
                at += SECOND;
                counted += if samples.is_empty() { 0 } else { step };
                samples.push((at, raw as f64));
            }
        }
        let (_, told) = sampled(restarting(Some(16), None), &samples, None);
        let falls = samples.windows(2).filter(|pair| pair[1].1 < pair[0].1).count() as u64;
        prop_assert_eq!((told.resets, told.wraps), (falls, 0));
        if falls as usize + 1 == runs.len() {
            prop_assert_eq!(told.count, Some(counted as i64));
        }
    }

    #[test]
    fn a_distribution_is_that_of_the_sorted_times(times in prop::collection::vec(0..5000u64, 1..300)) {
        let mut distribution = Distribution::default();
        times.iter().for_each(|time| distribution.take(Nanos(*time)));
        let mut sorted = times.clone();
        sorted.sort_unstable();
        let rank = |percent: usize| Nanos(sorted[(sorted.len() * percent).div_ceil(100).max(1) - 1]);
        for percent in [1, 50, 99, 100] {
            prop_assert_eq!(distribution.percentile(percent as u64), Some(rank(percent)));
        }
        prop_assert_eq!(distribution.range(), Some((Nanos(sorted[0]), Nanos(*sorted.last().unwrap()))));
        prop_assert_eq!(distribution.mean(), Some(Nanos(times.iter().sum::<u64>() / times.len() as u64)));
        let bars = distribution.histogram();
        prop_assert!(bars.len() <= 21);
        prop_assert_eq!(bars.iter().map(|bar| bar.count).sum::<u64>(), times.len() as u64);
        for (number, Bar { from, to, count }) in bars.iter().enumerate() {
            let last = number + 1 == bars.len();
            let within = |time: &&u64| **time >= from.0 && (**time < to.0 || last);
            prop_assert_eq!(times.iter().filter(within).count() as u64, *count);
        }
    }
}

#[test]
fn many_different_times_are_told_to_their_first_digits() {
    let mut distribution = Distribution::default();
    (0..200_000u64).for_each(|number| distribution.take(Nanos(number * 1000)));
    let p99 = distribution.percentile(99).unwrap().0;
    assert!((197_999_000..=198_999_000).contains(&p99), "{p99}");
    assert_eq!(distribution.histogram().iter().map(|bar| bar.count).sum::<u64>(), 200_000);
}

#[test]
fn an_output_is_a_straight_line_between_its_limits() {
    let settings = OutputSettings {
        scale: ([0.0, 100.0], [4.0, 20.0]),
        limits: [3.8, 20.5],
        on_fault: OnFault::Hold,
        unit: "mA",
        tells_states: true,
    };
    for (value, given) in
        [(0.0, (4.0, false)), (25.0, (8.0, false)), (100.0, (20.0, false)), (200.0, (20.5, true)), (-50.0, (3.8, true))]
    {
        assert_eq!(settings.given(value), given, "{value}");
    }
}
