//! More inputs: shift-register chains, and words of bits.

pub mod chain;
pub mod expander;
pub mod frames;
pub mod reads;
#[cfg(test)]
mod tests;
pub mod word;
