//! Expressions: over bits, operation by operation over numbers, and whole formulas.

use super::build::{and, binary, not, of, set, when};
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Kind, Range, Value};
use reigen_core::block::BitSource;
use reigen_core::logic::apply::{Operand, Operation};
use reigen_core::logic::expression::{Expression, Function, Node, Operator, Reference, Type, Value as Literal};
use reigen_core::program::ApplyResult;

/// An expression over bits.
pub(crate) fn logic(scope: &mut Scope, tree: &Expression, sources: &[(Reference, BitSource)]) -> Result<Made, Refusal> {
    let named: Vec<(&Reference, Signal)> =
        sources.iter().map(|(name, source)| Ok((name, scope.signal(*source)?))).collect::<Result<_, Refusal>>()?;
    let level =
        bits(tree, &|name| named.iter().find(|(known, _)| *known == name).map(|(_, signal)| signal.level.clone()));
    let level = level.ok_or_else(|| Refusal::from("it is no expression over bits"))?;
    let known = named.into_iter().filter_map(|(_, signal)| signal.known).reduce(and);
    let Some(known) = known else { return Ok(Made::bit(Signal::always(level))) };
    // Its value holds where it is not known, which never happens once it was.
    Ok(Made::bit(Signal { level, known: Some(known), twice: None, between: None }))
}

fn bits(tree: &Expression, of: &impl Fn(&Reference) -> Option<Value>) -> Option<Value> {
    Some(match &tree.node {
        Node::Literal(Literal::Bit(bit)) => Value::Bit(*bit),
        Node::Name(name) => of(name)?,
        Node::Not(operand) => not(bits(operand, of)?),
        Node::Binary(operator, left, right) => {
            let (left, right) = (bits(left, of)?, bits(right, of)?);
            match operator {
                Operator::And => and(left, right),
                Operator::Or => super::build::or(left, right),
                Operator::Xor | Operator::NotEqual => differ(left, right),
                Operator::Equal => not(differ(left, right)),
                _ => return None,
            }
        }
        Node::Call(Function::Sel, parts) => match parts.as_slice() {
            [bit, off, on] => {
                let bit = bits(bit, of)?;
                super::build::or(and(not(bit.clone()), bits(off, of)?), and(bit, bits(on, of)?))
            }
            _ => return None,
        },
        _ => return None,
    })
}

fn differ(left: Value, right: Value) -> Value {
    match (left, right) {
        (Value::Bit(bit), other) | (other, Value::Bit(bit)) => {
            if bit {
                not(other)
            } else {
                other
            }
        }
        (left, right) => binary(Operator::NotEqual, left, right),
    }
}

/// A value in the making, with what must hold so that it has a result.
#[derive(Debug, Clone)]
struct Worked {
    value: Value,
    kind: Type,
    range: Range,
    /// Conditions, each to be asked only where those before it hold.
    conditions: Vec<Value>,
    /// Where it is how many of some conditions hold, each of which implies those before it: these.
    bands: Vec<Value>,
}

impl Worked {
    fn literal(value: Literal) -> Self {
        let (made, kind, range) = match value {
            Literal::Bit(bit) => (Value::Bit(bit), Type::Bit, (0, 1)),
            Literal::Integer(whole) => (Value::Whole(whole), Type::Integer, (whole.into(), whole.into())),
            Literal::Real(real) => (Value::Real(real), Type::Real, (0, 0)),
        };
        Self { value: made, kind, range, conditions: Vec::new(), bands: Vec::new() }
    }

    /// The constant that it is, where it is one.
    fn constant(&self) -> Option<Literal> {
        match self.value {
            Value::Bit(bit) => Some(Literal::Bit(bit)),
            Value::Whole(whole) => Some(Literal::Integer(whole)),
            Value::Real(real) => Some(Literal::Real(real)),
            _ => None,
        }
    }

    /// The same as a number with a fraction.
    fn real(&self) -> Value {
        match (&self.value, self.kind) {
            (Value::Whole(whole), _) => Value::Real(*whole as f64),
            (value, Type::Real) => value.clone(),
            (value, _) => Value::AsReal(Box::new(value.clone())),
        }
    }
}

