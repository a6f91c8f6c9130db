//! A live run in the network: a page for a phone beside the sensor, JSON, events and metrics for programs.
//!
//! It reads only, unless it is given a [`SetPoints`]. Whoever shows a run gives a [`Shown`], and [`Server::start`] serves it from a
//! thread of its own, so that nobody who reads holds the run up.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod access;
mod answers;
mod events;
mod metrics;
mod server;
mod snapshot;

pub use access::{Token, TokenError};
pub use server::{ServeError, Server, Settings};
pub use snapshot::{LinkShown, PointShown, Problem, SetError, SetPoints, Severity, Shown, Snapshot, Value};
