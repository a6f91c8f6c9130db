//! Every kind of point against a plain model of it that goes on by single nanoseconds, as its meaning is written down.
//!
//! A model knows no edges and no windows: it looks at the levels of all lines after each nanosecond and steps.

use super::parse;
use super::plan::{Plan, compile};
use proptest::prelude::*;
use reigen_core::lines::{LineColumns, LineKind, RecordedLine, join};
use reigen_core::logic::timer::TimerKind;
use reigen_core::time::{Nanos, Window};
use std::sync::LazyLock;

const END: u64 = 160;
const LINES: usize = 4;
const INPUTS: &str =
    "\n[input.a]\nline = 'L0'\n[input.b]\nline = 'L1'\n[input.c]\nline = 'L2'\n[input.d]\nline = 'L3'\n";

/// The levels of the lines after an instant.
type Levels = [bool; LINES];

/// A point's main value after each nanosecond: bits are 0 and 1, `None` is no value.
type Track = Vec<Option<f64>>;

/// Goes on to the next nanosecond.
trait Model {
    fn step(&mut self, time: u64, levels: Levels) -> Option<f64>;
}

impl<F: FnMut(u64, Levels) -> Option<f64>> Model for F {
    fn step(&mut self, time: u64, levels: Levels) -> Option<f64> {
        self(time, levels)
    }
}

/// A bit and what it was before.
#[derive(Default, Clone, Copy)]
struct Edge {
    before: Option<bool>,
}

impl Edge {
    /// Whether the bit went to `level` just now; the first level is no edge.
    fn went(&mut self, level: bool, to: bool) -> bool {
        self.before.replace(level).is_some_and(|before| before != level) && level == to
    }
}

fn bit(level: bool) -> Option<f64> {
    Some(f64::from(u8::from(level)))
}

/// `stable`: follows once the new state has held for its time, and be it to the nanosecond at which it goes.
fn stable(on: u64, off: u64) -> impl FnMut(u64, bool) -> bool {
    let (mut held, mut since, mut output) = (None, 0, None);
    move |time, input| {
        let out = output.get_or_insert(input);
        let holds = |level: bool, since: u64| time >= since + if level { on } else { off };
        if held.is_some_and(|held| held != *out && holds(held, since)) {
            *out = !*out;
        }
        if held.replace(input) != Some(input) {
            since = time;
        }
        if input != *out && holds(input, since) {
            *out = input;
        }
        *out
    }
}

/// `lockout`: follows at once, then looks away for a time.
fn lockout(on: u64, off: u64) -> impl FnMut(u64, bool) -> bool {
    let mut output = None;
    let mut free_at = 0;
    move |time, input| {
        let out = output.get_or_insert(input);
        if *out != input && time >= free_at {
            *out = input;
            free_at = time + if input { on } else { off };
        }
        *out
    }
}

/// `sampled`: follows on the N-th equal reading in a row that differs; the readings count from a time.
fn sampled(every: u64, count: u32, from: u64) -> impl FnMut(u64, bool) -> bool {
    let mut output = None;
    let mut differing = 0;
    move |time, input| {
        let out = output.get_or_insert(input);
        if (time - from).is_multiple_of(every) {
            differing = if input == *out { 0 } else { differing + 1 };
            if differing == count {
                (*out, differing) = (input, 0);
            }
        }
        *out
    }
}

fn debounced(mut method: impl FnMut(u64, bool) -> bool + 'static) -> Box<dyn Model> {
    Box::new(move |time, levels: Levels| bit(method(time, levels[0])))
}

/// On for a time from each edge, anew with each.
fn one_shot(edge_to: bool, width: u64) -> Box<dyn Model> {
    let (mut edge, mut until) = (Edge::default(), 0);
    Box::new(move |time, levels: Levels| {
        if edge.went(levels[0], edge_to) {
            until = time + width;
        }
        bit(time < until)
    })
}

fn latch(set_wins: bool) -> Box<dyn Model> {
    let mut on = false;
    Box::new(move |_, levels: Levels| {
        let (set, reset) = (levels[0], levels[1]);
        on = if set_wins { set || (on && !reset) } else { !reset && (set || on) };
        bit(on)
    })
}

fn toggle() -> Box<dyn Model> {
    let (mut edge, mut on) = (Edge::default(), false);
    Box::new(move |_, levels: Levels| {
        if edge.went(levels[0], true) {
            on = !on;
        }
        on &= !levels[1];
        bit(on)
    })
}

/// A bit that goes on once its input has been on for so long, and off at once.
fn on_delay(delay: u64) -> impl FnMut(u64, bool) -> bool {
    let mut since = None;
    move |time, input| {
        since = if input { since.or(Some(time)) } else { None };
        since.is_some_and(|since| time >= since + delay)
    }
}

