//! One module a command.

pub(crate) mod captures;
pub(crate) mod chain;
pub(crate) mod check;
pub(crate) mod code;
pub(crate) mod compare;
pub(crate) mod completions;
pub(crate) mod convert;
pub(crate) mod debounce;
pub(crate) mod demo;
pub(crate) mod draw;
pub(crate) mod levels;
pub(crate) mod live;
pub(crate) mod play;
pub(crate) mod polling;
pub(crate) mod report;
pub(crate) mod run;
pub(crate) mod schema;
pub(crate) mod signoff;
pub(crate) mod simulate;
pub(crate) mod size;
pub(crate) mod survey;
pub(crate) mod verify;
pub(crate) mod why;
