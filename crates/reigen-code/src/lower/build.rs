//! Values and statements put together; what is settled by constants is settled here.

use crate::model::{Statement, Value, VariableId};
use reigen_core::logic::expression::{Operator, Value as Literal};

/// A variable takes a value.
pub(crate) fn set(id: VariableId, value: Value) -> Statement {
    Statement::Set(id, value)
}

/// Done where a condition holds.
pub(crate) fn when(condition: Value, body: Vec<Statement>) -> Statement {
    Statement::If(vec![(condition, body)], Vec::new())
}

/// Done where a condition holds, and else something other.
pub(crate) fn either(condition: Value, body: Vec<Statement>, otherwise: Vec<Statement>) -> Statement {
    Statement::If(vec![(condition, body)], otherwise)
}

/// An operation; a comparison that is settled is settled here.
pub(crate) fn binary(operator: Operator, left: Value, right: Value) -> Value {
    let literal = |value: &Value| match value {
        Value::Bit(bit) => Some(Literal::Bit(*bit)),
        Value::Whole(whole) => Some(Literal::Integer(*whole)),
        Value::Real(real) => Some(Literal::Real(*real)),
        _ => None,
    };
    if operator.is_comparison() || operator == Operator::Xor {
        if left == right {
            return Value::Bit(matches!(operator, Operator::Equal | Operator::AtMost | Operator::AtLeast));
        }
        let both = literal(&left).zip(literal(&right));
        if let Some(Literal::Bit(bit)) = both.and_then(|(left, right)| operator.apply(left, right)) {
            return Value::Bit(bit);
        }
    }
    Value::Binary(operator, Box::new(left), Box::new(right))
}

/// Both; what is settled by a constant is settled here.
pub(crate) fn and(one: Value, other: Value) -> Value {
    match (one, other) {
        (Value::Bit(true), value) | (value, Value::Bit(true)) => value,
        (Value::Bit(false), _) | (_, Value::Bit(false)) => Value::Bit(false),
        (one, other) if one == other => one,
        (one, other) => binary(Operator::And, one, other),
    }
}

/// Either.
pub(crate) fn or(one: Value, other: Value) -> Value {
    match (one, other) {
        (Value::Bit(false), value) | (value, Value::Bit(false)) => value,
        (Value::Bit(true), _) | (_, Value::Bit(true)) => Value::Bit(true),
        (one, other) if one == other => one,
        (one, other) => binary(Operator::Or, one, other),
    }
}

/// The other level.
pub(crate) fn not(value: Value) -> Value {
    match value {
        Value::Bit(bit) => Value::Bit(!bit),
        Value::Not(of) => *of,
        value => Value::Not(Box::new(value)),
    }
}

/// What a variable holds.
pub(crate) fn of(id: VariableId) -> Value {
    Value::Variable(id)
}

/// Time goes on by the step of the scan.
pub(crate) fn pass_time(id: VariableId) -> Statement {
    set(id, binary(Operator::Plus, of(id), Value::Step))
}

/// Whether a time has been reached.
pub(crate) fn reached(passed: VariableId, time: Value) -> Value {
    binary(Operator::AtLeast, of(passed), time)
}
