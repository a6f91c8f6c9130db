//! What can be left out: conditions that are settled, and variables that have no part in what any point gives out.

use crate::model::{Code, Statement, Value, Variable, VariableId};
use crate::uses::{Form, Uses};
use std::collections::BTreeSet;

/// Leaves out what is settled, and then all that has no part in what any point gives out.
pub(crate) fn fold(code: &mut Code) {
    for part in &mut code.parts {
        part.body = settled(std::mem::take(&mut part.body));
        part.edges.iter_mut().for_each(|(_, body)| *body = settled(std::mem::take(body)));
    }
    let live = live(code);
    for part in &mut code.parts {
        let body = merged(without_dead(std::mem::take(&mut part.body), &live));
        part.body = passed_on(body, &code.variables);
        part.edges.iter_mut().for_each(|(_, body)| *body = merged(without_dead(std::mem::take(body), &live)));
        part.edges.retain(|(_, body)| !body.is_empty());
    }
}

/// The statements without a variable of this scan that is only handed on by the very next one.
fn passed_on(body: Vec<Statement>, variables: &[Variable]) -> Vec<Statement> {
    let mut made: Vec<Statement> = Vec::with_capacity(body.len());
    let mut rest = body.into_iter().peekable();
    while let Some(statement) = rest.next() {
        let handed = match (&statement, rest.peek()) {
            (Statement::Set(id, value), Some(Statement::Set(to, Value::Variable(from)))) if id == from => {
                let is_local = variables.get(id.0).is_some_and(|variable| !variable.is_state);
                is_local.then(|| (*id, Statement::Set(*to, value.clone())))
            }
            _ => None,
        };
        let Some((id, handed)) = handed else {
            made.push(statement);
            continue;
        };
        let mut later = Uses::default();
        later.body(&rest.clone().skip(1).collect::<Vec<_>>(), Form::Plain);
        if later.variables.contains(&id) {
            made.push(statement);
        } else {
            rest.next();
            made.push(handed);
        }
    }
    made
}

/// The statements with conditions that stand alone within another joined to it.
fn merged(body: Vec<Statement>) -> Vec<Statement> {
    body.into_iter().map(merge).collect()
}

fn merge(statement: Statement) -> Statement {
    let (arms, otherwise) = match statement {
        Statement::If(arms, otherwise) => (arms, otherwise),
        Statement::Block(block, plain) => return Statement::Block(block, merged(plain)),
        Statement::Repeat(id, count, body) => return Statement::Repeat(id, count, merged(body)),
        other => return other,
    };
    let mut arms: Vec<(Value, Vec<Statement>)> =
        arms.into_iter().map(|(condition, body)| (condition, merged(body))).collect();
    let mut otherwise = merged(otherwise);
    // What is asked where nothing else held is one arm more.
    if let [Statement::If(more, rest)] = otherwise.as_slice() {
        arms.extend(more.iter().cloned());
        otherwise = rest.clone();
    }
    if let ([(condition, body)], []) = (arms.as_slice(), otherwise.as_slice())
        && let [Statement::If(inner, rest)] = body.as_slice()
        && let ([(second, body)], []) = (inner.as_slice(), rest.as_slice())
    {
        return Statement::If(vec![(super::build::and(condition.clone(), second.clone()), body.clone())], Vec::new());
    }
    Statement::If(arms, otherwise)
}

/// The statements with their settled conditions left out.
fn settled(body: Vec<Statement>) -> Vec<Statement> {
    body.into_iter().flat_map(one).collect()
}

fn one(statement: Statement) -> Vec<Statement> {
    match statement {
        Statement::If(arms, otherwise) => {
            let (mut kept, mut last) = (Vec::new(), settled(otherwise));
            for (condition, body) in arms {
                match condition {
                    Value::Bit(false) => {}
                    Value::Bit(true) => {
                        last = settled(body);
                        break;
                    }
                    condition => kept.push((condition, settled(body))),
                }
            }
            if kept.is_empty() { last } else { vec![Statement::If(kept, last)] }
        }
        Statement::Repeat(id, count, body) => vec![Statement::Repeat(id, count, settled(body))],
        Statement::Block(block, plain) => vec![Statement::Block(block, settled(plain))],
        other => vec![other],
    }
}

