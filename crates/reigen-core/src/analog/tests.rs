use super::jumps::Jumps;
use super::meter::{Analog, AnalogSummary, Scaling, Settings};
use super::smooth::{Smoother, Smoothing};
use super::threshold::{Levels, Threshold};
use crate::block::{Inputs, Lines, NumberSource, Outputs};
use crate::column::{BitColumn, ReadingColumn};
use crate::engine::RunningBlock;
use crate::logic::apply::Operand;
use crate::summary::PointSummary;
use crate::tally::Tally;
use crate::time::{Nanos, Window};
use proptest::prelude::*;

const END: u64 = 200;

fn line(steps: &[(u64, f64)]) -> ReadingColumn {
    let mut column = ReadingColumn::default();
    steps.iter().for_each(|&(at, value)| column.push(Nanos(at), value));
    column
}

fn work(block: impl Into<RunningBlock>, line: &ReadingColumn) -> (BitColumn, ReadingColumn, PointSummary) {
    let mut block = block.into();
    let (mut bit, mut value) = ([BitColumn::default()], [ReadingColumn::default()]);
    let lines = Lines { bits: &[], readings: std::slice::from_ref(line), last: true };
    let inputs = Inputs { lines, bits: &[], counts: &[], readings: &[] };
    let window = Window { from: Nanos(0), until: Nanos(END + 1) };
    block.work(window, inputs, Outputs { bits: &mut bit, counts: &mut [], readings: &mut value });
    let mut tally = Tally::default();
    tally.take(&bit[0], window.until);
    let ([bit], [value]) = (bit, value);
    (bit, value, block.summary(tally.ended(Nanos(END))))
}

fn analog(settings: Settings, steps: &[(u64, f64)]) -> (BitColumn, ReadingColumn, AnalogSummary) {
    match work(Analog::new(settings, NumberSource::Line(0), None), &line(steps)) {
        (bit, value, PointSummary::Analog(summary)) => (bit, value, *summary),
        other => panic!("no analog point: {other:?}"),
    }
}

fn settings(scaling: Scaling, valid: Option<[f64; 2]>) -> Settings {
    Settings { scaling, unit: "N".into(), valid, smooth: None, computed: false }
}

#[test]
fn counts_come_before_scale_and_what_is_invalid_is_left_out() {
    // 12 bits for 0 to 25 mA; 4 to 20 mA for 0 to 5000 N.
    let scaling =
        Scaling { counts: Some((4000.0, 25.0)), scale: Some(([4.0, 20.0], [0.0, 5000.0])), ..Scaling::default() };
    let steps = [(0, 640.0), (50, 3200.0), (100, 0.0), (150, 1920.0)];
    let (fault, value, told) = analog(settings(scaling, Some([0.0, 5000.0])), &steps);
    assert_eq!(value.values, [0.0, 5000.0, -1250.0, 2500.0]);
    assert_eq!((fault.level, fault.toggles), (Some(false), vec![Nanos(100), Nanos(150)]));
    assert_eq!((told.min, told.max, told.last), (Some(0.0), Some(5000.0), Some(2500.0)));
    assert_eq!(told.mean, Some((5000.0 * 50.0 + 2500.0 * 50.0) / 150.0), "over the 150 ns without a fault");
    assert_eq!((told.fault, told.faults, told.first_fault_value), (Nanos(50), 1, Some(-1250.0)));
    assert_eq!((told.recorded, told.measured), (Some(1920.0), Some(12.0)));
}

#[test]
fn both_ends_of_the_valid_range_belong_to_it() {
    let valid = |value: f64| analog(settings(Scaling::default(), Some([1.0, 3.3])), &[(0, value)]).0.level;
    let cases = [(1.0, false), (3.3, false), (0.999_999, true), (3.300_001, true), (f64::NAN, true)];
    cases.iter().for_each(|&(value, fault)| assert_eq!(valid(value), Some(fault), "{value}"));
}