/// A bit that goes on at once, and off once its input has been off for so long.
fn off_delay(delay: u64) -> impl FnMut(u64, bool) -> bool {
    let (mut before, mut fell) = (false, None::<u64>);
    move |time, input| {
        if before && !input {
            fell = Some(time);
        }
        before = input;
        input || fell.is_some_and(|fell| time < fell + delay)
    }
}

/// On for exactly a time from a rising edge; edges until its very end change nothing.
fn pulse(width: u64) -> impl FnMut(u64, bool) -> bool {
    let (mut before, mut start, mut on) = (false, None::<u64>, false);
    move |time, input| {
        if input && !before && !on {
            start = Some(time);
        }
        before = input;
        on = start.is_some_and(|start| time < start + width);
        on
    }
}

/// An on-delay, then an off-delay, then the sense.
fn output(on: u64, off: u64, invert: bool) -> Box<dyn Model> {
    let (mut late_on, mut late_off) = (on_delay(on), off_delay(off));
    Box::new(move |time, levels: Levels| bit(late_off(time, late_on(time, levels[0] || levels[1])) != invert))
}

/// So many flashes from each rising edge that comes while none are; a gap belongs to each, also to the last.
fn blink(times: u64, on: u64, off: u64) -> Box<dyn Model> {
    let mut edge = Edge::default();
    // How many flashes are left, whether it is on, and since when that.
    let (mut left, mut lit, mut since) = (0, false, 0);
    Box::new(move |time, levels: Levels| {
        if lit && time >= since + on {
            (lit, since) = (false, time);
        }
        if left > 0 && !lit && time >= since + off {
            left -= 1;
            (lit, since) = (left > 0, time);
        }
        if edge.went(levels[0], true) && left == 0 {
            (left, lit, since) = (times, true, time);
        }
        bit(lit)
    })
}

/// On and off in turn for as long as the input is on.
fn blink_while(on: u64, off: u64) -> impl FnMut(u64, bool) -> bool {
    let mut since = None;
    move |time, input| {
        since = if input { since.or(Some(time)) } else { None };
        since.is_some_and(|since| (time - since) % (on + off) < on)
    }
}

/// What a counter does when it has come to its last preset or its limits.
#[derive(Clone, Copy)]
enum AtEnd {
    RestartAt(i64),
    Stop(i64, i64),
    Wrap(i64, i64),
    Nothing,
}

/// Up on edges of `a`, down on those of `b` where it counts down, reset by `c`.
fn counter(both_edges: bool, down: bool, at_end: AtEnd) -> Box<dyn Model> {
    let (mut up, mut less, mut value) = (Edge::default(), Edge::default(), 0_i64);
    Box::new(move |_, levels: Levels| {
        let (rise, fall) = {
            let mut copy = up;
            (up.went(levels[0], true), copy.went(levels[0], false))
        };
        let counts = i64::from(rise || (both_edges && fall)) - i64::from(less.went(levels[1], true) && down);
        let reset = levels[2];
        value = match (reset, at_end) {
            (true, _) => 0,
            (_, AtEnd::RestartAt(last)) if value + counts >= last => 0,
            (_, AtEnd::Stop(low, high)) => (value + counts).clamp(low, high),
            (_, AtEnd::Wrap(low, high)) if value + counts > high => low,
            (_, AtEnd::Wrap(low, high)) if value + counts < low => high,
            _ => value + counts,
        };
        Some(value as f64)
    })
}

/// Both sides of a changeover: the state that both agree on.
fn pair() -> Box<dyn Model> {
    let mut state = None;
    Box::new(move |_, levels: Levels| {
        if levels[0] == levels[1] {
            state = Some(levels[0]);
        }
        state.and_then(bit)
    })
}

/// The bits of a word, lowest first.
fn word(gray: bool) -> Box<dyn Model> {
    Box::new(move |_, levels: Levels| {
        let plain = levels.iter().rev().fold(0_u32, |word, bit| word << 1 | u32::from(*bit));
        let decoded = (0..4).fold(0, |value, shift| value ^ (plain >> shift));
        Some(f64::from(if gray { decoded } else { plain }))
    })
}

/// One count up or down for each step of two channels, in the decode of four.
fn encoder() -> Box<dyn Model> {
    let (mut before, mut position) = (None, 0_i64);
    Box::new(move |_, levels: Levels| {
        let turn = |a: bool, b: bool| match (a, b) {
            (false, false) => 0_i64,
            (true, false) => 1,
            (true, true) => 2,
            (false, true) => 3,
        };
        let now = turn(levels[0], levels[1]);
        position += match before.replace(now).map(|before: i64| (now - before).rem_euclid(4)) {
            Some(1) => 1,
            Some(3) => -1,
            _ => 0,
        };
        Some(position as f64)
    })
}

