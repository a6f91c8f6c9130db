//! Test support: a bank of labelled lines, made at random: what each kind of line does, over speeds, ramps, standstills, duties, jitter, bounce
//! and characters.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use fastrand::Rng;
use reigen_core::measure::edges::Edges;
use reigen_core::measure::judgement::{Candidate, SingleLine, judge};
use reigen_core::measure::kind::Guess;
use reigen_core::time::Nanos;

const MS: f64 = 1e6;
const SECOND: f64 = 1e9;

/// Lines that belong together, each with the word for what it is.
pub struct Labelled {
    pub lines: Vec<Line>,
    pub end: Nanos,
    /// How often a contact was really actuated.
    pub actuations: u64,
    /// What is told of the lines beside their kinds.
    pub facts: Facts,
}

/// Figures that a kind has, where the lines have that kind.
#[derive(Default)]
pub struct Facts {
    /// The time of one bit of a character, in nanoseconds.
    pub bit: Option<f64>,
    /// The cycles of an encoder's channel between two marks.
    pub cycles: Option<u64>,
    /// The clocks of a chain's frame.
    pub clocks: Option<usize>,
}

/// A line, and what it is.
#[derive(Debug, Clone)]
pub struct Line {
    pub word: &'static str,
    pub starts_high: bool,
    pub times: Vec<Nanos>,
}

impl Line {
    pub fn edges(&self) -> Edges<'_> {
        Edges { starts_high: self.starts_high, times: &self.times }
    }
}

impl Labelled {
    fn new(lines: Vec<Line>, seconds: f64) -> Self {
        let last = lines.iter().filter_map(|line| line.times.last()).max().copied().unwrap_or_default();
        Self { lines, end: last.max(Nanos((seconds * SECOND) as u64)), actuations: 0, facts: Facts::default() }
    }

    pub fn judged(&self) -> Vec<Guess> {
        let names: Vec<String> = (0..self.lines.len()).map(|line| format!("L{line}")).collect();
        let alone: Vec<SingleLine> = self.lines.iter().map(|line| SingleLine::new(line.edges())).collect();
        let named = self.lines.iter().zip(&alone).zip(&names);
        let candidates: Vec<Candidate<'_>> = named
            .map(|((line, alone), name)| Candidate {
                name,
                edges: Some((line.edges(), alone)),
                since: Nanos(0),
                until: self.end,
            })
            .collect();
        judge(&candidates)
    }
}

fn between(random: &mut Rng, low: f64, high: f64) -> f64 {
    low + (high - low) * random.f64()
}

/// A number between two on a logarithmic scale.
fn scaled(random: &mut Rng, low: f64, high: f64) -> f64 {
    (low.ln() + (high.ln() - low.ln()) * random.f64()).exp()
}

/// Edges from times in nanoseconds, on a grid of so many.
fn line(word: &'static str, starts_high: bool, mut times: Vec<f64>, grid: f64) -> Line {
    times.sort_by(f64::total_cmp);
    let mut nanos: Vec<Nanos> = Vec::new();
    for time in times {
        let at = Nanos(((time / grid).round() * grid).max(1.0) as u64);
        // Two edges in one sample are none.
        if nanos.last() == Some(&at) && grid > 1.0 {
            nanos.pop();
        } else {
            nanos.push(at)
        }
    }
    Line { word, starts_high, times: nanos }
}

/// A position over time: ramps, steady stretches, standstills and reversals.
struct Motion {
    step: f64,
    positions: Vec<f64>,
}

impl Motion {
    /// Up to `fastest` units a second for so many seconds.
    fn new(random: &mut Rng, fastest: f64, seconds: f64, turns_back: bool) -> Self {
        let step = 2e-4;
        let (mut speed, mut position, mut positions) = (0.0, 0.0, Vec::new());
        let pieces = random.usize(1..7);
        for piece in 0..pieces {
            let length = seconds / pieces as f64;
            let sign = if turns_back && random.f64() < 0.4 { -1.0 } else { 1.0 };
            let to: f64 = match random.u32(0..4) {
                0 if piece > 0 && pieces > 2 => 0.0,
                _ => sign * scaled(random, fastest / 4.0, fastest),
            };
            if piece == 0 && random.bool() {
                speed = to;
            }
            let ramp = length * between(random, 0.05, 0.8);
            let from = speed;
            let steps = (length / step) as usize;
            for number in 0..steps {
                let time = number as f64 * step;
                speed = if time < ramp { from + (to - from) * time / ramp } else { to };
                position += speed * step;
                positions.push(position);
            }
            speed = to;
        }
        Self { step, positions }
    }

