//! Values of expressions: bits, whole numbers, real numbers.

use super::Type;
use std::fmt;

/// A value.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub enum Value {
    /// On or off.
    Bit(bool),
    /// A whole number.
    Integer(i64),
    /// A real number; finite.
    Real(f64),
}

impl Value {
    /// The bit, if it is one.
    pub fn as_bit(self) -> Option<bool> {
        match self {
            Value::Bit(bit) => Some(bit),
            _ => None,
        }
    }

    /// The number as a real one, if it is a number.
    pub fn as_real(self) -> Option<f64> {
        match self {
            Value::Bit(_) => None,
            Value::Integer(number) => Some(number as f64),
            Value::Real(number) => Some(number),
        }
    }

    /// Its type.
    pub fn value_type(self) -> Type {
        match self {
            Value::Bit(_) => Type::Bit,
            Value::Integer(_) => Type::Integer,
            Value::Real(_) => Type::Real,
        }
    }

    /// A real number, unless it is none.
    pub fn real(number: f64) -> Option<Value> {
        number.is_finite().then_some(Value::Real(number))
    }

    /// The number with the other sign.
    pub fn negated(self) -> Option<Value> {
        match self {
            Value::Bit(_) => None,
            Value::Integer(number) => number.checked_neg().map(Value::Integer),
            Value::Real(number) => Some(Value::Real(-number)),
        }
    }
}

impl fmt::Display for Value {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Value::Bit(true) => write!(formatter, "TRUE"),
            Value::Bit(false) => write!(formatter, "FALSE"),
            Value::Integer(number) => write!(formatter, "{number}"),
            // With a point or an exponent, so that it reads back as a real number.
            Value::Real(number) => write!(formatter, "{number:?}"),
        }
    }
}