/// Edges in each whole window, told at its end.
fn gate(window: u64) -> Box<dyn Model> {
    let (mut edge, mut edges, mut reading) = (Edge::default(), 0_u32, None);
    Box::new(move |time, levels: Levels| {
        if time > 0 && time % window == 0 {
            reading = Some(f64::from(edges) / (window as f64 * 1e-9));
            edges = 0;
        }
        edges += u32::from(edge.went(levels[0], true));
        reading
    })
}

/// The mean of so many intervals at each edge; nothing across a stop, which an edge at its very time prevents.
fn period(average: usize, zero_after: u64) -> Box<dyn Model> {
    let (mut edge, mut edges, mut reading): (_, Vec<u64>, _) = (Edge::default(), Vec::new(), None);
    Box::new(move |time, levels: Levels| {
        let rises = edge.went(levels[0], true);
        if edges.last().is_some_and(|last| time > last + zero_after || (time == last + zero_after && !rises)) {
            edges.clear();
            reading = reading.and(Some(0.0));
        }
        if rises {
            edges.push(time);
            if edges.len() > average {
                let from = edges[edges.len() - 1 - average];
                reading = Some(average as f64 / ((time - from) as f64 * 1e-9));
            }
        }
        reading
    })
}

/// The length of each stretch of a level that began and ended within the recording, in seconds.
fn width(level: bool) -> Box<dyn Model> {
    let (mut edge, mut began, mut reading) = (Edge::default(), None, None);
    Box::new(move |time, levels: Levels| {
        let mut other = edge;
        if edge.went(levels[0], level) {
            began = Some(time);
        } else if other.went(levels[0], !level) {
            reading = began.map(|began| (time - began) as f64 * 1e-9).or(reading);
        }
        reading
    })
}

/// A count of edges against two bounds.
fn threshold() -> Box<dyn Model> {
    let (mut edge, mut count, mut on) = (Edge::default(), 0, false);
    Box::new(move |_, levels: Levels| {
        count += i32::from(edge.went(levels[0], true));
        let value = count % 5;
        on = (on || value > 3) && value >= 1;
        bit(on)
    })
}

/// The presets of a counter that its value has reached, and whether that is the last.
fn reached(presets: &'static [i64], wanted: usize) -> Box<dyn Model> {
    let mut value = counter(false, true, AtEnd::Nothing);
    Box::new(move |time, levels: Levels| {
        let value = value.step(time, levels)?;
        bit(presets.iter().filter(|preset| value >= **preset as f64).count() >= wanted)
    })
}

/// The sides of a changeover still disagree when their time is over.
fn pair_fault(within: u64) -> Box<dyn Model> {
    let mut apart_since = None;
    Box::new(move |time, levels: Levels| {
        apart_since = if levels[0] == levels[1] { None } else { apart_since.or(Some(time)) };
        bit(apart_since.is_some_and(|since| time >= since + within))
    })
}

/// Whether an encoder counted within the last nanoseconds, or which way it counted last.
fn encoder_bit(still_after: u64, read: fn(&CountsOf, u64, u64) -> bool) -> Box<dyn Model> {
    let (mut position, mut counts) = (encoder(), CountsOf::default());
    Box::new(move |time, levels: Levels| {
        let now = position.step(time, levels)?;
        if let Some(before) = counts.before.replace(now).filter(|before| *before != now) {
            counts.last = Some((time, now > before));
        }
        bit(read(&counts, time, still_after))
    })
}

/// What an encoder counted last: when, and whether it was up.
#[derive(Default)]
struct CountsOf {
    before: Option<f64>,
    last: Option<(u64, bool)>,
}

/// Both channels changed at once.
fn encoder_fault() -> Box<dyn Model> {
    let (mut before, mut fault): (Option<(bool, bool)>, bool) = (None, false);
    Box::new(move |_, levels: Levels| {
        let now = (levels[0], levels[1]);
        fault |= before.replace(now).is_some_and(|before| before.0 != now.0 && before.1 != now.1);
        bit(fault)
    })
}

/// No reading yet, or the last one is 0.
fn stopped(mut reading: Box<dyn Model>) -> Box<dyn Model> {
    Box::new(move |time, levels: Levels| bit(reading.step(time, levels).is_none_or(|reading| reading == 0.0)))
}

