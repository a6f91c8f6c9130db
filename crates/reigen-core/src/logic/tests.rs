//! Every block against a plain form that works instant by instant.

use crate::block::{BitSource, Block, Inputs, Lines, Outputs, Shape};
use crate::column::BitColumn;
use crate::logic::blink::{Blink, Flashes};
use crate::logic::latch::{Latch, Toggle};
use crate::logic::oneshot::OneShot;
use crate::logic::pair::{self, Pair};
use crate::logic::timer::{self, Timer, TimerKind};
use crate::time::{Nanos, Window};
use proptest::prelude::*;

const END: u64 = 120;
const A: BitSource = BitSource::Line(0);
const B: BitSource = BitSource::Line(1);

/// A line: its first level, and its toggles, at most one an instant.
type Line = (bool, Vec<u64>);

fn line() -> impl Strategy<Value = Line> {
    (any::<bool>(), prop::collection::btree_set(1..=END, 0..50))
        .prop_map(|(level, toggles)| (level, toggles.into_iter().collect()))
}

/// Works a block over two lines; gives each of its bits at every tick.
fn worked(mut block: impl Block, shape: Shape, lines: [&Line; 2]) -> Vec<Vec<Option<bool>>> {
    let columns = lines.map(|(level, toggles)| BitColumn {
        level: Some(*level),
        since: Nanos(0),
        toggles: toggles.iter().map(|&time| Nanos(time)).collect(),
    });
    let mut bits = vec![BitColumn::default(); shape.bits];
    let mut readings = vec![Default::default(); shape.readings];
    let inputs = Inputs { lines: Lines::of_bits(&columns), bits: &[], counts: &[], readings: &[] };
    let window = Window { from: Nanos(0), until: Nanos(END + 1) };
    block.work(window, inputs, Outputs { bits: &mut bits, counts: &mut [], readings: &mut readings });
    bits.iter().map(|bit| (0..=END).map(|tick| at(bit, tick)).collect()).collect()
}

fn at(column: &BitColumn, tick: u64) -> Option<bool> {
    let passed = column.toggles.iter().filter(|time| time.0 <= tick).count();
    column.level.filter(|_| column.since.0 <= tick).map(|level| level ^ (passed % 2 == 1))
}

/// A line tick by tick.
fn levels((level, toggles): &Line) -> Vec<bool> {
    (0..=END).map(|tick| level ^ (toggles.iter().filter(|time| **time <= tick).count() % 2 == 1)).collect()
}

/// A plain form: from tick to tick, given the levels before and now.
fn plain<S>(
    lines: [&Line; 2],
    mut state: S,
    mut step: impl FnMut(&mut S, u64, [bool; 2], Option<[bool; 2]>) -> Option<bool>,
) -> Vec<Option<bool>> {
    let levels = lines.map(levels);
    let now = |tick: u64| [levels[0][tick as usize], levels[1][tick as usize]];
    (0..=END).map(|tick| step(&mut state, tick, now(tick), tick.checked_sub(1).map(now))).collect()
}

#[test]
fn what_stands_after_its_first_instant_is_no_edge_of_a_toggle() {
    // Just when `by` rises, `reset` gets its first level.
    let by = BitColumn { level: Some(false), since: Nanos(0), toggles: vec![Nanos(5)] };
    for held in [false, true] {
        let columns = [by.clone(), BitColumn { level: Some(held), since: Nanos(5), toggles: Vec::new() }];
        let inputs = Inputs { lines: Lines::of_bits(&columns), bits: &[], counts: &[], readings: &[] };
        let mut bit = BitColumn::default();
        let outputs = Outputs { bits: std::slice::from_mut(&mut bit), counts: &mut [], readings: &mut [] };
        Toggle::new(A, Some(B)).work(Window { from: Nanos(0), until: Nanos(END) }, inputs, outputs);
        assert_eq!(bit, BitColumn { level: Some(!held), since: Nanos(5), toggles: Vec::new() });
    }
}

