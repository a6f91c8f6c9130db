//! What a counter keeps while the program is not at work.

use super::counter::Counter;
use crate::cast;
use crate::engine::MOST_SUM;
use serde::{Deserialize, Serialize};

/// What a counter keeps.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Retained {
    /// Its value.
    pub value: i64,
    /// All counts, whatever became of the value.
    pub total: i64,
    /// How often it went from one limit to the other.
    pub wraps: u64,
    /// Counts that a limit swallowed.
    pub lost: u64,
    /// For each preset how often it was reached.
    pub preset_hits: Vec<u64>,
}

impl Counter {
    /// What it keeps.
    pub fn retained(&self) -> Retained {
        let state = &self.state;
        let preset_hits = state.preset_hits.clone();
        Retained { value: state.value, total: state.total, wraps: state.wraps, lost: state.lost, preset_hits }
    }

    /// Begins from what was kept; false where its limits leave no room for that value.
    pub fn resume(&mut self, kept: &Retained) -> bool {
        let Retained { value, total, wraps, lost, ref preset_hits } = *kept;
        let most = cast::u64_from_i64(MOST_SUM);
        let is_beyond = self.settings.range.is_some_and(|range| !(range.least..=range.most).contains(&value));
        if is_beyond || [wraps, lost].iter().chain(preset_hits).any(|sum| *sum > most) {
            return false;
        }
        let state = &mut self.state;
        (state.value, state.total, state.wraps, state.lost) = (value, total, wraps, lost);
        // Other presets begin to be counted anew.
        if preset_hits.len() == state.preset_hits.len() {
            state.preset_hits.clone_from(preset_hits);
        }
        true
    }
}
