//! Numbers: scaled, limited, held, compared with two levels, given out.

use super::build::{and, binary, not, of, or, set, when};
use super::rate::in_range;
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Fixed, Kind, Range, Statement, Value};
use reigen_core::analog::meter::{Scaling, Settings};
use reigen_core::analog::threshold::Levels;
use reigen_core::block::{BitSource, NumberSource};
use reigen_core::logic::apply::Operand;
use reigen_core::logic::expression::{Operator, Value as Literal};
use reigen_core::number::analog_output::{self, OnFault};
use reigen_core::number::hold;
use reigen_core::number::source::ValidSource;

/// A recorded number on a straight line, in the order in which it is worked.
fn scaled(scope: &mut Scope, recorded: Value, scaling: &Scaling) -> Value {
    let mut real = |name: &str, value| scope.constant(name, Fixed::Real(value));
    let mut value = recorded;
    if let Some((full, span)) = scaling.counts {
        value = binary(Operator::Over, binary(Operator::Times, value, real("SPAN", span)), real("FULL_SCALE", full));
    }
    if let Some(gain) = scaling.wire {
        value = binary(Operator::Times, value, real("GAIN", gain));
    }
    if let Some(([from, until], [low, high])) = scaling.scale {
        let rise = binary(Operator::Times, offset(value, &mut real, from), real("RISE", high - low));
        let line = binary(Operator::Over, rise, real("RUN", until - from));
        value = match low == 0.0 {
            true => line,
            false => binary(Operator::Plus, real("LOW", low), line),
        };
    }
    value
}

/// A value less where its line begins.
fn offset(value: Value, real: &mut impl FnMut(&str, f64) -> Value, from: f64) -> Value {
    if from == 0.0 { value } else { binary(Operator::Minus, value, real("FROM", from)) }
}

/// A number scaled, without more.
pub(crate) fn scaling(scope: &mut Scope, source: NumberSource, scaling: &Scaling) -> Result<Made, Refusal> {
    let number = scope.number(source)?;
    let value = scaled(scope, number.value, scaling);
    Ok(Made::reading(Number { value, ..Number::real(Value::Real(0.0), number.known) }))
}

/// Makes a reading of a number.
pub(crate) fn analog(
    scope: &mut Scope,
    settings: &Settings,
    source: NumberSource,
    worked: bool,
) -> Result<Made, Refusal> {
    if settings.smooth.is_some() {
        return Err(Refusal::from("a mean over time (`smooth`)"));
    }
    let number = scope.number(source)?;
    // What a converter gives is whole, and is compared as that.
    let is_whole = scope.code.kind(&number.value) == Kind::Whole;
    let raw = (is_whole && !worked).then(|| (number.value.clone(), settings.scaling));
    let read = if is_whole { Value::AsReal(Box::new(number.value.clone())) } else { number.value.clone() };
    let made = if worked { read } else { scaled(scope, read, &settings.scaling) };
    let made = scope.once(made, "read");
    let own = scope.result(Kind::Real, "value");
    let has_number = number.valid.clone().unwrap_or(Value::Bit(true));
    let range = match (&raw, settings.valid) {
        (Some(raw), Some([least, most])) => {
            let above = whole_bound(scope, "LEAST", raw, Operator::AtLeast, least);
            and(above, whole_bound(scope, "MOST", raw, Operator::AtMost, most))
        }
        _ => in_range(scope, &made, settings.valid),
    };
    let fault = not(and(has_number.clone(), range));
    // Only where something can go wrong is there anything to remember.
    let fault = match &fault {
        Value::Bit(_) => fault,
        _ => {
            let bit = scope.state("fault", Kind::Bit, "");
            let body = vec![set(bit, fault)];
            add_where(scope, number.known.clone(), body);
            of(bit)
        }
    };
    let known = match (&number.known, &number.valid) {
        (None, None) => {
            scope.set(own, made);
            None
        }
        (known, valid) => {
            let has = scope.state("known", Kind::Bit, "whether there is a value yet");
            let condition = and(known.clone().unwrap_or(Value::Bit(true)), valid.clone().unwrap_or(Value::Bit(true)));
            scope.add(when(condition, vec![set(own, made), set(has, Value::Bit(true))]));
            Some(of(has))
        }
    };
    Ok(Made {
        bits: vec![Ok(Signal { level: fault, known: number.known, twice: None, between: None })],
        readings: vec![Ok(Number { raw, ..Number::real(of(own), known) })],
        ..Made::default()
    })
}

