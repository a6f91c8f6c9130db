//! `lockout`: a change counts at once, and then the input is not looked at for a while.

use super::{Debounce, HoldTimes, Ledger, PendingEdges};
use crate::account::{Rejected, Rule};
use crate::condition::debounce;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The output follows an edge at `t` at once; edges in `(t, t + T)` and further ones at `t` are bounce.
///
/// `T` is the time of the state that the output has just entered. At `t + T`, after all edges there, the
/// output follows if the input differs, answering to the last edge so far, and a new lockout starts.
#[derive(Debug)]
pub struct Lockout {
    times: HoldTimes,
    state: State,
}

/// What `lockout` must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    input: bool,
    output: bool,
    /// The end of the lockout in force.
    locked_until: Option<Nanos>,
    /// Edges since the lockout began, without the one that began it.
    within: PendingEdges,
}

impl Lockout {
    /// A debounce of the given times.
    pub fn new(times: HoldTimes) -> Self {
        Self { times, state: State::default() }
    }

    /// Takes edges that belong to the lockout in force.
    fn take(&mut self, edges: &[Nanos], ledger: &Ledger) {
        let Some(first) = edges.first() else { return };
        if self.state.within.count == 0 {
            self.state.within.first = *first;
        }
        self.state.within.count += edges.len() as u64;
        self.state.input ^= edges.len() % 2 == 1;
        if ledger.wants_verdicts() {
            self.state.within.times.extend_from_slice(edges);
        }
    }

    /// The lockout ends at `end`: the output follows where the input differs.
    fn release(&mut self, end: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        let follows = self.state.input != self.state.output;
        let accepted = if follows { self.state.within.count.min(1) } else { 0 };
        ledger.account.accepted += accepted;
        ledger.account.rejected.bounce += self.state.within.count - accepted;
        ledger.tell(&self.state.within.times, end, Rule::Bounce, follows);
        self.state.within.clear();
        self.state.locked_until = None;
        if follows {
            self.follow(end, output);
        }
    }

    fn follow(&mut self, time: Nanos, output: &mut Vec<Nanos>) {
        self.state.output = self.state.input;
        output.push(time);
        self.state.locked_until = Some(time + self.times.of(self.state.output));
    }
}

impl Debounce for Lockout {
    fn start(&mut self, on: bool) {
        self.state.input = on;
        self.state.output = on;
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        let mut rest = edges;
        loop {
            if let Some(end) = self.state.locked_until {
                let inside = rest.iter().take_while(|&&edge| edge <= end).count();
                let (taken, later) = rest.split_at(inside);
                self.take(taken, ledger);
                rest = later;
                if end >= until {
                    return;
                }
                self.release(end, output, ledger);
                continue;
            }
            let Some((&edge, later)) = rest.split_first() else { return };
            self.state.input = !self.state.input;
            self.follow(edge, output);
            ledger.account.accepted += 1;
            ledger.tell(&[edge], edge, Rule::Bounce, true);
            rest = later;
        }
    }

    fn pending(&self) -> u64 {
        if self.state.input == self.state.output { 0 } else { self.state.within.count.min(1) }
    }

    fn surely(&self) -> Rejected {
        Rejected { bounce: self.state.within.count - self.pending(), ..Rejected::default() }
    }

    fn undecided_since(&self) -> Option<Nanos> {
        (self.state.within.count > 0).then_some(self.state.within.first)
    }

    fn start_counting(&mut self) {
        self.state.within.clear();
    }

    fn next_due(&self) -> Option<Nanos> {
        self.state.locked_until.filter(|_| self.state.input != self.state.output)
    }

    fn save(&self) -> debounce::State {
        debounce::State::Lockout(self.state.clone())
    }

    fn restore(&mut self, state: debounce::State) {
        if let debounce::State::Lockout(state) = state {
            self.state = state;
        }
    }
}
