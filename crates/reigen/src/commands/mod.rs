//! One module a command.

pub(crate) mod check;
pub(crate) mod demo;
pub(crate) mod run;
pub(crate) mod simulate;
pub(crate) mod size;
