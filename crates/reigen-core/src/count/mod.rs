//! Counting edges, and where an axis is.

pub mod counter;
pub mod encoder;
mod scans;
pub mod table;
#[cfg(test)]
mod tests;
