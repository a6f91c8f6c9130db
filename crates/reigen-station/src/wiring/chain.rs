//! The wires of a shift-register chain: load, clock, data and inhibit have terminals as points have.

use super::supply::Supply;
use crate::spanned::Spanned;
use reigen_core::units::Metres;
use serde::Deserialize;

/// `terminals = { … }` of an expander.
#[derive(Debug, Clone, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ChainTerminals {
    /// Terminal of the load line.
    load: Option<Spanned<String>>,
    /// Terminal of the clock line.
    clock: Option<Spanned<String>>,
    /// Terminal of the data line.
    data: Option<Spanned<String>>,
    /// Terminal of the inhibit line.
    inhibit: Option<Spanned<String>>,
}

/// How the registers of a chain are wired.
#[derive(Debug)]
pub struct ChainWiring {
    /// The terminals of its signals.
    pub terminals: ChainTerminals,
    /// What feeds the registers.
    pub supply: Option<Supply>,
    /// The length of the cable to the first register.
    pub cable: Metres,
    /// How many registers there are.
    pub registers: usize,
}

/// A signal of a chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum ChainSignal {
    Load,
    Clock,
    Data,
    Inhibit,
}

impl ChainSignal {
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Load => "load",
            Self::Clock => "clock",
            Self::Data => "data",
            Self::Inhibit => "inhibit",
        }
    }
}

impl ChainWiring {
    /// The signals that have a terminal.
    pub(crate) fn signals(&self) -> impl Iterator<Item = (ChainSignal, &Spanned<String>)> {
        let ChainTerminals { load, clock, data, inhibit } = &self.terminals;
        let all = [
            (ChainSignal::Load, load),
            (ChainSignal::Clock, clock),
            (ChainSignal::Data, data),
            (ChainSignal::Inhibit, inhibit),
        ];
        all.into_iter().filter_map(|(signal, terminal)| Some((signal, terminal.as_ref()?)))
    }
}
