//! One operation of an expression worked by column: once an instant, after all changes of that instant.
//!
//! An expression with numbers is a block for each operation; bits that are joined without numbers are worked by
//! [`Evaluate`](super::evaluate::Evaluate) at once.

use super::expression::{Expression, Function, Operator, Reference, Value};
use crate::block::{BitSource, Block, Inputs, NumberSource, Outputs, keeps_state};
use crate::column::StepColumn;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// What an operation is worked from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Operand {
    /// A number of the branch.
    Number(NumberSource),
    /// A bit.
    Bit(BitSource),
    /// A constant.
    Constant(Value),
}

/// An operation on values.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Operation {
    /// Between two operands.
    Operator(Operator),
    /// A function.
    Function(Function),
    /// The other sign.
    Minus,
}

impl Operation {
    /// The result; `None` where there is none.
    #[inline]
    fn apply(self, values: &[Value]) -> Option<Value> {
        match (self, values) {
            (Operation::Operator(operator), [left, right]) => operator.apply(*left, *right),
            (Operation::Function(function), _) => function.apply(values),
            (Operation::Minus, [value]) => value.negated(),
            _ => None,
        }
    }
}

/// The running form of an operation.
pub struct Apply {
    operation: Operation,
    operands: Vec<Operand>,
    /// In place of an operation, a whole formula over the names of the operands: no number where it has no result.
    formula: Option<(Expression, Vec<Reference>)>,
    state: State,
}

/// What an operation must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    started: bool,
    /// Instants at which there was no result, and the first of them.
    faults: u64,
    first_fault: Nanos,
}

impl Apply {
    /// A formula, worked as its tree is; `operands` are where to read its `names`. It gives no number (NaN) where it has
    /// no result, which its point tells itself.
    pub fn formula(formula: Expression, names: Vec<Reference>, operands: Vec<Operand>) -> Self {
        let formula = Some((formula, names));
        Self { formula, ..Self::new(Operation::Minus, operands) }
    }

    /// An operation over its operands.
    pub fn new(operation: Operation, operands: Vec<Operand>) -> Self {
        Self { operation, operands, formula: None, state: State::default() }
    }
}

/// Later than all times.
const NEVER: Nanos = Nanos(u64::MAX);

/// An operand while a window is worked: its value, and its changes still to come.
enum Head<'a> {
    Bit { value: bool, rest: &'a [Nanos] },
    Count { value: Option<i64>, times: &'a [Nanos], values: &'a [i64] },
    Reading { value: Option<f64>, times: &'a [Nanos], values: &'a [f64] },
    Constant(Value),
}

impl<'a> Head<'a> {
    /// `None` while the operand has no value at all.
    fn new(operand: Operand, inputs: &Inputs<'a>) -> Option<Self> {
        Some(match operand {
            Operand::Constant(value) => Head::Constant(value),
            Operand::Bit(source) => {
                let bit = inputs.bit(source);
                Head::Bit { value: bit.level?, rest: &bit.toggles }
            }
            Operand::Number(NumberSource::Count(number)) => {
                let column = inputs.counts.get(number)?;
                column.last()?;
                Head::Count { value: column.before, times: &column.times, values: &column.values }
            }
            Operand::Number(source) => {
                let column = inputs.reading(source)?;
                column.last()?;
                Head::Reading { value: column.before, times: &column.times, values: &column.values }
            }
        })
    }

    #[inline]
    fn next(&self) -> Nanos {
        match self {
            Head::Bit { rest: times, .. } | Head::Count { times, .. } | Head::Reading { times, .. } => {
                times.first().copied().unwrap_or(NEVER)
            }
            Head::Constant(_) => NEVER,
        }
    }

    /// Passes all changes at exactly `time`.
    #[inline]
    fn pass(&mut self, time: Nanos) {
        match self {
            Head::Bit { value, rest } => {
                while let [first, after @ ..] = *rest
                    && *first == time
                {
                    *value = !*value;
                    *rest = after;
                }
            }
            Head::Count { value, times, values } => pass_steps(value, times, values, time),
            Head::Reading { value, times, values } => pass_steps(value, times, values, time),
            Head::Constant(_) => {}
        }
    }

