//! Recordings in and out: readers that fill the core's columns in pieces, and writers of what came of them.

#![cfg_attr(test, allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss))]

pub mod convert;
pub mod error;
pub mod options;
pub mod recording;
#[cfg(test)]
mod recording_tests;
pub use write::{events, output_file, trace};

pub mod write;

pub use date::date_ns;
pub use packed::sidecar::{check_names, path as sidecar_path};

pub mod archive;
pub mod captures;
mod chunks;
mod content;
mod csv;
mod date;
mod json_lines;
mod packed;
mod piece;
mod pipeline;
mod ranges;
mod reader;
mod rows;
pub mod small_file;
pub mod source;
mod stitch;
#[cfg(feature = "parquet")]
mod table;
#[cfg(test)]
mod tests;
mod vcd;
mod word;

pub use json_lines::{LiveRow, live_row};
