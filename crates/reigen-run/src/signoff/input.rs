//! An input: somebody actuates it once and lets it go, and any line may answer.

use super::Judged;
use reigen_core::time::Nanos;
use reigen_core::units::short_time;
use std::collections::{BTreeMap, BTreeSet};

/// Edges that follow one another so closely are one bounce.
const BOUNCE: Nanos = Nanos(100_000_000);

/// An edge of a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LineEdge {
    /// When.
    pub time: Nanos,
    /// The number of the line.
    pub line: usize,
    /// What it is then.
    pub high: bool,
}

/// What is tried.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InputStep {
    /// The number of its signal.
    pub line: usize,
    /// Whether it is on while its line is high.
    pub on_while_high: bool,
    /// Its debounce; 0 for none.
    pub debounce: Nanos,
    /// Lines that change with it: the other side of a changeover contact.
    pub with: Vec<usize>,
}

/// What was seen.
#[derive(Debug, Clone, Default)]
pub struct InputSeen {
    /// What each line was before.
    pub rest: BTreeMap<usize, bool>,
    /// Lines that moved before anybody actuated anything: a shaft that turns, for one.
    pub moving: BTreeSet<usize>,
    /// All edges since, in the order of time.
    pub edges: Vec<LineEdge>,
    /// How often the point went on.
    pub went_on: u64,
}

impl InputSeen {
    /// The lines that answered: those that moved before do not count.
    pub fn answered(&self, own: usize) -> BTreeSet<usize> {
        let counts = |edge: &&LineEdge| edge.line == own || !self.moving.contains(&edge.line);
        self.edges.iter().filter(counts).map(|edge| edge.line).collect()
    }

    /// Whether all lines that answered are what they were before.
    pub fn is_at_rest(&self, own: usize) -> bool {
        let last = |line: &usize| self.edges.iter().rev().find(|edge| edge.line == *line).map(|edge| edge.high);
        self.answered(own).iter().all(|line| last(line) == self.rest.get(line).copied())
    }

    /// When a line that answered changed last.
    pub fn last(&self, own: usize) -> Option<Nanos> {
        let answered = self.answered(own);
        self.edges.iter().rev().find(|edge| answered.contains(&edge.line)).map(|edge| edge.time)
    }
}

/// Says what came of it. `users` names the points that read a line, and `names` the lines.
pub fn judge(
    step: &InputStep,
    seen: &InputSeen,
    name: &dyn Fn(usize) -> String,
    users: &dyn Fn(usize) -> String,
) -> Judged {
    let mut others = seen.answered(step.line);
    let own: Vec<LineEdge> = seen.edges.iter().filter(|edge| edge.line == step.line).copied().collect();
    others.remove(&step.line);
    if !own.is_empty() {
        others.retain(|line| !step.with.contains(line));
    }
    let named: Vec<String> = others.iter().map(|line| format!("{}{}", name(*line), users(*line))).collect();
    let Some(first) = own.first() else {
        let message = format!("another line changed: {}", named.join(", "));
        return Judged::failed(
            message,
            "its wire and the other's may be swapped, or another device was actuated: try it again, then follow the wire",
        );
    };
    let (held, bounce) = (held(&own), longest_bounce(&own));
    let figures = [
        ("held_ms", ms(held)),
        ("bounce_ms", ms(bounce)),
        ("edges", own.len() as f64),
        ("went_on", seen.went_on as f64),
    ];
    let was_on = seen.rest.get(&step.line) == Some(&step.on_while_high);
    let judged = if was_on && first.high != step.on_while_high {
        Judged::failed(
            "wrong sense: it was on at rest and went off when it was actuated".to_owned(),
            "a normally closed contact is wired in place of a normally open one, or the other way round: change the contact, or `contact` in the station",
        )
    } else if !others.is_empty() {
        let message = format!("it changed, and so did {}", named.join(", "));
        Judged::failed(message, "two wires touch or share a terminal, or two devices were actuated: try it again alone")
    } else if seen.went_on == 0 {
        let (debounce, held) = (short_time(step.debounce), short_time(held));
        let message = format!("its line changed for {held}, and the input did not go on: its debounce is {debounce}");
        Judged::failed(message, "hold it longer; where that is as long as it comes, the debounce is too long")
    } else if seen.went_on > 1 {
        let (bounce, debounce) = (short_time(bounce), short_time(step.debounce));
        let message = format!(
            "one actuation counted {} times: it bounces for {bounce}, and its debounce is {debounce}",
            seen.went_on
        );
        Judged::failed(
            message,
            "actuate it again, once; if it bounces still, lengthen the debounce or change the contact",
        )
    } else {
        let bounces =
            if bounce > Nanos(0) { format!(", it bounced for {}", short_time(bounce)) } else { String::new() };
        Judged::passed(format!("on once{bounces}"))
    };
    judged.with(figures)
}

