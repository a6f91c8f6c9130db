//! The fate of an input's raw edges, told as they are settled; only those that are still open are kept.

use super::answer::EdgeReason;
use reigen_core::account::Verdict;
use reigen_core::condition::explain::{Edge, explain};
use reigen_core::condition::input::InputSettings;
use reigen_core::time::{Nanos, Origin};
use std::collections::VecDeque;

/// The edges of an input on their way to their reasons.
pub(super) struct Fates<'a> {
    settings: &'a InputSettings,
    origin: Origin,
    /// The one edge that is asked for, from 1; else all that were thrown away.
    asked: Option<u64>,
    /// Whether the input is on before its first edge, once that is known.
    starts_on: Option<bool>,
    /// Edges that are not told yet, with their verdicts where there are any; those before them are told.
    open: VecDeque<(Nanos, Option<Verdict>)>,
    told: u64,
    reasons: Reasons<EdgeReason>,
}

/// As many reasons as will be shown, and how many more there are.
#[derive(Debug)]
pub(super) struct Reasons<R> {
    most: usize,
    pub(super) shown: Vec<R>,
    pub(super) more: u64,
}

impl<R> Reasons<R> {
    /// At most so many are kept.
    pub(super) fn new(most: usize) -> Self {
        Self { most, shown: Vec::new(), more: 0 }
    }

    pub(super) fn take(&mut self, reason: impl FnOnce() -> R) {
        if self.shown.len() < self.most {
            self.shown.push(reason());
        } else {
            self.more += 1;
        }
    }
}

impl<'a> Fates<'a> {
    pub(super) fn new(settings: &'a InputSettings, origin: Origin, asked: Option<u64>, most: usize) -> Self {
        let reasons = Reasons::new(most);
        Self { settings, origin, asked, starts_on: None, open: VecDeque::new(), told: 0, reasons }
    }

    /// Takes the edges of a window, and the level before them.
    pub(super) fn take_edges(&mut self, level: Option<bool>, edges: &[Nanos]) {
        self.starts_on = self.starts_on.or(level.map(|level| level == self.settings.on_while_high));
        self.open.extend(edges.iter().map(|&edge| (edge, None)));
    }

    /// Takes the verdicts that were given in it, and tells the edges that are settled.
    pub(super) fn take_verdicts(&mut self, verdicts: &mut Vec<Verdict>) {
        verdicts.sort_by_key(|verdict| verdict.edge);
        for verdict in verdicts.drain(..) {
            let first = self.open.partition_point(|(edge, _)| *edge < verdict.edge);
            let same = self.open.range_mut(first..).take_while(|(edge, _)| *edge == verdict.edge);
            if let Some((_, open)) = same.into_iter().find(|(_, given)| given.is_none()) {
                *open = Some(verdict);
            }
        }
        // An edge is told once it has its verdict and the edge after it is known.
        while let (Some(&(edge, Some(verdict))), Some(&(next, _))) = (self.open.front(), self.open.get(1)) {
            self.tell(edge, Some(next), Some(verdict));
        }
    }

    fn tell(&mut self, time: Nanos, next: Option<Nanos>, verdict: Option<Verdict>) {
        self.open.pop_front();
        self.told += 1;
        let number = self.told;
        let wanted = match self.asked {
            Some(asked) => asked == number,
            None => verdict.is_none_or(|verdict| verdict.rule.is_some()),
        };
        if !wanted {
            return;
        }
        let Self { settings, origin, reasons, .. } = self;
        let on = self.starts_on.unwrap_or_default() ^ !number.is_multiple_of(2);
        reasons.take(|| EdgeReason {
            edge: number,
            time_ns: origin.file_time_ns(time),
            on,
            rule: verdict.and_then(|verdict| verdict.rule),
            decided_ns: verdict.map(|verdict| origin.file_time_ns(verdict.decided)),
            why: explain(settings, Edge { time, next, on }, verdict.as_ref(), *origin),
        });
    }

    /// Tells what is left at the end; gives the reasons, and how many edges there were.
    pub(super) fn finish(mut self) -> (Reasons<EdgeReason>, u64) {
        while let Some(&(edge, verdict)) = self.open.front() {
            let next = self.open.get(1).map(|(next, _)| *next);
            self.tell(edge, next, verdict);
        }
        (self.reasons, self.told)
    }
}