    /// When the position passes each of the borders, which repeat every unit; in nanoseconds.
    fn passes(&self, borders: &[f64]) -> Vec<f64> {
        let mut times = Vec::new();
        for (number, pair) in self.positions.windows(2).enumerate() {
            let (from, to) = (pair[0], pair[1]);
            for border in borders {
                let (low, high) = ((from.min(to) - border).floor(), (from.max(to) - border).floor());
                let mut turn = low + 1.0;
                while turn <= high {
                    let share = (turn + border - from) / (to - from);
                    times.push((number as f64 + share) * self.step * SECOND);
                    turn += 1.0;
                }
            }
        }
        times.sort_by(f64::total_cmp);
        times
    }
}

fn grid(random: &mut Rng, shortest: f64) -> f64 {
    let fine: Vec<f64> = [1.0, 100.0, 1e3, 1e4, 1e5].into_iter().filter(|grid| *grid <= shortest / 8.0).collect();
    fine.get(random.usize(0..fine.len().max(1))).copied().unwrap_or(1.0)
}

/// A wheel with marks before a sensor.
pub fn pulse_train(random: &mut Rng) -> Labelled {
    let marks = random.usize(1..8);
    let rate = scaled(random, 3.0, 400.0);
    let seconds = (60.0 / rate).clamp(8.0, 40.0);
    let back = random.u32(0..3) == 0;
    let motion = Motion::new(random, rate / marks as f64, seconds, back);
    let duty = between(random, 0.05, 0.95);
    let uneven = between(random, 0.0, 0.1) * duty.min(1.0 - duty);
    let missing = if marks > 3 && random.u32(0..4) == 0 { Some(random.usize(0..marks)) } else { None };
    let mut borders = Vec::new();
    for mark in (0..marks).filter(|mark| Some(*mark) != missing) {
        let centre = (mark as f64 + 0.5 + uneven * between(random, -0.5, 0.5)) / marks as f64;
        borders.extend([centre - duty / 2.0 / marks as f64, centre + duty / 2.0 / marks as f64]);
    }
    let jitter = between(random, 0.0, 0.03) * duty.min(1.0 - duty) / rate * SECOND;
    let times = motion.passes(&borders).into_iter().map(|time| time + jitter * between(random, 0.0, 1.0)).collect();
    let grid = grid(random, duty.min(1.0 - duty) / rate * SECOND);
    Labelled::new(vec![line("pulse train", random.bool(), times, grid)], seconds)
}

/// When a contact is made and broken, with pauses and holds of a hand or a machine.
fn presses(random: &mut Rng, shortest: f64) -> Vec<f64> {
    let mut time = between(random, 50.0, 800.0) * MS;
    let mut times = Vec::new();
    for _ in 0..random.usize(2..25) {
        times.push(time);
        time += scaled(random, shortest, 900.0) * MS;
        times.push(time);
        time += scaled(random, shortest, 2500.0) * MS;
    }
    times
}

fn bounced(random: &mut Rng, at: f64, most: usize, within: f64, rings: bool) -> Vec<f64> {
    let bounces = if most == 0 { 0 } else { random.usize(0..=most) };
    let mut times = vec![at];
    for _ in 0..2 * bounces {
        let share = random.f64();
        times.push(at + within * if rings { share * share } else { share });
    }
    times
}

