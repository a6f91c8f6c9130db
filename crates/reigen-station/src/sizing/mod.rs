//! The sums that people look up each time: resistors, capacitors, windows, timers, polling periods.
//!
//! Each sum is a struct of what is given and a function `work` that gives a [`SizingResult`] answer: what was given, what
//! came of it, and by which formula.

pub mod capture;
pub mod colours;
pub mod current_loop;
pub mod divider;
pub mod drive;
pub mod hysteresis;
pub mod led;
pub mod poll;
pub mod pull;
pub mod rating;
pub mod rc;
pub mod registers;
pub mod series;
pub mod source;
pub mod speed;
#[cfg(test)]
mod tests;

use reigen_core::condition::schmitt::LevelsError;
use reigen_core::units::{
    Amperes, Farads, Hertz, Ohms, Seconds, Share, Volts, Watts, engineering, engineering_to, significant_to,
};
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};
use series::Series;
use std::borrow::Cow;
use std::collections::BTreeMap;
use thiserror::Error;

/// Why a sum cannot be worked.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum SizingError {
    /// Some of what it needs is not given.
    #[error("{sum} needs {needs}")]
    Needs {
        /// The sum.
        sum: &'static str,
        /// What is to be given.
        needs: &'static str,
    },
    /// What is given cannot be together.
    #[error("{0}")]
    Contradiction(String),
}

impl From<LevelsError> for SizingError {
    fn from(error: LevelsError) -> Self {
        Self::Contradiction(error.to_string())
    }
}

/// The sum of what is given and what is found.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct SizingResult {
    /// The word of the sum.
    pub sum: &'static str,
    /// What it was worked from.
    #[serde(serialize_with = "by_key")]
    #[schemars(with = "BTreeMap<String, Amount>")]
    pub given: Vec<Value>,
    /// What came of it.
    #[serde(serialize_with = "by_key")]
    #[schemars(with = "BTreeMap<String, Amount>")]
    pub found: Vec<Value>,
    /// The formulas, with their source.
    pub formulas: Vec<&'static str>,
    /// What a person should know beside the numbers.
    pub notes: Vec<String>,
}

/// One number of a sum, with its names.
#[derive(Debug, Clone, PartialEq)]
pub struct Value {
    /// Its name for programs, with its unit: `resistance_ohm`.
    pub key: &'static str,
    /// Its name for people.
    pub label: String,
    /// The number, or words.
    pub amount: Amount,
}

/// A number with its unit, or words.
#[derive(Debug, Clone, PartialEq)]
pub enum Amount {
    /// A number in an SI unit.
    Unit(f64, &'static str),
    /// A number in an SI unit that bears five digits: what a calibrator is set to.
    Exact(f64, &'static str),
    /// A number in a unit that takes no prefix.
    Plain(f64, String),
    /// A whole number.
    Count(u64),
    /// Words.
    Words(String),
}

macro_rules! amounts {
    ($($kind:ident $symbol:literal),+) => {$(
        impl From<$kind> for Amount {
            fn from(value: $kind) -> Self {
                Amount::Unit(value.0, $symbol)
            }
        }
    )+};
}

amounts!(Ohms "Ω", Farads "F", Volts "V", Amperes "A", Watts "W", Seconds "s", Hertz "Hz");

impl From<Share> for Amount {
    fn from(Share(share): Share) -> Self {
        Amount::Plain(share * 100.0, "%".to_owned())
    }
}

impl From<u64> for Amount {
    fn from(count: u64) -> Self {
        Amount::Count(count)
    }
}

impl From<String> for Amount {
    fn from(words: String) -> Self {
        Amount::Words(words)
    }
}

impl std::fmt::Display for Amount {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Amount::Unit(value, symbol) => formatter.write_str(&engineering(*value, symbol)),
            Amount::Exact(value, symbol) => formatter.write_str(&engineering_to(*value, symbol, 5)),
            // A number without a prefix keeps its digits before the point.
            Amount::Plain(value, unit) if value.abs() >= 1e4 => {
                formatter.write_str(format!("{} {unit}", (value * 10.0).round() / 10.0).trim_end())
            }
            Amount::Plain(value, unit) => {
                formatter.write_str(format!("{} {unit}", significant_to(*value, 5)).trim_end())
            }
            Amount::Count(count) => write!(formatter, "{count}"),
            Amount::Words(words) => formatter.write_str(words),
        }
    }
}

