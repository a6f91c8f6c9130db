//! Logic over points: expressions in the structured-text syntax of IEC 61131-3, and what they drive.

pub mod evaluate;
pub mod expression;
pub mod output;
pub mod table;