/// How long a timer has run, as it stands after each nanosecond, against a bound.
fn elapsed(kind: TimerKind, time_ns: u64, holds: fn(u64) -> bool) -> Box<dyn Model> {
    let (mut before, mut since, mut ran) = (None::<bool>, None::<u64>, false);
    Box::new(move |time, levels: Levels| {
        let input = levels[0];
        let starts = match kind {
            TimerKind::OnDelay => input && before != Some(true),
            TimerKind::OffDelay => !input && before == Some(true),
            TimerKind::Pulse => input && before != Some(true) && !ran,
        };
        before = Some(input);
        if starts {
            since = Some(time);
        }
        let runs = since.map(|since| time - since).filter(|run| *run < time_ns);
        ran = runs.is_some();
        let stands_at = match (kind, runs) {
            (TimerKind::OnDelay, _) if !input => 0,
            (TimerKind::OffDelay, _) if input => 0,
            (TimerKind::OffDelay, _) if since.is_none() => 0,
            (_, Some(run)) => run,
            (TimerKind::Pulse, None) if !input || since.is_none() => 0,
            (_, None) => time_ns,
        };
        if matches!((kind, input), (TimerKind::OnDelay, false) | (TimerKind::OffDelay, true)) {
            since = None;
        }
        bit(holds(stands_at))
    })
}

/// A chain of one register: the levels read at rising clocks while load is high, shown when it falls.
fn chain(shown: usize) -> Box<dyn Model> {
    let (mut load, mut clock) = (Edge::default(), Edge::default());
    let (mut open, mut read, mut data_before, mut point) = (false, Vec::new(), false, None);
    Box::new(move |time, levels: Levels| {
        let (load_level, clock_level, data) = (levels[0], levels[1], levels[2]);
        let mut fell = load;
        let (released, ended) = (load.went(load_level, true), fell.went(load_level, false));
        let clocked = clock.went(clock_level, true);
        if ended {
            if open && read.len() == 8 {
                point = Some(read[shown]);
            }
            open = false;
        } else if released {
            (open, read) = (true, Vec::new());
        } else if clocked && open {
            read.push(data_before);
        }
        data_before = data;
        // At the recording's end a frame with all its clocks ends too.
        if time == END && open && read.len() == 8 {
            point = Some(read[shown]);
        }
        point.and_then(bit)
    })
}

/// Edges over the time between the last edges of two readings; falls and stops where none come.
fn auto(every: u64, zero_after: u64) -> Box<dyn Model> {
    let (mut edge, mut times): (_, Vec<u64>) = (Edge::default(), Vec::new());
    let (mut from, mut reading): (Option<(u64, usize)>, Option<f64>) = (None, None);
    Box::new(move |time, levels: Levels| {
        if edge.went(levels[0], true) {
            // An edge after a stop only starts a new interval; one at its very time prevents it.
            if times.last().is_some_and(|last| time > last + zero_after) {
                (times, from) = (Vec::new(), None);
                reading = reading.and(Some(0.0));
            }
            times.push(time);
            from = from.or(Some((time, times.len())));
        }
        let (Some(last), Some((since, counted))) = (times.last().copied(), from) else { return reading };
        if time % every == 0 {
            let new = times.len() - counted;
            if new > 0 {
                reading = Some(new as f64 / ((last - since) as f64 * 1e-9));
                from = Some((last, times.len()));
            } else if time >= last + zero_after {
                reading = reading.and(Some(0.0));
            } else if time > last {
                reading = reading.map(|reading| reading.min(1.0 / ((time - last) as f64 * 1e-9)));
            }
        }
        reading
    })
}

/// A count of edges of `a`, and what it was at each edge of `b`, or in some time of `c`, or how long `b` came after `a`.
fn counted_at(edge_to: bool) -> Box<dyn Model> {
    let (mut up, mut at, mut count, mut held) = (Edge::default(), Edge::default(), 0, None);
    Box::new(move |_, levels: Levels| {
        count += i32::from(up.went(levels[0], true));
        if at.went(levels[1], edge_to) {
            held = Some(f64::from(count));
        }
        held
    })
}

/// The mean of that count while `c` was on, told when it goes off.
fn mean_while() -> Box<dyn Model> {
    let (mut up, mut ends, mut count, mut mean): (_, _, i32, _) = (Edge::default(), Edge::default(), 0, None);
    let (mut sum, mut length, mut before) = (0, 0, None::<i32>);
    Box::new(move |_, levels: Levels| {
        // What held during the nanosecond that is over.
        if let Some(before) = before {
            (sum, length) = (sum + before, length + 1);
        }
        count += i32::from(up.went(levels[0], true));
        if ends.went(levels[2], false) {
            mean = Some(f64::from(sum) / f64::from(length));
            (sum, length) = (0, 0);
        }
        before = levels[2].then_some(count);
        mean
    })
}

