//! `input`: a line with its polarity and its debounce.

use super::debounce::{self, Debounce, FilteredReader, Ledger, LineReader, ReadingTimes, Settings};
use crate::account::{Account, Rejected, Verdict};
use crate::block::{BitSource, Block, Inputs, Outputs, Stateful};
use crate::column::CountColumn;
use crate::event::{EventKind, Happening};
use crate::tally::Tally;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The electrical level at which a contact is closed, or a sensor's output active.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Asserted {
    /// Closed while the line is high.
    #[default]
    High,
    /// Closed while the line is low, as with a pull-up.
    Low,
}

impl std::fmt::Display for Contact {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.write_str(match self {
            Contact::NormallyOpen => "NO",
            Contact::NormallyClosed => "NC",
        })
    }
}

/// Which way a contact works.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Contact {
    /// Normally open: actuated while closed.
    #[default]
    NormallyOpen,
    /// Normally closed: actuated while open.
    NormallyClosed,
}

/// Whether the input is on while its line is high.
pub fn on_while_high(asserted: Asserted, contact: Contact) -> bool {
    (asserted == Asserted::High) == (contact == Contact::NormallyOpen)
}

/// What an input makes of its line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct InputSettings {
    /// Whether it is on while the line is high.
    pub on_while_high: bool,
    /// When the line is read, where it is not seen all the time.
    pub scan: Option<ReadingTimes>,
    /// Its debounce.
    pub debounce: Settings,
}

impl InputSettings {
    /// What works the edges of the line, from its scan to its debounce.
    pub fn start(self) -> Box<dyn Debounce> {
        match (self.scan, self.debounce) {
            // A filter is built of parts before the input: the scan reads what comes out of it.
            (Some(times), Settings::Rc(filter)) => Box::new(FilteredReader::new(filter.start(), times)),
            (Some(times), _) => Box::new(LineReader::of_scan(times, self.debounce.start())),
            (None, _) => self.debounce.start(),
        }
    }
}

/// What an input did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InputSummary {
    /// The line it is wired to.
    pub line: String,
    /// All edges of that line.
    pub raw_edges: u64,
    /// Those that a change of the input answers to.
    pub accepted: u64,
    /// How often the input went on.
    pub rising: u64,
    /// How often it went off.
    pub falling: u64,
    /// Edges thrown away, by rule.
    pub rejected: Rejected,
    /// Edges whose fate the recording's end left open.
    pub pending: u64,
    /// Whether it was on at the first scan, where there is a scan: what follows from it begins without an edge.
    #[serde(skip)]
    pub on_at_first_scan: bool,
    /// The last state; `None` if the line never had a level.
    #[serde(rename = "final")]
    pub last: Option<bool>,
    /// How long the input was on.
    #[serde(rename = "on_ns")]
    pub on: Nanos,
}

/// The running form of an input.
pub struct Input {
    line: String,
    source: BitSource,
    on_while_high: bool,
    debounce: Box<dyn Debounce>,
    ledger: Ledger,
    started: bool,
}

/// What an input must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    started: bool,
    account: Account,
    debounce: debounce::State,
}

impl Input {
    /// An input on `source`, which the station calls `line`.
    pub fn new(line: String, source: BitSource, settings: InputSettings) -> Self {
        let InputSettings { on_while_high, .. } = settings;
        Self { line, source, on_while_high, debounce: settings.start(), ledger: Ledger::default(), started: false }
    }

    /// What it did; `tally` is that of the bit.
    pub fn summary(&self, tally: Tally) -> InputSummary {
        let (account, pending) = self.closed_account();
        InputSummary {
            line: self.line.clone(),
            raw_edges: account.raw_edges,
            accepted: account.accepted,
            rising: tally.rising,
            falling: tally.falling,
            rejected: account.rejected,
            pending,
            on_at_first_scan: self.debounce.first_level().is_some_and(|(_, on)| on),
            last: tally.last,
            on: tally.on,
        }
    }

    /// The account with every edge in it, and the number of those that are pending.
    fn closed_account(&self) -> (Account, u64) {
        let mut account = self.ledger.account;
        let surely = self.debounce.surely();
        account.rejected.bounce += surely.bounce;
        account.rejected.glitch += surely.glitch;
        account.rejected.missed += surely.missed;
        (account, self.debounce.pending())
    }
}

impl Block for Input {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let line = inputs.bit(self.source);
        let (Some(level), [output]) = (line.level, outputs.bits) else { return };
        if !self.started {
            let on = level == self.on_while_high;
            if let Some(since) = self.debounce.start_at(line.since, on) {
                output.start(since, on);
            }
            self.started = true;
        }
        self.debounce.work(&line.toggles, window.until, &mut output.toggles, &mut self.ledger);
        if let (None, Some((since, on))) = (output.level, self.debounce.first_level()) {
            output.start(since, on);
        }
        debug_assert!({
            let (account, pending) = self.closed_account();
            account.balances(pending)
        });
    }

    fn start_counting(&mut self, _from: Nanos) {
        self.ledger.account = Default::default();
        self.debounce.start_counting();
    }

    fn remember(&mut self) {
        self.ledger.verdicts = Some(Vec::new());
    }

    fn forget(&mut self) {
        self.ledger.verdicts = None;
    }

    fn verdicts(&mut self, sink: &mut Vec<Verdict>) {
        sink.extend(self.ledger.verdicts.iter_mut().flat_map(|verdicts| verdicts.drain(..)));
    }

    fn happenings(&mut self, _counts: &[CountColumn], sink: &mut Vec<Happening>) {
        let verdicts = self.ledger.verdicts.iter_mut().flat_map(|verdicts| verdicts.drain(..));
        sink.extend(verdicts.filter_map(|verdict| Some((verdict.edge, EventKind::Rejected(verdict.rule?)))));
    }

    fn undecided_since(&self) -> Option<Nanos> {
        self.debounce.undecided_since()
    }

    fn next_due(&self) -> Option<Nanos> {
        self.debounce.next_due()
    }
}

impl Stateful for Input {
    type State = State;

    fn save(&self) -> State {
        State { started: self.started, account: self.ledger.account, debounce: self.debounce.save() }
    }

    fn restore(&mut self, state: State) {
        (self.started, self.ledger.account) = (state.started, state.account);
        self.debounce.restore(state.debounce);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn polarity_is_closed_by_the_level_and_on_by_the_contact() {
        // The level at which it is closed, the contact, the line's level; whether it is on.
        let cases = [
            (Asserted::High, Contact::NormallyOpen, true, true),
            (Asserted::High, Contact::NormallyOpen, false, false),
            (Asserted::Low, Contact::NormallyOpen, false, true),
            (Asserted::Low, Contact::NormallyOpen, true, false),
            (Asserted::High, Contact::NormallyClosed, false, true),
            (Asserted::High, Contact::NormallyClosed, true, false),
            (Asserted::Low, Contact::NormallyClosed, true, true),
            (Asserted::Low, Contact::NormallyClosed, false, false),
        ];
        for (asserted, contact, level, on) in cases {
            assert_eq!(level == on_while_high(asserted, contact), on, "{asserted:?} {contact:?} {level}");
        }
    }
}
