//! Counting edges, and where an axis is.

pub mod counter;
pub mod encoder;
pub mod retained;
mod scans;
mod steps;
#[cfg(test)]
mod tests;
