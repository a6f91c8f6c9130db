//! Types: a bit and a number cannot be mixed.

use super::{Expression, ExpressionError, ExpressionErrorKind, Node, Reference};

/// The type of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Type {
    /// On or off.
    Bit,
    /// A number.
    Number,
}

/// Checks that `expression` is a bit, given what each name is; collects everything that is wrong.
pub fn check(
    expression: &Expression,
    of: &impl Fn(&Reference) -> Result<Type, ExpressionErrorKind>,
    errors: &mut Vec<ExpressionError>,
) {
    match &expression.node {
        Node::Literal(_) => {}
        Node::Not(operand) => check(operand, of, errors),
        Node::Binary(_, left, right) => {
            check(left, of, errors);
            check(right, of, errors);
        }
        Node::Name(name) => {
            let kind = match of(name) {
                Ok(Type::Bit) => return,
                Ok(Type::Number) => ExpressionErrorKind::NumberForBit(name.clone()),
                Err(kind) => kind,
            };
            errors.push(ExpressionError { kind, span: expression.span.clone() });
        }
    }
}
