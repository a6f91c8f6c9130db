//! Holds, figures while a bit is on, delays and analog outputs, by hand and against sorted lists.

use super::analog_output::{AnalogOutput, AnalogOutputSummary, OnFault, Settings as OutputSettings};
use super::bit::NumberBit;
use super::delay::{Delay, DelaySummary};
use super::hold::{Edges, Hold, HoldSummary, Settings as HoldSettings};
use super::scan::NumberScan;
use super::source::ValidSource;
use super::stats::{Stats, StatsSummary};
use crate::block::{BitSource, Block, Inputs, Lines, NumberSource, Outputs};
use crate::column::{BitColumn, CountColumn, ReadingColumn};
use crate::condition::debounce::ReadingTimes;
use crate::condition::scanned::Scanned;
use crate::count::counter;
use crate::spread::Spread;
use crate::time::{Nanos, Window};
use proptest::prelude::*;

const END: u64 = 100;

/// A bit that starts so and toggles at these times.
fn bit(level: bool, toggles: &[u64]) -> BitColumn {
    BitColumn { level: Some(level), since: Nanos(0), toggles: toggles.iter().map(|&at| Nanos(at)).collect() }
}

fn number(steps: &[(u64, f64)]) -> ReadingColumn {
    ReadingColumn {
        before: None,
        times: steps.iter().map(|(at, _)| Nanos(*at)).collect(),
        values: steps.iter().map(|(_, value)| *value).collect(),
    }
}

/// The number of the tests, and the line on which its fault is told.
fn source(fault: Option<usize>) -> ValidSource {
    ValidSource { of: NumberSource::Line(0), fault: fault.map(BitSource::Line) }
}

/// What a block made of its readings and bits.
struct Made {
    bits: Vec<BitColumn>,
    readings: Vec<ReadingColumn>,
}

/// Works a block over lines of two levels and one of numbers.
fn worked(block: &mut impl Block, bits: &[BitColumn], of: &ReadingColumn, shape: (usize, usize)) -> Made {
    let mut made =
        Made { bits: vec![BitColumn::default(); shape.0], readings: vec![ReadingColumn::default(); shape.1] };
    let lines = Lines { bits, readings: std::slice::from_ref(of), last: true };
    let inputs = Inputs { lines, bits: &[], counts: &[], readings: &[] };
    let window = Window { from: Nanos(0), until: Nanos(END + 1) };
    block.work(window, inputs, Outputs { bits: &mut made.bits, counts: &mut [], readings: &mut made.readings });
    made
}

fn held(edges: Edges, at: &BitColumn, fault: Option<&BitColumn>, of: &ReadingColumn) -> (ReadingColumn, HoldSummary) {
    let settings = HoldSettings { edges, unit: "m".to_owned() };
    let mut block = Hold::new(settings, source(fault.map(|_| 1)), BitSource::Line(0));
    let bits: Vec<BitColumn> = [Some(at), fault].into_iter().flatten().cloned().collect();
    let made = worked(&mut block, &bits, of, (0, 1));
    (made.readings.into_iter().next().unwrap(), block.summary())
}

const RISING: Edges = Edges { rising: true, falling: false };
const FALLING: Edges = Edges { rising: false, falling: true };

