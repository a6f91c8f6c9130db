//! Counting edges.

pub mod counter;
pub mod table;
#[cfg(test)]
mod tests;
