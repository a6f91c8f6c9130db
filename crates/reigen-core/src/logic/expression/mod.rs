//! Expressions in the structured-text syntax of IEC 61131-3: tokens, tree, types.
//!
//! `run AND NOT guard.fault` is read into [`Expression`]; every part knows its place in the source.

mod error;
mod function;
mod literal;
mod operator;
mod parse;
mod print;
#[cfg(test)]
mod tests;
mod token;
mod types;
mod value;

pub use error::{ExpressionError, ExpressionErrorKind};
pub use function::Function;
pub use operator::Operator;
pub use parse::parse;
pub use types::{Type, type_of, wants};
pub use value::Value;

use std::fmt;
use std::ops::Range;

/// A place in the text: byte offsets.
pub type Span = Range<usize>;

/// An expression, or a part of one, with its place in the source.
#[derive(Debug, Clone, PartialEq)]
pub struct Expression {
    /// What it is.
    pub node: Node,
    /// Where it stands, in bytes from the start of the expression.
    pub span: Span,
}

/// What an expression is made of.
#[derive(Debug, Clone, PartialEq)]
pub enum Node {
    /// `TRUE`, `42`, `3.5`.
    Literal(Value),
    /// A point, or a field of one.
    Name(Reference),
    /// `NOT operand`.
    Not(Box<Expression>),
    /// `-operand`.
    Minus(Box<Expression>),
    /// `left operator right`.
    Binary(Operator, Box<Expression>, Box<Expression>),
    /// `FUNCTION(arguments)`.
    Call(Function, Vec<Expression>),
}

/// A point's name, or one of its fields: `spool_turns.done`.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Reference {
    /// The point.
    pub point: String,
    /// The field; empty for the point itself.
    pub field: String,
}

impl fmt::Display for Reference {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.field.as_str() {
            "" => write!(formatter, "{}", self.point),
            field => write!(formatter, "{}.{field}", self.point),
        }
    }
}

impl Expression {
    /// The name, where the expression is nothing but one.
    pub fn as_name(&self) -> Option<&Reference> {
        match &self.node {
            Node::Name(name) => Some(name),
            _ => None,
        }
    }

    /// Its parts, from the left.
    pub fn parts(&self) -> Vec<&Expression> {
        match &self.node {
            Node::Literal(_) | Node::Name(_) => Vec::new(),
            Node::Not(operand) | Node::Minus(operand) => vec![operand],
            Node::Binary(_, left, right) => vec![left, right],
            Node::Call(_, arguments) => arguments.iter().collect(),
        }
    }

    /// All names in it, in order, with their places.
    pub fn names(&self) -> Vec<(&Reference, Span)> {
        match &self.node {
            Node::Name(name) => vec![(name, self.span.clone())],
            _ => self.parts().into_iter().flat_map(Expression::names).collect(),
        }
    }

    /// Its value, given that of each name: the readable form. `None` where a name has none, or where a
    /// number cannot be worked out (a division by zero, the root of a negative number).
    pub fn value(&self, of: &impl Fn(&Reference) -> Option<Value>) -> Option<Value> {
        match &self.node {
            Node::Literal(value) => Some(*value),
            Node::Name(name) => of(name),
            Node::Not(operand) => Some(Value::Bit(!operand.value(of)?.as_bit()?)),
            Node::Minus(operand) => operand.value(of)?.negated(),
            Node::Binary(operator, left, right) => operator.apply(left.value(of)?, right.value(of)?),
            Node::Call(function, arguments) => {
                let values: Option<Vec<Value>> = arguments.iter().map(|argument| argument.value(of)).collect();
                function.apply(&values?)
            }
        }
    }
}
