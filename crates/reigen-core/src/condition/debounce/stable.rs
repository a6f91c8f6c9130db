//! `stable`: a change counts once it has held for its time.

use super::{Debounce, HoldTimes, Ledger, PendingEdges};
use crate::account::Rule;
use crate::cast;
use crate::condition::debounce;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// The output follows at `t + T` when the input changed at `t` and then held for at least `T`.
///
/// `T` is the time of the state that the input has taken. Edges that follow one another faster make up a
/// burst. It ends with the first state that holds for its time: held at the new state, its last edge is
/// accepted and the others are bounce; held at the old one, all of them are glitch.
#[derive(Debug)]
pub struct Stable {
    times: HoldTimes,
    /// 1 where a state must be held longer than its time: the next edge comes later than that; else 0.
    longer: u64,
    state: State,
}

/// What `stable` must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    input: bool,
    output: bool,
    /// The last edge of the burst; meaningless where no burst is open.
    last: Nanos,
    open: bool,
    burst: PendingEdges,
}

impl Stable {
    /// A debounce of the given times.
    pub fn new(times: HoldTimes) -> Self {
        Self { times, longer: 0, state: State::default() }
    }

    /// A debounce of changes that are seen at readings: held for the readings of `time`, and at the next one too.
    pub fn longer_than(time: Nanos) -> Self {
        Self { longer: 1, ..Self::new(HoldTimes { on: time, off: time }) }
    }

    /// Ends the burst: the input has held its state for its time since the last edge.
    #[inline]
    fn settle(&mut self, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        let decided = self.state.last + self.times.of(self.state.input);
        let own = self.state.burst.count;
        let follows = self.state.input != self.state.output;
        if follows {
            self.state.output = self.state.input;
            output.push(decided);
            let accepted = own.min(1);
            ledger.account.accepted += accepted;
            ledger.account.rejected.bounce += own - accepted;
        } else {
            ledger.account.rejected.glitch += own;
        }
        if ledger.wants_verdicts() {
            let rule = if follows { Rule::Bounce } else { Rule::Glitch };
            ledger.tell(&self.state.burst.times, decided, rule, follows);
        }
        self.state.burst.clear();
        self.state.open = false;
    }
}

impl Stable {
    /// Takes one edge: the readable form.
    fn take(&mut self, edge: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        if self.state.open && (edge - self.state.last).0 >= self.times.of(self.state.input).0 + self.longer {
            self.settle(output, ledger);
        }
        if !self.state.open {
            self.state.burst.first = edge;
            self.state.open = true;
        }
        if ledger.wants_verdicts() {
            self.state.burst.times.push(edge);
        }
        self.state.input = !self.state.input;
        self.state.last = edge;
        self.state.burst.count += 1;
    }

    /// Takes edges while a burst is open, as [`take`](Self::take) does one after another, without a branch.
    ///
    /// Whether an edge ends a burst is as good as random on a bouncing line, so it is computed and not guessed:
    /// a change that does not count is written too, and overwritten by the next.
    fn take_many(&mut self, edges: &[Nanos], output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        let start = output.len();
        output.resize(start + edges.len(), Nanos(0));
        let room = output.get_mut(start..).unwrap_or_default();
        let (hold, longer) = ([self.times.off.0, self.times.on.0], self.longer);
        let (mut input, mut shown) = (usize::from(self.state.input), usize::from(self.state.output));
        let (mut last, mut first, mut burst) = (self.state.last.0, self.state.burst.first.0, self.state.burst.count);
        let (mut changes, mut bounce, mut glitch) = (0, 0, 0);
        for &Nanos(edge) in edges {
            let time = hold[input & 1];
            let settled = u64::from(edge - last >= time + longer);
            let follows = settled & (input ^ shown) as u64;
            if let Some(change) = room.get_mut(changes) {
                *change = Nanos(last + time);
            }
            changes += cast::usize_from_u64(follows);
            shown ^= cast::usize_from_u64(follows);
            // All ones where the burst ends so.
            bounce += burst.wrapping_sub(1) & follows.wrapping_neg();
            glitch += burst & (settled - follows).wrapping_neg();
            let goes_on = settled.wrapping_sub(1);
            burst = (burst & goes_on) + 1;
            first = (first & goes_on) | (edge & !goes_on);
            input ^= 1;
            last = edge;
        }
        output.truncate(start + changes);
        (self.state.input, self.state.output) = (input == 1, shown == 1);
        (self.state.last, self.state.burst.first, self.state.burst.count) = (Nanos(last), Nanos(first), burst);
        ledger.account.accepted += changes as u64;
        ledger.account.rejected.bounce += bounce;
        ledger.account.rejected.glitch += glitch;
    }
}

impl Debounce for Stable {
    fn start(&mut self, on: bool) {
        self.state.input = on;
        self.state.output = on;
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        if ledger.wants_verdicts() {
            edges.iter().for_each(|&edge| self.take(edge, output, ledger));
        } else if let [first, rest @ ..] = edges {
            // After one edge a burst is open, and has an edge that counts.
            self.take(*first, output, ledger);
            self.take_many(rest, output, ledger);
        }
        if self.state.open && self.state.last + self.times.of(self.state.input) < until {
            self.settle(output, ledger);
        }
    }

    fn pending(&self) -> u64 {
        self.state.burst.count
    }

    fn undecided_since(&self) -> Option<Nanos> {
        self.state.open.then_some(self.state.burst.first)
    }

    fn start_counting(&mut self) {
        self.state.burst.clear();
    }

    fn next_due(&self) -> Option<Nanos> {
        let State { input, output, last, open, .. } = self.state;
        (open && input != output).then(|| last + self.times.of(input))
    }

    fn save(&self) -> debounce::State {
        debounce::State::Stable(self.state.clone())
    }

    fn restore(&mut self, state: debounce::State) {
        if let debounce::State::Stable(state) = state {
            self.state = state;
        }
    }
}
