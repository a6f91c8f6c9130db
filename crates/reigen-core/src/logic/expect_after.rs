//! `expect` with `after` and `within`: what should come in time after an edge.

use super::expect::ExpectSummary;
use crate::block::{BitSource, Block, Inputs, Instants, Outputs, keeps_state};
use crate::names::counted;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The numbers of the bits among the instants.
const THAT: usize = 0;
const AFTER: usize = 1;

/// The running form; its bit is what should hold.
///
/// A rising edge of `after` asks, and `that` answers where it is on in the same instant or up to `within` later, that
/// time included. An edge that comes while another waits for its answer asks nothing anew.
pub struct ExpectAfter {
    that: BitSource,
    after: BitSource,
    within: Nanos,
    state: State,
}

/// What it must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    started: bool,
    waiting: Option<Nanos>,
    held: u64,
    failed: u64,
    first_failed: Option<Nanos>,
    longest: Nanos,
}

impl ExpectAfter {
    /// An expectation of `that`, whose source must have settled each instant, after edges of another bit.
    pub fn new(that: BitSource, after: BitSource, within: Nanos) -> Self {
        Self { that, after, within, state: State::default() }
    }

    /// Whether it held each time; where it was never asked, it did not.
    pub fn summary(&self) -> ExpectSummary {
        let State { waiting, held, failed, first_failed, longest, .. } = self.state;
        let open = if waiting.is_some() { "; the recording ends before one more is decided" } else { "" };
        let times = counted(held + failed, "time");
        let detail = match first_failed {
            _ if held + failed == 0 && waiting.is_some() => "the recording ends before it is decided".to_owned(),
            _ if held + failed == 0 => "not tested: `after` never went on".to_owned(),
            Some(deadline) => {
                let asked = deadline.saturating_sub(self.within);
                format!("failed {failed} of {times}, first after the edge at {}{open}", asked.place())
            }
            None if longest == Nanos(0) => format!("held {times}, at once{open}"),
            None => format!("held {times}, at most {longest} after the edge{open}"),
        };
        ExpectSummary { pass: failed == 0 && held > 0, detail, failed_at: first_failed }
    }

    /// Gives up an edge whose time was over before this one.
    fn give_up_before(&mut self, time: Nanos) {
        let over = self.state.waiting.map(|asked| asked + self.within).filter(|deadline| *deadline < time);
        if let Some(deadline) = over {
            self.state.waiting = None;
            self.state.failed += 1;
            self.state.first_failed.get_or_insert(deadline);
        }
    }

    fn instant(&mut self, time: Nanos, asks: bool, holds: bool) {
        self.give_up_before(time);
        if asks {
            self.state.waiting.get_or_insert(time);
        }
        if let Some(asked) = self.state.waiting.filter(|_| holds) {
            self.state.waiting = None;
            self.state.held += 1;
            self.state.longest = self.state.longest.max(time - asked);
        }
    }
}

impl Block for ExpectAfter {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [output] = outputs.bits else { return };
        let Some(mut instants) = Instants::new(&inputs, [self.that, self.after], self.state.started) else { return };
        while let Some(time) = instants.advance() {
            self.state.started = true;
            self.instant(time, instants.rises(AFTER) > 0, instants.level(THAT));
            output.set(time, instants.level(THAT));
        }
        self.give_up_before(window.until);
    }

    fn start_counting(&mut self, _from: Nanos) {
        self.state = State { started: self.state.started, waiting: self.state.waiting, ..State::default() };
    }
}

keeps_state!(ExpectAfter, State);

#[cfg(test)]
mod tests {
    use super::*;
    use crate::block::Lines;
    use crate::column::BitColumn;
    use proptest::prelude::*;

    const END: u64 = 60;

    fn column(toggles: &[u64]) -> BitColumn {
        BitColumn { level: Some(false), since: Nanos(0), toggles: toggles.iter().copied().map(Nanos).collect() }
    }

    fn worked(that: &[u64], after: &[u64], within: u64) -> State {
        let lines = [column(that), column(after)];
        let mut block = ExpectAfter::new(BitSource::Line(0), BitSource::Line(1), Nanos(within));
        let inputs = Inputs { lines: Lines::of_bits(&lines), bits: &[], counts: &[], readings: &[] };
        let mut bits = vec![BitColumn::default()];
        let window = Window { from: Nanos(0), until: Nanos(END) };
        block.work(window, inputs, Outputs { bits: &mut bits, counts: &mut [], readings: &mut [] });
        block.state
    }

    proptest! {
        #[test]
        fn an_edge_is_answered_where_the_bit_is_on_at_a_nanosecond_up_to_the_last(
            that in prop::collection::btree_set(1..END, 0..12),
            after in prop::collection::btree_set(1..END, 0..8),
            within in 0..15u64,
        ) {
            let [that, after] = [that, after].map(|times| times.into_iter().collect::<Vec<_>>());
            let on = |time: u64| that.iter().filter(|toggle| **toggle <= time).count() % 2 == 1;
            let (mut held, mut failed, mut waits_from, mut open) = (0, Vec::new(), 0, false);
            for asked in after.iter().step_by(2).copied() {
                if asked < waits_from {
                    continue;
                }
                open = false;
                match (asked..=asked + within).find(|time| *time < END && on(*time)) {
                    // The edge of the answer's own instant is answered by it too.
                    Some(answer) => (held, waits_from) = (held + 1, answer + 1),
                    None if asked + within < END => {
                        failed.push(Nanos(asked + within));
                        waits_from = asked + within + 1;
                    }
                    None => (open, waits_from) = (true, END),
                }
            }
            let state = worked(&that, &after, within);
            prop_assert_eq!((state.held, state.failed, state.waiting.is_some()), (held, failed.len() as u64, open));
            prop_assert_eq!(state.first_failed, failed.first().copied());
        }
    }
}