/// From each rising edge of `a` to the next of `b`.
fn answered() -> Box<dyn Model> {
    let (mut from, mut to, mut waiting, mut delay) = (Edge::default(), Edge::default(), None::<u64>, None);
    Box::new(move |time, levels: Levels| {
        let (asks, answers) = (from.went(levels[0], true), to.went(levels[1], true));
        let since = if answers { waiting.take().or(asks.then_some(time)) } else { None };
        let answered_itself = since == Some(time);
        if asks && !answered_itself {
            waiting = Some(time);
        }
        delay = since.map(|since| (time - since) as f64 * 1e-9).or(delay);
        delay
    })
}

/// A count of edges, given out between two limits.
fn given_out() -> Box<dyn Model> {
    let mut value = counter(false, false, AtEnd::Nothing);
    Box::new(move |time, levels: Levels| Some((4.0 + value.step(time, levels)? * 2.0).clamp(3.8, 20.5)))
}

/// Each point, on the inputs `a` to `d`, and its model.
fn cases(scan: Option<Scan>) -> Vec<(&'static str, Box<dyn Model>)> {
    let takes = |time: u64| scan.map_or(time, |scan| time.div_ceil(scan.period) * scan.period);
    let from = scan.map_or(0, |scan| scan.phase);
    let input = |debounce: &'static str| debounce;
    vec![
        (input("[input.x]\nline = 'L0'"), debounced(stable(0, 0))),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'stable', on = '5 ns', off = '9 ns' }"),
            debounced(stable(takes(5), takes(9))),
        ),
        (input("[input.x]\nline = 'L0'\ndebounce = '7 ns'"), debounced(stable(takes(7), takes(7)))),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'lockout', on = '9 ns', off = '4 ns' }"),
            debounced(lockout(takes(9), takes(4))),
        ),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'sampled', every = '4 ns', count = 3 }"),
            debounced(sampled(4, 3, from)),
        ),
        ("[oneshot.x]\nof = 'a'\nwidth = '5 ns'", one_shot(true, takes(5))),
        ("[oneshot.x]\nof = 'a'\nedge = 'falling'\nwidth = '2 ns'", one_shot(false, takes(2))),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'sampled', every = '20 ns', count = 2 }"),
            debounced(sampled(20, 2, from)),
        ),
        ("[rate.x]\nof = 'a'\nmethod = 'gate'\nwindow = '20 ns'", gate(20)),
        ("[latch.x]\nset = 'a'\nreset = 'b'", latch(false)),
        ("[latch.x]\nset = 'a'\nreset = 'b'\ndominant = 'set'", latch(true)),
        ("[toggle.x]\nby = 'a'\nreset = 'b'", toggle()),
        ("[timer.x]\nof = 'a'\nkind = 'on_delay'\ntime = '4 ns'", debounced(on_delay(takes(4)))),
        ("[timer.x]\nof = 'a'\nkind = 'off_delay'\ntime = '6 ns'", debounced(off_delay(takes(6)))),
        ("[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '9 ns'", debounced(pulse(takes(9)))),
        (
            "[output.x]\nwhen = 'a OR b'\non_delay = '3 ns'\noff_delay = '8 ns'\ninvert = true",
            output(takes(3), takes(8), true),
        ),
        ("[output.x]\nwhen = 'a'\nblink = { times = 3, on = '2 ns', off = '1 ns' }", blink(3, takes(2), takes(1))),
        (
            "[output.x]\nwhen = 'a'\nblink = { while_on = true, on = '2 ns', off = '3 ns' }",
            debounced(blink_while(takes(2), takes(3))),
        ),
        ("[counter.x]\nup = 'a'\nedge = 'both'\nreset = 'c'", counter(true, false, AtEnd::Nothing)),
        (
            "[counter.x]\nup = 'a'\nreset = 'c'\npresets = [2, 3]\nat_last = 'restart'",
            counter(false, false, AtEnd::RestartAt(3)),
        ),
        ("[counter.x]\nup = 'a'\ndown = 'b'\nreset = 'c'\nlimits = [-2, 3]", counter(false, true, AtEnd::Stop(-2, 3))),
        (
            "[counter.x]\nup = 'a'\ndown = 'b'\nreset = 'c'\nlimits = [-2, 3]\nat_limit = 'wrap'",
            counter(false, true, AtEnd::Wrap(-2, 3)),
        ),
        ("[pair.x]\nno = 'a'\nnc = 'b'\nwithin = '6 ns'", pair()),
        ("[word.x]\nbits = ['a', 'b', 'c', 'd']", word(false)),
        ("[word.x]\nbits = ['a', 'b', 'c', 'd']\ncode = 'gray'", word(true)),
        ("[encoder.x]\na = 'a'\nb = 'b'", encoder()),
        ("[rate.x]\nof = 'a'\nmethod = 'gate'\nwindow = '7 ns'", gate(7)),
        ("[rate.x]\nof = 'a'\nmethod = 'period'\naverage = 2\nzero_after = '30 ns'", period(2, takes(30))),
        ("[width.x]\nof = 'a'", width(true)),
        ("[width.x]\nof = 'a'\nlevel = 'low'", width(false)),
        ("[counter.n]\nup = 'a'\n[threshold.x]\nof = 'n MOD 5'\non_above = 3\noff_below = 1", threshold()),
    ]
}

