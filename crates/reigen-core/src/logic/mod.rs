//! Logic over points: expressions in the structured-text syntax of IEC 61131-3, states, timers, and what they drive.

pub mod apply;
pub mod blink;
pub mod elapsed;
pub mod evaluate;
pub mod expect;
pub mod expect_after;
pub mod expression;
pub mod latch;
pub mod oneshot;
pub mod output;
pub mod pair;
#[cfg(test)]
mod tests;
pub mod timer;
