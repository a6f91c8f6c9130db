//! What can be wrong with an expression, and where.

use super::{Function, Span, Type};
use crate::names::{list, nearest};
use thiserror::Error;

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
    /// An operator of another language.
    #[error("`{0}` is not an operator here")]
    Foreign(String),
    /// A number that cannot be read.
    #[error("`{0}` is not a number")]
    BadNumber(String),
    /// A literal with a base or a type before it that cannot be read.
    #[error("`{0}` is not a value")]
    BadLiteral(String),
    /// The end came where an operand was wanted.
    #[error("the expression is not finished: a point or a number must follow")]
    Unfinished,
    /// Something else stood where an operand was wanted.
    #[error("expected a point or a number, found `{0}`")]
    NoOperand(String),
    /// Something else stood where an operator was wanted.
    #[error("an operator is missing before `{0}`: AND, OR, XOR, a comparison, + - * /")]
    NoOperator(String),
    /// An opening parenthesis without its partner.
    #[error("this parenthesis is never closed")]
    Unclosed,
    /// A closing parenthesis without its partner.
    #[error("this parenthesis has no opening one")]
    NeverOpened,
    /// More parentheses and NOTs within each other than anyone needs.
    #[error("more than {0} levels of parentheses, NOT or minus")]
    TooDeep(usize),
    /// More operators than anyone reads.
    #[error("more than {0} operators in one expression")]
    TooLong(usize),
    /// No function of that name.
    #[error("unknown function `{0}`")]
    UnknownFunction(String),
    /// A function with too few or too many arguments.
    #[error("`{}` takes {}, not {given}", .function.word(), arguments(*.function))]
    Arguments {
        /// The function.
        function: Function,
        /// How many were given.
        given: usize,
    },
    /// No point of that name.
    #[error("unknown point `{0}`")]
    UnknownPoint(String, Option<String>),
    /// The point has no such field.
    #[error("`{point}` is {kind} {}", missing(.field))]
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
    #[error("`{0}` is a number, but a bit is needed here")]
    NumberForBit(String),
    /// A real number where a whole one is wanted.
    #[error("`{0}` is a real number, but a whole number is needed here")]
    RealForWhole(String),
    /// A bit where a number is wanted.
    #[error("`{0}` is a bit, but a number is needed here")]
    BitForNumber(String),
    /// Operands that an operator cannot join.
    #[error(
        "`{operator}` cannot join `{}`, which is {}, and `{}`, which is {}",
        .left.0, .left.1.words(), .right.0, .right.1.words()
    )]
    Mixed {
        /// The operator.
        operator: &'static str,
        /// The left operand, and its type.
        left: (String, Type),
        /// The right operand, and its type.
        right: (String, Type),
    },
}

/// What is written in place of an operator of another language.
fn foreign(word: &str) -> &'static str {
    match word {
        "==" => "write = in place of `==`",
        "!=" => "write <> in place of `!=`",
        "&&" => "write AND in place of `&&`",
        "||" => "write OR in place of `||`",
        ":=" => "nothing is assigned here: the name of the table is that of the result; `=` compares",
        "=>" => "write >= for \"at least\"; nothing is assigned here",
        _ => "multiply or divide by a power of two instead",
    }
}

/// What a point does not have: a field, or a value of its own.
fn missing(field: &str) -> String {
    match field {
        "" => "and has no value of its own".to_owned(),
        field => format!("and has no field `.{field}`"),
    }
}

/// A point's name made of a line's.
fn as_point_name(line: &str) -> String {
    let small = line.rsplit('.').next().unwrap_or(line).to_ascii_lowercase();
    let fits = |letter: char| letter.is_ascii_alphanumeric() || letter == '_';
    let name: String = small.chars().map(|letter| if fits(letter) { letter } else { '_' }).collect();
    if crate::names::is_point_name(&name) { name } else { format!("line_{name}") }
}

/// `1 argument`, `3 arguments`, `2 or more arguments`.
fn arguments(function: Function) -> String {
    match function.arguments() {
        (1, 1) => "1 argument".to_owned(),
        (least, most) if least == most => format!("{least} arguments"),
        (least, most) => format!("{least} to {most} arguments"),
    }
}

impl ExpressionErrorKind {
    /// What to do about it.
    pub fn help(&self) -> Option<String> {
        match self {
            Self::UnknownPoint(_, Some(near)) => Some(format!("did you mean `{near}`?")),
            Self::UnknownField { known, field, .. } if known.is_empty() => Some(match field.as_str() {
                "" => "name the point that it is about".to_owned(),
                _ => "use the point's name alone".to_owned(),
            }),
            Self::UnknownField { known, .. } => Some(format!("its fields are {}", list(known))),
            Self::RealForWhole(number) => Some(format!("TRUNC({number}) or ROUND({number}) makes it whole")),
            Self::BadLiteral(_) => Some("such as 16#FF, 2#1010, T#2s500ms, BOOL#1, INT#-5 or REAL#2.5".to_owned()),
            Self::UnknownFunction(name) => {
                let words: Vec<&str> = Function::words().collect();
                Some(match nearest(name, words.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!("there are {}", list(&words)),
                })
            }
            Self::NumberForBit(name) if !name.contains('.') => {
                Some("compare it (`> 10`), or take a counter's bit, `.done`: true from the last preset on".to_owned())
            }
            Self::Mixed { operator: "MOD", .. } => Some("MOD needs whole numbers".to_owned()),
            Self::Mixed { .. } => {
                Some("compare the number first, or make a number of the bit: SEL(bit, 0, 1)".to_owned())
            }
            Self::BitForNumber(_) => Some("SEL(bit, 0, 1) makes a number of a bit".to_owned()),
            Self::Foreign(word) => Some(foreign(word).to_owned()),
            Self::UnknownPoint(name, None) if name.chars().any(|letter| letter.is_ascii_uppercase()) => Some(format!(
                "expressions read points, and `{name}` looks like a line: add [input.{0}] with line = \"{name}\", and write {0} here",
                as_point_name(name)
            )),
            Self::StrangeCharacter('!') => Some("write NOT in place of `!`".to_owned()),
            Self::StrangeCharacter('|') => Some("write OR in place of `|`".to_owned()),
            Self::StrangeCharacter('%') => Some("write MOD in place of `%`".to_owned()),
            _ => None,
        }
    }
}
