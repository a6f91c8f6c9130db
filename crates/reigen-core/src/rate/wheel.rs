//! The wheel that gives the pulses: which of its marks is early or late, which is missed, and how much of a
//! reading's unrest comes from it.
//!
//! Marks are numbered from the first edge that was seen. An interval that is twice, three or four times its two
//! neighbours has marks in it that were missed. Evenness is measured over revolutions of steady speed alone.

use crate::cast;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// A revolution is steady where it takes as long as the one before to within this share.
const STEADY: f64 = 0.005;
/// So many steady revolutions tell something of the wheel.
const ENOUGH: u64 = 5;

/// What was found of a wheel.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct WheelSummary {
    /// How many revolutions of steady speed it was measured over.
    pub revolutions: u64,
    /// For each mark how late it comes, in percent of the spacing of two marks; below 0 for early. Empty where the
    /// steady revolutions are too few.
    pub late_percent: Vec<f64>,
    /// How much single periods differ in steady revolutions: one standard deviation, in percent.
    pub unrest_percent: f64,
    /// How much of that comes from the wheel, again in percent: it vanishes with `average` = marks.
    pub from_wheel_percent: f64,
    /// How far single periods swing once a revolution, in percent: a wheel out of centre.
    pub ripple_percent: f64,
    /// How much of what comes from the wheel is that swing, in percent.
    pub ripple_share_percent: f64,
    /// For each mark how often it was missed.
    pub missed: Vec<u64>,
    /// How many revolutions were followed, steady or not.
    pub turns: u64,
    /// When one was first missed.
    #[serde(rename = "first_missed_ns")]
    pub first_missed: Option<Nanos>,
    /// The slowest rate of marks at which one was missed, in hertz.
    pub missed_from_hertz: Option<f64>,
}

/// What one stretch without doubt about the marks' numbers tells.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
struct Stretch {
    revolutions: u64,
    turns: u64,
    /// For each interval the sums of its share of a revolution and of the squares.
    sums: Vec<(f64, f64)>,
    missed: Vec<u64>,
    first_missed: Option<Nanos>,
    missed_from_hertz: Option<f64>,
}

/// The running form: it follows the marks.
#[derive(Debug, Clone)]
pub struct Wheel {
    marks: usize,
    state: State,
}

/// What a wheel must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    last: Option<Nanos>,
    /// The two intervals before the next one, and the time at which the later began.
    before: Option<u64>,
    middle: Option<(u64, Nanos)>,
    /// The number of the mark at which the middle interval begins.
    mark: usize,
    /// The intervals of the present revolution; empty after a doubt until mark 0.
    revolution: Vec<u64>,
    whole: bool,
    last_length: Option<u64>,
    present: Stretch,
    best: Stretch,
}

impl Stretch {
    fn new(marks: usize) -> Self {
        Self { sums: vec![(0.0, 0.0); marks], missed: vec![0; marks], ..Self::default() }
    }

    /// Forgets what it holds, but keeps the memory.
    fn clear(&mut self) {
        self.sums.fill((0.0, 0.0));
        self.missed.fill(0);
        (self.revolutions, self.turns) = (0, 0);
        (self.first_missed, self.missed_from_hertz) = (None, None);
    }

    /// How much it has to tell.
    fn weight(&self) -> u64 {
        self.revolutions + self.missed.iter().sum::<u64>()
    }
}

impl Wheel {
    /// A wheel of so many marks, at least two.
    pub fn new(marks: usize) -> Self {
        let state = State {
            last: None,
            before: None,
            middle: None,
            mark: 0,
            revolution: Vec::with_capacity(marks),
            whole: true,
            last_length: None,
            present: Stretch::new(marks),
            best: Stretch::new(marks),
        };
        Self { marks, state }
    }

    /// What it must know of the past.
    pub fn save(&self) -> State {
        self.state.clone()
    }

    /// Goes on from a state.
    pub fn restore(&mut self, state: State) {
        self.state = state;
    }

    /// A mark comes, so many places after the one before: those between are taken as evenly spaced marks.
    #[inline]
    pub fn places(&mut self, at: Nanos, places: usize) {
        if let (2.., Some(last)) = (places, self.state.last) {
            let each = at.saturating_sub(last).0 / places as u64;
            (1..places as u64).for_each(|place| self.edge(last + Nanos(each * place)));
        }
        self.edge(at);
    }

    /// A mark comes.
    #[inline]
    pub fn edge(&mut self, at: Nanos) {
        let Some(last) = self.state.last.replace(at) else { return };
        let after = at.saturating_sub(last).0;
        if let Some((middle, began)) = self.state.middle.replace((after, last)) {
            self.judge(middle, began, after);
            self.state.before = Some(middle);
        }
    }

    /// Judges an interval by its neighbours: a single one, one with missed marks, or nothing to build on.
    #[inline]
    fn judge(&mut self, middle: u64, began: Nanos, after: u64) {
        let neighbours = self.state.before.map_or(after as f64, |before| (before as f64 + after as f64) / 2.0);
        let ratio = middle as f64 / neighbours;
        if (0.6..1.5).contains(&ratio) {
            return self.single(middle);
        }
        let marks = ratio.round();
        // Beside a gap an interval looks short.
        if (0.4..0.6).contains(&ratio) || (ratio < 0.8 && ratio > 0.25) {
            return self.single(middle);
        }
        match (2.0..=4.0).contains(&marks) && (ratio - marks).abs() < 0.3 && self.state.before.is_some() {
            true => self.gap(middle, began, cast::usize_from_f64(marks)),
            false => self.doubt(),
        }
    }