#[test]
fn a_hold_takes_the_value_after_the_instant_of_its_edge() {
    let of = number(&[(10, 1.0), (20, 2.0), (30, f64::NAN), (40, 4.0)]);
    type Case<'a> = (Edges, BitColumn, Option<BitColumn>, &'a [f64], u64);
    let cases: [Case<'_>; 7] = [
        (RISING, bit(false, &[15, 25, 45]), None, &[1.0, 4.0], 0),
        (FALLING, bit(false, &[15, 25, 45]), None, &[2.0], 0),
        // In the number's own instant, and before it has any value.
        (RISING, bit(false, &[5, 6, 20]), None, &[2.0], 1),
        // The first level is no edge; what is no number is not held.
        (RISING, bit(true, &[25, 35]), None, &[], 1),
        // A pulse of no width is an edge up and an edge down.
        (Edges { rising: true, falling: true }, bit(false, &[15, 15]), None, &[1.0], 0),
        // In fault from 12 to 22.
        (RISING, bit(false, &[15, 17, 45]), Some(bit(false, &[12, 22])), &[4.0], 1),
        (RISING, bit(false, &[12, 13, 22]), Some(bit(false, &[12, 22])), &[2.0], 1),
    ];
    for (edges, at, fault, values, without) in cases {
        let (column, told) = held(edges, &at, fault.as_ref(), &of);
        assert_eq!((column.values.as_slice(), told.without_value), (values, without), "{at:?} {fault:?}");
        assert_eq!(told.last, values.last().copied(), "{at:?}");
    }
}

proptest! {
    #[test]
    fn a_spread_is_that_of_the_list(values in prop::collection::vec(-1e6..1e6f64, 0..50)) {
        let mut spread = Spread::default();
        values.iter().for_each(|value| spread.take(*value, 1));
        let least = values.iter().copied().reduce(f64::min);
        let most = values.iter().copied().reduce(f64::max);
        prop_assert_eq!((spread.min(), spread.max(), spread.count), (least, most, values.len() as u64));
        prop_assert_eq!(spread.spread(), most.zip(least).map(|(most, least)| most - least));
        prop_assert_eq!(spread.mean(), (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64));
    }

    /// Against a list of what held in each nanosecond that the bit was on.
    #[test]
    fn figures_are_those_of_the_time_that_the_bit_was_on(
        toggles in prop::collection::btree_set(1..END, 0..8),
        on in any::<bool>(),
        steps in prop::collection::btree_map(0..END, -9i32..9, 0..12),
    ) {
        let toggles: Vec<u64> = toggles.into_iter().collect();
        let steps: Vec<(u64, f64)> = steps.into_iter().map(|(at, value)| (at, f64::from(value))).collect();
        let told = figures(&bit(on, &toggles), None, &steps);
        let level = |time: u64| on ^ (toggles.iter().filter(|at| **at <= time).count() % 2 == 1);
        let value = |time: u64| steps.iter().rfind(|(at, _)| *at <= time).map(|(_, value)| *value);
        let during: Vec<f64> = (0..END).filter(|time| level(*time)).filter_map(value).collect();
        prop_assert_eq!(told.on, Nanos(during.len() as u64));
        let mean = (!during.is_empty()).then(|| during.iter().sum::<f64>() / during.len() as f64);
        match (told.mean, mean) {
            (Some(told), Some(mean)) => prop_assert!((told - mean).abs() < 1e-9, "{told} {mean}"),
            // It went on in the last instant, for no time.
            (told, mean) => prop_assert!(mean.is_none() && (told.is_none() || level(END)), "{told:?} {mean:?}"),
        }
        let stretches = (1..=END).filter(|time| level(*time) && !level(time - 1)).count() as u64 + u64::from(on);
        prop_assert_eq!(told.count, stretches);
    }
}

fn figures(while_on: &BitColumn, fault: Option<&BitColumn>, steps: &[(u64, f64)]) -> StatsSummary {
    let mut block = Stats::new("m".to_owned(), source(fault.map(|_| 1)), BitSource::Line(0));
    let bits: Vec<BitColumn> = [Some(while_on), fault].into_iter().flatten().cloned().collect();
    worked(&mut block, &bits, &number(steps), (0, 3));
    block.summary()
}

#[test]
fn figures_leave_out_what_is_in_fault() {
    let steps = [(0, 2.0), (30, 100.0), (40, 4.0)];
    let told = figures(&bit(true, &[60]), Some(&bit(false, &[30, 40])), &steps);
    assert_eq!((told.min, told.max, told.spread), (Some(2.0), Some(4.0), Some(2.0)));
    assert_eq!((told.on, told.count), (Nanos(50), 1), "30 ns of 2 and 20 ns of 4");
    assert_eq!(told.mean, Some((30.0 * 2.0 + 20.0 * 4.0) / 50.0));
    let none = figures(&bit(false, &[]), None, &steps);
    assert_eq!((none.min, none.mean, none.count, none.on), (None, None, 0, Nanos(0)));
}

