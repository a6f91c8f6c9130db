//! What a recording says before it is conditioned: bounce, glitches, rates, and what a line may be.
//!
//! Everything is taken edge by edge in one pass. Figures of short recordings are exact; those of very long
//! ones are kept in bins whose width is told beside each of them.

pub mod analog;
pub mod bins;
pub mod bounce;
pub mod curve;
pub mod debounce;
pub mod levels;
pub mod line;
pub mod lockout_curve;
pub mod plateau;
pub mod polling;
pub mod relation;
pub mod stable_curve;
pub mod survey;
#[cfg(test)]
mod tests;
