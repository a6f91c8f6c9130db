use super::block::Encoder;
use super::decode::Decode;
use super::homing::IndexDoes;
use super::settings::{self, Settings, Sources};
use super::summary::EncoderSummary;
use crate::block::{BitSource, Block, Inputs, Lines, Outputs};
use crate::column::{BitColumn, CountColumn, ReadingColumn};
use crate::time::{Nanos, Window};
use proptest::prelude::*;

const END: u64 = 160;

/// A line: when its level is known, the level, and when it toggles.
type Line = (u64, bool, Vec<u64>);

fn settings(decode: Decode, index_does: IndexDoes) -> Settings {
    Settings {
        decode,
        reverse: false,
        pulses_per_rev: Some(2.0),
        per_count: None,
        unit: String::new(),
        zero_at: 3,
        index_does,
        still_after: Nanos(7),
        speed: (settings::SPEED_EVERY, Nanos(0)),
        rollover: None,
    }
}

/// What an encoder shows: position, moving, forward, fault and homed after each nanosecond.
type Shown = (Option<i64>, [bool; 4]);

struct Worked {
    shown: Vec<Option<Shown>>,
    summary: EncoderSummary,
}

fn work(settings: &Settings, lines: &[Line], with_zero: bool, cuts: &[u64]) -> Worked {
    work_to(END, settings, lines, with_zero, cuts)
}

fn work_to(end: u64, settings: &Settings, lines: &[Line], with_zero: bool, cuts: &[u64]) -> Worked {
    let source = |line: usize| BitSource::Line(line);
    let sources = Sources {
        a: source(0),
        b: source(1),
        index: Some(source(2)),
        zero_on: with_zero.then(|| source(3)),
        raw: None,
    };
    let mut block = Encoder::new(settings.clone(), sources, Nanos(1));
    let mut bits = vec![BitColumn::default(); settings::SHAPE.bits];
    let mut counts = vec![CountColumn::default(); 1];
    let mut readings = vec![ReadingColumn::default(); 2];
    let mut columns = vec![BitColumn::default(); lines.len()];
    let (mut shown, mut from) = (vec![None; end as usize + 1], 0);
    for &until in cuts.iter().chain([&(end + 1)]) {
        for (column, (since, level, toggles)) in columns.iter_mut().zip(lines) {
            column.advance();
            if (from..until).contains(since) {
                column.start(Nanos(*since), *level);
            }
            column.toggles =
                toggles.iter().filter(|time| (from..until).contains(*time)).map(|&time| Nanos(time)).collect();
        }
        bits.iter_mut().for_each(BitColumn::advance);
        counts.iter_mut().for_each(CountColumn::advance);
        readings.iter_mut().for_each(ReadingColumn::advance);
        let inputs = Inputs { lines: Lines::of_bits(&columns), bits: &[], counts: &[], readings: &[] };
        let outputs = Outputs { bits: &mut bits, counts: &mut counts, readings: &mut readings };
        block.work(Window { from: Nanos(from), until: Nanos(until) }, inputs, outputs);
        for time in from..until {
            let started = bits[0].level.is_some() && bits[0].since.0 <= time;
            let bit = |bit: usize| {
                let passed = bits[bit].toggles.iter().filter(|toggle| toggle.0 <= time).count();
                bits[bit].level.unwrap() ^ (passed % 2 == 1)
            };
            let passed = counts[0].times.iter().filter(|step| step.0 <= time).count();
            let position = passed.checked_sub(1).map(|last| counts[0].values[last]).or(counts[0].before);
            shown[time as usize] = started.then(|| (position, [bit(0), bit(1), bit(2), bit(3)]));
        }
        from = until;
    }
    let summary = block.summary();
    Worked { shown, summary }
}

