//! Statements as C writes them.

use super::value::{Values, real, type_of, whole};
use crate::long_lines::broken;
use crate::model::{Code, Kind, Part, Statement, Value, VariableId};
use crate::uses::{Form, Uses};
use std::collections::BTreeSet;

/// Writes the statements of a part.
pub(crate) struct Body<'a> {
    values: Values<'a>,
    text: String,
    /// The variables of this scan that stand declared.
    declared: BTreeSet<VariableId>,
}

/// The body of a part's function.
pub(crate) fn body(code: &Code, part: &Part) -> String {
    let mut written = Body { values: Values { code }, text: String::new(), declared: BTreeSet::new() };
    written.declare_early(part);
    written.all(&part.body, 1, true);
    written.text
}

/// The body of a function that works a change of a line.
pub(crate) fn edge_body(code: &Code, body: &[Statement]) -> String {
    let mut written = Body { values: Values { code }, text: String::new(), declared: BTreeSet::new() };
    written.all(body, 1, true);
    written.text
}

/// What a variable holds at the start.
pub(crate) fn initial(kind: Kind, value: &Value) -> String {
    match (kind, value) {
        (Kind::Bit, Value::Bit(bit)) => bit.to_string(),
        (_, Value::Whole(value)) => whole(*value),
        (_, Value::Real(value)) => real(*value),
        _ => "0".to_owned(),
    }
}

impl Body<'_> {
    fn line(&mut self, depth: usize, text: &str) {
        (0..depth).for_each(|_| self.text.push_str("    "));
        self.text.push_str(&broken(text, depth, &[" || ", " && ", " + "]));
        self.text.push('\n');
    }

    /// Declares at the top what is first set within a condition.
    fn declare_early(&mut self, part: &Part) {
        let top: BTreeSet<VariableId> = top_level(&part.body);
        let used = Uses::of_part(part, Form::Plain).variables;
        for id in part.variables.iter().filter(|id| used.contains(id) && !top.contains(id)) {
            let Some(variable) = self.values.code.variable(*id).filter(|variable| !variable.is_state) else { continue };
            let text = format!(
                "{} {} = {};",
                type_of(variable.kind),
                variable.name,
                initial(variable.kind, &variable.initial)
            );
            self.line(1, &text);
            self.declared.insert(*id);
        }
    }

    fn all(&mut self, body: &[Statement], depth: usize, top: bool) {
        body.iter().for_each(|statement| self.statement(statement, depth, top));
    }

    fn statement(&mut self, statement: &Statement, depth: usize, top: bool) {
        match statement {
            Statement::Set(id, value) => self.set(*id, value, depth, top),
            Statement::SetElement(id, place, value) => {
                let text = format!(
                    "{}[{}] = {};",
                    self.values.variable(*id),
                    self.values.text(place),
                    self.values.text(value)
                );
                self.line(depth, &text);
            }
            Statement::If(arms, otherwise) => self.choice(arms, otherwise, depth),
            Statement::Repeat(id, count, inner) => {
                let (name, count) = (self.values.variable(*id), self.values.text(count));
                self.line(depth, &format!("for ({name} = 0; {name} < {count}; {name}++) {{"));
                self.all(inner, depth + 1, false);
                self.line(depth, "}");
            }
            Statement::Block(_, plain) => self.all(plain, depth, top),
        }
    }

    fn set(&mut self, id: VariableId, value: &Value, depth: usize, top: bool) {
        let Some(variable) = self.values.code.variable(id) else { return };
        let (kind, given) = (variable.kind, self.values.as_kind(variable.kind, value));
        let name = self.values.variable(id);
        let is_new = top && !variable.is_state && self.declared.insert(id);
        let text = match (is_new, value) {
            (true, _) => format!("{} {name} = {given};", type_of(kind)),
            (false, Value::Binary(operator, left, right))
                if **left == Value::Variable(id) && (kind != Kind::Small || **right == Value::Whole(1)) =>
            {
                self.in_place(*operator, &name, right).unwrap_or_else(|| format!("{name} = {given};"))
            }
            _ => format!("{name} = {given};"),
        };
        self.line(depth, &text);
    }

    /// `x += y` for `x = x + y`.
    fn in_place(
        &self,
        operator: reigen_core::logic::expression::Operator,
        name: &str,
        right: &Value,
    ) -> Option<String> {
        use reigen_core::logic::expression::Operator;
        match (operator, right) {
            (Operator::Plus, Value::Whole(1)) => Some(format!("{name}++;")),
            (Operator::Minus, Value::Whole(1)) => Some(format!("{name}--;")),
            (Operator::Plus, right) => Some(format!("{name} += {};", self.values.text(right))),
            (Operator::Minus, right) => Some(format!("{name} -= {};", self.values.text(right))),
            _ => None,
        }
    }

    fn choice(&mut self, arms: &[(Value, Vec<Statement>)], otherwise: &[Statement], depth: usize) {
        for (number, (condition, body)) in arms.iter().enumerate() {
            let word = if number == 0 { "if" } else { "} else if" };
            let condition = self.values.text(condition);
            self.line(depth, &format!("{word} ({condition}) {{"));
            self.all(body, depth + 1, false);
        }
        if !otherwise.is_empty() {
            self.line(depth, "} else {");
            self.all(otherwise, depth + 1, false);
        }
        self.line(depth, "}");
    }
}

/// The variables whose first use is that they are set, outside of any condition.
fn top_level(body: &[Statement]) -> BTreeSet<VariableId> {
    let (mut first_set, mut seen) = (BTreeSet::new(), Uses::default());
    visit(body, &mut first_set, &mut seen);
    first_set
}

fn visit(body: &[Statement], first_set: &mut BTreeSet<VariableId>, seen: &mut Uses) {
    for statement in body {
        match statement {
            Statement::Block(_, plain) => visit(plain, first_set, seen),
            Statement::Set(id, value) => {
                seen.value(value);
                if seen.variables.insert(*id) {
                    first_set.insert(*id);
                }
            }
            other => seen.body(std::slice::from_ref(other), Form::Plain),
        }
    }
}
