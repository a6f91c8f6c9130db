//! Debounce: which changes of an input are real.
//!
//! Each method is a block of its own over a list of edges; all keep the same [`Ledger`].

pub mod burst_rule;
pub mod filtered;
pub mod lockout;
mod pass;
pub mod rc;
pub mod readings;
#[cfg(test)]
mod reference_tests;
pub mod stable;
#[cfg(test)]
mod tests;

pub use burst_rule::BurstRule;
pub use filtered::FilteredReader;
pub use lockout::Lockout;
pub use pass::Pass;
pub use rc::{Rc, RcSettings};
pub use readings::{LineReader, ReadingTimes};
pub use stable::Stable;

use crate::account::{Account, Rejected, Rule, Verdict};
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// Two times, one for each state of the input.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct HoldTimes {
    /// The time that belongs to the actuated state.
    pub on: Nanos,
    /// The time that belongs to the released state.
    pub off: Nanos,
}

impl HoldTimes {
    /// The time that belongs to a state.
    #[inline]
    pub fn of(self, on: bool) -> Nanos {
        if on { self.on } else { self.off }
    }
}

/// How an input is debounced.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Settings {
    /// Every edge counts.
    Pass,
    /// A change counts once it has held for its time.
    Stable(HoldTimes),
    /// A change counts at once; then the input is not looked at for the time of the new state.
    Lockout(HoldTimes),
    /// The input is read every so often; a change counts on the last of so many equal readings in a row.
    Sampled {
        /// Between two readings; above zero.
        every: Nanos,
        /// How many equal readings; above zero.
        count: u64,
        /// Readings count from here: from the first scan, where there are scans.
        from: Nanos,
    },
    /// A resistor and a capacitor before a Schmitt input.
    Rc(RcSettings),
}

impl Settings {
    /// Its times, where it has some.
    pub fn times(self) -> Option<HoldTimes> {
        match self {
            Settings::Pass => None,
            Settings::Stable(times) | Settings::Lockout(times) => Some(times),
            // So long it takes until every pulse is seen.
            Settings::Sampled { every, count, .. } => {
                let time = Nanos(every.0.saturating_mul(count));
                Some(HoldTimes { on: time, off: time })
            }
            Settings::Rc(rc) => Some(HoldTimes { on: rc.delay(rc.on_while_high), off: rc.delay(!rc.on_while_high) }),
        }
    }

    /// The running form of these settings.
    pub fn start(self) -> Box<dyn Debounce> {
        let none = Nanos(0);
        match self {
            Settings::Pass => Box::new(Pass),
            Settings::Stable(times) | Settings::Lockout(times) if times.on == none && times.off == none => {
                Box::new(Pass)
            }
            // With one time for both states every burst is apart from the next, and the method's own word stands.
            Settings::Stable(times) if times.on == times.off => Box::new(Stable::new(times)),
            Settings::Stable(times) => Box::new(BurstRule::new(Box::new(Stable::new(times)), times.on.max(times.off))),
            Settings::Lockout(times) => Box::new(Lockout::new(times)),
            Settings::Sampled { every, count, from } => {
                let times = ReadingTimes { period: every, phase: from, catch: false };
                let held = Nanos(every.0.saturating_mul(count.saturating_sub(1)));
                let read = LineReader::new(times, Box::new(Stable::longer_than(held)));
                Box::new(BurstRule::new(Box::new(read), Nanos(every.0.saturating_mul(count))))
            }
            Settings::Rc(settings) => Box::new(settings.start()),
        }
    }
}

/// A debounce method at work on one input.
pub trait Debounce: Send {
    /// Takes the first known state of the input, which is the first state of the output.
    fn start(&mut self, on: bool);

    /// The same, known since a time; gives when the output starts, or `None` where only a later reading tells.
    fn start_at(&mut self, since: Nanos, on: bool) -> Option<Nanos> {
        self.start(on);
        Some(since)
    }

