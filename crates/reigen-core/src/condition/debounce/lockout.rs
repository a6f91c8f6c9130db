//! `lockout`: a change counts at once, and then the input is not looked at for a while.

use super::{Debounce, HoldTimes, Ledger, Undecided};
use crate::account::{Rejected, Rule};
use crate::time::Nanos;

/// The output follows an edge at `t` at once; edges in `(t, t + T)` and further ones at `t` are bounce.
///
/// `T` is the time of the state that the output has just entered. At `t + T`, after all edges there, the
/// output follows if the input differs, answering to the last edge so far, and a new lockout starts.
#[derive(Debug)]
pub struct Lockout {
    times: HoldTimes,
    input: bool,
    output: bool,
    /// The end of the lockout in force.
    locked_until: Option<Nanos>,
    /// Edges since the lockout began, without the one that began it.
    within: Undecided,
}

impl Lockout {
    /// A debounce of the given times.
    pub fn new(times: HoldTimes) -> Self {
        Self { times, input: false, output: false, locked_until: None, within: Undecided::default() }
    }

    /// Takes edges that belong to the lockout in force.
    fn take(&mut self, edges: &[Nanos], ledger: &Ledger) {
        let Some(first) = edges.first() else { return };
        if self.within.count == 0 {
            self.within.first = *first;
        }
        self.within.count += edges.len() as u64;
        self.input ^= edges.len() % 2 == 1;
        if ledger.wants_verdicts() {
            self.within.times.extend_from_slice(edges);
        }
    }

    /// The lockout ends at `end`: the output follows where the input differs.
    fn release(&mut self, end: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        let follows = self.input != self.output;
        let accepted = if follows { self.within.count.min(1) } else { 0 };
        ledger.account.accepted += accepted;
        ledger.account.rejected.bounce += self.within.count - accepted;
        ledger.tell(&self.within.times, end, Rule::Bounce, follows);
        self.within.clear();
        self.locked_until = None;
        if follows {
            self.follow(end, output);
        }
    }

    fn follow(&mut self, time: Nanos, output: &mut Vec<Nanos>) {
        self.output = self.input;
        output.push(time);
        self.locked_until = Some(time + self.times.of(self.output));
    }
}

impl Debounce for Lockout {
    fn start(&mut self, on: bool) {
        self.input = on;
        self.output = on;
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        let mut rest = edges;
        loop {
            if let Some(end) = self.locked_until {
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
            self.input = !self.input;
            self.follow(edge, output);
            ledger.account.accepted += 1;
            ledger.tell(&[edge], edge, Rule::Bounce, true);
            rest = later;
        }
    }

    fn pending(&self) -> u64 {
        if self.input == self.output { 0 } else { self.within.count.min(1) }
    }

    fn surely(&self) -> Rejected {
        Rejected { bounce: self.within.count - self.pending(), ..Rejected::default() }
    }

    fn undecided_since(&self) -> Option<Nanos> {
        (self.within.count > 0).then_some(self.within.first)
    }

    fn start_counting(&mut self) {
        self.within.clear();
    }
}
