//! A number as a block reads it: its value, or that it has none, or that it is in fault.

use crate::block::{BitSource, Inputs, NumberSource};
use crate::column::{BitColumn, ReadingColumn};
use crate::time::Nanos;

/// Where a number is, and where its point tells that it is in fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ValidSource {
    /// The number.
    pub of: NumberSource,
    /// Whether it is in fault; `None` where its point does not tell.
    pub fault: Option<BitSource>,
}

/// What a number is at a time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum NumberState {
    /// It has no value yet.
    Unknown,
    /// Its point is in fault, or its formula has no result.
    Fault,
    /// A value.
    Valid(f64),
}

impl NumberState {
    /// The value, where it is valid.
    pub fn value(self) -> Option<f64> {
        match self {
            Self::Valid(value) => Some(value),
            Self::Unknown | Self::Fault => None,
        }
    }
}

/// A number within a window.
#[derive(Debug, Clone, Copy)]
pub struct NumberView<'a> {
    of: &'a ReadingColumn,
    fault: Option<&'a BitColumn>,
}

impl ValidSource {
    /// The number within a window; `None` where there is no such source.
    pub fn view<'a>(self, inputs: &Inputs<'a>) -> Option<NumberView<'a>> {
        Some(NumberView { of: inputs.reading(self.of)?, fault: self.fault.map(|source| inputs.bit(source)) })
    }
}

impl NumberView<'_> {
    /// What it is at a time, after all changes up to it.
    pub fn at(&self, time: Nanos) -> NumberState {
        match (self.fault.and_then(|fault| fault.level_at(time)), self.of.at(time)) {
            (Some(true), _) => NumberState::Fault,
            (_, None) => NumberState::Unknown,
            (_, Some(value)) if value.is_finite() => NumberState::Valid(value),
            (_, Some(_)) => NumberState::Fault,
        }
    }

    /// When it may become something else, from the window's start on.
    pub fn changes(&self, from: Nanos) -> impl Iterator<Item = Nanos> + '_ {
        let started = self.fault.filter(|fault| fault.level.is_some() && fault.since >= from).map(|fault| fault.since);
        let faults = self.fault.into_iter().flat_map(|fault| &fault.toggles);
        self.of.times.iter().chain(faults).copied().chain(started)
    }
}

/// Times in their order, each once.
pub fn in_order(times: impl Iterator<Item = Nanos>) -> Vec<Nanos> {
    let mut times: Vec<Nanos> = times.collect();
    times.sort_unstable();
    times.dedup();
    times
}
