//! Counting edges, and where an axis is.

pub mod counter;
pub mod encoder;
mod scans;
mod steps;
#[cfg(test)]
mod tests;
