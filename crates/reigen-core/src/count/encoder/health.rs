//! How well the channels stand to one another: phase, duty, and the closest edges.
//!
//! Measured over cycles of A with four edges and of steady speed, at each octave of speed and in each direction; from
//! the thousandth cycle on over every eighth.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// A cycle is steady where it takes as long as the one before to within this share.
const STEADY: f64 = 0.05;
/// So many cycles tell something.
const ENOUGH: u64 = 8;
/// So many cycles are measured each, and later one of so many.
const EACH: u64 = 1024;
const LATER: u64 = 8;
/// Octaves of the length of a cycle.
const OCTAVES: usize = 64;

/// Cycles of one octave of speed in one direction.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
struct Cycles {
    count: u64,
    phase: f64,
    least_phase: f64,
    most_phase: f64,
    duty_a: f64,
    duty_b: f64,
    closest: f64,
}

const NONE: Cycles =
    Cycles { count: 0, phase: 0.0, least_phase: 360.0, most_phase: 0.0, duty_a: 0.0, duty_b: 0.0, closest: 360.0 };

impl Cycles {
    fn join(&mut self, other: &Cycles) {
        self.count += other.count;
        self.phase += other.phase;
        self.least_phase = self.least_phase.min(other.least_phase);
        self.most_phase = self.most_phase.max(other.most_phase);
        self.duty_a += other.duty_a;
        self.duty_b += other.duty_b;
        self.closest = self.closest.min(other.closest);
    }

    fn told(&self, forward: bool, octave: Option<usize>) -> Option<Phase> {
        let count = self.count as f64;
        let hertz = |octave: usize| 1e9 / (1u64 << octave) as f64;
        (self.count >= ENOUGH).then(|| Phase {
            forward,
            from_hz: octave.map(|octave| hertz(octave + 1)),
            to_hz: octave.map(hertz),
            cycles: self.count,
            phase_degrees: self.phase / count,
            least_phase_degrees: self.least_phase,
            most_phase_degrees: self.most_phase,
            duty_a: self.duty_a / count,
            duty_b: self.duty_b / count,
            closest_degrees: self.closest,
        })
    }
}

/// How the channels stand to one another in some cycles.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Phase {
    /// The direction.
    pub forward: bool,
    /// The slowest cycles; `None` for all speeds together.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub from_hz: Option<f64>,
    /// The fastest.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to_hz: Option<f64>,
    /// How many cycles.
    pub cycles: u64,
    /// From the edge of the leading channel to that of the other: 90 is wanted.
    pub phase_degrees: f64,
    /// The least of that.
    pub least_phase_degrees: f64,
    /// The most.
    pub most_phase_degrees: f64,
    /// The share of a cycle in which A is high.
    pub duty_a: f64,
    /// The same of B.
    pub duty_b: f64,
    /// The closest two edges of a cycle: 90 is wanted.
    pub closest_degrees: f64,
}

/// The edges of one cycle.
#[derive(Debug, Clone, Copy)]
struct Cycle {
    start: Nanos,
    a_falls: Nanos,
    b_rises: Nanos,
    b_falls: Nanos,
    end: Nanos,
}

/// The running form.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Health {
    /// When A last rose and fell, and B.
    a: [Nanos; 2],
    b: [Nanos; 2],
    /// Edges since A last rose.
    edges: u32,
    last_cycle: u64,
    /// Cycles so far, steady or not.
    passed: u64,
    /// For each direction and octave.
    cycles: Vec<[Cycles; 2]>,
    /// The worst cycle, and when it began.
    worst: Option<(Nanos, f64)>,
}

impl Default for Health {
    fn default() -> Self {
        Self {
            a: [Nanos(0); 2],
            b: [Nanos(0); 2],
            edges: 0,
            last_cycle: 0,
            passed: 0,
            cycles: vec![[NONE; 2]; OCTAVES],
            worst: None,
        }
    }
}

impl Health {
    /// One channel has changed to a level.
    #[inline]
    pub fn edge(&mut self, at: Nanos, is_a: bool, level: bool) {
        if is_a && level {
            self.cycle(at);
            self.edges = 0;
        }
        self.edges += 1;
        let last = if is_a { &mut self.a } else { &mut self.b };
        if let Some(time) = last.get_mut(usize::from(!level)) {
            *time = at;
        }
    }

    /// Something came between: the cycle is none.
    pub fn break_off(&mut self) {
        self.edges = u32::MAX / 2;
    }

    /// A cycle ends.
    #[inline]
    fn cycle(&mut self, end: Nanos) {
        let [start, a_falls] = self.a;
        let [b_rises, b_falls] = self.b;
        let whole = self.edges == 4 && start > Nanos(0) && b_rises > start && b_falls > start && a_falls > start;
        if self.next_cycle(start, end) && whole {
            self.measure(Cycle { start, a_falls, b_rises, b_falls, end });
        }
    }