/// A comparison of a value on a straight line with a bound, as one of the whole number behind it: at which the line passes the
/// bound is looked for here, so that the controller needs no fractions for it.
fn whole_bound(scope: &mut Scope, name: &str, raw: &(Value, Scaling), operator: Operator, bound: f64) -> Value {
    let (line, scaling) = raw;
    let holds = |raw: i64| {
        let value = Literal::Real(scaling.value(raw as f64));
        operator.apply(value, Literal::Real(bound)) == Some(Literal::Bit(true))
    };
    let (mut low, mut high) = (i64::from(i32::MIN), i64::from(i32::MAX));
    let (at_low, at_high) = (holds(low), holds(high));
    if at_low == at_high {
        return Value::Bit(at_low);
    }
    // Each step of the line is rounded, and still never falls where it rises.
    while high - low > 1 {
        let middle = low + (high - low) / 2;
        *(if holds(middle) == at_low { &mut low } else { &mut high }) = middle;
    }
    let (operator, last) = if at_high { (Operator::AtLeast, high) } else { (Operator::AtMost, low) };
    let last = scope.constant(&format!("{name}_COUNTS"), Fixed::Whole(last));
    binary(operator, line.clone(), last)
}

fn add_where(scope: &mut Scope, known: Option<Value>, body: Vec<Statement>) {
    match known {
        None => body.into_iter().for_each(|statement| scope.add(statement)),
        Some(known) => scope.add(when(known, body)),
    }
}

/// Compares a number with two levels.
pub(crate) fn threshold(scope: &mut Scope, levels: &Levels, operand: Operand) -> Result<Made, Refusal> {
    let (number, is_whole) = match operand {
        Operand::Number(source @ NumberSource::Count(_)) => (scope.number(source)?, true),
        Operand::Number(source) => (scope.number(source)?, false),
        Operand::Constant(_) | Operand::Bit(_) => return Err(Refusal::from("it compares a number that never changes")),
    };
    let length = scope.length();
    let begin = scope.begin([number.known.clone()]);
    let on = scope.result(Kind::Bit, "on");
    let value = scope.once(number.value.clone(), "number");
    let (above, below) = match &number.raw {
        Some(raw) => (
            whole_bound(scope, "ABOVE", raw, Operator::Greater, levels.above),
            whole_bound(scope, "BELOW", raw, Operator::Less, levels.below),
        ),
        None if is_whole => whole_levels(scope, &value, levels, number.range),
        None => {
            let (high, low) = (
                scope.constant("ABOVE", Fixed::Real(levels.above)),
                scope.constant("BELOW", Fixed::Real(levels.below)),
            );
            (binary(Operator::Greater, value.clone(), high), binary(Operator::Less, value, low))
        }
    };
    let high = vec![set(on, Value::Bit(!levels.inverted))];
    let low = vec![set(on, Value::Bit(levels.inverted))];
    let change = Statement::If(vec![(above, high), (below, low)], Vec::new());
    match number.valid {
        Some(valid) => scope.add(when(valid, vec![change])),
        None => scope.add(change),
    }
    scope.end(&begin, length);
    Ok(Made::bit(Signal { level: of(on), known: begin.known(), twice: None, between: None }))
}

/// The same of a whole number: the levels between two whole numbers are the next one outward.
fn whole_levels(scope: &mut Scope, value: &Value, levels: &Levels, range: Range) -> (Value, Value) {
    let mut compared = |name: &str, level: f64, operator: Operator| {
        let nearest = if operator == Operator::Greater { level.floor() } else { level.ceil() };
        let whole = reigen_core::cast::whole_i64(nearest)
            .filter(|whole| (range.0 - 1..=range.1 + 1).contains(&i128::from(*whole)));
        match whole {
            Some(whole) => binary(operator, value.clone(), scope.constant(name, Fixed::Whole(whole))),
            // Beyond all that it can be.
            None => Value::Bit((nearest < 0.0) == (operator == Operator::Greater)),
        }
    };
    (compared("ABOVE", levels.above, Operator::Greater), compared("BELOW", levels.below, Operator::Less))
}