/// What an operand is, and whether it is known.
fn operand(scope: &Scope, operand: Operand) -> Result<(Worked, Option<Value>), Refusal> {
    Ok(match operand {
        Operand::Constant(value) => (Worked::literal(value), None),
        Operand::Bit(source) => {
            let signal = scope.signal(source)?;
            (
                Worked {
                    value: signal.level,
                    kind: Type::Bit,
                    range: (0, 1),
                    conditions: Vec::new(),
                    bands: Vec::new(),
                },
                signal.known,
            )
        }
        Operand::Number(source) => {
            let number = scope.number(source)?;
            let is_whole = matches!(source, reigen_core::block::NumberSource::Count(_));
            let kind = if is_whole { Type::Integer } else { Type::Real };
            let conditions = number.valid.into_iter().collect();
            (Worked { value: number.value, kind, range: number.range, conditions, bands: number.bands }, number.known)
        }
    })
}

/// One operation over numbers.
pub(crate) fn apply(
    scope: &mut Scope,
    operation: Operation,
    operands: &[Operand],
    result: ApplyResult,
) -> Result<Made, Refusal> {
    let operands: Vec<(Worked, Option<Value>)> =
        operands.iter().map(|part| operand(scope, *part)).collect::<Result<_, _>>()?;
    let known = operands.iter().filter_map(|(_, known)| known.clone()).reduce(and);
    let parts: Vec<Worked> = operands.into_iter().map(|(worked, _)| worked).collect();
    let worked = match operation {
        Operation::Operator(operator) => match parts.as_slice() {
            [left, right] => operator_of(scope, operator, left, right)?,
            _ => return Err(Refusal::from("an operator without two sides")),
        },
        Operation::Function(function) => call(scope, function, &parts)?,
        Operation::Minus => minus(&parts)?,
    };
    let is_bit = result == ApplyResult::Bit;
    if worked.conditions.is_empty() {
        return Ok(match (is_bit, result) {
            (true, _) => Made::bit(Signal { level: worked.value, known, twice: None, between: None }),
            (false, ApplyResult::Count) => {
                let number = Number::whole(worked.value, known, worked.range);
                Made { counts: vec![Ok(number)], ..Made::default() }
            }
            (false, _) => Made::reading(Number::real(worked.real(), known)),
        });
    }
    // Without a result it stays as it is.
    let kind = match result {
        ApplyResult::Bit => Kind::Bit,
        ApplyResult::Count => Kind::of_range(worked.range),
        ApplyResult::Reading => Kind::Real,
    };
    let value = if kind == Kind::Real { worked.real() } else { worked.value };
    let held = scope.state("result", kind, "the last result");
    let has = scope.state("has_result", Kind::Bit, "");
    let conditions = known.into_iter().chain(worked.conditions);
    let body = vec![set(held, value), set(has, Value::Bit(true))];
    let nested =
        conditions.collect::<Vec<_>>().into_iter().rev().fold(body, |body, condition| vec![when(condition, body)]);
    nested.into_iter().for_each(|statement| scope.add(statement));
    let known = Some(of(has));
    Ok(match result {
        ApplyResult::Bit => Made::bit(Signal { level: of(held), known, twice: None, between: None }),
        ApplyResult::Count => {
            Made { counts: vec![Ok(Number::whole(of(held), known, worked.range))], ..Made::default() }
        }
        ApplyResult::Reading => Made::reading(Number::real(of(held), known)),
    })
}

