//! Links to devices: they tell a live run what lines do, and are told what outputs are to be; and stand-ins for devices.
//!
//! Each link works in a thread of its own and knows nothing of stations; lines are numbers to it, which it finds by their
//! names.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod drive;
pub mod gpio;
pub mod lines;
pub mod modbus;
pub mod mqtt;
#[cfg_attr(not(feature = "nats"), path = "no_nats.rs")]
pub mod nats;
mod password;
#[cfg_attr(not(unix), path = "no_pty.rs")]
mod pty;
mod serial;
pub mod stand_in;
pub mod start;
pub mod write;
