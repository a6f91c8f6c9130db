//! Prints an expression with the parentheses that it needs.

use super::{Expression, Node};
use std::fmt;

/// A part that binds more loosely than its place wants stands in parentheses.
fn wrapped(part: &Expression, least: u8) -> String {
    match &part.node {
        Node::Binary(operator, ..) if operator.rank() < least => format!("({part})"),
        _ => part.to_string(),
    }
}

/// The operand of NOT or minus, which bind more tightly than all operators between two.
fn operand(part: &Expression) -> String {
    match &part.node {
        Node::Binary(..) => format!("({part})"),
        // Two signs in a row would read as one.
        Node::Minus(_) => format!("({part})"),
        Node::Literal(super::Value::Integer(number)) if *number < 0 => format!("({part})"),
        Node::Literal(super::Value::Real(number)) if number.is_sign_negative() => format!("({part})"),
        _ => part.to_string(),
    }
}

impl fmt::Display for Expression {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.node {
            Node::Literal(value) => write!(formatter, "{value}"),
            Node::Name(name) => write!(formatter, "{name}"),
            Node::Not(part) => write!(formatter, "NOT {}", operand(part)),
            Node::Minus(part) => write!(formatter, "-{}", operand(part)),
            Node::Binary(operator, left, right) => {
                // Operators of one rank are read from the left, so a right operand of the same rank is wrapped.
                let rank = operator.rank();
                write!(formatter, "{} {} {}", wrapped(left, rank), operator.word(), wrapped(right, rank + 1))
            }
            Node::Call(function, arguments) => {
                let arguments: Vec<String> = arguments.iter().map(Expression::to_string).collect();
                write!(formatter, "{}({})", function.word(), arguments.join(", "))
            }
        }
    }
}
