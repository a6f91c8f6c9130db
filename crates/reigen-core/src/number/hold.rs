//! `hold`: the value of a number at an edge.

use super::source::{NumberState, ValidSource};
use crate::block::{BitSource, Block, Inputs, Outputs, keeps_state};
use crate::spread::Spread;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// At which edges a number is held.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Edges {
    /// Where the bit goes on.
    pub rising: bool,
    /// Where it goes off.
    pub falling: bool,
}

/// What a hold is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// At which edges.
    pub edges: Edges,
    /// The unit of the number; empty for none.
    pub unit: String,
}

/// What a hold has held.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct HoldSummary {
    /// The unit of the values.
    pub unit: String,
    /// How many values were held.
    pub count: u64,
    /// The last of them.
    pub last: Option<f64>,
    /// The least.
    pub min: Option<f64>,
    /// Each value once.
    pub mean: Option<f64>,
    /// The greatest.
    pub max: Option<f64>,
    /// The greatest less the least.
    pub spread: Option<f64>,
    /// Edges at which the number had no value, or was in fault.
    pub without_value: u64,
}

/// The running form of a hold. An edge in the number's own instant holds the value after it.
pub struct Hold {
    settings: Settings,
    of: ValidSource,
    at: BitSource,
    state: State,
}

/// What a hold must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    held: Spread,
    last: Option<f64>,
    without_value: u64,
}

impl Hold {
    /// Holds a number at the edges of a bit, unless it is in fault there.
    pub fn new(settings: Settings, of: ValidSource, at: BitSource) -> Self {
        Self { settings, of, at, state: State::default() }
    }

    /// What it has held.
    pub fn summary(&self) -> HoldSummary {
        let State { held, last, without_value } = self.state;
        HoldSummary {
            unit: self.settings.unit.clone(),
            count: held.count,
            last,
            min: held.min(),
            mean: held.mean(),
            max: held.max(),
            spread: held.spread(),
            without_value,
        }
    }
}

impl Block for Hold {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([column], Some(of)) = (outputs.readings, self.of.view(&inputs)) else { return };
        let at = inputs.bit(self.at);
        let Some(mut level) = at.level else { return };
        for &edge in &at.toggles {
            level = !level;
            if !(if level { self.settings.edges.rising } else { self.settings.edges.falling }) {
                continue;
            }
            match of.at(edge) {
                NumberState::Valid(value) => {
                    self.state.held.take(value, 1);
                    self.state.last = Some(value);
                    column.change(edge, value);
                }
                NumberState::Unknown | NumberState::Fault => self.state.without_value += 1,
            }
        }
    }

    fn start_counting(&mut self, _from: Nanos) {
        self.state = State { last: self.state.last, ..State::default() };
    }
}

keeps_state!(Hold, State);