/// What else points tell, as the bit `x` reads it.
fn field_cases(scan: Option<Scan>) -> Vec<(&'static str, Box<dyn Model>)> {
    let takes = |time: u64| scan.map_or(time, |scan| time.div_ceil(scan.period) * scan.period);
    let moving = |counts: &CountsOf, time: u64, still: u64| counts.last.is_some_and(|(last, _)| time < last + still);
    let forward = |counts: &CountsOf, _: u64, _: u64| counts.last.is_some_and(|(_, up)| up);
    vec![
        (
            "[counter.n]\nup = 'a'\ndown = 'b'\nreset = 'c'\npresets = [1, 3]\n[logic.x]\nwhen = 'n.done'",
            reached(&[1, 3], 2),
        ),
        (
            "[counter.n]\nup = 'a'\ndown = 'b'\nreset = 'c'\npresets = [1, 3]\n[logic.x]\nwhen = 'n.band >= 1'",
            reached(&[1, 3], 1),
        ),
        ("[counter.n]\nup = 'a'\ndown = 'b'\nreset = 'c'\n[logic.x]\nwhen = 'n.at_zero'", {
            let mut value = counter(false, true, AtEnd::Nothing);
            Box::new(move |time: u64, levels: Levels| bit(value.step(time, levels)? <= 0.0))
        }),
        ("[pair.p]\nno = 'a'\nnc = 'b'\nwithin = '6 ns'\n[logic.x]\nwhen = 'p.fault'", pair_fault(takes(6))),
        (
            "[encoder.e]\na = 'a'\nb = 'b'\nstill_after = '9 ns'\n[logic.x]\nwhen = 'e.moving'",
            encoder_bit(takes(9), moving),
        ),
        ("[encoder.e]\na = 'a'\nb = 'b'\n[logic.x]\nwhen = 'e.forward'", encoder_bit(0, forward)),
        ("[encoder.e]\na = 'a'\nb = 'b'\n[logic.x]\nwhen = 'e.fault'", encoder_fault()),
        ("[rate.r]\nof = 'a'\nmethod = 'gate'\nwindow = '7 ns'\n[logic.x]\nwhen = 'r.stopped'", stopped(gate(7))),
        (
            "[rate.r]\nof = 'a'\nmethod = 'period'\nzero_after = '20 ns'\n[logic.x]\nwhen = 'r.stopped'",
            stopped(period(1, takes(20))),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'on_delay'\ntime = '6 ns'\n[logic.x]\nwhen = 't.elapsed >= T#3ns'",
            elapsed(TimerKind::OnDelay, 6, |run| run >= 3),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'on_delay'\ntime = '9 ns'\n[logic.x]\nwhen = '0.0000000025 > t.elapsed'",
            elapsed(TimerKind::OnDelay, 9, |run| run < 3),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'off_delay'\ntime = '7 ns'\n[logic.x]\nwhen = 't.elapsed > T#4ns'",
            elapsed(TimerKind::OffDelay, 7, |run| run > 4),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'pulse'\ntime = '8 ns'\n[logic.x]\nwhen = 't.elapsed <= T#5ns'",
            elapsed(TimerKind::Pulse, 8, |run| run <= 5),
        ),
        (
            "[expander.e]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\nregisters = [['x', 'q', 'r', 's', 't', 'u', 'v', 'w']]",
            chain(7),
        ),
        ("[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\nat = 'b'", counted_at(true)),
        ("[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\nat = 'b'\nedge = 'falling'", counted_at(false)),
        ("[counter.n]\nup = 'a'\n[stats.x]\nof = 'n'\nwhile = 'c'", mean_while()),
        ("[delay.x]\nfrom = 'a'\nto = 'b'", answered()),
        ("[counter.n]\nup = 'a'\nreset = 'c'\n[analog_output.x]\nof = 'n'\nrange = [0, 8]", given_out()),
        ("[counter.n]\nup = 'a'\nreset = 'c'\n[number.x]\nof = 'n * 2 + 4'\nvalid = [0, 1000]", {
            let mut value = counter(false, false, AtEnd::Nothing);
            Box::new(move |time: u64, levels: Levels| Some(4.0 + value.step(time, levels)? * 2.0))
        }),
        ("[rate.x]\nof = 'a'\nevery = '5 ns'\nzero_after = '23 ns'", auto(5, takes(23))),
    ]
}