/// A formula over numbers, worked as one; it is no number where it has no result.
pub(crate) fn formula(
    scope: &mut Scope,
    tree: &Expression,
    names: &[Reference],
    operands: &[Operand],
) -> Result<Made, Refusal> {
    let parts: Vec<(Worked, Option<Value>)> =
        operands.iter().map(|part| operand(scope, *part)).collect::<Result<_, _>>()?;
    let known = parts.iter().filter_map(|(_, known)| known.clone()).reduce(and);
    let of_name = |name: &Reference| {
        names.iter().zip(&parts).find(|(known, _)| *known == name).map(|(_, (worked, _))| worked.clone())
    };
    let worked = tree_of(scope, tree, &of_name)?;
    let value = worked.real();
    if worked.conditions.is_empty() {
        return Ok(Made::reading(Number::real(value, known)));
    }
    let (made, valid) = (scope.local("worked", Kind::Real), scope.local("has_result", Kind::Bit));
    scope.set(made, Value::Real(0.0));
    scope.set(valid, Value::Bit(false));
    let body = vec![set(made, value), set(valid, Value::Bit(true))];
    let nested = worked.conditions.into_iter().rev().fold(body, |body, condition| vec![when(condition, body)]);
    nested.into_iter().for_each(|statement| scope.add(statement));
    let mut number = Number::real(of(made), known);
    number.valid = Some(of(valid));
    Ok(Made::reading(number))
}

fn tree_of(
    scope: &mut Scope,
    tree: &Expression,
    of_name: &impl Fn(&Reference) -> Option<Worked>,
) -> Result<Worked, Refusal> {
    match &tree.node {
        Node::Literal(value) => Ok(Worked::literal(*value)),
        Node::Name(name) => of_name(name).ok_or_else(|| Refusal::from("it names what is not there")),
        Node::Not(part) => {
            let worked = tree_of(scope, part, of_name)?;
            Ok(Worked { value: not(worked.value.clone()), ..worked })
        }
        Node::Minus(part) => minus(&[tree_of(scope, part, of_name)?]),
        Node::Binary(operator, left, right) => {
            let (left, right) = (tree_of(scope, left, of_name)?, tree_of(scope, right, of_name)?);
            operator_of(scope, *operator, &left, &right)
        }
        Node::Call(function, arguments) => {
            let parts: Vec<Worked> =
                arguments.iter().map(|part| tree_of(scope, part, of_name)).collect::<Result<_, _>>()?;
            call(scope, *function, &parts)
        }
    }
}

fn joined(parts: &[Worked]) -> Vec<Value> {
    parts.iter().flat_map(|part| part.conditions.clone()).collect()
}

fn minus(parts: &[Worked]) -> Result<Worked, Refusal> {
    let [part] = parts else { return Err(Refusal::from("a sign without a number")) };
    let value = match part.constant() {
        Some(literal) => return literal.negated().map(Worked::literal).ok_or_else(no_result),
        None => part.value.clone(),
    };
    let range = (-part.range.1, -part.range.0);
    let value = if widens(part.kind, range) { Value::Widened(Box::new(value)) } else { value };
    Ok(Worked {
        value: Value::Negated(Box::new(value)),
        kind: part.kind,
        range,
        conditions: part.conditions.clone(),
        bands: Vec::new(),
    })
}

fn no_result() -> Refusal {
    Refusal::from("it has no result, such as a division by zero")
}

fn widens(kind: Type, range: Range) -> bool {
    kind == Type::Integer && Kind::of_range(range) == Kind::Wide
}