impl SizingResult {
    fn new(sum: &'static str, formulas: &[&'static str]) -> Self {
        Self { sum, given: Vec::new(), found: Vec::new(), formulas: formulas.to_vec(), notes: Vec::new() }
    }

    /// Adds something given.
    fn given(self, key: &'static str, label: &str, value: impl Into<Amount>) -> Self {
        self.given_if(key, label, Some(value))
    }

    /// Adds something given, where it is.
    fn given_if(mut self, key: &'static str, label: &str, value: Option<impl Into<Amount>>) -> Self {
        if let Some(value) = value {
            self.given.push(Value { key, label: label.to_owned(), amount: value.into() });
        }
        self
    }

    /// Adds something found.
    fn find(&mut self, key: &'static str, label: impl Into<String>, value: impl Into<Amount>) {
        self.found.push(Value { key, label: label.into(), amount: value.into() });
    }

    /// Adds what a part dissipates at its worst corner, and the rating of which that is half at most.
    fn dissipates(&mut self, [key, rating_key]: [&'static str; 2], part: &str, power: Watts) {
        self.find(key, format!("{part} dissipates up to"), power);
        match rating::standard(power) {
            Some(rating) => self.find(rating_key, format!("rating of {part}"), Amount::Plain(rating.0, "W".to_owned())),
            None => self
                .note(format!("{part} dissipates {power}: no standard resistor up to 2 W carries that at half load")),
        }
    }

    fn note(&mut self, note: impl Into<String>) {
        self.notes.push(note.into());
    }

    /// A number found, by its key.
    pub fn number(&self, key: &str) -> Option<f64> {
        match self.found.iter().find(|value| value.key == key)?.amount {
            Amount::Unit(value, _) | Amount::Exact(value, _) | Amount::Plain(value, _) => Some(value),
            Amount::Count(count) => Some(count as f64),
            Amount::Words(_) => None,
        }
    }
}

/// Values as an object from keys to numbers, or words.
fn by_key<S: Serializer>(values: &[Value], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_map(values.iter().map(|value| (value.key, &value.amount)))
}

impl Serialize for Amount {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Amount::Unit(number, _) | Amount::Exact(number, _) | Amount::Plain(number, _) => {
                serializer.serialize_f64(*number)
            }
            Amount::Count(count) => count.serialize(serializer),
            Amount::Words(words) => serializer.serialize_str(words),
        }
    }
}

impl JsonSchema for Amount {
    fn schema_name() -> Cow<'static, str> {
        "Amount".into()
    }

    fn json_schema(_generator: &mut SchemaGenerator) -> Schema {
        json_schema!({ "type": ["number", "string"], "description": "A number, or words." })
    }
}

/// Resistors keep ±5 % where nothing else is given, as the wiring check takes them.
pub const USUAL_RESISTORS: Share = Share(crate::wiring::parts::RESISTOR_TOLERANCE);
/// Capacitors keep ±20 %.
pub const USUAL_CAPACITORS: Share = Share(crate::wiring::parts::CAPACITOR_TOLERANCE);

/// The lowest value of a series that is above a limit, and not on it.
fn clear_above(series: Series, limit: f64) -> f64 {
    series.above(limit * (1.0 + 1e-6))
}

/// The greatest value of a series that is below a limit, and not on it.
fn clear_below(series: Series, limit: f64) -> f64 {
    series.below(limit * (1.0 - 1e-6))
}

fn contradiction<T>(message: String) -> Result<T, SizingError> {
    Err(SizingError::Contradiction(message))
}

fn needs<T>(sum: &'static str, needs: &'static str) -> Result<T, SizingError> {
    Err(SizingError::Needs { sum, needs })
}