/// When each line changes, the first of them its first level being high or low.
fn lines() -> impl Strategy<Value = Vec<(bool, Vec<u64>)>> {
    let line = (any::<bool>(), prop::collection::vec(1..12u64, 0..50)).prop_map(|(level, steps)| {
        let times = steps.iter().scan(0, |time, step| {
            *time += step;
            Some(*time)
        });
        (level, times.take_while(|time| *time <= END).collect())
    });
    prop::collection::vec(line, LINES)
}

/// A station bound to its lines, and the number of its point `x`.
struct Compiled {
    plan: Plan,
    number: usize,
}

/// Those of all cases, in their order.
static COMPILED: LazyLock<Vec<Compiled>> =
    LazyLock::new(|| all_cases(None).iter().map(|(points, _)| compiled(points)).collect());

fn compiled(points: &str) -> Compiled {
    let station = parse(&format!("{points}{INPUTS}")).unwrap();
    let recorded: Vec<RecordedLine> = (0..LINES)
        .map(|number| RecordedLine { name: format!("L{number}"), signal: number, kind: LineKind::Level })
        .collect();
    let plan = compile(&station, &recorded, Nanos(1)).unwrap();
    Compiled { plan, number: station.points.iter().position(|point| point.name == "x").unwrap() }
}

fn all_cases(scan: Option<Scan>) -> Vec<(&'static str, Box<dyn Model>)> {
    cases(scan).into_iter().chain(field_cases(scan)).collect()
}

/// When a controller scans.
#[derive(Debug, Clone, Copy)]
struct Scan {
    period: u64,
    phase: u64,
}

impl Scan {
    fn reads_at(self, time: u64) -> bool {
        time >= self.phase && (time - self.phase).is_multiple_of(self.period)
    }

    /// The station's table of it, before the points.
    fn with(self, points: &str) -> String {
        format!("[scan]\nperiod = '{} ns'\nphase = '{} ns'\n{points}", self.period, self.phase)
    }
}

/// What the program gives for the point `x`, after each nanosecond.
fn worked(Compiled { plan, number }: &Compiled, lines: &[(bool, Vec<u64>)]) -> Track {
    let mut columns = LineColumns::new(plan.signals.len(), 0);
    for (column, &signal) in plan.signals.iter().enumerate() {
        let (level, toggles) = &lines[signal];
        let changes: Vec<Nanos> = [0].iter().chain(toggles).map(|&time| Nanos(time)).collect();
        columns.append(column, join(None, &changes, level ^ (toggles.len() % 2 == 1)));
    }
    columns.end_at(Nanos(END + 1));
    let mut engine = plan.program.start();
    let window: Window = columns.cut(Nanos(END + 1));
    engine.work(window, columns.all());
    let point = engine.points().find(|columns| columns.point == *number).unwrap();
    let value = |time: u64| match (point.bit(), point.count(), point.reading()) {
        (Some(column), ..) => {
            let passed = column.toggles.iter().filter(|toggle| toggle.0 <= time).count();
            let known = column.level.filter(|_| column.since.0 <= time);
            known.and_then(|level| bit(level ^ (passed % 2 == 1)))
        }
        (_, Some(column), _) => column.at(Nanos(time)).map(|value| value as f64),
        (.., column) => column.and_then(|column| column.at(Nanos(time))),
    };
    (0..=END).map(value).collect()
}

/// Whether two values are the same but for rounding.
fn same(left: Option<f64>, right: Option<f64>) -> bool {
    match (left, right) {
        (Some(left), Some(right)) => (left - right).abs() <= 1e-9 * left.abs().max(right.abs()),
        (left, right) => left == right,
    }
}

/// The levels of the lines after an instant.
fn levels_at(lines: &[(bool, Vec<u64>)], time: u64) -> Levels {
    std::array::from_fn(|line| {
        let (level, toggles) = &lines[line];
        level ^ (toggles.iter().filter(|toggle| **toggle <= time).count() % 2 == 1)
    })
}

const SCANS: [Scan; 3] = [Scan { period: 5, phase: 0 }, Scan { period: 4, phase: 3 }, Scan { period: 1, phase: 0 }];

/// Points under a scan, with the numbers of their cases; what is no whole number of periods is refused.
type UnderScan = (Scan, Vec<(usize, Compiled)>);

