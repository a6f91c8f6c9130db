//! Numbers that follow from numbers: held at an edge, measured while a bit is on, counted up from samples, given out as a signal.

pub mod analog_output;
pub mod bit;
pub mod delay;
pub mod distribution;
pub mod hold;
#[cfg(test)]
mod measured_tests;
pub mod over_time;
pub mod register;
pub mod sample_rate;
pub mod scan;
pub mod source;
pub mod stats;
#[cfg(test)]
mod tests;