/// The same instant by instant, by the words of the standard table of both channels.
fn plainly(settings: &Settings, lines: &[Line], with_zero: bool) -> (Vec<Option<Shown>>, [u64; 3]) {
    let used = &lines[..if with_zero { 4 } else { 3 }];
    let start = used.iter().map(|line| line.0).max().unwrap();
    let level = |line: usize, time: u64| {
        lines[line].1 ^ (lines[line].2.iter().filter(|toggle| **toggle <= time).count() % 2 == 1)
    };
    let wants_zero = with_zero || settings.index_does != IndexDoes::Check;
    let (mut position, mut known, mut armed) = (settings.zero_at, !wants_zero, false);
    let (mut fault, mut homed, mut last): (bool, bool, Option<(u64, bool)>) = (false, false, None);
    let (mut illegal, mut reversals, mut marks) = (0, 0, 0);
    let mut shown = vec![None; END as usize + 1];
    for time in start..=END {
        if time > start {
            let now = |line| level(line, time);
            let before = |line| level(line, time - 1);
            let rose = |line| now(line) && !before(line);
            let (old, new) = ((before(0), before(1)), (now(0), now(1)));
            if old.0 != new.0 && old.1 != new.1 {
                illegal += 1;
                fault = true;
            } else {
                let ring = [(false, false), (true, false), (true, true), (false, true)];
                let place = |levels| ring.iter().position(|known| *known == levels).unwrap();
                let forward = match (place(new) + 4 - place(old)) % 4 {
                    0 => None,
                    quarter => Some(quarter == 1),
                };
                let is_a = old.0 != new.0;
                let counts = match settings.decode {
                    Decode::X4 => true,
                    Decode::X2 => is_a,
                    Decode::X1 => is_a && !new.1,
                };
                if let Some(forward) = forward.filter(|_| counts).map(|forward| forward != settings.reverse) {
                    position += if forward { 1 } else { -1 };
                    reversals += u64::from(last.is_some_and(|(_, before)| before != forward));
                    last = Some((time, forward));
                }
            }
            let mut zero = false;
            if rose(2) {
                marks += 1;
                fault = false;
                zero |= settings.index_does == IndexDoes::Zero || (settings.index_does == IndexDoes::Home && armed);
                armed &= settings.index_does != IndexDoes::Home;
            }
            if with_zero && rose(3) {
                fault = false;
                match settings.index_does {
                    IndexDoes::Home => armed = true,
                    _ => zero = true,
                }
            }
            if zero {
                (position, known, homed) = (settings.zero_at, true, true);
            }
        }
        let moving = last.is_some_and(|(at, _)| time < at + settings.still_after.0);
        let forward = last.is_some_and(|(_, forward)| forward);
        shown[time as usize] = Some((known.then_some(position), [moving, forward, fault, homed]));
    }
    (shown, [illegal, reversals, marks])
}

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let line = |most: u64| {
        (0..2u64, any::<bool>(), prop::collection::vec(0..most, 0..80)).prop_map(|(late, level, steps)| {
            let since = late * 9;
            let times = steps.iter().scan(since + 1, |time, step| {
                *time += step;
                Some(*time)
            });
            (since, level, times.take_while(|time| *time <= END).collect())
        })
    };
    // Channels take turns mostly; an index and a switch come now and then, in the same instants too.
    (line(6), line(6), line(30), line(40)).prop_map(|(a, b, index, zero)| vec![a, b, index, zero])
}