fn operator_of(scope: &mut Scope, operator: Operator, left: &Worked, right: &Worked) -> Result<Worked, Refusal> {
    if let (Some(one), Some(other)) = (left.constant(), right.constant()) {
        return operator.apply(one, other).map(Worked::literal).ok_or_else(no_result);
    }
    let conditions = joined(&[left.clone(), right.clone()]);
    let kind = operator.result(left.kind, right.kind).ok_or_else(|| Refusal::from("its two sides do not fit"))?;
    let bit =
        |value| Ok(Worked { value, kind: Type::Bit, range: (0, 1), conditions: conditions.clone(), bands: Vec::new() });
    match (left.kind, right.kind) {
        (Type::Bit, _) | (_, Type::Bit) => {
            let (left, right) = (left.value.clone(), right.value.clone());
            return match operator {
                Operator::And => bit(and(left, right)),
                Operator::Or => bit(super::build::or(left, right)),
                Operator::Equal => bit(not(differ(left, right))),
                _ => bit(differ(left, right)),
            };
        }
        (Type::Integer, Type::Integer) if operator != Operator::Power => {}
        _ if operator.is_comparison() => return bit(binary(operator, left.real(), right.real())),
        _ => return reals(scope, operator, left, right, conditions),
    }
    if operator.is_comparison() {
        let by_band = match (left.value.clone(), right.value.clone()) {
            (_, Value::Whole(whole)) if !left.bands.is_empty() => Some(in_band(&left.bands, operator, whole)),
            (Value::Whole(whole), _) if !right.bands.is_empty() => {
                Some(in_band(&right.bands, operator.mirrored(), whole))
            }
            _ => None,
        };
        return bit(by_band.unwrap_or_else(|| binary(operator, left.value.clone(), right.value.clone())));
    }
    let range = range_of(operator, left.range, right.range);
    if range.0 < i64::MIN.into() || range.1 > i64::MAX.into() {
        return Err(Refusal::from("its whole numbers can grow beyond 64 bits"));
    }
    let mut conditions = conditions;
    let divides = matches!(operator, Operator::Over | Operator::Mod);
    if divides && right.range.0 <= 0 && right.range.1 >= 0 {
        if right.constant().is_some() {
            return Err(no_result());
        }
        conditions.push(binary(Operator::NotEqual, right.value.clone(), Value::Whole(0)));
    }
    let widen = |worked: &Worked| match worked.constant() {
        None if Kind::of_range(range) == Kind::Wide && Kind::of_range(worked.range) == Kind::Whole => {
            Value::Widened(Box::new(worked.value.clone()))
        }
        _ => worked.value.clone(),
    };
    let value = binary(operator, widen(left), widen(right));
    Ok(Worked { value, kind, range, conditions, bands: Vec::new() })
}

/// Compares how many conditions hold with a constant: that is one of them, or two.
fn in_band(bands: &[Value], operator: Operator, whole: i64) -> Value {
    let at_least = |count: i64| match usize::try_from(count) {
        Ok(0) | Err(_) => Value::Bit(count <= 0),
        Ok(count) => bands.get(count - 1).cloned().unwrap_or(Value::Bit(false)),
    };
    let next = whole.saturating_add(1);
    let exactly = || and(at_least(whole), not(at_least(next)));
    match operator {
        Operator::AtLeast => at_least(whole),
        Operator::Greater => at_least(next),
        Operator::Less => not(at_least(whole)),
        Operator::AtMost => not(at_least(next)),
        Operator::Equal => exactly(),
        _ => not(exactly()),
    }
}

/// What a sum, product or quotient of whole numbers can be.
fn range_of(operator: Operator, (a, b): Range, (c, d): Range) -> Range {
    let corners = |of: fn(i128, i128) -> i128| {
        let all = [of(a, c), of(a, d), of(b, c), of(b, d)];
        (all.into_iter().min().unwrap_or(0), all.into_iter().max().unwrap_or(0))
    };
    match operator {
        Operator::Plus => corners(|one, other| one.saturating_add(other)),
        Operator::Minus => corners(|one, other| one.saturating_sub(other)),
        Operator::Times => corners(|one, other| one.saturating_mul(other)),
        Operator::Over => {
            let most = a.abs().max(b.abs());
            (-most, most)
        }
        _ => {
            let most = (c.abs().max(d.abs()) - 1).max(0).min(a.abs().max(b.abs()));
            (if a < 0 { -most } else { 0 }, if b > 0 { most } else { 0 })
        }
    }
}

fn reals(
    scope: &mut Scope,
    operator: Operator,
    left: &Worked,
    right: &Worked,
    mut conditions: Vec<Value>,
) -> Result<Worked, Refusal> {
    let _ = scope;
    let value = binary(operator, left.real(), right.real());
    match (operator, right.constant().and_then(Literal::as_real)) {
        (Operator::Over, Some(0.0)) => return Err(no_result()),
        (Operator::Over, None) => conditions.push(binary(Operator::NotEqual, right.real(), Value::Real(0.0))),
        (Operator::Power, _) => conditions.push(Value::IsNumber(Box::new(value.clone()))),
        _ => {}
    }
    Ok(Worked { value, kind: Type::Real, range: (0, 0), conditions, bands: Vec::new() })
}

