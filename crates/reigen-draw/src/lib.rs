//! Pictures of what a recording did: timing diagrams and curves, as SVG, as PNG, or in a terminal.
//!
//! Everything is drawn from core types; nothing here reads files or arguments. Traces keep what a picture needs
//! in flat memory, however long the recording is.

#![cfg_attr(test, allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss))]

pub mod axis;
pub mod bits;
pub mod curve;
pub mod diagram;
pub mod histogram;
pub mod number;
pub mod pen;
pub mod picture;
mod place;
pub mod polling;
pub mod schematic;
pub mod steps;
pub mod terminal;
pub mod theme;
pub mod trace;
pub mod turning;
