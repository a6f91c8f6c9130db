//! Statements as structured text writes them.

use super::value::Values;
use crate::long_lines::broken;
use crate::model::{Block, Code, Kind, Part, Statement, Value, VariableId};

/// The statements of a part.
pub(crate) fn body(code: &Code, part: &Part) -> String {
    let mut written = Body { values: Values { code }, text: String::new() };
    written.all(&part.body, 0);
    written.text
}

struct Body<'a> {
    values: Values<'a>,
    text: String,
}

impl Body<'_> {
    fn line(&mut self, depth: usize, text: &str) {
        (0..depth).for_each(|_| self.text.push_str("    "));
        self.text.push_str(&broken(text, depth, &[" OR ", " AND ", " + "]));
        self.text.push('\n');
    }

    fn all(&mut self, body: &[Statement], depth: usize) {
        body.iter().for_each(|statement| self.statement(statement, depth));
    }

    fn statement(&mut self, statement: &Statement, depth: usize) {
        match statement {
            Statement::Set(id, value) => {
                let text = format!("{} := {};", self.values.variable(*id), self.for_variable(*id, value));
                self.line(depth, &text);
            }
            Statement::SetElement(id, place, value) => {
                let place = self.values.text(place);
                let text = format!("{}[{place}] := {};", self.values.variable(*id), self.for_variable(*id, value));
                self.line(depth, &text);
            }
            Statement::If(arms, otherwise) => {
                for (number, (condition, body)) in arms.iter().enumerate() {
                    let word = if number == 0 { "IF" } else { "ELSIF" };
                    let condition = self.values.text(condition);
                    self.line(depth, &format!("{word} {condition} THEN"));
                    self.all(body, depth + 1);
                }
                if !otherwise.is_empty() {
                    self.line(depth, "ELSE");
                    self.all(otherwise, depth + 1);
                }
                self.line(depth, "END_IF;");
            }
            Statement::Repeat(id, count, inner) => {
                let (name, count) = (self.values.variable(*id).to_owned(), self.values.text(count));
                self.line(depth, &format!("FOR {name} := 1 TO {count} DO"));
                self.all(inner, depth + 1);
                self.line(depth, "END_FOR;");
            }
            Statement::Block(block, _) => self.call(block, depth),
        }
    }

    fn for_variable(&self, id: VariableId, value: &Value) -> String {
        let kind = self.values.code.variable(id).map_or(Kind::Bit, |variable| variable.kind);
        self.values.as_kind(kind, value)
    }

    fn call(&mut self, block: &Block, depth: usize) {
        let inputs: Vec<String> = block
            .inputs
            .iter()
            .map(|(name, value)| {
                let given = self.values.time(value).unwrap_or_else(|| self.values.text(value));
                format!("{name} := {given}")
            })
            .collect();
        self.line(depth, &format!("{}({});", block.instance, inputs.join(", ")));
        for (name, id) in &block.outputs {
            let text = format!("{} := {}.{name};", self.values.variable(*id), block.instance);
            self.line(depth, &text);
        }
    }
}