/// A push button, a reed or a worn switch; now and then with interference or a dirty contact.
pub fn contact(random: &mut Rng) -> Labelled {
    let within = [0.0, 0.3, 1.0, 3.0, 6.0, 20.0][random.usize(0..6)] * MS;
    let most = if within > 0.0 { random.usize(1..20) } else { 0 };
    let clean_opening = random.u32(0..3) == 0;
    let rings = random.bool();
    let changes = presses(random, 60.0 + within * 3.0 / MS);
    let mut times = Vec::new();
    for (number, &at) in changes.iter().enumerate() {
        let most = if number % 2 == 1 && clean_opening { 0 } else { most };
        times.extend(bounced(random, at, most, within, rings));
    }
    if random.u32(0..4) == 0 {
        for pair in changes.windows(2).filter(|_| random.u32(0..3) == 0).collect::<Vec<_>>() {
            let (from, until) = (pair[0] + within, pair[1]);
            let at = from + (until - from) * between(random, 0.3, 0.6);
            times.extend([at, at + scaled(random, 0.01, 1.0) * MS]);
        }
    }
    let seconds = (times.last().copied().unwrap_or(0.0) + 500.0 * MS) / SECOND;
    let labelled = Labelled::new(vec![line("contact", random.bool(), times, 1.0)], seconds);
    Labelled { actuations: changes.len() as u64 / 2, ..labelled }
}

/// Both sides of a door switch.
pub fn changeover(random: &mut Rng) -> Labelled {
    let transit = between(random, 1.0, 12.0) * MS;
    let (most, within) = (random.usize(0..8), between(random, 0.2, 4.0) * MS);
    let (mut no, mut nc) = (Vec::new(), Vec::new());
    for (number, at) in presses(random, 200.0).into_iter().enumerate() {
        let (opens, closes) = if number % 2 == 0 { (&mut nc, &mut no) } else { (&mut no, &mut nc) };
        opens.extend(bounced(random, at, most / 2, within, false));
        closes.extend(bounced(random, at + transit, most, within, false));
    }
    let closed = random.bool();
    Labelled::new(vec![line("changeover", !closed, no, 1.0), line("changeover", closed, nc, 1.0)], 0.0)
}

/// A width that carries a value: a duty, a servo's place, an echo by itself.
pub fn modulated(random: &mut Rng) -> Labelled {
    let period = scaled(random, 0.05, 50.0) * MS;
    let fixed_gaps = random.u32(0..4) == 0;
    let pulses = random.usize(60..800);
    let (low, high) = (between(random, 0.03, 0.4), between(random, 0.5, 0.95));
    let course = random.u32(0..3);
    let turns = between(random, 0.5, 6.0);
    let jitter = period * between(random, 0.0, 0.001);
    let (mut at, mut times) = (period, Vec::new());
    for number in 0..pulses {
        let share = match course {
            0 => 0.5 + 0.5 * (number as f64 / pulses as f64 * turns * std::f64::consts::TAU).sin(),
            1 => number as f64 / pulses as f64,
            _ => random.f64(),
        };
        let width = period * (low + (high - low) * share) + jitter * random.f64();
        times.extend([at, at + width]);
        at += if fixed_gaps { width + period } else { period + jitter * between(random, -0.5, 0.5) };
    }
    Labelled::new(vec![line("modulated", false, times, 1.0)], 0.0)
}

/// An encoder with its index: on a shaft, or turned by hand from detent to detent.
pub fn encoder(random: &mut Rng) -> Labelled {
    let phase = between(random, 0.13, 0.37);
    let duty = between(random, 0.4, 0.6);
    if random.u32(0..3) == 0 {
        return by_hand(random);
    }
    let pulses = random.usize(8..100);
    let rate = scaled(random, 5.0, 600.0);
    let seconds = 12.0;
    let motion = Motion::new(random, rate, seconds, true);
    let (a, b) = (motion.passes(&[0.01, 0.01 + duty]), motion.passes(&[0.01 + phase, 0.01 + phase + duty]));
    let turns =
        Motion { step: motion.step, positions: motion.positions.iter().map(|place| place / pulses as f64).collect() };
    let z = turns.passes(&[0.3 / pulses as f64, 0.7 / pulses as f64]);
    let marks = z.len();
    let mut lines = vec![line("quadrature", false, a, 1.0), line("quadrature", false, b, 1.0)];
    let travelled =
        turns.positions.iter().fold((0.0f64, 0.0f64), |(low, high), &place| (low.min(place), high.max(place)));
    if marks >= 8 && travelled.1 - travelled.0 > 4.0 {
        lines.push(line("index", false, z, 1.0));
    }
    let facts = Facts { cycles: Some(pulses as u64), ..Facts::default() };
    Labelled { facts, ..Labelled::new(lines, seconds) }
}

