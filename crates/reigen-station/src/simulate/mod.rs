//! Recordings with known truth: sources that make lines, with the faults that real ones have.
//!
//! A [`scenario`] names sources; each is a stream of changes in the order of time, and tells in the end what
//! really happened. Nothing is kept of the lines, so an hour takes no more memory than a second. The
//! same seed gives the same recording on every machine: whatever is not exact is computed by code of our own
//! packages, never by the machine's library.

mod analog;
mod chain;
mod contact;
mod echo;
mod encoder;
mod floating;
pub mod judge;
pub mod judge_readings;
#[cfg(test)]
mod key_tests;
mod numbers;
mod presses;
mod profile;
mod random;
#[cfg(test)]
mod rate_tests;
pub mod scenario;
mod shaft;
mod stream;
#[cfg(test)]
mod tests;
pub mod truth;
mod wheel;
mod wire;

pub use stream::Simulation;

pub use reigen_core::change::{Change, Value};

/// What makes changes.
trait Source {
    /// The names of its lines and the values that they begin with.
    fn lines(&self) -> Vec<(String, Value)>;

    /// The next change, never before the last; lines count from 0 within the source. `None` after the last.
    fn next(&mut self) -> Option<Change>;

    /// What really happened, up to the recording's end.
    fn truth(&self) -> truth::Truth;
}
