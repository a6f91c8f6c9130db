//! Readings: a line that is looked at only now and then, by a scan or a sampling debounce.

use super::{Debounce, Ledger, PendingEdges};
use crate::account::{Rejected, Rule, Verdict};
use crate::cast;
use crate::condition::debounce;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// When a line is read: at `phase` + k·`period`, k = 0, 1, …
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ReadingTimes {
    /// Between two readings; above zero.
    pub period: Nanos,
    /// Of the first reading.
    pub phase: Nanos,
    /// Whether a pulse that came and went since the last reading makes the next one its level, for one period.
    pub catch: bool,
}

impl ReadingTimes {
    /// The first reading at or after a time.
    pub fn at_or_after(self, time: Nanos) -> Nanos {
        let since = time.saturating_sub(self.phase).0;
        self.phase + Nanos(since.div_ceil(self.period.0).saturating_mul(self.period.0))
    }

    /// A time that begins at a reading and is over at one: whole periods.
    pub fn whole(self, time: Nanos) -> Nanos {
        Nanos(time.0.div_ceil(self.period.0).saturating_mul(self.period.0))
    }
}

/// A debounce that sees a line only at its readings.
///
/// A reading is the level after all edges at or before it. Of the edges since the last one, the last is seen if
/// the level differs, and what follows works on it; the others are missed. A caught pulse is seen by its last edge
/// but one, and its end at the reading after, together with what came while it was held.
pub struct LineReader {
    times: ReadingTimes,
    /// Whether it takes the level at its first reading for the starting one; else the first known level is that.
    starts_at_reading: bool,
    inner: Box<dyn Debounce>,
    /// The account of what the inner one was given.
    ledger: Ledger,
    /// Changes for the inner one.
    changes: Vec<Nanos>,
    state: OwnState,
}

/// What readings must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    own: OwnState,
    inner: debounce::State,
}

/// What they must know themselves.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
struct OwnState {
    /// The level after all edges so far, and at the last reading.
    input: bool,
    read: bool,
    /// Whether the first reading is still to come, where that gives the starting level.
    fresh: bool,
    /// The level at the first reading.
    first: Option<(Nanos, bool)>,
    /// Whether the last reading was a caught pulse's level.
    held: bool,
    /// Edges since the last reading, those before the counts began too.
    edges: u64,
    /// Those of them that count.
    group: PendingEdges,
    /// The reading that takes them.
    due: Option<Nanos>,
    /// The level was seen to change at these readings; for each, its edge. Only where someone wants to know.
    seen: VecDeque<(Nanos, Nanos)>,
    /// The last two edges.
    last_edges: [Nanos; 2],
}

impl LineReader {
    /// Readings before `inner`.
    pub fn new(times: ReadingTimes, inner: Box<dyn Debounce>) -> Self {
        let state = OwnState::default();
        Self { times, starts_at_reading: false, inner, ledger: Ledger::default(), changes: Vec::new(), state }
    }

    /// The readings of a scan: its first one takes the level as it is, without an edge.
    pub fn of_scan(times: ReadingTimes, inner: Box<dyn Debounce>) -> Self {
        Self { starts_at_reading: true, ..Self::new(times, inner) }
    }

    /// The first reading of a scan: what came before it is missed.
    fn first_reading(&mut self, time: Nanos, ledger: &mut Ledger) {
        ledger.account.rejected.missed += self.state.group.count;
        ledger.tell(&self.state.group.times, time, Rule::Missed, false);
        self.state.group.clear();
        self.state.edges = 0;
        self.state.fresh = false;
        self.state.read = self.state.input;
        self.state.first = Some((time, self.state.input));
        self.inner.start(self.state.input);
    }

    fn take(&mut self, edge: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        while let Some(due) = self.state.due.filter(|due| *due < edge) {
            self.reading(due, output, ledger);
        }
        if self.state.due.is_none() {
            self.state.due = Some(self.times.at_or_after(edge));
        }
        self.state.input = !self.state.input;
        self.state.edges += 1;
        self.state.last_edges = [self.state.last_edges[1], edge];
        if self.state.group.count == 0 {
            self.state.group.first = edge;
        }
        self.state.group.count += 1;
        if ledger.wants_verdicts() {
            self.state.group.times.push(edge);
        }
    }

