//! Conditioning: from a raw line to an input that is on or off.

pub mod debounce;
pub mod explain;
pub mod input;
pub mod scanned;
pub mod schmitt;
