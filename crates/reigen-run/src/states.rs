//! What points and lines are at a time, and since when.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use reigen_core::logic::expression::{Reference, Value};
use reigen_core::time::Nanos;
use reigen_station::station::{FieldColumn, Station};

/// What a point is at a time, and since when.
#[derive(Debug, Clone, Default)]
pub struct State {
    /// The level of each of its bits.
    pub bits: Vec<(Option<bool>, Nanos)>,
    counts: Vec<(Option<i64>, Nanos)>,
    readings: Vec<(Option<f64>, Nanos)>,
}

/// States of points and lines, as they come.
#[derive(Debug, Default)]
pub struct States {
    /// Of each point.
    pub points: Vec<State>,
    /// The level of each line.
    pub lines: Vec<(Option<bool>, Nanos)>,
}

impl Observer for States {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        for columns in view.engine.points() {
            if self.points.len() <= columns.point {
                self.points.resize(columns.point + 1, State::default());
            }
            let Some(state) = self.points.get_mut(columns.point) else { continue };
            state.bits.resize(columns.bits.len(), (None, Nanos(0)));
            state.counts.resize(columns.counts.len(), (None, Nanos(0)));
            for (bit, column) in state.bits.iter_mut().zip(columns.bits) {
                let since =
                    column.toggles.last().copied().unwrap_or(if bit.0.is_none() { column.since } else { bit.1 });
                *bit = (column.last_level(), since);
            }
            for (count, column) in state.counts.iter_mut().zip(columns.counts) {
                *count = (column.last(), column.times.last().copied().unwrap_or(count.1));
            }
            state.readings.resize(columns.readings.len(), (None, Nanos(0)));
            for (reading, column) in state.readings.iter_mut().zip(columns.readings) {
                *reading = (column.last(), column.times.last().copied().unwrap_or(reading.1));
            }
        }
        self.lines.resize(view.lines.bits().len(), (None, Nanos(0)));
        for (line, column) in self.lines.iter_mut().zip(view.lines.bits()) {
            let since = column.toggles.last().copied().unwrap_or(if line.0.is_none() { column.since } else { line.1 });
            *line = (column.last_level(), since);
        }
        Ok(())
    }
}

impl States {
    /// What a name is, and since when; `None` before it has a value.
    pub fn of(&self, station: &Station, name: &Reference) -> Option<(Value, Nanos)> {
        let number = station.points.iter().position(|point| point.name == name.point)?;
        let point = station.points.get(number)?;
        let column = point.kind.field(&name.field);
        let state = self.points.get(number)?;
        // What gives nothing to others is still on or off itself.
        let own_bit = name.field.is_empty().then_some(FieldColumn::Bit(0));
        let (value, since) = match column.or(own_bit)? {
            FieldColumn::Bit(bit) => state.bits.get(bit).map(|(on, since)| (on.map(Value::Bit), since))?,
            FieldColumn::Count(count) => {
                state.counts.get(count).map(|(count, since)| (count.map(Value::Integer), since))?
            }
            FieldColumn::Reading(reading) => {
                state.readings.get(reading).map(|(reading, since)| (reading.map(Value::Real), since))?
            }
        };
        Some((value?, *since))
    }
}
