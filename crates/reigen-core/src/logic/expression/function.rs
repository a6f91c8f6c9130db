//! The standard functions of IEC 61131-3 that expressions may call.

use super::{Type, Value};
use crate::cast;

/// A function.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Function {
    /// The greatest of its arguments.
    Max,
    /// The least of its arguments.
    Min,
    /// `LIMIT(least, value, greatest)`.
    Limit,
    /// `SEL(bit, where off, where on)`.
    Sel,
    /// `MUX(number, first, second, …)`: the one of that number, counted from 0.
    Mux,
    /// Without its fraction.
    Trunc,
    /// The nearest whole number, halves away from 0.
    Round,
    /// Without its sign.
    Abs,
    /// Square root.
    Sqrt,
    /// Logarithm to the base e.
    Ln,
    /// Logarithm to the base 10.
    Log,
    /// e to a power.
    Exp,
    /// Sine of radians.
    Sin,
    /// Cosine of radians.
    Cos,
    /// Tangent of radians.
    Tan,
    /// Arc sine in radians.
    Asin,
    /// Arc cosine in radians.
    Acos,
    /// Arc tangent in radians.
    Atan,
}

/// All functions, their names, and the least and most arguments.
const FUNCTIONS: [(Function, &str, usize, usize); 18] = [
    (Function::Max, "MAX", 2, 16),
    (Function::Min, "MIN", 2, 16),
    (Function::Limit, "LIMIT", 3, 3),
    (Function::Sel, "SEL", 3, 3),
    (Function::Mux, "MUX", 3, 17),
    (Function::Trunc, "TRUNC", 1, 1),
    (Function::Round, "ROUND", 1, 1),
    (Function::Abs, "ABS", 1, 1),
    (Function::Sqrt, "SQRT", 1, 1),
    (Function::Ln, "LN", 1, 1),
    (Function::Log, "LOG", 1, 1),
    (Function::Exp, "EXP", 1, 1),
    (Function::Sin, "SIN", 1, 1),
    (Function::Cos, "COS", 1, 1),
    (Function::Tan, "TAN", 1, 1),
    (Function::Asin, "ASIN", 1, 1),
    (Function::Acos, "ACOS", 1, 1),
    (Function::Atan, "ATAN", 1, 1),
];

impl Function {
    /// The function of a name, in either case.
    pub fn of(name: &str) -> Option<Self> {
        FUNCTIONS.iter().find(|(_, known, ..)| known.eq_ignore_ascii_case(name)).map(|(function, ..)| *function)
    }

    /// Its name.
    pub fn word(self) -> &'static str {
        FUNCTIONS.iter().find(|(function, ..)| *function == self).map_or("", |(_, name, ..)| name)
    }

    /// All names.
    pub fn words() -> impl Iterator<Item = &'static str> {
        FUNCTIONS.iter().map(|(_, name, ..)| *name)
    }

    /// The least and most arguments that it takes.
    pub fn arguments(self) -> (usize, usize) {
        FUNCTIONS.iter().find(|(function, ..)| *function == self).map_or((0, 0), |(.., least, most)| (*least, *most))
    }

    /// The type of its result, for arguments that fit: numbers, but for the first of `SEL`.
    pub fn result(self, arguments: &[Type]) -> Type {
        let selects = matches!(self, Function::Sel | Function::Mux);
        let numbers = if selects { arguments.get(1..).unwrap_or_default() } else { arguments };
        match self {
            Function::Trunc | Function::Round => Type::Integer,
            Function::Max | Function::Min | Function::Limit | Function::Sel | Function::Mux | Function::Abs => {
                if numbers.contains(&Type::Real) {
                    Type::Real
                } else {
                    numbers.first().copied().unwrap_or(Type::Real)
                }
            }
            _ => Type::Real,
        }
    }

    /// Applies it; `None` where the arguments do not fit or there is no result (the root of a negative number).
    pub fn apply(self, arguments: &[Value]) -> Option<Value> {
        let real = |of: fn(f64) -> f64| Value::real(of(arguments.first()?.as_real()?));
        match self {
            Function::Max => chosen(arguments, |one, other| one >= other),
            Function::Min => chosen(arguments, |one, other| one <= other),
            Function::Limit => {
                let [least, value, most] = arguments else { return None };
                let raised = chosen(&[*least, *value], |one, other| one >= other)?;
                chosen(&[raised, *most], |one, other| one <= other)
            }
            Function::Sel => {
                let [bit, off, on] = arguments else { return None };
                let kept = if bit.as_bit()? { on } else { off };
                let real = [off, on].iter().any(|value| matches!(value, Value::Real(_)));
                if real { Value::real(kept.as_real()?) } else { Some(*kept) }
            }
            Function::Mux => {
                let [Value::Integer(number), choices @ ..] = arguments else { return None };
                let chosen = choices.get(usize::try_from(*number).ok()?)?;
                let real = choices.iter().any(|value| matches!(value, Value::Real(_)));
                if real { Value::real(chosen.as_real()?) } else { Some(*chosen) }
            }
            Function::Trunc => whole(arguments, f64::trunc),
            Function::Round => whole(arguments, f64::round),
            Function::Abs => match arguments.first()? {
                Value::Integer(number) => number.checked_abs().map(Value::Integer),
                other => Value::real(other.as_real()?.abs()),
            },
            Function::Sqrt => real(libm::sqrt),
            Function::Ln => real(libm::log),
            Function::Log => real(libm::log10),
            Function::Exp => real(libm::exp),
            Function::Sin => real(libm::sin),
            Function::Cos => real(libm::cos),
            Function::Tan => real(libm::tan),
            Function::Asin => real(libm::asin),
            Function::Acos => real(libm::acos),
            Function::Atan => real(libm::atan),
        }
    }
}

/// A number made whole; `None` where no whole number holds it.
fn whole(arguments: &[Value], of: fn(f64) -> f64) -> Option<Value> {
    match arguments.first()? {
        Value::Real(number) => cast::whole_i64(of(*number)).map(Value::Integer),
        Value::Integer(number) => Some(Value::Integer(*number)),
        Value::Bit(_) => None,
    }
}

/// The argument that stands the test against all others; real where one of them is.
fn chosen(arguments: &[Value], keeps: fn(f64, f64) -> bool) -> Option<Value> {
    let integers: Option<Vec<i64>> =
        arguments.iter().map(|value| if let Value::Integer(number) = value { Some(*number) } else { None }).collect();
    if let Some(integers) = integers {
        // Compared as whole numbers: large ones are not all real ones.
        let greatest = keeps(1.0, 0.0);
        let found = if greatest { integers.iter().max() } else { integers.iter().min() };
        return found.map(|number| Value::Integer(*number));
    }
    let mut best = arguments.first()?.as_real()?;
    for value in arguments.iter().skip(1) {
        let value = value.as_real()?;
        best = if keeps(best, value) { best } else { value };
    }
    Value::real(best)
}