/// The variables that have a part in what a point gives out: those themselves, what they are set to, and the conditions of that.
fn live(code: &Code) -> BTreeSet<VariableId> {
    let mut live = Uses::default();
    for part in &code.parts {
        live.variables.insert(part.shown.value);
        part.shown.known.iter().for_each(|known| live.value(known));
    }
    loop {
        let before = live.variables.len();
        for part in &code.parts {
            spread(&part.body, &mut live);
            for (_, body) in &part.edges {
                spread(body, &mut live);
            }
        }
        if live.variables.len() == before {
            return live.variables;
        }
    }
}

/// Adds what live variables are set by; gives whether some statement sets one.
fn spread(body: &[Statement], live: &mut Uses) -> bool {
    body.iter().fold(false, |any, statement| spread_one(statement, live) | any)
}

fn spread_one(statement: &Statement, live: &mut Uses) -> bool {
    match statement {
        Statement::Set(id, value) => {
            let sets = live.variables.contains(id);
            if sets {
                live.value(value);
            }
            sets
        }
        Statement::SetElement(id, place, value) => {
            let sets = live.variables.contains(id);
            if sets {
                live.value(place);
                live.value(value);
            }
            sets
        }
        Statement::If(arms, otherwise) => {
            let inner = arms.iter().fold(spread(otherwise, live), |any, (_, body)| spread(body, live) | any);
            if inner {
                arms.iter().for_each(|(condition, _)| live.value(condition));
            }
            inner
        }
        Statement::Repeat(id, count, body) => {
            let inner = spread(body, live);
            if inner {
                live.variables.insert(*id);
                live.value(count);
            }
            inner
        }
        Statement::Block(block, plain) => {
            let inner = spread(plain, live) | block.outputs.iter().any(|(_, id)| live.variables.contains(id));
            if inner {
                block.inputs.iter().for_each(|(_, value)| live.value(value));
            }
            inner
        }
    }
}

/// The statements without those that only set what is not live.
fn without_dead(body: Vec<Statement>, live: &BTreeSet<VariableId>) -> Vec<Statement> {
    let kept = body.into_iter().filter_map(|statement| match statement {
        Statement::Set(id, _) | Statement::SetElement(id, ..) if !live.contains(&id) => None,
        Statement::If(arms, otherwise) => {
            let mut arms: Vec<(Value, Vec<Statement>)> =
                arms.into_iter().map(|(condition, body)| (condition, without_dead(body, live))).collect();
            let otherwise = without_dead(otherwise, live);
            // An empty arm at the end says nothing; one before others keeps them from being asked.
            while otherwise.is_empty() && arms.last().is_some_and(|(_, body)| body.is_empty()) {
                arms.pop();
            }
            if arms.is_empty() {
                return (!otherwise.is_empty()).then_some(Statement::If(arms, otherwise));
            }
            match arms.as_slice() {
                [(condition, body)] if body.is_empty() => {
                    Some(Statement::If(vec![(super::build::not(condition.clone()), otherwise)], Vec::new()))
                }
                _ => Some(Statement::If(arms, otherwise)),
            }
        }
        Statement::Repeat(id, count, body) => {
            let body = without_dead(body, live);
            (!body.is_empty()).then_some(Statement::Repeat(id, count, body))
        }
        Statement::Block(block, plain) => {
            let is_live = block.outputs.iter().any(|(_, id)| live.contains(id));
            is_live.then(|| Statement::Block(block, without_dead(plain, live)))
        }
        other => Some(other),
    });
    kept.collect()
}