/// From here on a double does not hold each whole number.
const EXACT: f64 = 9_007_199_254_740_992.0;

fn call(scope: &mut Scope, function: Function, parts: &[Worked]) -> Result<Worked, Refusal> {
    let constants: Option<Vec<Literal>> = parts.iter().map(Worked::constant).collect();
    if let Some(constants) = constants {
        return function.apply(&constants).map(Worked::literal).ok_or_else(no_result);
    }
    let _ = scope;
    let mut conditions = joined(parts);
    let types: Vec<Type> = parts.iter().map(|part| part.kind).collect();
    let kind = function.result(&types);
    let selects = matches!(function, Function::Sel | Function::Mux);
    let numbers = parts.get(usize::from(selects)..).unwrap_or_default();
    let value_of = |part: &Worked| if kind == Type::Real { part.real() } else { part.value.clone() };
    let all = |of: fn(i128, i128) -> i128, pick: fn(&Range) -> i128| {
        numbers.iter().map(|part| pick(&part.range)).reduce(of).unwrap_or(0)
    };
    let hull = (all(Ord::min, |range| range.0), all(Ord::max, |range| range.1));
    let first = || parts.first().map(Worked::real).ok_or_else(no_result);
    let zero = Value::Real(0.0);
    let made = |arguments: Vec<Value>, range, conditions| {
        Ok(Worked { value: Value::Call(function, arguments), kind, range, conditions, bands: Vec::new() })
    };
    match function {
        Function::Max | Function::Min | Function::Limit => made(parts.iter().map(value_of).collect(), hull, conditions),
        Function::Sel => {
            let bit = parts.first().map(|bit| bit.value.clone()).ok_or_else(no_result)?;
            made(std::iter::once(bit).chain(numbers.iter().map(value_of)).collect(), hull, conditions)
        }
        Function::Mux => {
            let number = parts.first().map(|number| number.value.clone()).ok_or_else(no_result)?;
            let count = i64::try_from(numbers.len()).unwrap_or(i64::MAX);
            conditions.push(and(
                binary(Operator::AtLeast, number.clone(), Value::Whole(0)),
                binary(Operator::Less, number.clone(), Value::Whole(count)),
            ));
            made(std::iter::once(number).chain(numbers.iter().map(value_of)).collect(), hull, conditions)
        }
        Function::Trunc | Function::Round => match parts {
            [part] if part.kind == Type::Integer => Ok(part.clone()),
            _ => {
                let of = first()?;
                conditions.push(and(
                    binary(Operator::Greater, of.clone(), Value::Real(-EXACT)),
                    binary(Operator::Less, of.clone(), Value::Real(EXACT)),
                ));
                made(vec![of], (-(1 << 53), 1 << 53), conditions)
            }
        },
        Function::Abs => {
            let range = (0, hull.0.abs().max(hull.1.abs()));
            let argument = parts.first().map(value_of).ok_or_else(no_result)?;
            let argument = if widens(kind, range) { Value::Widened(Box::new(argument)) } else { argument };
            made(vec![argument], range, conditions)
        }
        Function::Sqrt => {
            let of = first()?;
            conditions.push(binary(Operator::AtLeast, of.clone(), zero));
            made(vec![of], (0, 0), conditions)
        }
        Function::Ln | Function::Log => {
            let of = first()?;
            conditions.push(binary(Operator::Greater, of.clone(), zero));
            made(vec![of], (0, 0), conditions)
        }
        Function::Asin | Function::Acos => {
            let of = first()?;
            let least = binary(Operator::AtLeast, of.clone(), Value::Real(-1.0));
            conditions.push(and(least, binary(Operator::AtMost, of.clone(), Value::Real(1.0))));
            made(vec![of], (0, 0), conditions)
        }
        Function::Exp => {
            let of = first()?;
            conditions.push(binary(Operator::Less, of.clone(), Value::Real(709.0)));
            made(vec![of], (0, 0), conditions)
        }
        Function::Sin | Function::Cos | Function::Tan | Function::Atan => made(vec![first()?], (0, 0), conditions),
    }
}