/// A knob with detents: a cycle at each, at uneven times, both ways.
fn by_hand(random: &mut Rng) -> Labelled {
    let (mut a, mut b) = (Vec::new(), Vec::new());
    let mut time = 300.0 * MS;
    for _ in 0..random.usize(15..80) {
        let forward = random.u32(0..4) > 0;
        for number in 0..4 {
            time += scaled(random, 1.0, 12.0) * MS;
            if (number % 2 == 0) == forward { a.push(time) } else { b.push(time) }
        }
        time += scaled(random, 20.0, 800.0) * MS;
    }
    Labelled::new(vec![line("quadrature", true, a, 1.0), line("quadrature", true, b, 1.0)], 0.0)
}

/// Characters at one of the usual speeds.
pub fn serial(random: &mut Rng) -> Labelled {
    let baud = [1200.0, 9600.0, 19_200.0, 115_200.0][random.usize(0..4)] * between(random, 0.985, 1.015);
    let bit = SECOND / baud;
    let (data, parity) = [(8, false), (7, true), (8, true)][random.usize(0..3)];
    let idle = random.u32(0..5) > 0;
    let text = random.bool();
    let jitter = bit * between(random, 0.0, 0.04);
    let (mut time, mut level, mut times) = (bit * 20.0, true, Vec::new());
    for _ in 0..random.usize(40..400) {
        let byte = if text { random.u32(0x20..0x7f) } else { random.u32(0..1 << data) };
        let mut bits = vec![false];
        bits.extend((0..data).map(|bit| byte >> bit & 1 == 1));
        if parity {
            bits.push((byte & ((1 << data) - 1)).count_ones() % 2 == 1);
        }
        bits.push(true);
        for bit_level in bits {
            if bit_level != level {
                times.push(time + jitter * random.f64());
                level = bit_level;
            }
            time += bit;
        }
        time += if random.u32(0..3) == 0 { bit * between(random, 0.0, 300.0) } else { 0.0 };
    }
    let grid = grid(random, bit);
    let facts = Facts { bit: Some(bit), ..Facts::default() };
    Labelled { facts, ..Labelled::new(vec![line("serial", idle, times, grid)], 0.0) }
}

/// A bus of a clock, a select and data both ways; or of two wires.
pub fn bus(random: &mut Rng) -> Labelled {
    let period = scaled(random, 1e3, 1e5);
    let two_wires = random.bool();
    let late = random.bool();
    let (mut clock, mut select, mut out, mut back) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    let (mut time, mut level_out, mut level_back) = (10.0 * period, true, true);
    for _ in 0..random.usize(20..120) {
        if two_wires && level_out {
            // The start: data falls while the clock rests high.
            out.push(time - period);
            level_out = false;
        }
        select.push(time - period);
        let bits = if two_wires { 9 * random.usize(2..4) } else { 8 * random.usize(1..4) };
        for _ in 0..bits {
            let change = time + if late { period * 0.05 } else { 0.0 } + if two_wires { period * 0.15 } else { 0.0 };
            if random.bool() {
                out.push(change);
                level_out = !level_out;
            }
            if random.bool() {
                back.push(change + period * 0.02);
                level_back = !level_back;
            }
            match two_wires {
                true => clock.extend([time, time + period / 2.0]),
                false => clock.extend([time + period / 2.0, time + period]),
            }
            time += period;
        }
        if two_wires && !level_out {
            out.push(time + period);
            level_out = true;
        }
        select.push(time + period);
        time += period * scaled(random, 5.0, 400.0);
    }
    let _ = level_back;
    let mut lines = vec![line("bus", two_wires, clock, 1.0), line("bus", true, out, 1.0)];
    if !two_wires {
        lines.extend([line("bus", true, select, 1.0), line("bus", true, back, 1.0)]);
    }
    Labelled::new(lines, 0.0)
}