proptest! {
    #[test]
    fn timers_agree_with_their_plain_forms(line in line(), time in 1..30u64) {
        let none = (false, Vec::new());
        let lines = [&line, &none];
        let of = |kind| worked(Timer::new(kind, Nanos(time), A), timer::SHAPE, lines).remove(0);
        // On: the bit has been on for longer than the time, or just so long and still is.
        let on_delay = plain(lines, None, |since: &mut Option<u64>, tick, [on, _], _| {
            *since = if on { since.or(Some(tick)) } else { None };
            Some(since.is_some_and(|since| tick - since >= time))
        });
        prop_assert_eq!(of(TimerKind::OnDelay), on_delay);
        let off_delay = plain(lines, (None, false), |(off_since, seen): &mut (Option<u64>, bool), tick, [on, _], _| {
            *seen |= on;
            *off_since = if on { None } else { off_since.or(Some(tick)) };
            Some(on || *seen && off_since.is_some_and(|since| tick - since < time))
        });
        prop_assert_eq!(of(TimerKind::OffDelay), off_delay);
        let pulse = plain(lines, None, |since: &mut Option<u64>, tick, [on, _], before| {
            let rises = on && before.is_none_or(|[before, _]| !before);
            // What was running up to this instant ignores its edge.
            let ran = since.is_some_and(|since| tick <= since + time);
            if rises && !ran {
                *since = Some(tick);
            }
            Some(since.is_some_and(|since| tick < since + time))
        });
        prop_assert_eq!(of(TimerKind::Pulse), pulse);
    }

    #[test]
    fn states_agree_with_their_plain_forms(one in line(), other in line(), set_wins in any::<bool>()) {
        let lines = [&one, &other];
        let latch = plain(lines, false, |on: &mut bool, _, [set, reset], _| {
            *on = if set_wins { set || (!reset && *on) } else { !reset && (set || *on) };
            Some(*on)
        });
        prop_assert_eq!(worked(Latch::new(A, B, set_wins), Shape::BIT, lines).remove(0), latch);
        let toggle = plain(lines, false, |on: &mut bool, _, [by, reset], before| {
            *on ^= before.is_some_and(|[before, _]| by && !before);
            *on &= !reset || before.is_none();
            Some(*on)
        });
        prop_assert_eq!(worked(Toggle::new(A, Some(B)), Shape::BIT, lines).remove(0), toggle);
    }

    #[test]
    fn one_shots_and_flashes_agree_with_their_plain_forms(line in line(), width in 1..20u64, times in 1..4u64, on in 1..6u64, off in 1..6u64) {
        let none = (false, Vec::new());
        let lines = [&line, &none];
        for rising in [true, false] {
            let shot = plain(lines, None, |until: &mut Option<u64>, tick, [on, _], before| {
                if before.is_some_and(|[before, _]| before != on && on == rising) {
                    *until = Some(tick + width);
                }
                Some(until.is_some_and(|until| tick < until))
            });
            prop_assert_eq!(worked(OneShot::new(A, rising, Nanos(width)), Shape::BIT, lines).remove(0), shot);
        }
        let flashes = Flashes { times, on: Nanos(on), off: Nanos(off), while_on: false };
        let blink = plain(lines, None, |since: &mut Option<u64>, tick, [level, _], before| {
            let busy = since.is_some_and(|since| tick < since + times * (on + off));
            if before.is_some_and(|[before, _]| level && !before) && !busy {
                *since = Some(tick);
            }
            Some(since.is_some_and(|since| tick < since + times * (on + off) && (tick - since) % (on + off) < on))
        });
        prop_assert_eq!(worked(Blink::new(A, flashes), Shape::BIT, lines).remove(0), blink);
    }

    #[test]
    fn a_pair_agrees_with_its_plain_form(no in line(), nc in line(), within in 1..15u64) {
        let lines = [&no, &nc];
        let mut told = worked(Pair::new(A, B, Nanos(within)), pair::SHAPE, lines);
        let state = plain(lines, None, |state: &mut Option<bool>, _, [no, nc], _| {
            *state = if no == nc { Some(no) } else { *state };
            *state
        });
        let fault = plain(lines, None, |since: &mut Option<u64>, tick, [no, nc], _| {
            *since = if no == nc { None } else { since.or(Some(tick)) };
            Some(since.is_some_and(|since| tick - since >= within))
        });
        prop_assert_eq!(told.remove(1), fault);
        prop_assert_eq!(told.remove(0), state);
    }
}

#[test]
fn the_standards_timing_diagrams() {
    let none = (false, Vec::new());
    // The kind, the bit's changes, and the output's, with a time of 10.
    for (kind, bit, output) in [
        (TimerKind::OnDelay, vec![10, 30, 40, 45], vec![20, 30]),
        (TimerKind::OnDelay, vec![10, 20], vec![]),
        (TimerKind::OffDelay, vec![10, 30, 35, 50], vec![10, 60]),
        (TimerKind::OffDelay, vec![10, 30, 40, 50], vec![10, 60]),
        (TimerKind::Pulse, vec![10, 30, 40, 42, 44, 46], vec![10, 20, 40, 50]),
    ] {
        let line = (false, bit.clone());
        let told = worked(Timer::new(kind, Nanos(10), A), timer::SHAPE, [&line, &none]).remove(0);
        let changes: Vec<u64> = (1..=END).filter(|&tick| told[tick as usize] != told[tick as usize - 1]).collect();
        assert_eq!(changes, output, "{kind:?} {bit:?}");
    }
}
