//! How fast: pulses over time, each reading with its resolution.

pub mod auto;
pub mod captures;
pub mod gate;
pub mod judgement;
pub mod lone;
pub mod marks;
pub mod meter;
pub mod period;
pub mod readings;
pub mod settings;
pub mod steady;
pub mod step;
#[cfg(test)]
mod tests;
pub mod unit;
pub mod wheel;
pub mod width;
