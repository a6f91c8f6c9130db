use super::counter::*;
use crate::block::{BitSource, Block, Inputs, Lines, Outputs};
use crate::column::{BitColumn, CountColumn};
use crate::condition::debounce::ReadingTimes;
use crate::count::counter::CounterSummary;
use crate::logic::apply::Operand;
use crate::logic::expression::Value;
use crate::time::{Nanos, Window};
use proptest::prelude::*;

/// The toggles of a bit that starts off.
fn toggles(most: usize) -> impl Strategy<Value = Vec<u64>> {
    prop::collection::vec(1..40u64, 0..most).prop_map(|mut times| {
        times.sort();
        times
    })
}

fn column(toggles: &[u64]) -> BitColumn {
    BitColumn { level: Some(false), since: Nanos(0), toggles: toggles.iter().map(|&time| Nanos(time)).collect() }
}

fn counted(settings: &Settings, up: &[u64], reset: Option<&[u64]>) -> (CounterSummary, CountColumn, BitColumn) {
    let lines = [column(up), column(reset.unwrap_or_default())];
    let sources =
        Sources { up: Some(BitSource::Line(0)), reset: reset.map(|_| BitSource::Line(1)), ..Sources::default() };
    let mut counter = Counter::new(settings.clone(), sources);
    let (mut bits, mut counts) = ([BitColumn::default()], [CountColumn::default(), CountColumn::default()]);
    let window = Window { from: Nanos(0), until: Nanos(100) };
    counter.work(
        window,
        Inputs { lines: Lines::of_bits(&lines), bits: &[], counts: &[], readings: &[] },
        Outputs { bits: &mut bits, counts: &mut counts, readings: &mut [] },
    );
    let summary = counter.summary();
    let ([done], [value, _]) = (bits, counts);
    (summary, value, done)
}

