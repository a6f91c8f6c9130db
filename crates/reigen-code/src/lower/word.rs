//! Words: numbers made of bits.

use super::build::{and, binary, not, of, or, set, when};
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Kind, Statement, Value};
use reigen_core::block::BitSource;
use reigen_core::expand::word::Code;
use reigen_core::logic::expression::Operator;

/// Makes a number of bits, the lowest first.
pub(crate) fn word(scope: &mut Scope, code: Code, sources: &[BitSource]) -> Result<Made, Refusal> {
    let bits: Vec<Signal> = sources.iter().map(|source| scope.signal(*source)).collect::<Result<_, _>>()?;
    let length = scope.length();
    let begin = scope.begin(bits.iter().map(|bit| bit.known.clone()));
    let levels: Vec<Value> = bits.into_iter().map(|bit| bit.level).collect();
    let (most, weights): (i128, Vec<i64>) = match code {
        Code::Digits => {
            let weights = (0..levels.len())
                .map(|bit| 10i64.saturating_pow((bit / 4).try_into().unwrap_or(u32::MAX)) << (bit % 4));
            (10i128.pow(levels.len().div_ceil(4).try_into().unwrap_or(19)) - 1, weights.collect())
        }
        Code::Binary | Code::Reflected => (
            (1i128 << levels.len().min(64)) - 1,
            (0..levels.len()).map(|bit| 1i64.checked_shl(bit.try_into().unwrap_or(64)).unwrap_or(0)).collect(),
        ),
    };
    if most > i128::from(i64::MAX) {
        return Err(Refusal::from("a word of more than 63 bits"));
    }
    let kind = Kind::of_range((0, most));
    let value = scope.result(kind, "value");
    // Of the reflected code each bit is the one above it, the other way round where its own is on.
    let levels = if code == Code::Reflected { reflected(scope, &levels) } else { levels };
    let valued = |(level, weight): (&Value, &i64)| match weight {
        1 => Value::Digit(Box::new(level.clone())),
        weight => {
            let digit = Value::Digit(Box::new(level.clone()));
            let digit = if kind == Kind::Wide { Value::Widened(Box::new(digit)) } else { digit };
            binary(Operator::Times, digit, Value::Whole(*weight))
        }
    };
    let sum = levels.iter().zip(&weights).map(valued).reduce(|one, other| binary(Operator::Plus, one, other));
    let sum = sum.unwrap_or(Value::Whole(0));
    let invalid = match code {
        Code::Digits => levels.chunks(4).map(above_nine).fold(Value::Bit(false), or),
        Code::Binary | Code::Reflected => Value::Bit(false),
    };
    let (level, known) = match &invalid {
        Value::Bit(_) => {
            scope.set(value, sum);
            (Value::Bit(false), begin.known())
        }
        _ => {
            let bit = scope.state("invalid", Kind::Bit, "whether a digit is above 9");
            let has = scope.state("known", Kind::Bit, "whether there is a number yet");
            scope.set(bit, invalid);
            scope.add(when(not(of(bit)), vec![set(value, sum), set(has, Value::Bit(true))]));
            (of(bit), Some(of(has)))
        }
    };
    scope.end(&begin, length);
    Ok(Made {
        bits: vec![Ok(Signal { level, known: begin.known(), twice: None, between: None })],
        counts: vec![Ok(Number::whole(of(value), known, (0, most)))],
        ..Made::default()
    })
}

/// Whether four bits are more than nine.
fn above_nine(digit: &[Value]) -> Value {
    match digit {
        [_, two, four, eight] => and(eight.clone(), or(two.clone(), four.clone())),
        _ => Value::Bit(false),
    }
}

fn reflected(scope: &mut Scope, levels: &[Value]) -> Vec<Value> {
    let mut above: Option<Value> = None;
    let mut plain = Vec::new();
    for (number, level) in levels.iter().enumerate().rev() {
        let bit = match &above {
            None => level.clone(),
            Some(above) => {
                let local = scope.local(&format!("bit_{number}"), Kind::Bit);
                scope.add(Statement::Set(local, binary(Operator::NotEqual, level.clone(), above.clone())));
                of(local)
            }
        };
        above = Some(bit.clone());
        plain.push(bit);
    }
    plain.reverse();
    plain
}