fn delays(from: &BitColumn, to: &BitColumn) -> (BitColumn, DelaySummary) {
    let mut block = Delay::new(BitSource::Line(0), BitSource::Line(1));
    let made = worked(&mut block, &[from.clone(), to.clone()], &number(&[]), (1, 1));
    (made.bits.into_iter().next().unwrap(), block.summary())
}

#[test]
fn each_answer_belongs_to_the_one_that_waits() {
    // The rises of `from` and of `to`; the delays, missed and pending ones.
    type Case<'a> = (&'a [u64], &'a [u64], &'a [u64], u64, u64);
    let cases: [Case<'_>; 8] = [
        (&[10, 30], &[15, 42], &[5, 12], 0, 0),
        (&[10, 20], &[25], &[5], 1, 0),
        (&[10], &[], &[], 0, 1),
        (&[], &[10, 20], &[], 0, 0),
        (&[10], &[15, 20], &[5], 0, 0),
        // In one instant: at once where none waits, else the one that waits is answered and the new one waits.
        (&[10], &[10], &[0], 0, 0),
        (&[10, 20], &[20], &[10], 0, 1),
        (&[10, 20, 30], &[20, 30, 37], &[10, 10, 7], 0, 0),
    ];
    for (from, to, found, missed, pending) in cases {
        let pulses = |rises: &[u64]| bit(false, &rises.iter().flat_map(|at| [*at, at + 1]).collect::<Vec<_>>());
        let (waiting, told) = delays(&pulses(from), &pulses(to));
        let count = found.len() as u64;
        assert_eq!((told.count, told.missed, told.pending), (count, missed, pending), "{from:?} {to:?}");
        assert_eq!(told.last, found.last().map(|delay| Nanos(*delay)), "{from:?} {to:?}");
        assert_eq!(told.max, found.iter().max().map(|delay| Nanos(*delay)));
        assert_eq!(told.p99, told.max, "of fewer than a hundred the longest");
        assert_eq!(waiting.last_level(), Some(pending == 1), "{from:?} {to:?}");
    }
}

fn given(on_fault: OnFault, fault: &BitColumn, steps: &[(u64, f64)]) -> (ReadingColumn, AnalogOutputSummary) {
    let settings = OutputSettings {
        scale: ([0.0, 10.0], [4.0, 20.0]),
        limits: [3.8, 20.5],
        on_fault,
        unit: "mA",
        tells_states: true,
    };
    let mut block = AnalogOutput::new(settings, source(Some(0)));
    let made = worked(&mut block, std::slice::from_ref(fault), &number(steps), (2, 1));
    (made.readings.into_iter().next().unwrap(), block.summary())
}

#[test]
fn an_output_in_fault_gives_what_it_is_told_to() {
    let steps = [(0, 5.0), (50, 20.0)];
    let fault = bit(false, &[20, 40]);
    let (column, told) = given(OnFault::Hold, &fault, &steps);
    assert_eq!(column.values, [12.0, 20.5]);
    assert_eq!((told.fault, told.limited, told.state.as_str()), (Nanos(20), Nanos(50), "above the range"));
    let (column, told) = given(OnFault::Give(3.5), &fault, &steps[..1]);
    assert_eq!(
        (column.values.as_slice(), column.times.as_slice()),
        ([12.0, 3.5, 12.0].as_slice(), &[0, 20, 40].map(Nanos)[..])
    );
    assert_eq!((told.min, told.state.as_str()), (Some(3.5), "measuring"));
    assert_eq!(told.mean, Some((80.0 * 12.0 + 20.0 * 3.5) / 100.0));
    let (column, told) = given(OnFault::Give(21.5), &bit(true, &[]), &[]);
    assert_eq!((column.values.as_slice(), told.state.as_str()), ([21.5].as_slice(), "failure, high"));
    let (_, told) = given(OnFault::Hold, &bit(false, &[]), &[]);
    assert_eq!((told.last, told.state.as_str()), (None, "off"), "before the first value nothing is given");
}

