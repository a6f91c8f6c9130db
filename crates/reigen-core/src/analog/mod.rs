//! Numbers: scaled, through a formula, valid or not, smoothed; and bits made of them by thresholds.

pub mod jumps;
pub mod meter;
pub mod signal;
pub mod smooth;
#[cfg(test)]
mod tests;
pub mod threshold;