/// A wire that picks up the mains, all the time or while it is touched.
pub fn floating(random: &mut Rng) -> Labelled {
    let hertz = [50.0, 60.0][random.usize(0..2)] * between(random, 0.998, 1.002);
    let half = SECOND / hertz / 2.0;
    let wander = between(random, 0.15, 0.45);
    let chatter = random.usize(0..4);
    let close = between(random, 0.05, 0.4) * half;
    let touched = random.bool();
    let seconds = between(random, 4.0, 20.0);
    let mut times = Vec::new();
    let (mut time, mut until) = (half, seconds * SECOND);
    loop {
        if touched {
            time = (times.last().copied().unwrap_or(0.0) / half).ceil() * half + (random.usize(20..200) as f64) * half;
            until = time + between(random, 0.4, 1.5) * SECOND;
        }
        while time < until {
            let at = time + wander * half * random.f64();
            times.push(at);
            for _ in 0..2 * random.usize(0..=chatter) {
                times.push(at + close * random.f64());
            }
            time += half;
        }
        if !touched || time > seconds * SECOND {
            break;
        }
    }
    let mut lines = vec![line("floating", false, times.clone(), 1.0)];
    if random.bool() {
        // The wire beside it picks up the same, a little later.
        let later = times.iter().map(|time| time + between(random, 0.05, 0.3) * half).collect();
        lines.push(line("floating", false, later, 1.0));
    }
    Labelled::new(lines, seconds)
}

/// A chain of shift registers.
pub fn chain(random: &mut Rng) -> Labelled {
    let bits = 8 * random.usize(1..5);
    let (clock_period, period) = (scaled(random, 1e3, 2e4), scaled(random, 2.0, 50.0) * MS);
    let (mut load, mut clock, mut data) = (Vec::new(), Vec::new(), Vec::new());
    let mut word: Vec<bool> = (0..bits).map(|_| random.bool()).collect();
    let mut level = false;
    for frame in 0..random.usize(30..200) {
        let start = 1e5 + frame as f64 * period;
        load.extend([start, start + clock_period]);
        if random.u32(0..4) == 0 {
            let place = random.usize(0..bits);
            word[place] = !word[place];
        }
        for (number, &bit) in word.iter().enumerate() {
            let rise = start + clock_period * (number as f64 + 2.0);
            if bit != level {
                // The bit after a clock stands from its edge on.
                data.push(rise - clock_period * if number == 0 { 1.0 } else { 0.98 });
                level = bit;
            }
            clock.extend([rise, rise + clock_period / 2.0]);
        }
    }
    let facts = Facts { clocks: Some(bits), ..Facts::default() };
    let lines = vec![line("chain", true, load, 1.0), line("chain", false, clock, 1.0), line("chain", false, data, 1.0)];
    Labelled { facts, ..Labelled::new(lines, 0.0) }
}

/// An echo sensor's trigger and echo.
pub fn echo(random: &mut Rng) -> Labelled {
    let (every, delay) = (between(random, 30.0, 100.0) * MS, between(random, 0.2, 0.8) * MS);
    let lost = between(random, 0.0, 0.1);
    let (mut trigger, mut echo) = (Vec::new(), Vec::new());
    let mut width = between(random, 1.0, 15.0) * MS;
    for number in 0..random.usize(30..400) {
        let at = MS + number as f64 * every;
        trigger.extend([at, at + 0.01 * MS]);
        width = (width * between(random, 0.95, 1.05)).clamp(0.3 * MS, 20.0 * MS);
        if random.f64() > lost {
            echo.extend([at + delay, at + delay + width]);
        }
    }
    Labelled::new(vec![line("trigger", false, trigger, 1.0), line("echo", false, echo, 1.0)], 0.0)
}

/// Makes the lines of a kind.
type Make = fn(&mut Rng) -> Labelled;

