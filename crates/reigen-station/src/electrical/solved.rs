//! A circuit solved once in both states, for all who ask.

use super::analog;
use super::circuit::{Branch, Circuit, Draw, Input, State};
use super::states::{self, SolvedState, TerminalLevel};
use crate::wiring::range::Range;
use std::cell::OnceCell;

/// Both states of a circuit, and what stands behind a converter.
#[derive(Debug)]
pub(super) struct BothStates {
    pub(super) conducting: SolvedState,
    pub(super) resting: SolvedState,
    pub(super) behind: Vec<SolvedState>,
}

impl BothStates {
    fn new(input: &Input<'_, '_>, draw: Draw) -> Self {
        let both = [State::Conducting, State::Resting];
        let behind = both.into_iter().filter_map(|state| states::behind_converter(input, state, draw));
        Self {
            conducting: states::work(input, State::Conducting, draw),
            resting: states::work(input, State::Resting, draw),
            behind: behind.collect(),
        }
    }

    /// All networks.
    pub(super) fn each(&self) -> impl Iterator<Item = &SolvedState> {
        [&self.conducting, &self.resting].into_iter().chain(&self.behind)
    }

    /// The network of the sensor in a state.
    pub(super) fn of(&self, state: State) -> &SolvedState {
        match state {
            State::Conducting => &self.conducting,
            State::Resting => &self.resting,
        }
    }
}

/// An input of two levels with its networks solved.
pub(super) struct SolvedCircuit<'a, 'b> {
    pub(super) input: Input<'a, 'b>,
    /// With the least current that the input is certain to draw.
    pub(super) least: BothStates,
    greatest: OnceCell<BothStates>,
}

impl<'a, 'b> SolvedCircuit<'a, 'b> {
    /// Solves a circuit, where it is an input of two levels.
    pub(super) fn new(circuit: &'b Circuit<'a>) -> Option<Self> {
        let input = Input::new(circuit)?;
        let least = BothStates::new(&input, Draw::Least);
        Some(Self { input, least, greatest: OnceCell::new() })
    }

    /// With the greatest current that the input may draw, where that differs.
    pub(super) fn greatest(&self) -> &BothStates {
        let group = self.input.group;
        let is_open = group.current.is_none() && group.resistance.is_none() && group.limits().is_some();
        match is_open {
            true => self.greatest.get_or_init(|| BothStates::new(&self.input, Draw::Greatest)),
            false => &self.least,
        }
    }

    /// What stands at the terminal in a state; `None` where nothing defines it.
    pub(super) fn measured(&self, state: State) -> Option<TerminalLevel> {
        let behind = self.least.behind.iter().find(|worked| worked.state == state);
        states::measured(&self.input, behind.unwrap_or_else(|| self.least.of(state)))
    }
}

/// What the lists and the sums of all circuits need of one.
#[derive(Debug, Clone, Default)]
pub(super) struct Summary {
    /// What stands at the terminal while the sensor conducts and while it rests.
    pub(super) measured: [Option<TerminalLevel>; 2],
    /// What stands at an analog terminal at the low and the high end of the signal.
    pub(super) ends: Option<[Range; 2]>,
    /// What flows through the output at most, with the least and the greatest current that the input may draw.
    pub(super) output_current: Option<[f64; 2]>,
    /// The greatest power in each resistor of the wire, by the number of the part.
    pub(super) powers: Vec<(usize, f64)>,
}

impl Summary {
    pub(super) fn new(circuit: &Circuit<'_>, solved: Option<&SolvedCircuit<'_, '_>>) -> Self {
        let Some(solved) = solved else {
            return Self { ends: analog::ends(circuit), ..Self::default() };
        };
        let most = |states: &BothStates| states.conducting.output_current.most;
        let currents = [most(&solved.least), most(solved.greatest())];
        let mut powers: Vec<(usize, f64)> = Vec::new();
        for (role, watts, _) in solved.least.each().flat_map(|worked| worked.powers()) {
            let Branch::Part(number) = role else { continue };
            match powers.iter_mut().find(|(known, _)| *known == number) {
                Some((_, most)) => *most = most.max(watts),
                None => powers.push((number, watts)),
            }
        }
        Self {
            measured: [State::Conducting, State::Resting].map(|state| solved.measured(state)),
            ends: None,
            output_current: (!solved.least.conducting.floats).then_some(currents),
            powers,
        }
    }
}
