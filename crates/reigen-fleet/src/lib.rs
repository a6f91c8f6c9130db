//! Stations of many machines, shared by workers over NATS JetStream.
//!
//! All that is spread over computers is the server's: a stream keeps what the lines did, a bucket keeps what each station's
//! run must know of the past, another who works which station. A worker that dies leaves nothing that the next one misses.

pub mod error;
pub mod event;
pub mod jobs;
pub mod kept;
mod lease;
pub mod publish;
pub mod read;
mod runtime;
pub mod server;
pub mod standing;
mod states;
pub mod station;
mod station_work;
pub mod worker;
