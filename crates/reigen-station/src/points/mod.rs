//! The tables of a station file, one module a kind of point: what each key means, and the operation that comes of it.

pub mod analog;
pub mod analog_output;
pub mod counter;
pub mod display;
pub mod encoder;
pub mod expander;
pub mod expect;
pub mod input;
pub mod logic;
pub mod numbers;
pub mod point_kind;
pub mod point_table;
pub mod rate;
pub mod register;
pub(crate) mod scan;

pub use point_kind::PointKind;
pub use point_table::PointTable;
pub(crate) use point_table::takes_description;
