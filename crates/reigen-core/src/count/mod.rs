//! Counting edges, and where an axis is.

pub mod counter;
pub mod encoder;
mod scans;
#[cfg(test)]
mod tests;