    /// When the output started and with which state, where a reading told that.
    fn first_level(&self) -> Option<(Nanos, bool)> {
        None
    }

    /// Takes the input's edges up to `until`, all known now; appends the output's changes before it.
    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger);

    /// Edges taken whose fate is still open, of those since [`start_counting`](Self::start_counting).
    ///
    /// The ledger holds all others but those in [`surely`](Self::surely).
    fn pending(&self) -> u64 {
        0
    }

    /// Edges not yet in the ledger that are thrown away however it goes on.
    fn surely(&self) -> Rejected {
        Rejected::default()
    }

    /// The time of the earliest edge that is not yet in the ledger.
    fn undecided_since(&self) -> Option<Nanos> {
        None
    }

    /// Leaves the edges so far out of all accounts to come.
    fn start_counting(&mut self) {}

    /// The earliest time at which it may change the output though no edge comes; `None` for never.
    fn next_due(&self) -> Option<Nanos> {
        None
    }

    /// What it must know of the past.
    fn save(&self) -> State;

    /// Goes on from a state of the same settings; one of another method is none of it.
    fn restore(&mut self, state: State);
}

/// What a debounce method must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum State {
    /// No debounce: nothing.
    Pass,
    /// Of `stable`.
    Stable(stable::State),
    /// Of `lockout`.
    Lockout(lockout::State),
    /// Of `rc`.
    Rc(rc::State),
    /// Of readings, and of what follows them.
    LineReader(Box<readings::State>),
    /// Of a filter before a scan.
    Filtered(Box<filtered::State>),
    /// Of the burst rule, and of the method that it names the pulses of.
    Burst(Box<burst_rule::State>),
}

/// The account of an input, and the fate of each edge where someone wants to know.
#[derive(Debug, Default)]
pub struct Ledger {
    /// The sums.
    pub account: Account,
    /// The fate of each edge since they were last taken; `None` if nobody wants to know.
    pub verdicts: Option<Vec<Verdict>>,
}

impl Ledger {
    /// Whether the fate of each edge is wanted.
    #[inline]
    pub fn wants_verdicts(&self) -> bool {
        self.verdicts.is_some()
    }

    /// Enters a verdict on each of `edges`: all are `rule`, but for the last where `last_accepted`.
    fn tell(&mut self, edges: &[Nanos], decided: Nanos, rule: Rule, last_accepted: bool) {
        let Some(verdicts) = &mut self.verdicts else { return };
        let rejected = edges.len().saturating_sub(usize::from(last_accepted));
        verdicts.extend(edges.iter().enumerate().map(|(number, &edge)| Verdict {
            edge,
            decided,
            rule: (number < rejected).then_some(rule),
        }));
    }
}

/// Edges that have been taken and not yet judged.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
struct PendingEdges {
    /// How many, of those that count.
    count: u64,
    /// The time of the first, whether it counts or not; meaningless where there is none.
    first: Nanos,
    /// Their times, kept only where someone wants to know.
    times: Vec<Nanos>,
}

impl PendingEdges {
    /// Takes one more edge of the burst.
    fn take(&mut self, edge: Nanos, ledger: &Ledger) {
        if self.count == 0 {
            self.first = edge;
        }
        self.count += 1;
        if ledger.wants_verdicts() {
            self.times.push(edge);
        }
    }

    /// Enters the burst into the ledger: bounce and one accepted where the output follows, else glitch.
    fn settle(&mut self, follows: bool, decided: Nanos, ledger: &mut Ledger) {
        let accepted = if follows { self.count.min(1) } else { 0 };
        let rule = if follows { Rule::Bounce } else { Rule::Glitch };
        ledger.account.accepted += accepted;
        match rule {
            Rule::Bounce => ledger.account.rejected.bounce += self.count - accepted,
            _ => ledger.account.rejected.glitch += self.count,
        }
        ledger.tell(&self.times, decided, rule, follows);
        self.clear();
    }

    fn clear(&mut self) {
        self.count = 0;
        self.times.clear();
    }
}
