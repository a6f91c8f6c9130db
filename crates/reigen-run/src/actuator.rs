//! What outputs drive: a lamp on a card, a bit of a device, or a list in a test.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use reigen_core::time::Nanos;
use reigen_station::station::{Kind, Station};

/// What follows the outputs of a station.
pub trait Actuator: Send {
    /// An output goes on or off; `name` is its point's.
    ///
    /// # Errors
    /// Where it cannot follow, and the work is to end.
    fn set(&mut self, name: &str, on: bool, at: Nanos) -> Result<(), RunError>;
}

/// Hands each change of an output to an actuator, in the order of time.
pub struct Drive<'a, A> {
    /// The numbers and names of the outputs.
    outputs: Vec<(usize, &'a str)>,
    /// Of each output whether it has been set.
    begun: Vec<bool>,
    actuator: A,
}

impl<'a, A: Actuator> Drive<'a, A> {
    /// Drives all outputs of a station.
    pub fn new(station: &'a Station, actuator: A) -> Self {
        let points = station.points.iter().enumerate();
        let outputs = points.filter(|(_, point)| matches!(point.kind, Kind::Output(_)));
        let outputs: Vec<(usize, &str)> = outputs.map(|(number, point)| (number, point.name.as_str())).collect();
        Self { begun: vec![false; outputs.len()], outputs, actuator }
    }

    /// The actuator.
    pub fn into_actuator(self) -> A {
        self.actuator
    }
}

impl<A: Actuator> Observer for Drive<'_, A> {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let mut changes: Vec<(Nanos, &str, bool)> = Vec::new();
        for ((number, name), begun) in self.outputs.iter().zip(&mut self.begun) {
            let columns = view.engine.points().find(|columns| columns.point == *number);
            let Some((bit, level)) = columns.and_then(|columns| columns.bit()).and_then(|bit| Some((bit, bit.level?)))
            else {
                continue;
            };
            if !std::mem::replace(begun, true) {
                changes.push((bit.since, name, level));
            }
            let levels = bit.toggles.iter().zip([!level, level].into_iter().cycle());
            changes.extend(levels.map(|(&at, on)| (at, *name, on)));
        }
        changes.sort_by_key(|(at, ..)| *at);
        changes.into_iter().try_for_each(|(at, name, on)| self.actuator.set(name, on, at))
    }
}
