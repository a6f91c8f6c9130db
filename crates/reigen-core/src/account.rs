//! The balance of raw edges: what became of each one.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// Why a raw edge did not come through.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Rule {
    /// An extra edge close around a real change.
    Bounce,
    /// Part of a short pulse with no change after it.
    Glitch,
    /// Came and went between two readings of the input.
    Missed,
}

impl Rule {
    /// The word for it in tables and files.
    pub fn word(self) -> &'static str {
        match self {
            Rule::Bounce => "bounce",
            Rule::Glitch => "glitch",
            Rule::Missed => "missed",
        }
    }
}

/// Rejected raw edges by rule.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Rejected {
    /// Extra edges close around a real change.
    pub bounce: u64,
    /// Edges of short pulses with no change after them.
    pub glitch: u64,
    /// Edges between two readings that no reading saw.
    pub missed: u64,
}

/// The account of one input: every raw edge is in exactly one of its entries.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Account {
    /// All raw edges.
    pub raw_edges: u64,
    /// Raw edges that an output change answers to.
    pub accepted: u64,
    /// Raw edges thrown away, by rule.
    pub rejected: Rejected,
}

impl Account {
    /// Whether the sums agree, given the edges that are still undecided.
    pub fn balances(&self, pending: u64) -> bool {
        let Rejected { bounce, glitch, missed } = self.rejected;
        self.raw_edges == self.accepted + bounce + glitch + missed + pending
    }
}

/// What became of one raw edge; `rule` is `None` where it was accepted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Verdict {
    /// The time of the raw edge.
    pub edge: Nanos,
    /// The time at which its fate was settled.
    pub decided: Nanos,
    /// The rule that threw it away.
    pub rule: Option<Rule>,
}
