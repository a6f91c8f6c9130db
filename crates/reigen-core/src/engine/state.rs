//! The state of an engine as plain data: saved at the end of a window, it goes on in a fresh engine of the same program.

use super::{BlockState, Branch, Engine, Node};
use crate::tally::{Tally, TallyState};
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// What an engine must know of the past. What it remembers for somebody and has not told is no part of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct EngineState {
    branches: Vec<Vec<NodeState>>,
}

/// What one node must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct NodeState {
    point: Option<usize>,
    block: BlockState,
    tally: TallyState,
    /// The last level of each of its bits, and since when it has one.
    bits: Vec<(Option<bool>, Nanos)>,
    counts: Vec<Option<i64>>,
    readings: Vec<Option<f64>>,
}

/// Why a state does not fit an engine.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum RestoreError {
    /// It has other nodes than the engine.
    #[error("the state is that of another program")]
    OtherProgram,
}

impl Engine {
    /// The state at the end of the last window.
    pub fn save(&self) -> EngineState {
        EngineState { branches: self.branches.iter().map(Branch::save).collect() }
    }

    /// Goes on from a state, which this engine's program has given.
    ///
    /// # Errors
    /// Where the state has other nodes; then the engine is of no more use.
    pub fn restore(&mut self, state: EngineState) -> Result<(), RestoreError> {
        if state.branches.len() != self.branches.len() {
            return Err(RestoreError::OtherProgram);
        }
        self.branches.iter_mut().zip(state.branches).try_for_each(|(branch, state)| branch.restore(state))
    }

    /// The earliest time at which a point may change though no line changes; `None` for never.
    pub fn next_due(&self) -> Option<Nanos> {
        self.branches.iter().flat_map(|branch| &branch.nodes).filter_map(|node| node.block.next_due()).min()
    }
}

impl Branch {
    fn save(&self) -> Vec<NodeState> {
        self.nodes.iter().map(|node| self.save_node(node)).collect()
    }

    fn save_node(&self, node: &Node) -> NodeState {
        let (bits, counts, readings) = node.columns(self);
        NodeState {
            point: node.point,
            block: node.block.save(),
            tally: node.tally.save(),
            bits: bits.iter().map(|bit| (bit.last_level(), bit.since)).collect(),
            counts: counts.iter().map(|count| count.last()).collect(),
            readings: readings.iter().map(|reading| reading.last()).collect(),
        }
    }

    fn restore(&mut self, states: Vec<NodeState>) -> Result<(), RestoreError> {
        if states.len() != self.nodes.len() {
            return Err(RestoreError::OtherProgram);
        }
        let Branch { nodes, bits, counts, readings } = self;
        let (mut bits, mut counts, mut readings) = (bits.iter_mut(), counts.iter_mut(), readings.iter_mut());
        for (node, state) in nodes.iter_mut().zip(states) {
            let shape = [state.bits.len(), state.counts.len(), state.readings.len()];
            let same = shape == [node.shape.bits, node.shape.counts, node.shape.readings] && state.point == node.point;
            if !same || !node.block.restore(state.block) {
                return Err(RestoreError::OtherProgram);
            }
            node.tally = Tally::restored(state.tally);
            // The states come first: a pair of iterators takes from the first one more than there are pairs.
            for ((level, since), bit) in state.bits.into_iter().zip(bits.by_ref()) {
                (bit.level, bit.since) = (level, since);
            }
            state.counts.into_iter().zip(counts.by_ref()).for_each(|(last, count)| count.before = last);
            state.readings.into_iter().zip(readings.by_ref()).for_each(|(last, reading)| reading.before = last);
        }
        Ok(())
    }
}
