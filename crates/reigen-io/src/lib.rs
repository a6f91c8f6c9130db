//! Recordings in and out: readers that fill the core's columns in pieces, and writers of what came of them.

pub mod error;
pub mod events;
pub mod options;
pub mod output_file;
pub mod recording;
pub mod simulated;
pub mod trace;

pub use packed::sidecar::check_names;

pub mod captures;
mod chunks;
mod csv;
mod packed;
mod piece;
mod pipeline;
mod ranges;
mod stitch;
#[cfg(test)]
mod tests;
mod vcd;
mod word;
