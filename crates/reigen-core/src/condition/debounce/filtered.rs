//! A filter before a scan: it works on the line all the time, and the scan reads what comes out of it.

use super::{BurstRule, Debounce, Ledger, LineReader, Pass, ReadingTimes};
use crate::account::{Rejected, Rule, Verdict};
use crate::condition::debounce;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// A filter, and readings of its output.
///
/// An edge that the filter throws away is told by the filter's rule; one that its output follows is accepted where a reading
/// sees that, else missed.
pub struct FilteredReader {
    filter: Box<dyn Debounce>,
    reader: LineReader,
    filter_ledger: Ledger,
    reader_ledger: Ledger,
    /// The filter's output since the readings last took it.
    changes: Vec<Nanos>,
    state: OwnState,
}

/// What a filter before a scan must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    own: OwnState,
    filter: debounce::State,
    reader: debounce::State,
}

/// What it must know itself.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
struct OwnState {
    /// Changes of the filter's output that no reading has decided on, each with its edge; those of edges that do not
    /// count are not among them.
    followed: VecDeque<(Nanos, Nanos)>,
}

impl FilteredReader {
    /// Readings of the output of a filter.
    pub fn new(filter: BurstRule, times: ReadingTimes) -> Self {
        let told = || Ledger { verdicts: Some(Vec::new()), ..Ledger::default() };
        Self {
            filter: Box::new(filter),
            reader: LineReader::of_scan(times, Box::new(Pass)),
            filter_ledger: told(),
            reader_ledger: told(),
            changes: Vec::new(),
            state: OwnState::default(),
        }
    }

    /// Those that followed and were read, or surely never will be.
    fn surely_missed(&self) -> u64 {
        self.reader.surely().missed.min(self.state.followed.len() as u64)
    }

    /// Enters what the filter decided: what it threw away, and which change came of which edge.
    fn enter_filtered(&mut self, ledger: &mut Ledger) {
        for verdict in self.filter_ledger.verdicts.iter_mut().flat_map(|verdicts| verdicts.drain(..)) {
            match verdict.rule {
                None => self.state.followed.push_back((verdict.decided, verdict.edge)),
                Some(_) => enter(verdict, ledger),
            }
        }
    }

    /// Enters what the readings decided; a change that has no edge here came of one that does not count.
    fn enter_read(&mut self, ledger: &mut Ledger) {
        for verdict in self.reader_ledger.verdicts.iter_mut().flat_map(|verdicts| verdicts.drain(..)) {
            let place = self.state.followed.iter().position(|(change, _)| *change == verdict.edge);
            if let Some((_, edge)) = place.and_then(|place| self.state.followed.remove(place)) {
                enter(Verdict { edge, ..verdict }, ledger);
            }
        }
    }
}

fn enter(verdict: Verdict, ledger: &mut Ledger) {
    let account = &mut ledger.account;
    match verdict.rule {
        None => account.accepted += 1,
        Some(Rule::Bounce) => account.rejected.bounce += 1,
        Some(Rule::Glitch) => account.rejected.glitch += 1,
        Some(Rule::Missed) => account.rejected.missed += 1,
    }
    ledger.verdicts.iter_mut().for_each(|verdicts| verdicts.push(verdict));
}

impl Debounce for FilteredReader {
    fn start(&mut self, on: bool) {
        self.filter.start(on);
        self.reader.start(on);
    }

    fn start_at(&mut self, since: Nanos, on: bool) -> Option<Nanos> {
        self.filter.start_at(since, on);
        self.reader.start_at(since, on)
    }

    fn first_level(&self) -> Option<(Nanos, bool)> {
        self.reader.first_level()
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        self.filter.work(edges, until, &mut self.changes, &mut self.filter_ledger);
        self.enter_filtered(ledger);
        self.reader.work(&self.changes, until, output, &mut self.reader_ledger);
        self.changes.clear();
        self.enter_read(ledger);
    }

    fn pending(&self) -> u64 {
        self.filter.pending() + self.state.followed.len() as u64 - self.surely_missed()
    }

    fn surely(&self) -> Rejected {
        let filter = self.filter.surely();
        Rejected { missed: filter.missed + self.surely_missed(), ..filter }
    }

    fn undecided_since(&self) -> Option<Nanos> {
        let followed = self.state.followed.front().map(|(_, edge)| *edge);
        [followed, self.filter.undecided_since()].into_iter().flatten().min()
    }

    fn start_counting(&mut self) {
        self.filter.start_counting();
        self.reader.start_counting();
        self.state.followed.clear();
    }

    fn next_due(&self) -> Option<Nanos> {
        [self.filter.next_due(), self.reader.next_due()].into_iter().flatten().min()
    }

    fn save(&self) -> debounce::State {
        let state = State { own: self.state.clone(), filter: self.filter.save(), reader: self.reader.save() };
        debounce::State::Filtered(Box::new(state))
    }

    fn restore(&mut self, state: debounce::State) {
        if let debounce::State::Filtered(state) = state {
            self.state = state.own;
            self.filter.restore(state.filter);
            self.reader.restore(state.reader);
        }
    }
}
