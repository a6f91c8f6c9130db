//! The history of live runs, in one SQLite file: written while a station is worked, and read like any recording.
//!
//! What stands in the file is told in the guide, with queries.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod batch;
mod error;
mod reader;
mod recorder;
mod store;
mod writer;

pub use error::HistoryError;
pub use reader::{Session, SessionText, is_history, sessions};
pub use recorder::{HistoryPoints, HistoryRecorder};
pub use store::Store;
pub use writer::{HistoryWriter, KeptPoint, NewSession};
