//! One module a command.

pub(crate) mod demo;
pub(crate) mod run;
pub(crate) mod simulate;