    #[inline]
    fn single(&mut self, interval: u64) {
        self.state.revolution.push(interval);
        self.next_mark();
    }

    fn next_mark(&mut self) {
        self.state.mark += 1;
        if self.state.mark == self.marks {
            self.state.mark = 0;
            self.end_revolution();
        }
    }

    fn end_revolution(&mut self) {
        self.state.present.turns += 1;
        let whole = std::mem::replace(&mut self.state.whole, true) && self.state.revolution.len() == self.marks;
        let length: u64 = self.state.revolution.iter().sum();
        let steady = self.state.last_length.is_some_and(|last| (last.abs_diff(length) as f64) < STEADY * length as f64);
        if whole && steady {
            self.state.present.revolutions += 1;
            let scale = self.marks as f64 / length as f64;
            for ((sum, squares), interval) in self.state.present.sums.iter_mut().zip(&self.state.revolution) {
                let share = *interval as f64 * scale;
                *sum += share;
                *squares += share * share;
            }
        }
        self.state.last_length = whole.then_some(length);
        self.state.revolution.clear();
    }

    /// An interval of several marks: those between were missed.
    fn gap(&mut self, interval: u64, began: Nanos, marks: usize) {
        let each = interval / marks as u64;
        self.next_mark();
        for number in 1..marks {
            if let Some(missed) = self.state.present.missed.get_mut(self.state.mark) {
                *missed += 1;
            }
            self.state.present.first_missed.get_or_insert(began + Nanos(each * number as u64));
            self.state.whole = false;
            self.next_mark();
        }
        // The revolution in which the gap ends is not whole either.
        self.state.whole = false;
        let hertz = 1e9 / each as f64;
        self.state.present.missed_from_hertz =
            Some(self.state.present.missed_from_hertz.map_or(hertz, |from| from.min(hertz)));
    }

    /// From here on it is not sure which mark is which.
    fn doubt(&mut self) {
        let State { present, best, .. } = &mut self.state;
        if present.weight() > best.weight() {
            std::mem::swap(present, best);
        }
        present.clear();
        self.state.revolution.clear();
        (self.state.mark, self.state.whole, self.state.last_length) = (0, true, None);
    }

    /// What was found; `None` where it is too little to tell.
    pub fn summary(&self) -> Option<WheelSummary> {
        let told =
            if self.state.present.weight() > self.state.best.weight() { &self.state.present } else { &self.state.best };
        let missed = told.missed.iter().any(|missed| *missed > 0);
        if told.revolutions < ENOUGH && !missed {
            return None;
        }
        let mut summary = WheelSummary {
            revolutions: told.revolutions,
            late_percent: Vec::new(),
            unrest_percent: 0.0,
            from_wheel_percent: 0.0,
            ripple_percent: 0.0,
            ripple_share_percent: 0.0,
            missed: told.missed.clone(),
            turns: told.turns,
            first_missed: told.first_missed,
            missed_from_hertz: told.missed_from_hertz,
        };
        if told.revolutions >= ENOUGH {
            evenness(told, &mut summary);
        }
        Some(summary)
    }
}

impl WheelSummary {
    /// How many marks, side by side, are missed in nearly every revolution: a gap that somebody made.
    pub fn regular_gap(&self) -> Option<usize> {
        let most = *self.missed.iter().max()?;
        let always = |missed: u64| missed * 10 >= self.turns * 8;
        let gap = self.missed.iter().filter(|missed| always(**missed)).count();
        let others = self.missed.iter().filter(|missed| !always(**missed)).sum::<u64>();
        let borders = self.missed.iter().zip(self.missed.iter().cycle().skip(1));
        let side_by_side = borders.filter(|(one, next)| always(**one) && !always(**next)).count() == 1;
        (most >= 3 && self.turns >= 3 && gap > 0 && others * 10 <= most && side_by_side).then_some(gap)
    }
}

/// How even the marks are, from the mean share of each interval.
fn evenness(told: &Stretch, summary: &mut WheelSummary) {
    let (marks, revolutions) = (told.sums.len() as f64, told.revolutions as f64);
    let long: Vec<f64> = told.sums.iter().map(|(sum, _)| sum / revolutions - 1.0).collect();
    let from_wheel = long.iter().map(|long| long * long).sum::<f64>() / marks;
    let squares = told.sums.iter().map(|(_, squares)| squares / revolutions).sum::<f64>() / marks;
    let all = (squares - 1.0).max(from_wheel);
    let late: Vec<f64> = long
        .iter()
        .scan(0.0, |sum, long| {
            let late = *sum;
            *sum += long;
            Some(late)
        })
        .collect();
    let mean = late.iter().sum::<f64>() / marks;
    summary.late_percent = late.iter().map(|late| (late - mean) * 100.0).collect();
    summary.unrest_percent = all.sqrt() * 100.0;
    summary.from_wheel_percent = if all > 0.0 { from_wheel / all * 100.0 } else { 0.0 };
    // The first harmonic of the intervals: of two marks it is all that there is.
    let turn = |wave: fn(f64) -> f64| {
        let sum: f64 = long.iter().zip(0u32..).map(|(long, mark)| long * wave(TAU * f64::from(mark) / marks)).sum();
        sum * 2.0 / marks
    };
    let swing = turn(f64::cos).hypot(turn(f64::sin));
    summary.ripple_percent = swing * 100.0;
    if from_wheel > 0.0 {
        summary.ripple_share_percent = (swing * swing / 2.0 / from_wheel * 100.0).min(100.0);
    }
}
