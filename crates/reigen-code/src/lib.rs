//! Controller code of a station: C99, and structured text of IEC 61131-3.
//!
//! [`lower`](lower::lower) makes what a controller does in a scan of the compiled program; [`c`] and [`st`] write it in a language. No files,
//! no printing.

#![forbid(unsafe_code)]

pub mod c;
mod long_lines;
pub mod lower;
pub mod make;
pub mod model;
pub mod names;
pub mod prove;
pub mod st;
pub mod table;
mod uses;