/// A number with what its point says of faults.
fn valid_number(scope: &Scope, source: ValidSource) -> Result<(Number, Value), Refusal> {
    let number = scope.number(source.of)?;
    let fault = source.fault.map(|fault| scope.signal(fault)).transpose()?;
    let in_fault = fault.map_or(Value::Bit(false), |fault| match fault.known {
        Some(known) => and(known, fault.level),
        None => fault.level,
    });
    let number_fault = not(number.valid.clone().unwrap_or(Value::Bit(true)));
    Ok((number, or(in_fault, number_fault)))
}

/// Holds a number at the edges of a bit.
pub(crate) fn hold(
    scope: &mut Scope,
    settings: &hold::Settings,
    source: ValidSource,
    at: BitSource,
) -> Result<Made, Refusal> {
    let (number, fault) = valid_number(scope, source)?;
    let signal = scope.signal(at)?;
    if signal.twice.is_some() {
        return Err(Refusal::from("it holds at a bit that can change to and fro within one scan"));
    }
    let edge = match (settings.edges.rising, settings.edges.falling) {
        (true, true) => scope.changed(&signal, "at"),
        (true, false) => scope.rose(&signal, "at"),
        _ => scope.rose(&Signal { level: not(signal.level.clone()), ..signal }, "at_off"),
    };
    let own = scope.result(Kind::Real, "value");
    let known = scope.state("known", Kind::Bit, "whether a value was held yet");
    let condition = and(and(edge, number.known.unwrap_or(Value::Bit(true))), not(fault));
    scope.add(when(condition, vec![set(own, number.value), set(known, Value::Bit(true))]));
    Ok(Made::reading(Number::real(of(own), Some(of(known)))))
}

/// Gives a number out as a current or a voltage.
pub(crate) fn analog_output(
    scope: &mut Scope,
    settings: &analog_output::Settings,
    source: ValidSource,
) -> Result<Made, Refusal> {
    let (number, fault) = valid_number(scope, source)?;
    let ([from, until], [low, high]) = settings.scale;
    let [least, most] = settings.limits;
    let scaling = Scaling { scale: Some(([from, until], [low, high])), ..Scaling::default() };
    let straight = scaled(scope, number.value.clone(), &scaling);
    let straight = scope.once(straight, "straight");
    let (least, most) = (scope.constant("LEAST", Fixed::Real(least)), scope.constant("MOST", Fixed::Real(most)));
    let own = scope.result(Kind::Real, "given");
    let limited = scope.state("limited", Kind::Bit, "whether it is held at a limit");
    let known = scope.state("known", Kind::Bit, "whether something is given out yet");
    let arm = |value| vec![set(own, value), set(limited, Value::Bit(true))];
    let arms = vec![
        (binary(Operator::Less, straight.clone(), least.clone()), arm(least)),
        (binary(Operator::Greater, straight.clone(), most.clone()), arm(most)),
    ];
    let limit = Statement::If(arms, vec![set(own, straight), set(limited, Value::Bit(false))]);
    let give = vec![limit, set(known, Value::Bit(true))];
    let in_fault = match settings.on_fault {
        OnFault::Hold => vec![set(limited, Value::Bit(false))],
        OnFault::Give(value) => {
            let value = scope.constant("ON_FAULT", Fixed::Real(value));
            vec![set(own, value), set(limited, Value::Bit(false)), set(known, Value::Bit(true))]
        }
    };
    let has_value = number.known.clone().unwrap_or(Value::Bit(true));
    let arms = vec![(fault.clone(), in_fault), (has_value.clone(), give)];
    match fault {
        Value::Bit(false) => arms.into_iter().skip(1).for_each(|(known, give)| add_where(scope, Some(known), give)),
        _ => scope.add(Statement::If(arms, Vec::new())),
    }
    let known_bits = Some(or(fault.clone(), has_value)).filter(|known| *known != Value::Bit(true));
    Ok(Made {
        bits: vec![
            Ok(Signal { level: of(limited), known: known_bits.clone(), twice: None, between: None }),
            Ok(Signal { level: fault, known: known_bits, twice: None, between: None }),
        ],
        readings: vec![Ok(Number::real(of(own), Some(of(known)).filter(|_| true)))],
        ..Made::default()
    })
}
