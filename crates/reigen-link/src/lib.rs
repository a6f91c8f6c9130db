//! Links to devices: they tell a live run what lines do.
//!
//! Each link works in a thread of its own and knows nothing of stations; lines are numbers to it, which it finds by their
//! names.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used))]

pub mod line_table;
pub mod lines;
pub mod modbus;