proptest! {
    #[test]
    fn a_smoothed_value_is_the_mean_over_time_of_the_last_stretch(
        first in 0..20u64,
        steps in prop::collection::vec((1..9u64, prop::option::weighted(0.8, -20..20i32)), 1..40),
        over in 1..50u64,
        every in 1..30u64,
    ) {
        let steps: Vec<(u64, Option<f64>)> = steps.iter()
            .scan(first, |at, (step, value)| { *at += step; Some((*at, value.map(f64::from))) })
            .take_while(|(at, _)| *at <= END).collect();
        let mut smoother = Smoother::new(Smoothing { over: Nanos(over), every: Nanos(every), from: Nanos(0) });
        let mut told = Vec::new();
        for &(at, value) in &steps {
            told.extend(std::iter::from_fn(|| smoother.due(Nanos(at))));
            smoother.step(Nanos(at), value);
        }
        told.extend(std::iter::from_fn(|| smoother.due(Nanos(END))));
        // Nanosecond by nanosecond.
        let at = |time: u64| steps.iter().rev().find(|(at, _)| *at <= time).and_then(|(_, value)| *value);
        let due = (0..=END).filter(|time| time % every == 0 && *time >= steps[0].0 + over);
        let plain: Vec<(u64, Option<f64>)> = due.map(|time| {
            let values: Vec<f64> = (time - over..time).filter_map(at).collect();
            (time, (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64))
        }).collect();
        // A mean that repeats is not told again: the one before it stands.
        prop_assert!(told.iter().all(|(at, _)| plain.iter().any(|(time, _)| at.0 == *time)));
        for (time, value) in &plain {
            let mean = told.iter().rev().find(|(at, _)| at.0 <= *time).and_then(|(_, mean)| *mean);
            let apart = mean.zip(*value).map_or(0.0, |(mean, value)| mean - value);
            prop_assert!(mean.is_some() == value.is_some() && apart.abs() < 1e-9, "{:?} {:?} at {}", mean, value, time);
        }
    }

    #[test]
    fn a_threshold_switches_strictly_beyond_its_levels(
        values in prop::collection::vec(0..8i32, 1..40), below in 1..4i32, gap in 0..3i32, inverted in any::<bool>(),
    ) {
        let levels = Levels { above: f64::from(below + gap), below: f64::from(below), inverted };
        let steps: Vec<(u64, f64)> = values.iter().zip(0..).map(|(value, at)| (at, f64::from(*value))).collect();
        let block = Threshold::new(levels, Operand::Number(NumberSource::Line(0)));
        let (bit, ..) = work(block, &line(&steps));
        let mut on = None;
        let states: Vec<bool> = values.iter().map(|&value| {
            let (high, low) = (value > below + gap, value < below);
            let now = if high { !inverted } else if low { inverted } else { on.unwrap_or(false) };
            on = Some(now);
            now
        }).collect();
        let toggles = states.windows(2).zip(1..).filter(|(pair, _)| pair[0] != pair[1]).map(|(_, at)| Nanos(at));
        prop_assert_eq!(bit.level, Some(states[0]));
        prop_assert_eq!(bit.toggles, toggles.collect::<Vec<_>>());
    }
}

#[test]
fn a_constant_is_smoothed_to_itself() {
    let smooth = Some(Smoothing { over: Nanos(30), every: Nanos(10), from: Nanos(0) });
    let steps: Vec<(u64, f64)> = (0..20).map(|number| (number * 7, 0.1)).collect();
    let (_, value, told) = analog(Settings { smooth, ..settings(Scaling::default(), None) }, &steps);
    assert_eq!((value.times, value.values), (vec![Nanos(30)], vec![0.1]));
    assert_eq!((told.min, told.max), (Some(0.1), Some(0.1)));
}

#[test]
fn a_loose_wire_jumps_beyond_its_noise_again_and_again() {
    let found = |jumps: usize| {
        let mut told = Jumps::default();
        for number in 0..400usize {
            let noise = [0.0, 1.0, 0.5, 1.5][number % 4];
            let out = number >= 100 && number % 20 < 2 && (number - 100) / 20 < jumps;
            told.take(Nanos(number as u64), 500.0 + noise - if out { 300.0 } else { 0.0 });
        }
        told.found(301.5)
    };
    assert_eq!(found(2), None, "out and back twice");
    let loose = found(8).unwrap();
    assert_eq!((loose.count, loose.first), (16, Nanos(100)));
    assert!((298.0..302.0).contains(&loose.largest) && loose.noise < 2.0, "{loose:?}");
}
