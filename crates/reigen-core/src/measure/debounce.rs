//! The debounce of one input: its bursts, what each method counts at each time, and what is advised.

use super::advice::{Advice, Evidence, Wish, advise};
use super::bounce::BounceMeter;
use super::curve::Curve;
use super::edges::Edges;
use super::judgement::JUDGED;
use super::kind::Kind;
use super::line::{FIRST_EDGES, LineFigures, LineMeter, MANY_EDGES, judge_all};
use super::lockout_curve::lockout_curve;
use super::parting;
use super::plateau::Plateau;
use super::pulse_train;
use super::stable_curve::StableCurve;
use crate::column::BitColumn;
use crate::time::Nanos;
use rayon::prelude::*;

/// How many edges the curve of `lockout` is worked out from.
pub const LOCKOUT_EDGES: usize = 1 << 14;

/// Measures one line, edge by edge.
#[derive(Debug, Clone)]
pub struct DebounceMeter {
    line: LineMeter,
    curve: Option<StableCurve>,
}

/// How a line's levels are read.
#[derive(Debug, Clone, Copy)]
pub struct Sense {
    /// Whether the input is on while the line is high; `None`: it is off where the line is longer.
    pub on_while_high: Option<bool>,
    /// The step of the recording's times.
    pub tick: Nanos,
}

/// A method, with the time that the line's bursts and holds allow.
#[derive(Debug, Clone)]
pub struct Method {
    /// Its word in the station file.
    pub name: &'static str,
    /// How many actuations come out at each time.
    pub curve: Curve,
    /// The plateau that the time lies on; `None` where no time is allowed.
    pub plateau: Option<Plateau>,
    /// The time.
    pub time: Nanos,
    /// What it adds to a press.
    pub delay_on: Nanos,
    /// What it adds to a release.
    pub delay_off: Nanos,
    /// The shortest pulse that it keeps.
    pub shortest_kept: Nanos,
}

/// What came of the measurement.
#[derive(Debug, Clone)]
pub struct DebounceAnalysis {
    /// What the line is.
    pub kind: Kind,
    /// All edges.
    pub edges: u64,
    /// Whether the input is on while the line is high.
    pub on_while_high: bool,
    /// Its bursts, as an input that is on or off.
    pub bounce: BounceMeter,
    /// `stable` and `lockout`; none where curves were not asked for.
    pub methods: Vec<Method>,
    /// How many of the edges `lockout` was worked out from.
    pub lockout_edges: usize,
    /// What is advised.
    pub advice: Advice,
}

impl DebounceMeter {
    /// A meter of a line that only stands beside the one that is measured.
    fn beside(since: Nanos, high: bool) -> Self {
        Self { line: LineMeter::of_first_edges(since, high, FIRST_EDGES), curve: None }
    }

    /// A meter for a line that has its first level at a time; with the curves of its counts where they are asked for.
    pub fn new(since: Nanos, high: bool, curves: bool) -> Self {
        Self { line: LineMeter::new(since, high), curve: curves.then(|| StableCurve::new(high)) }
    }

    /// Takes the edges of a window.
    pub fn take(&mut self, edges: &[Nanos]) {
        self.line.take(edges);
        if let Some(curve) = &mut self.curve {
            edges.iter().for_each(|&edge| curve.take(edge));
        }
    }

    /// The line's own meter.
    pub fn line(&self) -> &LineMeter {
        &self.line
    }

    /// What comes of it at the recording's last time, for a line of a kind.
    pub fn finish(mut self, kind: &Kind, sense: Sense, wish: Wish, end: Nanos) -> DebounceAnalysis {
        let figures = self.line.figures(end);
        debounced(&self.line, &figures, kind, (sense, wish), self.curve.take(), end)
    }
}