    #[inline]
    fn value(&self) -> Option<Value> {
        match self {
            Head::Bit { value, .. } => Some(Value::Bit(*value)),
            Head::Count { value, .. } => value.map(Value::Integer),
            Head::Reading { value, .. } => value.map(Value::Real),
            Head::Constant(value) => Some(*value),
        }
    }
}

#[inline]
fn pass_steps<V: Copy>(value: &mut Option<V>, times: &mut &[Nanos], values: &mut &[V], time: Nanos) {
    while let ([first, later @ ..], [new, others @ ..]) = (*times, *values)
        && *first == time
    {
        *value = Some(*new);
        (*times, *values) = (later, others);
    }
}

impl Apply {
    /// Works one instant: the operands' values after it, and the result.
    #[inline]
    fn instant(&mut self, time: Nanos, heads: &[Head<'_>], values: &mut Vec<Value>, outputs: &mut Outputs<'_>) {
        values.clear();
        values.extend(heads.iter().map_while(Head::value));
        if values.len() < heads.len() {
            return;
        }
        let result = match &self.formula {
            None => self.operation.apply(values),
            Some((formula, names)) => {
                let of = |name: &Reference| values.get(names.iter().position(|known| known == name)?).copied();
                Some(formula.value(&of).unwrap_or(Value::Real(f64::NAN)))
            }
        };
        let Some(result) = result else {
            if self.state.faults == 0 {
                self.state.first_fault = time;
            }
            self.state.faults += 1;
            return;
        };
        match (result, &mut *outputs.bits, &mut *outputs.counts, &mut *outputs.readings) {
            (Value::Bit(bit), [column], ..) if column.level.is_none() => column.start(time, bit),
            (Value::Bit(bit), [column], ..) if column.last_level() != Some(bit) => column.toggles.push(time),
            (Value::Integer(number), _, [column], _) => push_changed(column, time, number),
            (Value::Real(number), .., [column]) => push_changed(column, time, number),
            // A whole number where a real one is kept.
            (Value::Integer(number), .., [column]) => push_changed(column, time, number as f64),
            _ => {}
        }
    }
}

fn push_changed<V: Copy + PartialOrd>(column: &mut StepColumn<V>, time: Nanos, value: V) {
    // What compares with nothing is not a number, and stays none.
    let none = |value: &V| value.partial_cmp(value).is_none();
    if column.last() != Some(value) && !(none(&value) && column.last().as_ref().is_some_and(none)) {
        column.push(time, value);
    }
}

impl Block for Apply {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        let heads: Option<Vec<Head<'_>>> = self.operands.iter().map(|&operand| Head::new(operand, &inputs)).collect();
        let Some(mut heads) = heads else { return };
        let mut values = Vec::with_capacity(heads.len());
        // Bits tell since when they have a level; numbers by their first step.
        let since = self.operands.iter().map(|operand| match operand {
            Operand::Bit(source) => inputs.bit(*source).since,
            _ => Nanos(0),
        });
        let start = since.max().unwrap_or_default().max(if self.state.started { Nanos(0) } else { window.from });
        let known = |heads: &[Head<'_>]| heads.iter().all(|head| head.value().is_some());
        loop {
            let time = heads.iter().map(Head::next).min().unwrap_or(NEVER);
            if !self.state.started && time > start && known(&heads) {
                self.state.started = true;
                self.instant(start, &heads, &mut values, &mut outputs);
            }
            if time == NEVER {
                return;
            }
            heads.iter_mut().for_each(|head| head.pass(time));
            if time >= start {
                self.state.started |= known(&heads);
                self.instant(time, &heads, &mut values, &mut outputs);
            }
        }
    }

    fn faults(&self) -> Option<(u64, Nanos)> {
        (self.state.faults > 0).then_some((self.state.faults, self.state.first_fault))
    }
}

keeps_state!(Apply, State);
