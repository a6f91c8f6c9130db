//! From a table of a station file to a point: what all kinds need.

pub mod branch;
pub mod builder;
pub(crate) mod contact;
#[cfg(test)]
mod damage_tests;
pub mod error;
pub mod field;
pub(crate) mod finite;
pub(crate) mod reader;
pub mod signal;
mod synonyms;
pub(crate) mod tables;

pub use error::{StationError, StationErrorKind};
pub use field::{Description, Field, FieldColumn, FieldExpression, LineName};