proptest! {
    #[test]
    fn an_encoder_is_what_its_levels_say_instant_by_instant(
        lines in lines(),
        cuts in prop::collection::btree_set(1..END, 0..8),
        decode in prop_oneof![Just(Decode::X1), Just(Decode::X2), Just(Decode::X4)],
        index_does in prop_oneof![Just(IndexDoes::Check), Just(IndexDoes::Zero), Just(IndexDoes::Home)],
        reverse in any::<bool>(),
        with_zero in any::<bool>(),
    ) {
        let settings = Settings { reverse, ..settings(decode, index_does) };
        let cuts: Vec<u64> = cuts.into_iter().collect();
        let worked = work(&settings, &lines, with_zero, &cuts);
        let (shown, sums) = plainly(&settings, &lines, with_zero);
        let told = &worked.summary;
        prop_assert_eq!([told.illegal, told.reversals, told.index_marks], sums);
        for (time, (one, other)) in worked.shown.iter().zip(&shown).enumerate() {
            prop_assert_eq!(one, other, "at {}", time);
        }
        prop_assert_eq!(told.position, shown.last().copied().flatten().and_then(|(position, _)| position));
        prop_assert_eq!(&work(&settings, &lines, with_zero, &[]).summary, told);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn edges_that_take_turns_give_the_same_many_at_once_and_one_by_one(
        runs in prop::collection::vec((any::<bool>(), 1..70usize), 1..6),
        jitter in prop::collection::vec(0..3u64, 400),
        marks in prop::collection::btree_set(1..3000u64, 0..3),
        reverse in any::<bool>(),
    ) {
        const LONG: u64 = 3000;
        let steps: Vec<bool> = runs.iter().flat_map(|(forward, length)| vec![*forward; *length]).collect();
        let mut lines = turning(&steps, &marks.into_iter().collect::<Vec<_>>(), &[]);
        // No two edges of a shaft that turns are in one instant, and none is 10 ns early.
        let shift = |time: &mut u64| *time = *time * 7 / 10 + jitter[(*time / 10) as usize % jitter.len()];
        lines.iter_mut().take(2).for_each(|line| line.2.iter_mut().for_each(shift));
        let settings = Settings { reverse, still_after: Nanos(30), pulses_per_rev: Some(9.0), ..settings(Decode::X4, IndexDoes::Check) };
        let at_once = work_to(LONG, &settings, &lines, false, &[]);
        let one_by_one = work_to(LONG, &settings, &lines, false, &(1..LONG).collect::<Vec<_>>());
        prop_assert_eq!(at_once.summary, one_by_one.summary);
        prop_assert!(at_once.shown == one_by_one.shown);
    }
}

/// Lines of a shaft that turns by quarter cycles: forward for `true`, a step every 10 ns from 10 on.
fn turning(steps: &[bool], index_at: &[u64], switch_at: &[u64]) -> Vec<Line> {
    let (mut place, mut a, mut b) = (0i64, Vec::new(), Vec::new());
    for (&forward, number) in steps.iter().zip(1..) {
        // Going forward A changes on even places, going back it undoes that.
        let on_a = if forward { place.rem_euclid(2) == 0 } else { place.rem_euclid(2) == 1 };
        if on_a {
            a.push(number * 10)
        } else {
            b.push(number * 10)
        }
        place += if forward { 1 } else { -1 };
    }
    let pulses = |times: &[u64]| times.iter().flat_map(|&time| [time, time + 1]).collect();
    vec![(0, false, a), (0, false, b), (0, false, pulses(index_at)), (0, false, pulses(switch_at))]
}

#[test]
fn counts_that_are_missing_between_marks_are_told_with_their_time() {
    // Two cycles a revolution are eight counts; the mark's own count is before it.
    let settings = settings(Decode::X4, IndexDoes::Check);
    let missing = |steps: &[bool], marks: &[u64]| {
        let told = work(&settings, &turning(steps, marks, &[]), false, &[]).summary;
        let wrong: Vec<(u64, i64)> = told.missing.iter().map(|missing| (missing.at.0, missing.counts)).collect();
        (wrong, told.missing_counts)
    };
    assert_eq!(missing(&[true; 14], &[20, 100]), (vec![], 0));
    assert_eq!(missing(&[true; 14], &[20, 80]), (vec![(80, 6)], 2));
    assert_eq!(missing(&[false; 14], &[20, 110]), (vec![(110, 9)], -1));
    let there_and_back = [[true; 6], [false; 6]].concat();
    assert_eq!(missing(&there_and_back, &[20, 100]), (vec![], 0), "counts in both directions");
    let trembling = [[true; 4].as_slice(), &[false; 2], &[true; 12]].concat();
    assert_eq!(missing(&trembling, &[20, 140]), (vec![], 0), "one revolution, with two counts back and forth");
    assert_eq!(missing(&trembling, &[20, 120]), (vec![(120, 6)], 2));
    let turned_in_the_mark = [[true; 2].as_slice(), &[false; 9]].concat();
    assert_eq!(missing(&turned_in_the_mark, &[20, 90]), (vec![], 0), "left on the side on which it came");
}

#[test]
fn homing_takes_the_index_after_the_switch_and_compares_zeros() {
    let settings = settings(Decode::X4, IndexDoes::Home);
    let told = work(&settings, &turning(&[true; 15], &[30, 80, 140], &[30, 100]), true, &[]).summary;
    let homings: Vec<_> = told.homings.iter().map(|homing| (homing.at.0, homing.before, homing.from_switch)).collect();
    // The mark at 30 comes before the switch of the same instant.
    assert_eq!(homings, [(80, None, Some(5)), (140, Some(3 + 6), Some(4))]);
    assert_eq!((told.position, told.homed), (Some(3 + 1), true));
}

#[test]
fn a_trembling_shaft_is_told_from_one_that_turns_back() {
    let steps = [vec![true; 4], vec![false], vec![true], vec![false], vec![true; 2], vec![false; 4]].concat();
    let told = work(&settings(Decode::X4, IndexDoes::Check), &turning(&steps, &[], &[]), false, &[]).summary;
    assert_eq!((told.reversals, told.dither, told.forward, told.backward), (5, 4, 7, 6));
    assert_eq!(told.slowest_scan, Some(Nanos(10)));
}

#[test]
fn a_rotary_axis_begins_again_at_its_rollover() {
    let axis = Settings { per_count: Some(45.0), rollover: Some(360.0), ..settings(Decode::X4, IndexDoes::Check) };
    let values: Vec<f64> = [-1, 0, 7, 8, 17].map(|position| axis.value(position).unwrap()).to_vec();
    assert_eq!(values, [315.0, 0.0, 315.0, 0.0, 45.0]);
    let fine = Settings { per_count: Some(1e-17), ..axis };
    assert_eq!(fine.value(-1), Some(0.0), "what rounds to the whole is 0");
}
