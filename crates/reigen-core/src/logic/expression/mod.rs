//! Expressions in the structured-text syntax of IEC 61131-3: tokens, tree, types.
//!
//! `run AND NOT guard.fault` is read into [`Expression`]; every part knows its place in the source.

mod parse;
#[cfg(test)]
mod tests;
mod token;
mod types;

pub use parse::parse;
pub use types::{Type, check};

use std::fmt;
use std::ops::Range;
use thiserror::Error;

/// A place in the text: byte offsets.
pub type Span = Range<usize>;

/// An expression, or a part of one, with its place in the source.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Expression {
    /// What it is.
    pub node: Node,
    /// Where it stands, in bytes from the start of the expression.
    pub span: Span,
}

/// What an expression is made of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Node {
    /// `TRUE` or `FALSE`.
    Literal(bool),
    /// A point, or a field of one.
    Name(Reference),
    /// `NOT operand`.
    Not(Box<Expression>),
    /// `left operator right`.
    Binary(Operator, Box<Expression>, Box<Expression>),
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

/// Operators between two operands; later ones bind more tightly (IEC 61131-3, table 52).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Operator {
    /// True where at least one operand is.
    Or,
    /// True where the operands differ.
    Xor,
    /// True where both operands are; also written `&`.
    And,
}

impl Operator {
    /// The operator as it is written.
    pub fn word(self) -> &'static str {
        match self {
            Operator::Or => "OR",
            Operator::Xor => "XOR",
            Operator::And => "AND",
        }
    }

    /// Applies it.
    pub fn apply(self, left: bool, right: bool) -> bool {
        match self {
            Operator::Or => left | right,
            Operator::Xor => left ^ right,
            Operator::And => left & right,
        }
    }
}

/// Prints the expression with the parentheses that it needs.
impl fmt::Display for Expression {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.node {
            Node::Literal(true) => write!(formatter, "TRUE"),
            Node::Literal(false) => write!(formatter, "FALSE"),
            Node::Name(name) => write!(formatter, "{name}"),
            Node::Not(operand) if matches!(operand.node, Node::Binary(..)) => write!(formatter, "NOT ({operand})"),
            Node::Not(operand) => write!(formatter, "NOT {operand}"),
            Node::Binary(operator, left, right) => {
                // Operators of one rank are read from the left, so a right operand of the same rank is wrapped.
                let wrap = |side: &Expression, same: bool| match side.node {
                    Node::Binary(inner, ..) if inner < *operator || (same && inner == *operator) => format!("({side})"),
                    _ => side.to_string(),
                };
                write!(formatter, "{} {} {}", wrap(left, false), operator.word(), wrap(right, true))
            }
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

    /// All names in it, in order, with their places.
    pub fn names(&self) -> Vec<(&Reference, Span)> {
        match &self.node {
            Node::Literal(_) => Vec::new(),
            Node::Name(name) => vec![(name, self.span.clone())],
            Node::Not(operand) => operand.names(),
            Node::Binary(_, left, right) => [left.names(), right.names()].concat(),
        }
    }

    /// Its value, given that of each name.
    pub fn value(&self, of: &impl Fn(&Reference) -> bool) -> bool {
        match &self.node {
            Node::Literal(value) => *value,
            Node::Name(name) => of(name),
            Node::Not(operand) => !operand.value(of),
            Node::Binary(operator, left, right) => operator.apply(left.value(of), right.value(of)),
        }
    }
}

/// Why an expression could not be read; the place is in bytes from its start.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("{kind}")]
pub struct ExpressionError {
    /// What is wrong.
    pub kind: ExpressionErrorKind,
    /// Where.
    pub span: Span,
}

/// What can be wrong with an expression.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum ExpressionErrorKind {
    /// A character that begins nothing.
    #[error("`{0}` does not belong in an expression")]
    StrangeCharacter(char),
    /// The end came where an operand was wanted.
    #[error("the expression is not finished: a point's name is wanted here")]
    Unfinished,
    /// Something else stood where an operand was wanted.
    #[error("a point's name is wanted here, not `{0}`")]
    NoOperand(String),
    /// Something else stood where an operator was wanted.
    #[error("an operator (AND, OR, XOR) is wanted before `{0}`")]
    NoOperator(String),
    /// An opening parenthesis without its partner.
    #[error("this parenthesis is never closed")]
    Unclosed,
    /// A closing parenthesis without its partner.
    #[error("this parenthesis closes nothing")]
    NeverOpened,
    /// More parentheses and NOTs within each other than anyone needs.
    #[error("more than {0} levels of parentheses or NOT")]
    TooDeep(usize),
    /// No point of that name.
    #[error("there is no point `{0}`")]
    UnknownPoint(String, Option<String>),
    /// The point has no such field.
    #[error("`{point}` is {kind} and has no field `.{field}`")]
    UnknownField {
        /// The point.
        point: String,
        /// Its kind, with an article.
        kind: String,
        /// The field as written.
        field: String,
        /// The fields that there are.
        known: Vec<&'static str>,
    },
    /// A number where a bit is wanted.
    #[error("`{0}` is a number, and a bit is wanted here")]
    NumberForBit(Reference),
}

impl ExpressionErrorKind {
    /// What to do about it.
    pub fn help(&self) -> Option<String> {
        match self {
            Self::UnknownPoint(_, Some(near)) => Some(format!("did you mean `{near}`?")),
            Self::UnknownField { known, .. } if known.is_empty() => Some("use the point's name alone".to_owned()),
            Self::UnknownField { known, .. } => Some(format!("its fields are {}", crate::names::list(known))),
            Self::NumberForBit(name) if name.field != "done" => {
                Some("a counter's bit is `.done`: true from the last preset on".to_owned())
            }
            Self::StrangeCharacter('!') => Some("write NOT in place of `!`".to_owned()),
            Self::StrangeCharacter('|') => Some("write OR in place of `|`".to_owned()),
            _ => None,
        }
    }
}