#[test]
fn a_bit_of_a_number_holds_where_that_is_not_whole() {
    let mut block = NumberBit::new(NumberSource::Line(0), 1);
    let steps = [(5, 0.5), (10, 2.0), (20, 3.0), (30, 0.5), (40, 1.0), (50, 6.0)];
    let made = worked(&mut block, &[], &number(&steps), (1, 0));
    let column = &made.bits[0];
    assert_eq!((column.level, column.since), (Some(true), Nanos(10)), "0.5 has no bits");
    assert_eq!(column.toggles, [40, 50].map(Nanos));
}

#[test]
fn a_scan_reads_the_last_sample_up_to_it() {
    let times = ReadingTimes { period: Nanos(10), phase: Nanos(3), catch: false };
    // Samples, and what the scans at 3, 13, 23, … read of them.
    type Steps<'a> = &'a [(u64, f64)];
    let cases: [(Steps<'_>, Steps<'_>); 5] = [
        (&[(0, 1.0)], &[(3, 1.0)]),
        (&[(3, 1.0), (4, 2.0), (13, 3.0), (14, 4.0)], &[(3, 1.0), (13, 3.0), (23, 4.0)]),
        (&[(5, 1.0), (6, 2.0), (12, 3.0)], &[(13, 3.0)]),
        // The same sample again is read again: a register's rate counts the time between two of them.
        (&[(0, 7.0), (20, 7.0)], &[(3, 7.0), (23, 7.0)]),
        // The scan that would read it comes after the end.
        (&[(94, 1.0)], &[]),
    ];
    for (samples, read) in cases {
        let mut block = NumberScan::new(NumberSource::Line(0), times);
        let made = worked(&mut block, &[], &number(samples), (0, 1));
        assert_eq!(made.readings[0], number(read), "{samples:?}");
        assert_eq!(block.next_due(), (read.is_empty()).then_some(Nanos(103)), "{samples:?}");
    }
}

proptest! {
    /// What works past the scan is the same as without one, and scans show where it stands.
    #[test]
    fn a_count_past_the_scan_is_the_whole_count(rises in prop::collection::btree_set(1..END, 0..40), phase in 0..10u64) {
        let toggles: Vec<u64> = rises.into_iter().collect();
        let line = bit(false, &toggles);
        let times = ReadingTimes { period: Nanos(10), phase: Nanos(phase), catch: false };
        let sources = counter::Sources { up: Some(BitSource::Line(0)), ..counter::Sources::default() };
        let settings = counter::Settings::default();
        let inner = counter::Counter::new(settings.clone(), sources);
        let mut block = Scanned::new(inner, counter::shape(&settings), times);
        let mut counts = vec![CountColumn::default(); 2];
        let mut done = vec![BitColumn::default()];
        let lines = Lines { bits: std::slice::from_ref(&line), readings: &[], last: true };
        let inputs = Inputs { lines, bits: &[], counts: &[], readings: &[] };
        let window = Window { from: Nanos(0), until: Nanos(END + 1) };
        block.work(window, inputs, Outputs { bits: &mut done, counts: &mut counts, readings: &mut [] });
        let counted = |time: u64| toggles.iter().step_by(2).filter(|at| **at <= time).count() as i64;
        prop_assert_eq!(block.inner().summary().value, Some(counted(END)));
        for scan in (phase..=END).step_by(10) {
            prop_assert_eq!(counts[0].at(Nanos(scan)), Some(counted(scan)), "at {}", scan);
        }
        let at_scans = counts[0].times.iter().all(|at| at.0 >= phase && (at.0 - phase) % 10 == 0);
        prop_assert!(at_scans, "{:?}", counts[0].times);
    }
}
