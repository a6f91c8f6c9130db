//! What a recording says before it is conditioned: bounce, glitches, rates, and what a line may be.
//!
//! Everything is taken edge by edge in one pass. Figures of short recordings are exact; those of very long
//! ones are kept in bins whose width is told beside each of them.

pub mod advice;
pub mod analog;
pub mod bins;
pub mod bounce;
mod changeover;
mod clocked;
pub mod curve;
pub mod debounce;
mod echo;
pub mod edges;
mod floating;
pub mod judgement;
pub mod kind;
pub mod levels;
pub mod line;
pub mod lockout_curve;
mod mains;
mod modulated;
pub mod parting;
pub mod plateau;
pub mod polling;
pub mod pulse_train;
mod quadrature;
mod serial;
pub mod stable_curve;
pub mod steady;
pub mod survey;
#[cfg(test)]
mod tests;
