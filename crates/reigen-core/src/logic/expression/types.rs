//! Types: a bit and a number cannot be mixed.

use super::{Expression, ExpressionError, ExpressionErrorKind, Function, Node, Reference};

/// The type of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Type {
    /// On or off.
    Bit,
    /// A whole number.
    Integer,
    /// A real number.
    Real,
}

impl Type {
    /// Its name with an article.
    pub fn words(self) -> &'static str {
        match self {
            Type::Bit => "a bit",
            Type::Integer => "a whole number",
            Type::Real => "a real number",
        }
    }
}

/// What each name is.
type Names<'a> = &'a dyn Fn(&Reference) -> Result<Type, ExpressionErrorKind>;

/// Checks that an expression is a bit, or a number; collects everything that is wrong.
pub fn wants(bit: bool, expression: &Expression, of: Names<'_>, errors: &mut Vec<ExpressionError>) {
    if let Some(found) = type_of(expression, of, errors)
        && (found == Type::Bit) != bit
    {
        let text = expression.to_string();
        let kind = if bit { ExpressionErrorKind::NumberForBit(text) } else { ExpressionErrorKind::BitForNumber(text) };
        errors.push(ExpressionError { kind, span: expression.span.clone() });
    }
}

/// The type of an expression; `None` where something in it is wrong, which is noted.
pub fn type_of(expression: &Expression, of: Names<'_>, errors: &mut Vec<ExpressionError>) -> Option<Type> {
    let before = errors.len();
    let found = match &expression.node {
        Node::Literal(value) => Some(value.value_type()),
        Node::Name(name) => match of(name) {
            Ok(found) => Some(found),
            Err(kind) => {
                errors.push(ExpressionError { kind, span: expression.span.clone() });
                None
            }
        },
        Node::Not(operand) => {
            wants(true, operand, of, errors);
            Some(Type::Bit)
        }
        Node::Minus(operand) => {
            wants(false, operand, of, errors);
            type_of(operand, of, &mut Vec::new())
        }
        Node::Binary(operator, left, right) if operator.is_logic() => {
            wants(true, left, of, errors);
            wants(true, right, of, errors);
            Some(Type::Bit)
        }
        Node::Binary(operator, left, right) => {
            let pair = (type_of(left, of, errors), type_of(right, of, errors));
            let (Some(left_type), Some(right_type)) = pair else { return None };
            let result = operator.result(left_type, right_type);
            if result.is_none() {
                let kind = ExpressionErrorKind::Mixed {
                    operator: operator.word(),
                    left: (left.to_string(), left_type),
                    right: (right.to_string(), right_type),
                };
                errors.push(ExpressionError { kind, span: expression.span.clone() });
            }
            result
        }
        Node::Call(function, arguments) => {
            for (number, argument) in arguments.iter().enumerate() {
                wants(*function == Function::Sel && number == 0, argument, of, errors);
            }
            let types: Option<Vec<Type>> =
                arguments.iter().map(|argument| type_of(argument, of, &mut Vec::new())).collect();
            if let (Function::Mux, Some([Type::Real, ..]), Some(first)) =
                (function, types.as_deref(), arguments.first())
            {
                let kind = ExpressionErrorKind::RealForWhole(first.to_string());
                errors.push(ExpressionError { kind, span: first.span.clone() });
            }
            types.map(|types| function.result(&types))
        }
    };
    found.filter(|_| errors.len() == before)
}
