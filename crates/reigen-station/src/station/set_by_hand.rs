//! Outputs that somebody sets by hand: on, off, or let go again.
//!
//! What was set is a line of numbers like any other, `set.NAME`. So a recording has it, and a station that is worked over that
//! recording does the same again.

use super::Point;
use crate::table::LineName;
use crate::table::branch::BranchBuilder;
use reigen_core::analog::threshold::Levels;
use reigen_core::block::BitSource;
use reigen_core::logic::apply::Operand;
use reigen_core::logic::expression::{Expression, Function, Node, Reference};
use reigen_core::program::Operation;

/// What the line of an output says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SetByHand {
    /// It is on, whatever the station says.
    On,
    /// It is off.
    Off,
    /// It is what the station says.
    LetGo,
}

impl SetByHand {
    /// The number on the line.
    pub fn number(self) -> f64 {
        match self {
            Self::On => 1.0,
            Self::Off => 0.0,
            Self::LetGo => -1.0,
        }
    }
}

/// The line of an output.
pub fn set_line(point: &str) -> String {
    format!("set.{point}")
}

/// The line of a point, where that is an output.
pub(super) fn line_of(point: &Point) -> Option<LineName> {
    point.kind.is_settable().then(|| LineName { name: set_line(&point.name), span: point.span.clone() })
}

/// The operation, or what the output is set to where there is a line for that.
pub(super) fn unless_set(point: &Point, operation: Operation, builder: &mut BranchBuilder<'_>) -> Operation {
    let Some(line) = line_of(point).filter(|line| builder.has_number_line(line)) else { return operation };
    let of = Operand::Number(builder.number_line(&line));
    let worked = builder.inner(operation);
    let mut above = |level: f64| {
        let levels = Levels { above: level, below: level, inverted: false };
        builder.inner(Operation::Threshold { levels, of })
    };
    let (is_set, on) = (above(-0.5), above(0.5));
    select(is_set, worked, on)
}

/// SEL of IEC 61131-3: the second where the first is on, else the one between.
fn select(choice: BitSource, off: BitSource, on: BitSource) -> Operation {
    let sources = [("#0", choice), ("#1", off), ("#2", on)];
    let name = |name: &str| Reference { point: name.to_owned(), field: String::new() };
    let arguments = sources.iter().map(|(of, _)| Expression { node: Node::Name(name(of)), span: 0..0 });
    let expression = Expression { node: Node::Call(Function::Sel, arguments.collect()), span: 0..0 };
    Operation::Logic { expression, sources: sources.iter().map(|(of, source)| (name(of), *source)).collect() }
}
