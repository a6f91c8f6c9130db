//! What several commands show: each works something out, and shows it.

pub(crate) mod captures;
pub(crate) mod chain;
pub(crate) mod check;
pub(crate) mod code;
pub(crate) mod compare;
pub(crate) mod debounce;
pub(crate) mod diagram;
pub(crate) mod instruments;
pub(crate) mod levels;
pub(crate) mod live;
pub(crate) mod more;
pub(crate) mod overview;
pub(crate) mod polling;
pub(crate) mod report;
pub(crate) mod run;
pub(crate) mod survey;
pub(crate) mod verdict;
pub(crate) mod verify;
pub(crate) mod why;
#[cfg(feature = "nats")]
pub(crate) mod work;
