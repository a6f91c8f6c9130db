//! Bounce or glitch, where a method settles each short pulse by itself.

use super::{Debounce, Ledger};
use crate::account::{Rejected, Rule, Verdict};
use crate::condition::debounce;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// Runs a method and names its rejected pulses by what stands beside them.
///
/// A method that settles a returning pulse at once (`on = "0 ms"`, a filter whose threshold was not reached) calls each
/// of them a glitch. Here a returning pulse closer than `apart` to an accepted change, or to bounce beside one, is bounce; one
/// that stands alone is a glitch. The output is the inner method's.
pub struct BurstRule {
    inner: Box<dyn Debounce>,
    /// Edges at least so far apart do not belong together.
    apart: Nanos,
    ledger: Ledger,
    /// Verdicts on edges that no reading saw: nothing to decide.
    named: VecDeque<Verdict>,
    state: OwnState,
}

/// What the burst rule must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    own: OwnState,
    inner: debounce::State,
}

/// What it must know itself.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
struct OwnState {
    /// The last edge of the last accepted change and the bounce beside it.
    change: Option<Nanos>,
    /// Returned pulses with no change before them, until it is known what follows.
    alone: Vec<Verdict>,
}

impl BurstRule {
    /// The rule over `inner`. A level held for `apart` ends a burst.
    pub fn new(inner: Box<dyn Debounce>, apart: Nanos) -> Self {
        let ledger = Ledger { verdicts: Some(Vec::new()), ..Ledger::default() };
        Self { inner, apart, ledger, named: VecDeque::new(), state: OwnState::default() }
    }

    fn is_beside(&self, one: Nanos, other: Nanos) -> bool {
        other.saturating_sub(one) < self.apart
    }

    /// The pulses that waited are all of one rule.
    fn name_alone(&mut self, rule: Rule) {
        let named = self.state.alone.drain(..).map(|verdict| Verdict { rule: Some(rule), ..verdict });
        self.named.extend(named);
    }

    fn take(&mut self, verdict: Verdict) {
        let edge = verdict.edge;
        if verdict.rule == Some(Rule::Missed) {
            return self.named.push_back(verdict);
        }
        let follows_alone = self.state.alone.last().is_some_and(|last| self.is_beside(last.edge, edge));
        let follows_change = self.state.change.is_some_and(|last| self.is_beside(last, edge));
        if !follows_alone {
            self.name_alone(Rule::Glitch);
        }
        match verdict.rule {
            Some(Rule::Glitch) if follows_change => {
                self.state.change = Some(edge);
                self.named.push_back(Verdict { rule: Some(Rule::Bounce), ..verdict });
            }
            Some(Rule::Glitch) => self.state.alone.push(verdict),
            _ => {
                self.name_alone(Rule::Bounce);
                self.state.change = Some(edge);
                self.named.push_back(verdict);
            }
        }
    }

    fn enter(&mut self, ledger: &mut Ledger) {
        for verdict in self.named.drain(..) {
            let account = &mut ledger.account;
            match verdict.rule {
                None => account.accepted += 1,
                Some(Rule::Bounce) => account.rejected.bounce += 1,
                Some(Rule::Glitch) => account.rejected.glitch += 1,
                Some(Rule::Missed) => account.rejected.missed += 1,
            }
            if let Some(verdicts) = &mut ledger.verdicts {
                verdicts.push(verdict);
            }
        }
    }
}

impl Debounce for BurstRule {
    fn start(&mut self, on: bool) {
        self.inner.start(on);
    }

    fn work(&mut self, edges: &[Nanos], until: Nanos, output: &mut Vec<Nanos>, ledger: &mut Ledger) {
        ledger.account.raw_edges += edges.len() as u64;
        self.inner.work(edges, until, output, &mut self.ledger);
        let verdicts = self.ledger.verdicts.replace(Vec::new()).unwrap_or_default();
        verdicts.into_iter().for_each(|verdict| self.take(verdict));
        if let Some(last) = self.state.alone.last().map(|last| last.edge) {
            let next = self.inner.undecided_since().unwrap_or(until);
            if !self.is_beside(last, next) {
                self.name_alone(Rule::Glitch);
            }
        }
        self.enter(ledger);
    }

    fn pending(&self) -> u64 {
        self.inner.pending()
    }

    fn surely(&self) -> Rejected {
        let inner = self.inner.surely();
        Rejected { glitch: inner.glitch + self.state.alone.len() as u64, ..inner }
    }

    fn undecided_since(&self) -> Option<Nanos> {
        let alone = self.state.alone.first().map(|verdict| verdict.edge);
        [alone, self.inner.undecided_since()].into_iter().flatten().min()
    }

    fn start_counting(&mut self) {
        self.state.alone.clear();
        self.inner.start_counting();
    }

    fn next_due(&self) -> Option<Nanos> {
        self.inner.next_due()
    }

    fn save(&self) -> debounce::State {
        debounce::State::Burst(Box::new(State { own: self.state.clone(), inner: self.inner.save() }))
    }

    fn restore(&mut self, state: debounce::State) {
        if let debounce::State::Burst(state) = state {
            self.state = state.own;
            self.inner.restore(state.inner);
        }
    }
}
