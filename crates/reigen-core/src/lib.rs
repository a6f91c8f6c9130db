//! The computation of Reigen: what a controller should have seen on its discrete and pulse inputs.
//!
//! No files, no sockets, no printing, no clock. Readers fill [`lines::LineColumns`], the
//! [`engine::Engine`] works them a window at a time, and its results are plain data.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss))]

pub mod account;
pub mod analog;
pub mod block;
pub mod cast;
pub mod change;
pub mod column;
pub mod condition;
pub mod count;
pub mod engine;
pub mod event;
pub mod expand;
pub mod finding;
pub mod lines;
pub mod logic;
pub mod measure;
pub mod names;
pub mod number;
pub mod outside_words;
pub mod program;
pub mod quantity;
pub mod rate;
pub mod spread;
pub mod summary;
pub mod tally;
pub mod time;
pub mod units;