static UNDER_SCANS: LazyLock<Vec<UnderScan>> = LazyLock::new(|| {
    let under = |scan: Scan| {
        let cases = all_cases(Some(scan)).into_iter().enumerate();
        let steps_from_zero = |points: &str| points.contains("gate") || points.contains("every = '5 ns'\nzero");
        let worked = cases.filter(|(_, (points, _))| {
            // The chain works past the scan, and some steps count from time 0: they are looked at below.
            !(points.contains("expander") || scan.phase > 0 && steps_from_zero(points))
        });
        let worked = worked.filter(|(_, (points, _))| parse(&format!("{}{INPUTS}", scan.with(points))).is_ok());
        (scan, worked.map(|(number, (points, _))| (number, compiled(&scan.with(points)))).collect())
    };
    SCANS.map(under).into()
});

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]
    /// A controller sees the lines once in a scan and works its program then: the models step at scans alone.
    #[test]
    fn under_a_scan_each_point_is_what_its_meaning_says_at_each_scan(lines in lines()) {
        for (scan, stations) in UNDER_SCANS.iter() {
            prop_assert!(stations.len() + 6 > all_cases(None).len(), "{} under {scan:?}", stations.len());
            let mut cases: Vec<_> = all_cases(Some(*scan)).into_iter().map(Some).collect();
            for (number, station) in stations {
                let (points, mut model) = cases[*number].take().unwrap();
                let worked = worked(station, &lines);
                let mut wanted = None;
                for time in 0..=END {
                    if scan.reads_at(time) {
                        wanted = model.step(time, levels_at(&lines, time));
                    }
                    let given = worked[time as usize];
                    prop_assert!(
                        same(wanted, given),
                        "{points}\nunder {scan:?} at {time} ns: {given:?}, but by its meaning {wanted:?}\n{lines:?}"
                    );
                }
            }
        }
    }

    /// Where a counter restarts at its last preset, its `.done` is on for one scan.
    #[test]
    fn a_restart_is_seen_for_one_scan(lines in lines()) {
        let scan = Scan { period: 4, phase: 3 };
        let points = "[counter.n]\nup = 'a'\npresets = [2]\nat_last = 'restart'\n[logic.x]\nwhen = 'n.done'";
        let worked = worked(&compiled(&scan.with(points)), &lines);
        let (mut edge, mut count, mut wanted) = (Edge::default(), 0, None);
        for time in 0..=END {
            if scan.reads_at(time) {
                count += u32::from(edge.went(levels_at(&lines, time)[0], true));
                wanted = bit(count == 2);
                count %= 2;
            }
            prop_assert!(same(wanted, worked[time as usize]), "at {time} ns\n{lines:?}");
        }
    }

    /// What works past the scan counts every edge, and is seen at scans.
    #[test]
    fn past_the_scan_every_edge_counts_and_scans_show_it(lines in lines()) {
        let scan = Scan { period: 5, phase: 0 };
        let fast = "[input.fast]\nline = 'L0'\nscan = false\n[input.quick]\nline = 'L1'\nscan = false\n";
        let cases: Vec<(String, Box<dyn Model>, bool)> = vec![
            ("[input.x]\nline = 'L0'\nscan = false\ndebounce = '7 ns'".to_owned(), debounced(stable(7, 7)), false),
            (format!("{fast}[counter.x]\nup = 'fast'\ndown = 'quick'\nreset = 'c'\nscan = false"), {
                // The reset is a scanned input, and stands as the last scan left it.
                let mut value = counter(false, true, AtEnd::Nothing);
                let mut reset = false;
                Box::new(move |time: u64, levels: Levels| {
                    if scan.reads_at(time) {
                        reset = levels[2];
                    }
                    value.step(time, [levels[0], levels[1], reset, levels[3]])
                })
            }, true),
            ("[encoder.x]\na = 'L0'\nb = 'L1'\nscan = false".to_owned(), encoder(), true),
            (
                "[expander.e]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\nregisters = [['x', 'q', 'r', 's', 't', 'u', 'v', 'w']]"
                    .to_owned(),
                chain(7),
                true,
            ),
        ];
        for (points, mut model, at_scans) in cases {
            let worked = worked(&compiled(&scan.with(&points)), &lines);
            let (mut wanted, mut shown) = (None, None);
            for time in 0..=END {
                wanted = model.step(time, levels_at(&lines, time)).or(wanted);
                if !at_scans || scan.reads_at(time) {
                    shown = wanted;
                }
                let given = worked[time as usize];
                prop_assert!(same(shown, given), "{points}\nat {time} ns: {given:?}, but by its meaning {shown:?}\n{lines:?}");
            }
        }
    }

    #[test]
    fn each_point_is_what_its_meaning_says_after_every_nanosecond(lines in lines()) {
        for ((points, mut model), station) in all_cases(None).into_iter().zip(COMPILED.iter()) {
            let worked = worked(station, &lines);
            for time in 0..=END {
                let wanted = model.step(time, levels_at(&lines, time));
                let given = worked[time as usize];
                prop_assert!(same(wanted, given), "{points}\nat {time} ns: {given:?}, but by its meaning {wanted:?}\n{lines:?}");
            }
        }
    }
}