    /// Goes on to the next cycle; whether the one that ends is steady, and is to be measured.
    #[inline]
    fn next_cycle(&mut self, start: Nanos, end: Nanos) -> bool {
        let length = end.saturating_sub(start).0;
        let before = std::mem::replace(&mut self.last_cycle, length);
        self.passed += 1;
        let measured = self.passed < EACH || self.passed.is_multiple_of(LATER);
        measured && (before.abs_diff(length) as f64) <= STEADY * length as f64
    }

    /// Many edges that take turns strictly: `a` and `b` are as long, and one of them comes first throughout.
    ///
    /// The same as [`edge`](Self::edge) for each of them; the levels are those before.
    pub fn turns(&mut self, a: &[Nanos], b: &[Nanos], a_first: bool, levels: (bool, bool)) {
        let generic = if a.len() < 8 { a.len() } else { 2 };
        let (mut a_level, mut b_level) = levels;
        for (&a, &b) in a.iter().zip(b).take(generic) {
            (a_level, b_level) = (!a_level, !b_level);
            let both = [(a, true, a_level), (b, false, b_level)];
            let both = if a_first { both } else { [both[1], both[0]] };
            both.into_iter().for_each(|(at, is_a, level)| self.edge(at, is_a, level));
        }
        if a.len() <= generic {
            return;
        }
        // Now A has risen and fallen, and so has B: a cycle ends with each second edge of A.
        let first = if a_level { generic + 1 } else { generic };
        let shift = if a_first { 2 } else { 1 };
        for end in (first..a.len()).step_by(2) {
            let (Some([start, a_falls, at]), Some([one, other])) =
                (a.get(end - 2..).and_then(|a| a.first_chunk()), b.get(end - shift..).and_then(|b| b.first_chunk()))
            else {
                break;
            };
            if self.next_cycle(*start, *at) {
                // B changes as often as A: its level before those two edges tells which of them rises.
                let rises = levels.1 == ((end - shift) % 2 == 1);
                let (b_rises, b_falls) = if rises { (*one, *other) } else { (*other, *one) };
                self.measure(Cycle { start: *start, a_falls: *a_falls, b_rises, b_falls, end: *at });
            }
        }
        self.leave(a, b, a_first, levels);
    }

    /// Stands as after the last of many edges.
    fn leave(&mut self, a: &[Nanos], b: &[Nanos], a_first: bool, levels: (bool, bool)) {
        let ([.., a1, a2], [.., b1, b2]) = (a, b) else { return };
        let odd = a.len() % 2 == 1;
        let (a_high, b_high) = (levels.0 ^ odd, levels.1 ^ odd);
        self.a = if a_high { [*a2, *a1] } else { [*a1, *a2] };
        self.b = if b_high { [*b2, *b1] } else { [*b1, *b2] };
        // Since A last rose: itself, and what came after it.
        self.edges = if a_high { 1 } else { 3 } + u32::from(a_first);
    }

    fn measure(&mut self, cycle: Cycle) {
        let Cycle { start, a_falls, b_rises, b_falls, end } = cycle;
        let length = end.saturating_sub(start).0;
        let degrees = 360.0 / length as f64;
        let place = |time: Nanos| (time - start).0 as f64 * degrees;
        let (rise, fall, a_fall) = (place(b_rises), place(b_falls), place(a_falls));
        // Forward, B rises while A is high; backward it falls then.
        let forward = rise < fall;
        let (first, second) = if forward { (rise, fall) } else { (fall, rise) };
        let gaps = [first, a_fall - first, second - a_fall, 360.0 - second];
        let closest = gaps.into_iter().fold(360.0, f64::min);
        let octave = (length.max(1).ilog2() as usize).min(OCTAVES - 1);
        let Some(cycles) = self.cycles.get_mut(octave).and_then(|both| both.get_mut(usize::from(forward))) else {
            return;
        };
        let high = if forward { fall - rise } else { 360.0 - rise + fall };
        cycles.join(&Cycles {
            count: 1,
            phase: first,
            least_phase: first,
            most_phase: first,
            duty_a: a_fall / 360.0,
            duty_b: high / 360.0,
            closest,
        });
        if self.worst.is_none_or(|(_, worst)| closest < worst) {
            self.worst = Some((start, closest));
        }
    }

    /// What was found: for each direction over all speeds, then at each octave of speed.
    pub fn told(&self) -> Vec<Phase> {
        let mut told = Vec::new();
        for (direction, forward) in [(1, true), (0, false)] {
            let of = |octave: &[Cycles; 2]| octave.get(direction).copied().unwrap_or(NONE);
            let mut all = NONE;
            self.cycles.iter().for_each(|octave| all.join(&of(octave)));
            told.extend(all.told(forward, None));
            // The slowest first.
            let octaves = self.cycles.iter().enumerate().rev();
            told.extend(octaves.filter_map(|(octave, cycles)| of(cycles).told(forward, Some(octave))));
        }
        told
    }

    /// The closest two edges, in degrees, and when that cycle began.
    pub fn worst(&self) -> Option<(Nanos, f64)> {
        self.worst
    }
}
