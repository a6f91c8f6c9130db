//! `threshold`: on above one value, off below another, or the other way round.

use crate::block::{Block, Inputs, NumberSource, Outputs, without_state};
use crate::column::{BitColumn, StepColumn};
use crate::logic::apply::Operand;
use crate::time::{Nanos, Window};

/// Where a threshold switches; both strictly, and between the two it stays as it is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Levels {
    /// Above it is on, or off where it is `inverted`.
    pub above: f64,
    /// Below it is the other.
    pub below: f64,
    /// Whether it is on below and off above.
    pub inverted: bool,
}

impl Levels {
    /// What a value makes of it; `None` between the two.
    #[inline]
    pub fn of(&self, value: f64) -> Option<bool> {
        if value > self.above {
            Some(!self.inverted)
        } else if value < self.below {
            Some(self.inverted)
        } else {
            None
        }
    }
}

/// The running form of a threshold.
#[derive(Debug)]
pub struct Threshold {
    levels: Levels,
    of: Operand,
}

impl Threshold {
    /// A threshold on a number.
    pub fn new(levels: Levels, of: Operand) -> Self {
        Self { levels, of }
    }

    #[inline]
    fn take(&self, at: Nanos, value: f64, bit: &mut BitColumn) {
        match (bit.last_level(), self.levels.of(value)) {
            // The first value makes it on or off; between the two it is off.
            (None, now) => bit.start(at, now.unwrap_or(false)),
            (Some(on), Some(now)) if on != now => bit.toggles.push(at),
            _ => {}
        }
    }

    fn take_all<V: Copy>(&self, column: &StepColumn<V>, value: impl Fn(V) -> f64, bit: &mut BitColumn) {
        for (&at, &step) in column.times.iter().zip(&column.values) {
            self.take(at, value(step), bit);
        }
    }
}

impl Block for Threshold {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [bit] = outputs.bits else { return };
        match self.of {
            Operand::Constant(value) if bit.level.is_none() => {
                value.as_real().into_iter().for_each(|value| self.take(window.from, value, bit));
            }
            Operand::Number(NumberSource::Count(number)) => {
                let column = inputs.counts.get(number);
                column.into_iter().for_each(|column| self.take_all(column, |value| value as f64, bit));
            }
            Operand::Number(source) => {
                let column = inputs.reading(source);
                column.into_iter().for_each(|column| self.take_all(column, |value| value, bit));
            }
            Operand::Constant(_) | Operand::Bit(_) => {}
        }
    }
}

without_state!(Threshold);
