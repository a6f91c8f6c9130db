//! The station file of Reigen: what is wired, how each line is conditioned, and what follows from it.
//!
//! [`station::parse`] reads it, [`station::plan::compile`] makes a program of it, [`electrical::check`] says whether it will work as it is
//! wired, [`findings`] what a person should know of a run, [`sizing`] works the parts out, and [`simulate`] makes recordings of which the
//! truth is known. No files, no printing.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss))]

pub mod electrical;
pub mod findings;
pub mod links;
pub mod points;
pub mod simulate;
pub mod sizing;
pub mod spanned;
pub mod station;
pub mod table;
pub mod wiring;