/// What is advised for a line, and what that rests on.
fn debounced(
    line: &LineMeter,
    figures: &LineFigures,
    kind: &Kind,
    (sense, wish): (Sense, Wish),
    curve: Option<StableCurve>,
    end: Nanos,
) -> DebounceAnalysis {
    let on_while_high = sense.on_while_high.unwrap_or(!figures.idle_high);
    let levels = line.edges();
    let bounce = match kind.is_contact().then(|| parting::part(levels.first(JUDGED))).flatten() {
        // What it is beside other lines may say more than the line by itself.
        Some(parting) if parting.quiet != figures.bounce.quiet() && line.has_all() => {
            parting::meter(levels, parting.quiet)
        }
        _ => figures.bounce.clone(),
    };
    let bounce = if on_while_high { bounce } else { bounce.inverted() };
    let starts_on = levels.starts_high == on_while_high;
    let edges = Edges { starts_high: starts_on, ..levels };
    // Nothing is known of times that are longer than the lines were recorded.
    let length = end.saturating_sub(line.since());
    let stable = curve.map(|curve| curve.finish(starts_on, end).0.up_to(length));
    let first = edges.first(LOCKOUT_EDGES).times;
    let all = first.len() as u64 == figures.edges;
    let lockout_end = if all { end } else { first.last().copied().unwrap_or(end) };
    let lockout = stable.is_some().then(|| lockout_curve(first, starts_on, lockout_end).up_to(length));
    let evidence = Evidence {
        kind,
        bounce: &bounce,
        edges,
        all: line.has_all(),
        interference: pulse_train::interference(levels, kind),
        rises: if starts_on { figures.edges / 2 } else { figures.edges.div_ceil(2) },
        step: levels.step().max(sense.tick),
        end,
        stable: stable.as_ref(),
        lockout: lockout.as_ref().filter(|_| all),
    };
    let advice = advise(evidence, wish);
    let times = match kind.is_contact() {
        true => [evidence.stable_time(), evidence.lockout_time()],
        false => [advice.advised.and_then(|advised| Some(advised.times()?.on)), None],
    };
    let methods = [("stable", stable), ("lockout", lockout)].into_iter().zip(times);
    let methods = methods.filter_map(|((name, curve), time)| Some(Method::new(name, curve?, time))).collect();
    DebounceAnalysis {
        kind: kind.clone(),
        edges: figures.edges,
        on_while_high,
        bounce,
        methods,
        lockout_edges: first.len(),
        advice,
    }
}

impl Method {
    fn new(name: &'static str, curve: Curve, time: Option<Nanos>) -> Self {
        let plateau = time.and_then(|time| {
            curve.plateaus().into_iter().find(|plateau| (plateau.from..plateau.until).contains(&time))
        });
        let time = time.filter(|_| plateau.is_some()).unwrap_or_default();
        // A lockout follows at once and keeps every pulse, if only as one of its own length.
        let delay = if name == "stable" { time } else { Nanos(0) };
        Self { name, curve, plateau, time, delay_on: delay, delay_off: delay, shortest_kept: delay }
    }
}

/// The debounce that a line of a kind needs.
pub fn advise_line(line: &LineMeter, figures: &LineFigures, kind: &Kind, sense: Sense, end: Nanos) -> Advice {
    debounced(line, figures, kind, (sense, Wish::default()), None, end).advice
}

/// Measures the lines of a recording side by side: all of them, or one with its curves beside the others.
#[derive(Debug)]
pub struct LinesMeter {
    meters: Vec<Option<DebounceMeter>>,
    only: Option<usize>,
}

impl LinesMeter {
    /// For so many lines; `only` is the number of the one that is asked for.
    pub fn new(lines: usize, only: Option<usize>) -> Self {
        Self { meters: vec![None; lines], only }
    }

    /// Takes what the lines did within a window.
    pub fn take(&mut self, bits: &[BitColumn]) {
        let only = self.only;
        let work = |(line, (meter, bit)): (usize, (&mut Option<DebounceMeter>, &BitColumn))| {
            let Some(level) = bit.level else { return };
            let new = || match only {
                Some(only) if only != line => DebounceMeter::beside(bit.since, level),
                _ => DebounceMeter::new(bit.since, level, only.is_some()),
            };
            meter.get_or_insert_with(new).take(&bit.toggles);
        };
        let edges: usize = bits.iter().map(|bit| bit.toggles.len()).sum();
        // Of one line the others soon have all that they need.
        match only.is_none() && edges > MANY_EDGES {
            true => self.meters.par_iter_mut().zip(bits).enumerate().for_each(work),
            false => self.meters.iter_mut().zip(bits).enumerate().for_each(work),
        }
    }

    /// What comes of each line that is asked for, at the recording's last time; `None` for one that never had a level.
    pub fn finish(
        self,
        names: &[String],
        sense: Sense,
        wish: Wish,
        end: Nanos,
    ) -> Vec<(String, Option<DebounceAnalysis>)> {
        let lines: Vec<Option<&LineMeter>> =
            self.meters.iter().map(|meter| meter.as_ref().map(|meter| &meter.line)).collect();
        let kinds = judge_all(&lines, names, end);
        let only = self.only;
        let asked = self.meters.into_par_iter().zip(names).zip(kinds).enumerate();
        let asked = asked.filter(|(line, _)| only.is_none_or(|only| only == *line));
        asked
            .map(|(_, ((meter, name), guess))| {
                (name.clone(), meter.map(|meter| meter.finish(&guess.kind, sense, wish, end)))
            })
            .collect()
    }
}
