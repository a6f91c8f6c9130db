//! The tables of a station file, one module a kind of point: what each key means, and the operation that comes of it.

pub mod analog;
pub mod counter;
pub mod display;
pub mod encoder;
pub mod expander;
pub mod expect;
pub mod input;
pub mod logic;
pub mod rate;
pub(crate) mod scan;
