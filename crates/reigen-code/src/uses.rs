//! What statements and values use.

use crate::model::{ChainId, Code, ConstantId, LineId, Part, Statement, Value, VariableId};
use std::collections::{BTreeSet, HashSet};

/// What a part uses.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub(crate) struct Uses {
    /// The variables that it reads or sets.
    pub(crate) variables: BTreeSet<VariableId>,
    /// The constants that it reads.
    pub(crate) constants: BTreeSet<ConstantId>,
    /// The lines that it reads.
    pub(crate) lines: BTreeSet<LineId>,
    /// Whether it asks whether this is the first scan.
    pub(crate) first_scan: bool,
    /// Whether it asks how long ago the scan before was.
    pub(crate) step: bool,
    /// Whether it asks for the time.
    pub(crate) clock: bool,
    /// Whether it asks for the level that a line has gone to.
    pub(crate) edge_level: bool,
    /// The chains that it reads.
    pub(crate) chains: BTreeSet<ChainId>,
    /// The functions that it calls, by their names.
    pub(crate) functions: BTreeSet<&'static str>,
}

/// Which form of a standard block is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Form {
    /// What it does, written out.
    Plain,
    /// The call of the block.
    Called,
}

impl Uses {
    /// What a part uses.
    pub(crate) fn of_part(part: &Part, form: Form) -> Self {
        let mut uses = Self::default();
        uses.body(&part.body, form);
        part.edges.iter().for_each(|(_, body)| uses.body(body, form));
        uses.variables.insert(part.shown.value);
        part.shown.known.iter().for_each(|known| uses.value(known));
        uses
    }

    /// What some statements use.
    pub(crate) fn body(&mut self, body: &[Statement], form: Form) {
        body.iter().for_each(|statement| self.statement(statement, form));
    }

    fn statement(&mut self, statement: &Statement, form: Form) {
        match statement {
            Statement::Set(id, value) => {
                self.variables.insert(*id);
                self.value(value);
            }
            Statement::SetElement(id, place, value) => {
                self.variables.insert(*id);
                self.value(place);
                self.value(value);
            }
            Statement::If(arms, otherwise) => {
                for (condition, body) in arms {
                    self.value(condition);
                    self.body(body, form);
                }
                self.body(otherwise, form);
            }
            Statement::Repeat(id, count, body) => {
                self.variables.insert(*id);
                self.value(count);
                self.body(body, form);
            }
            Statement::Block(_, plain) if form == Form::Plain => self.body(plain, form),
            Statement::Block(block, _) => {
                block.inputs.iter().for_each(|(_, value)| self.value(value));
                self.variables.extend(block.outputs.iter().map(|(_, id)| *id));
            }
        }
    }

    /// What a value uses.
    pub(crate) fn value(&mut self, value: &Value) {
        match value {
            Value::Variable(id) => drop(self.variables.insert(*id)),
            Value::Element(id, place) => {
                self.variables.insert(*id);
                self.value(place);
            }
            Value::Constant(id) => drop(self.constants.insert(*id)),
            Value::Line(id) | Value::Fresh(id) => drop(self.lines.insert(*id)),
            Value::FirstScan => self.first_scan = true,
            Value::Step => self.step = true,
            Value::Clock => self.clock = true,
            Value::EdgeClock => self.clock = true,
            Value::ChainBit(id, _) | Value::ChainRead(id) => drop(self.chains.insert(*id)),
            Value::EdgeLevel => self.edge_level = true,
            Value::Bit(_) | Value::Whole(_) | Value::Real(_) => {}
            Value::Binary(operator, left, right) => {
                if *operator == reigen_core::logic::expression::Operator::Power {
                    self.functions.insert("POWER");
                }
                self.value(left);
                self.value(right);
            }
            Value::Call(function, arguments) => {
                self.functions.insert(function.word());
                arguments.iter().for_each(|argument| self.value(argument));
            }
            Value::BitOf(of, _)
            | Value::IsNumber(of)
            | Value::Not(of)
            | Value::Negated(of)
            | Value::Widened(of)
            | Value::AsReal(of)
            | Value::Seconds(of)
            | Value::Digit(of) => self.value(of),
        }
    }
}

impl Code {
    /// What all of it uses together.
    pub(crate) fn uses(&self, form: Form) -> Uses {
        let mut all = Uses::default();
        for part in &self.parts {
            let uses = Uses::of_part(part, form);
            all.variables.extend(uses.variables);
            all.constants.extend(uses.constants);
            all.lines.extend(uses.lines);
            all.functions.extend(uses.functions);
            all.first_scan |= uses.first_scan;
            all.step |= uses.step;
            all.clock |= uses.clock;
            all.chains.extend(uses.chains);
        }
        all
    }

    /// The numbers of the points that a part reads.
    pub fn reads(&self, part: &Part) -> Vec<usize> {
        let uses = Uses::of_part(part, Form::Plain);
        let read =
            |other: &&Part| other.point != part.point && other.variables.iter().any(|id| uses.variables.contains(id));
        self.parts.iter().filter(read).map(|other| other.point).collect()
    }

    /// The lines that a part reads, by the names of the station.
    pub fn lines_of(&self, part: &Part) -> Vec<&str> {
        let lines = Uses::of_part(part, Form::Plain).lines;
        lines.iter().filter_map(|id| self.lines.get(id.0)).map(|line| line.of.as_str()).collect()
    }

    /// Leaves only these points, and what they need.
    pub fn only(&mut self, wanted: &[String]) {
        let mut needed: HashSet<VariableId> = HashSet::new();
        let mut kept: HashSet<usize> = HashSet::new();
        // Each part comes after what it reads, so one way back finds all.
        for part in self.parts.iter().rev() {
            if wanted.contains(&part.of) || part.variables.iter().any(|id| needed.contains(id)) {
                needed.extend(Uses::of_part(part, Form::Plain).variables);
                kept.insert(part.point);
            }
        }
        self.parts.retain(|part| kept.contains(&part.point));
        self.left_out.retain(|left| wanted.contains(&left.point));
        self.not_retained.retain(|name| self.parts.iter().any(|part| part.of == *name));
        self.tidy();
    }

    /// Leaves out constants and lines that nothing uses, and parts nothing else than that.
    pub(crate) fn tidy(&mut self) {
        let uses = self.uses(Form::Plain);
        self.unused_lines = (0..self.lines.len()).map(LineId).filter(|id| !uses.lines.contains(id)).collect();
        let told: BTreeSet<LineId> =
            self.parts.iter().flat_map(|part| part.edges.iter().map(|(line, _)| *line)).collect();
        for (number, line) in self.lines.iter_mut().enumerate() {
            line.edges = told.contains(&LineId(number));
        }
        self.unused_chains = (0..self.chains.len()).map(ChainId).filter(|id| !uses.chains.contains(id)).collect();
    }
}
