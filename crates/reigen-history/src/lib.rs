//! The history of live runs, in one SQLite file: written while a station is worked, and read like any recording.
//!
//! What stands in the file is told in the guide, with queries.

#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used))]

mod batch;
mod error;
mod prune;
mod reader;
mod recorder;
mod retained;
mod rows;
mod signoff;
mod store;
mod writer;

pub use error::HistoryError;
pub use reader::{Session, SessionText, is_history, sessions};
pub use recorder::{HistoryRecorder, Kept};
pub use signoff::{Trial, trials};
pub use store::Store;
pub use writer::{HistoryWriter, KeptPoint, NewSession};
