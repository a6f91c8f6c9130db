//! Plain models of every kind of point, as its meaning is written down: each steps from instant to instant and looks at the levels alone.

use super::step_tests::{END, LINES};
use reigen_core::logic::timer::TimerKind;

/// The levels of the lines after an instant.
pub(super) type Levels = [bool; LINES];

/// Goes on to the next nanosecond.
pub(super) trait Model {
    fn step(&mut self, time: u64, levels: Levels) -> Option<f64>;
}

impl<F: FnMut(u64, Levels) -> Option<f64>> Model for F {
    fn step(&mut self, time: u64, levels: Levels) -> Option<f64> {
        self(time, levels)
    }
}

/// A bit and what it was before.
#[derive(Default, Clone, Copy)]
pub(super) struct Edge {
    before: Option<bool>,
}

impl Edge {
    /// Whether the bit went to `level` just now; the first level is no edge.
    pub(super) fn went(&mut self, level: bool, to: bool) -> bool {
        self.before.replace(level).is_some_and(|before| before != level) && level == to
    }
}

pub(super) fn bit(level: bool) -> Option<f64> {
    Some(f64::from(u8::from(level)))
}

/// `stable`: follows once the new state has held for its time, and be it to the nanosecond at which it goes.
pub(super) fn stable(on: u64, off: u64) -> impl FnMut(u64, bool) -> bool {
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
pub(super) fn lockout(on: u64, off: u64) -> impl FnMut(u64, bool) -> bool {
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
pub(super) fn sampled(every: u64, count: u32, from: u64) -> impl FnMut(u64, bool) -> bool {
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

pub(super) fn debounced(mut method: impl FnMut(u64, bool) -> bool + 'static) -> Box<dyn Model> {
    Box::new(move |time, levels: Levels| bit(method(time, levels[0])))
}

/// On for a time from each edge, anew with each.
pub(super) fn one_shot(edge_to: bool, width: u64) -> Box<dyn Model> {
    let (mut edge, mut until) = (Edge::default(), 0);
    Box::new(move |time, levels: Levels| {
        if edge.went(levels[0], edge_to) {
            until = time + width;
        }
        bit(time < until)
    })
}

pub(super) fn latch(set_wins: bool) -> Box<dyn Model> {
    let mut on = false;
    Box::new(move |_, levels: Levels| {
        let (set, reset) = (levels[0], levels[1]);
        on = if set_wins { set || (on && !reset) } else { !reset && (set || on) };
        bit(on)
    })
}

pub(super) fn toggle() -> Box<dyn Model> {
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
pub(super) fn on_delay(delay: u64) -> impl FnMut(u64, bool) -> bool {
    let mut since = None;
    move |time, input| {
        since = if input { since.or(Some(time)) } else { None };
        since.is_some_and(|since| time >= since + delay)
    }
}

/// A bit that goes on at once, and off once its input has been off for so long.
pub(super) fn off_delay(delay: u64) -> impl FnMut(u64, bool) -> bool {
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
pub(super) fn pulse(width: u64) -> impl FnMut(u64, bool) -> bool {
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
pub(super) fn output(on: u64, off: u64, invert: bool) -> Box<dyn Model> {
    let (mut late_on, mut late_off) = (on_delay(on), off_delay(off));
    Box::new(move |time, levels: Levels| bit(late_off(time, late_on(time, levels[0] || levels[1])) != invert))
}

/// So many flashes from each rising edge that comes while none are; a gap belongs to each, also to the last.
pub(super) fn blink(times: u64, on: u64, off: u64) -> Box<dyn Model> {
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
pub(super) fn blink_while(on: u64, off: u64) -> impl FnMut(u64, bool) -> bool {
    let mut since = None;
    move |time, input| {
        since = if input { since.or(Some(time)) } else { None };
        since.is_some_and(|since| (time - since) % (on + off) < on)
    }
}

/// What a counter does when it has come to its last preset or its limits.
#[derive(Clone, Copy)]
pub(super) enum AtEnd {
    RestartAt(i64),
    Stop(i64, i64),
    Wrap(i64, i64),
    Nothing,
}

/// Up on edges of `a`, down on those of `b` where it counts down, reset by `c`.
pub(super) fn counter(both_edges: bool, down: bool, at_end: AtEnd) -> Box<dyn Model> {
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
pub(super) fn pair() -> Box<dyn Model> {
    let mut state = None;
    Box::new(move |_, levels: Levels| {
        if levels[0] == levels[1] {
            state = Some(levels[0]);
        }
        state.and_then(bit)
    })
}

/// The bits of a word, lowest first.
pub(super) fn word(gray: bool) -> Box<dyn Model> {
    Box::new(move |_, levels: Levels| {
        let plain = levels.iter().rev().fold(0_u32, |word, bit| word << 1 | u32::from(*bit));
        let decoded = (0..4).fold(0, |value, shift| value ^ (plain >> shift));
        Some(f64::from(if gray { decoded } else { plain }))
    })
}

/// One count up or down for each step of two channels, in the decode of four.
pub(super) fn encoder() -> Box<dyn Model> {
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
pub(super) fn gate(window: u64, from: u64) -> Box<dyn Model> {
    let (mut edge, mut edges, mut reading) = (Edge::default(), 0_u32, None);
    Box::new(move |time: u64, levels: Levels| {
        if time > from && (time - from).is_multiple_of(window) {
            reading = Some(f64::from(edges) / (window as f64 * 1e-9));
            edges = 0;
        }
        edges += u32::from(edge.went(levels[0], true));
        reading
    })
}

/// The mean of so many intervals at each edge; nothing across a stop, which an edge at its very time prevents.
pub(super) fn period(average: usize, zero_after: u64) -> Box<dyn Model> {
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
pub(super) fn width(level: bool) -> Box<dyn Model> {
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
pub(super) fn threshold() -> Box<dyn Model> {
    let (mut edge, mut count, mut on) = (Edge::default(), 0, false);
    Box::new(move |_, levels: Levels| {
        count += i32::from(edge.went(levels[0], true));
        let value = count % 5;
        on = (on || value > 3) && value >= 1;
        bit(on)
    })
}

/// The presets of a counter that its value has reached, and whether that is the last.
pub(super) fn reached(presets: &'static [i64], wanted: usize) -> Box<dyn Model> {
    let mut value = counter(false, true, AtEnd::Nothing);
    Box::new(move |time, levels: Levels| {
        let value = value.step(time, levels)?;
        bit(presets.iter().filter(|preset| value >= **preset as f64).count() >= wanted)
    })
}

/// The sides of a changeover still disagree when their time is over.
pub(super) fn pair_fault(within: u64) -> Box<dyn Model> {
    let mut apart_since = None;
    Box::new(move |time, levels: Levels| {
        apart_since = if levels[0] == levels[1] { None } else { apart_since.or(Some(time)) };
        bit(apart_since.is_some_and(|since| time >= since + within))
    })
}

/// Whether an encoder counted within the last nanoseconds, or which way it counted last.
pub(super) fn encoder_bit(still_after: u64, read: fn(&CountsOf, u64, u64) -> bool) -> Box<dyn Model> {
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
pub(super) struct CountsOf {
    before: Option<f64>,
    pub(super) last: Option<(u64, bool)>,
}

/// Both channels changed at once.
pub(super) fn encoder_fault() -> Box<dyn Model> {
    let (mut before, mut fault): (Option<(bool, bool)>, bool) = (None, false);
    Box::new(move |_, levels: Levels| {
        let now = (levels[0], levels[1]);
        fault |= before.replace(now).is_some_and(|before| before.0 != now.0 && before.1 != now.1);
        bit(fault)
    })
}

/// No reading yet, or the last one is 0.
pub(super) fn stopped(mut reading: Box<dyn Model>) -> Box<dyn Model> {
    Box::new(move |time, levels: Levels| bit(reading.step(time, levels).is_none_or(|reading| reading == 0.0)))
}

/// How long a timer has run, as it stands after each nanosecond, against a bound.
pub(super) fn elapsed(kind: TimerKind, time_ns: u64, holds: fn(u64) -> bool) -> Box<dyn Model> {
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
pub(super) fn chain(shown: usize) -> Box<dyn Model> {
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
pub(super) fn auto(every: u64, zero_after: u64, first: u64) -> Box<dyn Model> {
    let (mut edge, mut times): (_, Vec<u64>) = (Edge::default(), Vec::new());
    let (mut from, mut reading): (Option<(u64, usize)>, Option<f64>) = (None, None);
    Box::new(move |time: u64, levels: Levels| {
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
        if time >= first && (time - first).is_multiple_of(every) {
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
pub(super) fn counted_at(edge_to: bool) -> Box<dyn Model> {
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
pub(super) fn mean_while() -> Box<dyn Model> {
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
pub(super) fn answered() -> Box<dyn Model> {
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
pub(super) fn given_out() -> Box<dyn Model> {
    let mut value = counter(false, false, AtEnd::Nothing);
    Box::new(move |time, levels: Levels| Some((4.0 + value.step(time, levels)? * 2.0).clamp(3.8, 20.5)))
}
