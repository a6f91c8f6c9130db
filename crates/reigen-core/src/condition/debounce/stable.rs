//! `stable`: a change counts once it has held for its time.

use super::{Debounce, HoldTimes, Ledger, Undecided};
use crate::account::Rule;
use crate::time::Nanos;

/// The output follows at `t + T` when the input changed at `t` and then held for at least `T`.
///
/// `T` is the time of the state that the input has taken. Edges that follow one another faster make up a
/// burst. It ends with the first state that holds for its time: held at the new state, its last edge is
/// accepted and the others are bounce; held at the old one, all of them are glitch.
#[derive(Debug)]
pub struct Stable {
    times: HoldTimes,
    input: bool,
    output: bool,
    /// The last edge of the burst; meaningless where no burst is open.
    last: Nanos,
    open: bool,
    burst: Undecided,
}

impl Stable {
    /// A debounce of the given times.
    pub fn new(times: HoldTimes) -> Self {
        Self { times, input: false, output: false, last: Nanos(0), open: false, burst: Undecided::default() }
    }

    /// Ends the burst: the input has held its state for its time since the last edge.
    #[inline]
    fn settle(&mut self, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        let decided = self.last + self.times.of(self.input);
        let own = self.burst.count;
        let follows = self.input != self.output;
        if follows {
            self.output = self.input;
            output.push(decided);
            let accepted = own.min(1);
            ledger.account.accepted += accepted;
            ledger.account.rejected.bounce += own - accepted;
        } else {
            ledger.account.rejected.glitch += own;
        }
        if ledger.wants_verdicts() {
            let rule = if follows { Rule::Bounce } else { Rule::Glitch };
            ledger.tell(&self.burst.times, decided, rule, follows);
        }
        self.burst.clear();
        self.open = false;
    }
}

impl Debounce for Stable {
    fn start(&mut self, on: bool) {
        self.input = on;
        self.output = on;
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        for &edge in edges {
            if self.open && edge - self.last >= self.times.of(self.input) {
                self.settle(output, ledger);
            }
            if !self.open {
                self.burst.first = edge;
                self.open = true;
            }
            if ledger.wants_verdicts() {
                self.burst.times.push(edge);
            }
            self.input = !self.input;
            self.last = edge;
            self.burst.count += 1;
        }
        if self.open && self.last + self.times.of(self.input) < until {
            self.settle(output, ledger);
        }
    }

    fn pending(&self) -> u64 {
        self.burst.count
    }

    fn undecided_since(&self) -> Option<Nanos> {
        self.open.then_some(self.burst.first)
    }

    fn start_counting(&mut self) {
        self.burst.clear();
    }
}