/// All kinds that are made at random, by name.
pub const KINDS: [(&str, Make); 10] = [
    ("pulse train", pulse_train),
    ("contact", contact),
    ("changeover", changeover),
    ("modulated", modulated),
    ("encoder", encoder),
    ("serial", serial),
    ("bus", bus),
    ("floating", floating),
    ("chain", chain),
    ("echo", echo),
];

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::measure::advice::{Advice, AdvisedMethod, Wish};
    use reigen_core::measure::debounce::{DebounceMeter, Sense};
    use reigen_core::measure::kind::Kind;

    /// How many of each kind are tried.
    const VARIATIONS: u64 = 60;

    #[test]
    fn lines_are_what_they_are_and_no_healthy_line_floats() {
        let mut told = Vec::new();
        for (name, make) in KINDS {
            let (mut all, mut right, mut wrong) = (0, 0, Vec::new());
            for seed in 0..VARIATIONS {
                let labelled = make(&mut Rng::with_seed(seed));
                for (number, (line, guess)) in labelled.lines.iter().zip(labelled.judged()).enumerate() {
                    let word = guess.kind.word();
                    all += 1;
                    if word == line.word {
                        right += 1
                    } else {
                        wrong.push(format!("{seed}.{number}:{word}({}: {})", line.times.len(), guess.ground))
                    }
                    assert!(word != "floating" || line.word == "floating", "{name} {seed}: {}", guess.ground);
                }
            }
            told.push((name, all, right, wrong));
        }
        for (name, all, right, wrong) in told {
            assert!(right * 100 >= all * 98, "{name}: {right} of {all}; {wrong:?}");
        }
    }

    #[test]
    fn the_figures_told_of_a_kind_are_true() {
        let mut told = [0; 3];
        for (make, seed) in
            [serial, encoder, chain].into_iter().flat_map(|make| (0..VARIATIONS).map(move |seed| (make, seed)))
        {
            let labelled = make(&mut Rng::with_seed(seed));
            let facts = &labelled.facts;
            for guess in labelled.judged() {
                match guess.kind {
                    Kind::Serial { bit } => {
                        let really = facts.bit.unwrap();
                        assert!(
                            (bit.0 as f64 / really - 1.0).abs() < 0.03,
                            "{seed}: {bit:?} for {really}: {}",
                            guess.ground
                        );
                        told[0] += 1;
                    }
                    Kind::Index { cycles, .. } => {
                        assert_eq!(Some(cycles), facts.cycles, "{seed}: {}", guess.ground);
                        told[1] += 1;
                    }
                    Kind::Chain { bits, .. } => {
                        assert_eq!(Some(bits), facts.clocks, "{seed}: {}", guess.ground);
                        told[2] += 1;
                    }
                    _ => {}
                }
            }
        }
        assert!(told.iter().all(|number| *number >= 15), "{told:?}");
    }

    #[test]
    fn judging_does_not_depend_on_how_long_a_line_rests_at_first() {
        for (name, make) in KINDS {
            for seed in 0..VARIATIONS / 3 {
                let first = make(&mut Rng::with_seed(seed));
                let mut moved = make(&mut Rng::with_seed(seed));
                let later = Nanos(7_000_000_000);
                moved.lines.iter_mut().flat_map(|line| line.times.iter_mut()).for_each(|time| *time += later);
                moved.end += later;
                let words =
                    |labelled: &Labelled| labelled.judged().iter().map(|guess| guess.kind.word()).collect::<Vec<_>>();
                assert_eq!(words(&first), words(&moved), "{name} {seed}");
            }
        }
    }

    /// What is advised for a line of a kind.
    fn advised(line: &Line, kind: &Kind, end: Nanos) -> Advice {
        let mut meter = DebounceMeter::new(Nanos(0), line.starts_high, false);
        meter.take(&line.times);
        meter
            .finish(kind, Sense { on_while_high: Some(!line.starts_high), tick: Nanos(1) }, Wish::default(), end)
            .advice
    }

    #[test]
    fn advice_counts_what_really_was_and_leaves_clean_lines_alone() {
        let mut without = 0;
        for seed in 0..VARIATIONS {
            let labelled = contact(&mut Rng::with_seed(seed));
            let advice = advised(&labelled.lines[0], &Kind::Contact, labelled.end);
            match advice.advised {
                Some(_) => assert_eq!(advice.count, Some(labelled.actuations), "contact {seed}: {advice:?}"),
                None => without += 1,
            }
            for make in [pulse_train, modulated, encoder, echo, chain] {
                let labelled = make(&mut Rng::with_seed(seed));
                for (line, guess) in
                    labelled.lines.iter().zip(labelled.judged()).filter(|(_, guess)| guess.kind.is_pulses())
                {
                    let advice = advised(line, &guess.kind, labelled.end);
                    assert_eq!(advice.advised, Some(AdvisedMethod::None), "{} {seed}: {advice:?}", line.word);
                }
            }
        }
        assert!(without * 50 <= VARIATIONS, "{without} contacts without advice");
    }
}
