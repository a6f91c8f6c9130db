//! A station worked on live lines: what comes from links is put in order, and the clock takes the place of a file's end.
//!
//! One law holds it together: a live run and its recording agree. The engine does not know whether its windows come from a
//! file or from a clock, and what is recorded is what it was given, with the times that it was given.

pub mod board;
pub mod changes;
pub mod due;
pub mod event;
mod findings;
pub mod inbox;
pub mod intake;
pub mod on_disk;
pub mod passes;
pub mod recorder;
pub mod source;
pub mod stale;
pub mod teller;