    /// Reads the line at `time`.
    fn reading(&mut self, time: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        self.state.due = None;
        if self.state.fresh {
            return self.first_reading(time, ledger);
        }
        let caught =
            self.times.catch && !self.state.held && self.state.input == self.state.read && self.state.edges >= 2;
        let seen = caught || self.state.input != self.state.read;
        // A caught pulse is seen by its rise; its fall stays for the next reading.
        let stays = u64::from(caught);
        let missed = self.state.group.count.saturating_sub(u64::from(seen) + stays);
        ledger.account.rejected.missed += missed;
        if ledger.wants_verdicts() {
            let times = self.state.group.times.get(..cast::usize_from_u64(missed)).unwrap_or_default();
            ledger.tell(times, time, Rule::Missed, false);
        }
        if seen {
            self.state.read = !self.state.read;
            self.changes.push(time);
            let [before, last] = self.state.last_edges;
            if ledger.wants_verdicts() {
                self.state.seen.push_back((time, if caught { before } else { last }));
            }
            if self.state.group.count <= stays {
                self.pass_on_uncounted(time, output);
            }
        }
        self.state.held = caught;
        self.state.edges = stays;
        let kept = self.state.group.count.min(stays);
        self.state.group.clear();
        if caught {
            self.state.group.count = kept;
            self.state.group.first = self.state.last_edges[1];
            self.state.due = Some(time + self.times.period);
            if ledger.wants_verdicts() && kept > 0 {
                self.state.group.times.push(self.state.last_edges[1]);
            }
        }
    }

    /// Gives the inner one changes whose edges came before the counts began, as did all that it had before.
    fn pass_on_uncounted(&mut self, time: Nanos, output: &mut Vec<Nanos>) {
        self.inner.work(&self.changes, time, output, &mut self.ledger);
        self.changes.clear();
        self.ledger.account = Default::default();
        self.ledger.verdicts.iter_mut().for_each(Vec::clear);
        self.state.seen.clear();
        self.inner.start_counting();
    }

    /// Gives the inner one the changes so far, and enters what it made of them.
    fn pass_on(&mut self, until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        if self.state.fresh {
            return;
        }
        if ledger.wants_verdicts() && self.ledger.verdicts.is_none() {
            self.ledger.verdicts = Some(Vec::new());
        }
        self.inner.work(&self.changes, until, output, &mut self.ledger);
        self.changes.clear();
        let account = std::mem::take(&mut self.ledger.account);
        ledger.account.accepted += account.accepted;
        ledger.account.rejected.bounce += account.rejected.bounce;
        ledger.account.rejected.glitch += account.rejected.glitch;
        ledger.account.rejected.missed += account.rejected.missed;
        let Some(verdicts) = &mut ledger.verdicts else { return };
        for verdict in self.ledger.verdicts.iter_mut().flat_map(|verdicts| verdicts.drain(..)) {
            // At a reading the level changes once, so its time tells which change it was.
            let place = self.state.seen.iter().position(|(reading, _)| *reading == verdict.edge);
            if let Some((_, edge)) = place.and_then(|place| self.state.seen.remove(place)) {
                verdicts.push(Verdict { edge, ..verdict });
            }
        }
    }

    /// Of the edges since the last reading, those that the end leaves open.
    fn open(&self) -> u64 {
        self.state.group.count.min(u64::from(self.state.input != self.state.read))
    }
}

impl Debounce for LineReader {
    fn start(&mut self, on: bool) {
        self.state.input = on;
        self.state.read = on;
        self.inner.start(on);
    }

    fn start_at(&mut self, since: Nanos, on: bool) -> Option<Nanos> {
        if !self.starts_at_reading {
            self.start(on);
            return Some(since);
        }
        (self.state.input, self.state.read, self.state.fresh) = (on, on, true);
        self.state.due = Some(self.times.at_or_after(since));
        None
    }

    fn first_level(&self) -> Option<(Nanos, bool)> {
        self.state.first
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        edges.iter().for_each(|&edge| self.take(edge, output, ledger));
        // A caught pulse makes a reading due that has no edge of its own.
        while let Some(due) = self.state.due.filter(|due| *due < until) {
            self.reading(due, output, ledger);
        }
        self.pass_on(until, output, ledger);
    }

    fn pending(&self) -> u64 {
        if self.state.fresh { 0 } else { self.inner.pending() + self.open() }
    }

    fn surely(&self) -> Rejected {
        let inner = self.inner.surely();
        // What comes before the first reading of a scan is missed.
        let missed = if self.state.fresh { self.state.group.count } else { self.state.group.count - self.open() };
        Rejected { missed: inner.missed + missed, ..inner }
    }

    fn undecided_since(&self) -> Option<Nanos> {
        let inner = self.inner.undecided_since().map(|reading| {
            // The inner one knows readings only: the edge that was seen there came before.
            self.state.seen.iter().find(|(time, _)| *time >= reading).map_or(reading, |(_, edge)| *edge)
        });
        let group = (self.state.group.count > 0).then_some(self.state.group.first);
        [inner, group].into_iter().flatten().min()
    }

    fn start_counting(&mut self) {
        self.state.group.clear();
        self.inner.start_counting();
    }

    fn next_due(&self) -> Option<Nanos> {
        [self.state.due, self.inner.next_due()].into_iter().flatten().min()
    }

    fn save(&self) -> debounce::State {
        debounce::State::LineReader(Box::new(State { own: self.state.clone(), inner: self.inner.save() }))
    }

    fn restore(&mut self, state: debounce::State) {
        if let debounce::State::LineReader(state) = state {
            self.state = state.own;
            self.inner.restore(state.inner);
        }
    }
}