#[test]
fn each_meaning_by_hand() {
    let presets = |presets: &[i64], at_last| Settings { presets: presets.to_vec(), at_last, ..Settings::default() };
    // Settings, up, reset; then value, total, band, done and hits.
    type Case<'a> = (&'a str, Settings, &'a [u64], Option<&'a [u64]>, (i64, i64, i64, bool, &'a [u64]));
    let cases: &[Case<'_>] = &[
        ("counts rising edges", Settings::default(), &[1, 2, 3], None, (2, 2, 0, false, &[])),
        (
            "counts falling edges",
            Settings { edge: CountedEdge::Falling, ..Settings::default() },
            &[1, 2, 3],
            None,
            (1, 1, 0, false, &[]),
        ),
        ("a pulse of width 0 counts", Settings::default(), &[4, 4], None, (1, 1, 0, false, &[])),
        ("begins at start", Settings { start: 7, ..Settings::default() }, &[1], None, (8, 1, 0, false, &[])),
        (
            "reset holds it, and comes before a count",
            Settings::default(),
            &[1, 2, 5, 6],
            Some(&[5]),
            (0, 1, 0, false, &[]),
        ),
        (
            "a reset that ends lets the count of its instant in",
            Settings::default(),
            &[1, 2, 5],
            Some(&[3, 5]),
            (1, 2, 0, false, &[]),
        ),
        (
            "goes on over the last preset",
            presets(&[1, 2], AtLast::GoOn),
            &[1, 2, 3, 4, 5],
            None,
            (3, 3, 2, true, &[1, 1]),
        ),
        (
            "restarts at the last preset",
            presets(&[1, 2], AtLast::Restart),
            &[1, 2, 3, 4, 5],
            None,
            (1, 3, 1, false, &[2, 1]),
        ),
    ];
    for (what, settings, up, reset, (value, total, band, done, hits)) in cases {
        let (summary, _, _) = counted(settings, up, *reset);
        let told = (summary.value, summary.total, summary.band, summary.done, summary.preset_hits.as_slice());
        assert_eq!(told, (Some(*value), *total, *band, *done, *hits), "{what}");
    }
}

#[test]
fn done_shows_a_restart_to_counters_as_a_pulse_of_width_0() {
    let settings = Settings { presets: vec![2], at_last: AtLast::Restart, ..Settings::default() };
    let (_, value, done) = counted(&settings, &[1, 2, 3, 4, 5], None);
    assert_eq!((value.times, value.values), ([0, 1, 3, 5].map(Nanos).to_vec(), vec![0, 1, 0, 1]));
    assert_eq!((done.level, done.toggles), (Some(false), vec![Nanos(3), Nanos(3)]));
}

proptest! {
    #[test]
    fn agrees_with_a_form_that_works_tick_by_tick(
        up in toggles(40),
        reset in prop::option::of(toggles(6)),
        start in -2..3i64,
        presets in prop::collection::btree_set(4..9i64, 0..3),
        restarts in any::<bool>(),
        edge in prop_oneof![Just(CountedEdge::Rising), Just(CountedEdge::Falling), Just(CountedEdge::Both)],
    ) {
        let presets: Vec<i64> = presets.into_iter().collect();
        let at_last = if restarts && !presets.is_empty() { AtLast::Restart } else { AtLast::GoOn };
        let settings = Settings { edge, start, presets: presets.clone(), at_last, ..Settings::default() };
        let (mut value, mut total, mut level, mut held) = (start, 0, false, false);
        let mut hits = vec![0; presets.len()];
        let mut shown = vec![(0, start)];
        for tick in 1..100 {
            held ^= reset.iter().flatten().filter(|time| **time == tick).count() % 2 == 1;
            if held {
                value = start;
            }
            for _ in up.iter().filter(|time| **time == tick) {
                level = !level;
                let wanted = edge == CountedEdge::Both || (edge == CountedEdge::Rising) == level;
                if !wanted || held {
                    continue;
                }
                value += 1;
                total += 1;
                if let Some(number) = presets.iter().position(|preset| *preset == value) {
                    hits[number] += 1;
                    if number + 1 == presets.len() && restarts {
                        value = start;
                    }
                }
            }
            if shown.last().map(|(_, value)| *value) != Some(value) {
                shown.push((tick, value));
            }
        }
        let (summary, steps, done) = counted(&settings, &up, reset.as_deref());
        let steps: Vec<(u64, i64)> = steps.times.iter().map(|time| time.0).zip(steps.values).collect();
        prop_assert_eq!(steps, shown);
        prop_assert_eq!((summary.value, summary.total, summary.preset_hits), (Some(value), total, hits));
        prop_assert_eq!(summary.band as usize, presets.iter().filter(|preset| **preset <= value).count());
        prop_assert_eq!(done.last_level(), Some(presets.last().is_some_and(|last| value >= *last)));
    }
}

/// The levels of a line tick by tick.
fn levels(toggles: &[u64]) -> Vec<bool> {
    (0..=100).map(|tick| toggles.iter().filter(|time| **time <= tick).count() % 2 == 1).collect()
}

proptest! {
    #[test]
    fn a_whole_counter_agrees_with_its_plain_form(
        lines in prop::collection::vec(prop::collection::btree_set(1..100u64, 0..40), 5),
        used in any::<[bool; 4]>(),
        range in prop::option::of((any::<bool>(), -4..1i64, 1..6i64)),
        load_to in 0..2i64,
    ) {
        let lines: Vec<Vec<u64>> = lines.into_iter().map(|line| line.into_iter().collect()).collect();
        let columns: Vec<BitColumn> = lines.iter().map(|line| column(line)).collect();
        let source = |number: usize| used[number - 1].then_some(BitSource::Line(number));
        let range = range.map(|(wraps, least, most)| Range { least, most, wraps });
        let settings = Settings { range, presets: vec![1], ..Settings::default() };
        let sources = Sources {
            up: Some(BitSource::Line(0)),
            down: source(1),
            steps: None,
            gate: source(2),
            reset: source(3),
            load: source(4),
            load_to: Some(Operand::Constant(Value::Integer(load_to))),
        };
        let mut counter = Counter::new(settings, sources);
        let (mut bits, mut counts) = ([BitColumn::default()], [CountColumn::default(), CountColumn::default()]);
        let window = Window { from: Nanos(0), until: Nanos(101) };
        let inputs = Inputs { lines: Lines::of_bits(&columns), bits: &[], counts: &[], readings: &[] };
        counter.work(window, inputs, Outputs { bits: &mut bits, counts: &mut counts, readings: &mut [] });
        let told = counter.summary();

        let levels: Vec<Vec<bool>> = lines.iter().map(|line| levels(line)).collect();
        let (mut value, mut total, mut wraps, mut lost, mut hits) = (0i64, 0i64, 0, 0, 0);
        for tick in 1..=100usize {
            let on = |number: usize| number == 0 || used[number - 1];
            let level = |number: usize| on(number) && levels[number][tick];
            let rises = |number: usize| on(number) && levels[number][tick] && !levels[number][tick - 1];
            if level(3) {
                value = 0;
                continue;
            }
            if level(4) {
                value = load_to;
                continue;
            }
            if on(2) && !level(2) {
                continue;
            }
            let step = i64::from(rises(0)) - i64::from(rises(1));
            if step == 0 {
                continue;
            }
            let next = value + step;
            match range {
                Some(range) if !(range.least..=range.most).contains(&next) && !range.wraps => {
                    lost += 1;
                    continue;
                }
                Some(range) if !(range.least..=range.most).contains(&next) => {
                    wraps += 1;
                    value = if step > 0 { range.least } else { range.most };
                }
                _ => value = next,
            }
            total += step;
            hits += u64::from(step > 0 && value == 1);
        }
        prop_assert_eq!((told.value, told.total, told.wraps, told.lost), (Some(value), total, wraps, lost));
        prop_assert_eq!((told.preset_hits, told.band), (vec![hits], i64::from(value >= 1)));
    }

    #[test]
    fn scans_counted_many_at_once_come_to_the_same(
        lines in prop::collection::vec(prop::collection::btree_set(1..1000u64, 0..6), 5),
        used in any::<[bool; 4]>(),
        range in prop::option::of((any::<bool>(), -40..1i64, 1..60i64)),
        presets in prop::collection::btree_set(1..200i64, 0..3),
        restarts in any::<bool>(),
        start in prop_oneof![0..3i64, Just(i64::MAX - 20), Just(i64::MIN + 20)],
        enough in 1..5u64,
    ) {
        let columns: Vec<BitColumn> = lines.iter().map(|line| column(&line.iter().copied().collect::<Vec<_>>())).collect();
        let source = |number: usize| used[number - 1].then_some(BitSource::Line(number));
        let settings = Settings {
            range: range.map(|(wraps, least, most)| Range { least, most, wraps }),
            presets: presets.into_iter().collect(),
            at_last: if restarts { AtLast::Restart } else { AtLast::GoOn },
            scans: Some(ReadingTimes { period: Nanos(3), phase: Nanos(1), catch: false }),
            only_down: !used[0],
            start,
            ..Settings::default()
        };
        let [up, down] = if used[0] { [0, 1] } else { [1, 0] }.map(|number| Some(BitSource::Line(number)));
        let sources = Sources { up, down, steps: None, gate: source(2), reset: source(3), load: source(4), load_to: Some(Operand::Constant(Value::Integer(7))) };
        let work = |enough: Option<u64>| {
            let mut counter = Counter::new(settings.clone(), sources.clone());
            enough.into_iter().for_each(|enough| assert!(counter.skim(enough)));
            let (mut bits, mut counts) = ([BitColumn::default()], [CountColumn::default(), CountColumn::default()]);
            let inputs = Inputs { lines: Lines::of_bits(&columns), bits: &[], counts: &[], readings: &[] };
            let window = Window { from: Nanos(0), until: Nanos(1001) };
            counter.work(window, inputs, Outputs { bits: &mut bits, counts: &mut counts, readings: &mut [] });
            let told = counter.summary();
            let last = (counts[0].last(), counts[0].times.last().copied());
            (told, bits, counts[1].clone(), last, counts[0].clone())
        };
        let (plain, skimmed) = (work(None), work(Some(enough)));
        prop_assert_eq!(&plain.0, &skimmed.0);
        prop_assert_eq!(&plain.1, &skimmed.1);
        prop_assert_eq!(&plain.2, &skimmed.2);
        prop_assert_eq!(plain.3.0, skimmed.3.0);
        for (time, value) in skimmed.4.times.iter().zip(&skimmed.4.values) {
            prop_assert_eq!(plain.4.at(*time), Some(*value));
        }
    }

    #[test]
    fn scans_count_while_a_bit_is_on(line in prop::collection::btree_set(1..100u64, 0..40), period in 1..9u64, phase in 0..9u64) {
        let line: Vec<u64> = line.into_iter().collect();
        let scans = ReadingTimes { period: Nanos(period), phase: Nanos(phase), catch: false };
        let settings = Settings { scans: Some(scans), ..Settings::default() };
        let (summary, ..) = counted(&settings, &line, None);
        let levels = levels(&line);
        let wanted = (phase..100).step_by(period as usize).filter(|&tick| levels[tick as usize]).count();
        prop_assert_eq!(summary.value, Some(wanted as i64));
    }
}
