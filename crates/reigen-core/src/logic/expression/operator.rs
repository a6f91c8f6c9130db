//! Operators between two operands, with their rank.

use super::{Type, Value};
use std::cmp::Ordering;

/// Operators between two operands; later ones bind more tightly (IEC 61131-3, third edition, table 71).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Operator {
    /// True where at least one operand is.
    Or,
    /// True where the operands differ.
    Xor,
    /// True where both operands are; also written `&`.
    And,
    /// `=`
    Equal,
    /// `<>`
    NotEqual,
    /// `<`
    Less,
    /// `>`
    Greater,
    /// `<=`
    AtMost,
    /// `>=`
    AtLeast,
    /// `+`
    Plus,
    /// `-`
    Minus,
    /// `*`
    Times,
    /// `/`; of whole numbers the whole part of the quotient.
    Over,
    /// What a division of whole numbers leaves over, with the sign of the left operand.
    Mod,
    /// `**`; always real.
    Power,
}

/// The ranks: how tightly operators bind.
pub(super) const RANKS: u8 = 8;

/// All operators and how they are written.
const WORDS: [(Operator, &str, u8); 15] = [
    (Operator::Or, "OR", 0),
    (Operator::Xor, "XOR", 1),
    (Operator::And, "AND", 2),
    (Operator::Equal, "=", 3),
    (Operator::NotEqual, "<>", 3),
    (Operator::Less, "<", 4),
    (Operator::Greater, ">", 4),
    (Operator::AtMost, "<=", 4),
    (Operator::AtLeast, ">=", 4),
    (Operator::Plus, "+", 5),
    (Operator::Minus, "-", 5),
    (Operator::Times, "*", 6),
    (Operator::Over, "/", 6),
    (Operator::Mod, "MOD", 6),
    (Operator::Power, "**", 7),
];

impl Operator {
    /// The comparison that holds with the operands the other way round.
    pub fn mirrored(self) -> Self {
        match self {
            Self::Less => Self::Greater,
            Self::Greater => Self::Less,
            Self::AtMost => Self::AtLeast,
            Self::AtLeast => Self::AtMost,
            other => other,
        }
    }

    /// The operator of a word or sign, in upper case.
    pub(super) fn of(word: &str) -> Option<Self> {
        if word == "&" {
            return Some(Operator::And);
        }
        WORDS.iter().find(|(_, known, _)| *known == word).map(|(operator, ..)| *operator)
    }

    /// The operator as it is written.
    pub fn word(self) -> &'static str {
        WORDS.iter().find(|(operator, ..)| *operator == self).map_or("", |(_, word, _)| word)
    }

    /// How tightly it binds.
    pub(super) fn rank(self) -> u8 {
        WORDS.iter().find(|(operator, ..)| *operator == self).map_or(0, |(.., rank)| *rank)
    }

    /// Whether it joins bits.
    pub fn is_logic(self) -> bool {
        matches!(self, Operator::Or | Operator::Xor | Operator::And)
    }

    /// Whether it compares.
    pub fn is_comparison(self) -> bool {
        (3..=4).contains(&self.rank())
    }

    /// The type of its result, for operands of these types; `None` where they do not fit.
    pub fn result(self, left: Type, right: Type) -> Option<Type> {
        let both_bits = left == Type::Bit && right == Type::Bit;
        let numbers = left != Type::Bit && right != Type::Bit;
        let integers = left == Type::Integer && right == Type::Integer;
        match self {
            Operator::Or | Operator::Xor | Operator::And => both_bits.then_some(Type::Bit),
            Operator::Equal | Operator::NotEqual => (both_bits || numbers).then_some(Type::Bit),
            _ if self.is_comparison() => numbers.then_some(Type::Bit),
            Operator::Mod => integers.then_some(Type::Integer),
            Operator::Power => numbers.then_some(Type::Real),
            _ if integers => Some(Type::Integer),
            _ => numbers.then_some(Type::Real),
        }
    }

    /// Applies it; `None` where the operands do not fit, or there is no result (a division by zero, a number
    /// beyond all bounds).
    #[inline]
    pub fn apply(self, left: Value, right: Value) -> Option<Value> {
        match (left, right) {
            (Value::Bit(left), Value::Bit(right)) => self.join(left, right),
            (Value::Integer(left), Value::Integer(right)) if self != Operator::Power => self.integers(left, right),
            _ => self.reals(left.as_real()?, right.as_real()?),
        }
    }

    fn join(self, left: bool, right: bool) -> Option<Value> {
        Some(Value::Bit(match self {
            Operator::Or => left | right,
            Operator::Xor | Operator::NotEqual => left ^ right,
            Operator::And => left & right,
            Operator::Equal => left == right,
            _ => return None,
        }))
    }

    fn compare(self, order: Ordering) -> Option<Value> {
        Some(Value::Bit(match self {
            Operator::Equal => order.is_eq(),
            Operator::NotEqual => order.is_ne(),
            Operator::Less => order.is_lt(),
            Operator::Greater => order.is_gt(),
            Operator::AtMost => order.is_le(),
            Operator::AtLeast => order.is_ge(),
            _ => return None,
        }))
    }

    fn integers(self, left: i64, right: i64) -> Option<Value> {
        match self {
            Operator::Plus => left.checked_add(right),
            Operator::Minus => left.checked_sub(right),
            Operator::Times => left.checked_mul(right),
            Operator::Over => left.checked_div(right),
            Operator::Mod => left.checked_rem(right),
            _ => return self.compare(left.cmp(&right)),
        }
        .map(Value::Integer)
    }

    fn reals(self, left: f64, right: f64) -> Option<Value> {
        Value::real(match self {
            Operator::Plus => left + right,
            Operator::Minus => left - right,
            Operator::Times => left * right,
            Operator::Over => left / right,
            Operator::Power => libm::pow(left, right),
            _ => return self.compare(left.partial_cmp(&right)?),
        })
    }
}