/// How long the line was away from where it was, from its first edge to its last.
fn held(own: &[LineEdge]) -> Nanos {
    let (Some(first), Some(last)) = (own.first(), own.last()) else { return Nanos(0) };
    last.time.saturating_sub(first.time)
}

/// The longest row of edges that follow one another closely.
fn longest_bounce(own: &[LineEdge]) -> Nanos {
    let mut longest = Nanos(0);
    let mut first: Option<Nanos> = None;
    let mut before: Option<Nanos> = None;
    for edge in own {
        if before.is_none_or(|before| edge.time.saturating_sub(before) >= BOUNCE) {
            first = Some(edge.time);
        }
        longest = longest.max(edge.time.saturating_sub(first.unwrap_or(edge.time)));
        before = Some(edge.time);
    }
    longest
}

fn ms(time: Nanos) -> f64 {
    time.seconds() * 1e3
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signoff::Verdict;

    /// What comes of a row of edges `(ms, line, high)` of an input on line 0, which is on while high, with 5 ms of debounce.
    fn judged(edges: &[(u64, usize, bool)], went_on: u64, rest: [bool; 2], moving: &[usize]) -> (Verdict, String) {
        let step = InputStep { line: 0, on_while_high: true, debounce: Nanos(5_000_000), with: vec![2] };
        let seen = InputSeen {
            rest: rest.into_iter().enumerate().collect(),
            moving: moving.iter().copied().collect(),
            edges: edges.iter().map(|&(ms, line, high)| LineEdge { time: Nanos(ms * 1_000_000), line, high }).collect(),
            went_on,
        };
        let name = |line: usize| format!("L{line}");
        let users = |line: usize| if line == 1 { ", the line of `other`".to_owned() } else { String::new() };
        let judged = judge(&step, &seen, &name, &users);
        (judged.verdict, judged.message)
    }

    #[test]
    fn each_fault_is_told_and_a_healthy_input_passes() {
        let press = [(0, 0, true), (300, 0, false)];
        let low = [false; 2];
        type Case<'a> = (&'a [(u64, usize, bool)], u64, [bool; 2], &'a [usize], Verdict, &'a str);
        let cases: [Case<'_>; 9] = [
            (&press, 1, low, &[], Verdict::Passed, "on once"),
            (
                &[(0, 0, true), (2, 0, false), (3, 0, true), (300, 0, false)],
                1,
                low,
                &[],
                Verdict::Passed,
                "on once, it bounced for 3 ms",
            ),
            (
                &[(0, 1, true), (300, 1, false)],
                0,
                low,
                &[],
                Verdict::Failed,
                "another line changed: L1, the line of `other`",
            ),
            (&[(0, 0, false), (300, 0, true)], 1, [true, false], &[], Verdict::Failed, "wrong sense"),
            (
                &[(0, 0, true), (1, 1, true), (300, 0, false), (301, 1, false)],
                1,
                low,
                &[],
                Verdict::Failed,
                "and so did L1",
            ),
            (&[(0, 0, true), (8, 2, true), (300, 0, false), (301, 2, false)], 1, low, &[], Verdict::Passed, "on once"),
            (&[(0, 0, true), (8, 1, true), (300, 0, false), (301, 1, false)], 1, low, &[1], Verdict::Passed, "on once"),
            (
                &[(0, 0, true), (9, 0, false), (20, 0, true), (300, 0, false)],
                2,
                low,
                &[],
                Verdict::Failed,
                "counted 2 times: it bounces for 20 ms",
            ),
            (&[(0, 0, true), (3, 0, false)], 0, low, &[], Verdict::Failed, "its line changed for 3 ms"),
        ];
        for (edges, went_on, rest, moving, verdict, message) in cases {
            let told = judged(edges, went_on, rest, moving);
            assert!(told.0 == verdict && told.1.contains(message), "{edges:?}: {told:?}");
        }
    }
}
