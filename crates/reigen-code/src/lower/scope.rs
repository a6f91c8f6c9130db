//! The code in the making: where the columns of the program are, and what the part of a point has so far.

use super::build::{and, binary, not, of, or, set, when};
use crate::model::*;
use crate::names::Names;
use reigen_core::analog::meter::Scaling;
use reigen_core::block::{BitSource, NumberSource, Shape};
use reigen_core::logic::expression::Operator;
use reigen_core::time::Nanos;
use std::collections::HashMap;

/// Why something is not written.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Refusal {
    /// The reason.
    pub(crate) why: String,
    /// The point for which it is so, where that is another.
    pub(crate) since: Option<String>,
}

impl From<&str> for Refusal {
    fn from(why: &str) -> Self {
        Self { why: why.to_owned(), since: None }
    }
}

/// A signal of two levels, as it stands in a scan.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Signal {
    /// Its level.
    pub(crate) level: Value,
    /// Whether it has one yet; `None` where it always has.
    pub(crate) known: Option<Value>,
    /// Whether it changed to and fro within this scan; `None` where it cannot.
    pub(crate) twice: Option<Value>,
    /// Where it is a line whose changes between scans are told: which, and whether it is on while that is high.
    pub(crate) between: Option<(LineId, bool)>,
}

impl Signal {
    /// One that always has a level.
    pub(crate) fn always(level: Value) -> Self {
        Self { level, known: None, twice: None, between: None }
    }
}

/// A number, as it stands in a scan.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Number {
    /// Its value.
    pub(crate) value: Value,
    /// Whether it has one yet; `None` where it always has.
    pub(crate) known: Option<Value>,
    /// Whether it is a number in this scan; `None` where it always is.
    pub(crate) valid: Option<Value>,
    /// Whether it came anew in this scan; `None` where it only stands.
    pub(crate) fresh: Option<Value>,
    /// What it can be, where it is whole.
    pub(crate) range: Range,
    /// Where it follows by a straight line from a whole number, as a converter gives it: that number, and the line.
    pub(crate) raw: Option<(Value, Scaling)>,
    /// Where it is how many of some conditions hold, each of which implies those before it: these.
    pub(crate) bands: Vec<Value>,
    /// Where it is a timer's time: whether that runs, and how long it has.
    pub(crate) timer: Option<(Value, Value)>,
}

impl Number {
    /// A whole number of a range.
    pub(crate) fn whole(value: Value, known: Option<Value>, range: Range) -> Self {
        Self { value, known, valid: None, fresh: None, range, raw: None, bands: Vec::new(), timer: None }
    }

    /// One with a fraction.
    pub(crate) fn real(value: Value, known: Option<Value>) -> Self {
        Self::whole(value, known, (0, 0))
    }
}

/// The columns of a branch.
#[derive(Debug, Default)]
pub(crate) struct Columns {
    /// Its bits.
    pub(crate) bits: Vec<Result<Signal, Refusal>>,
    /// Its counts.
    pub(crate) counts: Vec<Result<Number, Refusal>>,
    /// Its readings.
    pub(crate) readings: Vec<Result<Number, Refusal>>,
}

/// When a block of several sources begins: at the first scan, or once all of them are known.
#[derive(Debug, Clone)]
pub(crate) struct Begin {
    /// Whether this scan is its first.
    pub(crate) first: Value,
    /// Whether all are known, and what remembers that it has begun.
    waits: Option<(Value, VariableId)>,
}

impl Begin {
    /// Whether what follows from it is known; `None` where it always is.
    pub(crate) fn known(&self) -> Option<Value> {
        self.waits.as_ref().map(|(_, begun)| Value::Variable(*begun))
    }
}

/// What the code of a station needs to know while it is made.
pub(crate) struct Scope {
    /// All so far.
    pub(crate) code: Code,
    /// The names that are taken.
    pub(crate) names: Names,
    /// The columns of the branch.
    pub(crate) columns: Columns,
    /// Whether the language has a place for what happens between scans.
    pub(crate) has_edges: bool,
    /// The lines of two levels by their numbers.
    pub(crate) bit_lines: Vec<LineId>,
    /// The lines of numbers by theirs.
    pub(crate) number_lines: Vec<LineId>,
    /// The part that is being made.
    pub(crate) part: Part,
    /// Whether the node stands for the point, and is not a part of it.
    pub(crate) stands: bool,
    /// Whether something reads the numbers of the node.
    pub(crate) reads_numbers: bool,
    /// Why the part is not written.
    pub(crate) refused: Option<Refusal>,
    constants: HashMap<String, (Fixed, ConstantId)>,
}

impl Scope {
    /// Nothing yet.
    pub(crate) fn new(code: Code, names: Names, bit_lines: Vec<LineId>, number_lines: Vec<LineId>, part: Part) -> Self {
        let (columns, constants) = (Columns::default(), HashMap::new());
        let (stands, reads_numbers, refused) = (false, false, None);
        let has_edges = false;
        Self {
            code,
            names,
            columns,
            has_edges,
            bit_lines,
            number_lines,
            part,
            stands,
            reads_numbers,
            refused,
            constants,
        }
    }

    /// A variable of the part that outlives the scan.
    pub(crate) fn state(&mut self, suffix: &str, kind: Kind, about: &str) -> VariableId {
        self.declare(suffix, kind, true, about)
    }

    /// A variable of the part for this scan.
    pub(crate) fn local(&mut self, suffix: &str, kind: Kind) -> VariableId {
        self.declare(suffix, kind, false, "")
    }

    /// A row of values that outlives the scan.
    pub(crate) fn row(&mut self, suffix: &str, kind: Kind, count: usize, about: &str) -> VariableId {
        let id = self.declare(suffix, kind, true, about);
        if let Some(variable) = self.code.variables.get_mut(id.0) {
            variable.count = Some(count);
        }
        id
    }

    /// What a variable holds at the start.
    pub(crate) fn begin_with(&mut self, id: VariableId, initial: Value) {
        if let Some(variable) = self.code.variables.get_mut(id.0) {
            variable.initial = initial;
        }
    }

    fn declare(&mut self, suffix: &str, kind: Kind, is_state: bool, about: &str) -> VariableId {
        let name = match suffix {
            "" => self.part.name.clone(),
            suffix => self.names.of_code(&format!("{}_{suffix}", self.part.name)),
        };
        let initial = match kind {
            Kind::Bit => Value::Bit(false),
            Kind::Real => Value::Real(0.0),
            _ => Value::Whole(0),
        };
        let id = VariableId(self.code.variables.len());
        self.code.variables.push(Variable { name, kind, count: None, initial, is_state, about: about.to_owned() });
        self.part.variables.push(id);
        id
    }

    /// The variable of the point itself.
    pub(crate) fn own(&mut self, kind: Kind) -> VariableId {
        self.state("", kind, "")
    }

    /// What comes of a node: the variable of the point where it stands for that, else one of its part.
    pub(crate) fn result(&mut self, kind: Kind, suffix: &str) -> VariableId {
        if self.stands { self.own(kind) } else { self.state(suffix, kind, "") }
    }

    /// Gives a variable of the part the name of the point; false where it is none that outlives the scan.
    pub(crate) fn stand_in(&mut self, id: VariableId) -> bool {
        let is_own = self.part.variables.contains(&id);
        let Some(variable) = self.code.variables.get_mut(id.0).filter(|variable| is_own && variable.is_state) else {
            return false;
        };
        variable.name.clone_from(&self.part.name);
        variable.about.clear();
        true
    }

    /// The name of an instance of a standard block.
    pub(crate) fn instance(&mut self, suffix: &str) -> String {
        let wanted = format!("{}_{suffix}", self.part.name);
        self.names.of_code(&wanted)
    }

    /// What is done at each change of a line, between scans.
    pub(crate) fn at_edge(&mut self, line: LineId, body: Vec<Statement>) {
        if let Some(line) = self.code.lines.get_mut(line.0) {
            line.edges = true;
        }
        self.part.edges.push((line, body));
    }

    /// The number of a line of two levels.
    ///
    /// # Errors
    /// Where the source is no line, or the language has no place for what happens between scans.
    pub(crate) fn edge_line(&self, source: BitSource) -> Result<LineId, Refusal> {
        if !self.has_edges {
            return Err(Refusal::from("it changes between scans, which this language has no place for"));
        }
        let BitSource::Line(number) = source else {
            return Err(Refusal::from("between scans it reads what is no line"));
        };
        self.bit_lines.get(number).copied().ok_or_else(missing)
    }

    /// A constant of the part, named after it.
    pub(crate) fn constant(&mut self, suffix: &str, value: Fixed) -> Value {
        let wanted = format!("{}_{suffix}", self.part.name).to_ascii_uppercase();
        if let Some((_, id)) = self.constants.get(&wanted).filter(|(known, _)| *known == value) {
            return Value::Constant(*id);
        }
        let id = ConstantId(self.code.constants.len());
        let name = self.names.of_code(&wanted);
        self.code.constants.push(Constant { name, value });
        self.constants.insert(wanted, (value, id));
        Value::Constant(id)
    }

    /// A stretch of time, named after the part.
    pub(crate) fn time(&mut self, suffix: &str, time: Nanos) -> Value {
        self.constant(suffix, Fixed::Time(time))
    }

    /// Adds what is done.
    pub(crate) fn add(&mut self, statement: Statement) {
        self.part.body.push(statement);
    }

    /// A variable takes a value.
    pub(crate) fn set(&mut self, id: VariableId, value: Value) {
        self.add(set(id, value));
    }

    /// Takes out what was added since, to put it elsewhere.
    pub(crate) fn take_since(&mut self, length: usize) -> Vec<Statement> {
        self.part.body.split_off(length.min(self.part.body.len()))
    }

    /// How much has been added so far.
    pub(crate) fn length(&self) -> usize {
        self.part.body.len()
    }

    /// A level of the branch or of a line.
    ///
    /// # Errors
    /// Where what gives it is not written.
    pub(crate) fn signal(&self, source: BitSource) -> Result<Signal, Refusal> {
        match source {
            BitSource::Line(line) => {
                let line = self
                    .bit_lines
                    .get(line)
                    .copied()
                    .ok_or_else(|| Refusal::from("it reads a line that is not there"))?;
                Ok(Signal::always(Value::Line(line)))
            }
            BitSource::Bit(bit) => self.columns.bits.get(bit).cloned().unwrap_or_else(|| Err(missing())),
        }
    }

    /// A number of the branch or of a line.
    ///
    /// # Errors
    /// Where what gives it is not written.
    pub(crate) fn number(&self, source: NumberSource) -> Result<Number, Refusal> {
        match source {
            NumberSource::Line(line) => {
                let line = self.number_lines.get(line).copied().ok_or_else(missing)?;
                Ok(Number::real(Value::Line(line), None))
            }
            NumberSource::Count(count) => self.columns.counts.get(count).cloned().unwrap_or_else(|| Err(missing())),
            NumberSource::Reading(reading) => {
                self.columns.readings.get(reading).cloned().unwrap_or_else(|| Err(missing()))
            }
        }
    }

    /// What a block gives, or why it gives nothing.
    pub(crate) fn give(&mut self, shape: Shape, made: Result<Made, Refusal>) {
        let Columns { bits, counts, readings } = &mut self.columns;
        let made = made.unwrap_or_else(|why| Made {
            bits: vec![Err(why.clone()); shape.bits],
            counts: vec![Err(why.clone()); shape.counts],
            readings: vec![Err(why); shape.readings],
        });
        let whole = |length: usize| move |made: usize| made.max(length);
        let (ends, count_ends, reading_ends) =
            (bits.len() + shape.bits, counts.len() + shape.counts, readings.len() + shape.readings);
        bits.extend(made.bits);
        bits.resize(whole(ends)(0), Err(missing()));
        counts.extend(made.counts);
        counts.resize(whole(count_ends)(0), Err(missing()));
        readings.extend(made.readings);
        readings.resize(whole(reading_ends)(0), Err(missing()));
    }

    /// When a block of these sources begins.
    pub(crate) fn begin(&mut self, known: impl IntoIterator<Item = Option<Value>>) -> Begin {
        let waits = known.into_iter().flatten().reduce(and);
        match waits {
            None => Begin { first: Value::FirstScan, waits: None },
            Some(known) => {
                let begun = self.state("begun", Kind::Bit, "whether all that it reads has a value");
                Begin { first: not(Value::Variable(begun)), waits: Some((known, begun)) }
            }
        }
    }

    /// Ends a block that began where `length` says: where its sources may be unknown, it waits for them.
    pub(crate) fn end(&mut self, begin: &Begin, length: usize) {
        let Some((known, begun)) = &begin.waits else { return };
        let mut body = self.take_since(length);
        body.push(set(*begun, Value::Bit(true)));
        self.add(when(known.clone(), body));
    }

    /// A level that is needed more than once: a variable, unless it is one or as good as one.
    pub(crate) fn once(&mut self, level: Value, suffix: &str) -> Value {
        let is_leaf = |value: &Value| matches!(value, Value::Variable(_) | Value::Line(_) | Value::Bit(_));
        match &level {
            Value::Not(of) if is_leaf(of) => level,
            leaf if is_leaf(leaf) => level,
            _ => {
                let kind = self.code.kind(&level);
                let local = self.local(suffix, kind);
                self.set(local, level);
                Value::Variable(local)
            }
        }
    }

    /// Whether a level has risen in this scan. One that is on when it is first known has not.
    pub(crate) fn rose(&mut self, signal: &Signal, name: &str) -> Value {
        let before = self.state(&format!("{name}_before"), Kind::Bit, "");
        // On before the start, so that the first level is no edge.
        self.begin_with(before, Value::Bit(true));
        let rose = self.local(&format!("{name}_rose"), Kind::Bit);
        let level = self.once(signal.level.clone(), name);
        let (known, unknown) = match &signal.known {
            None => (Value::Bit(true), Value::Bit(false)),
            Some(known) => (known.clone(), not(known.clone())),
        };
        self.set(rose, and(and(known, level.clone()), not(of(before))));
        self.set(before, or(level, unknown));
        match &signal.twice {
            Some(twice) => or(of(rose), twice.clone()),
            None => of(rose),
        }
    }

    /// Whether a level has changed in this scan.
    pub(crate) fn changed(&mut self, signal: &Signal, name: &str) -> Value {
        let before = self.state(&format!("{name}_before"), Kind::Bit, "");
        let changed = self.local(&format!("{name}_changed"), Kind::Bit);
        let level = self.once(signal.level.clone(), name);
        let differs = binary(Operator::NotEqual, level.clone(), of(before));
        match &signal.known {
            None => self.set(changed, and(differs, not(Value::FirstScan))),
            Some(known) => {
                let seen = self.state(&format!("{name}_seen"), Kind::Bit, "whether it had a level at the scan before");
                self.set(changed, and(and(known.clone(), of(seen)), differs));
                self.set(seen, known.clone());
            }
        }
        self.set(before, level);
        of(changed)
    }
}

fn missing() -> Refusal {
    Refusal::from("it reads what is not there")
}

/// What a block gives.
#[derive(Debug, Default)]
pub(crate) struct Made {
    /// Its bits, in the order of its shape.
    pub(crate) bits: Vec<Result<Signal, Refusal>>,
    /// Its counts.
    pub(crate) counts: Vec<Result<Number, Refusal>>,
    /// Its readings.
    pub(crate) readings: Vec<Result<Number, Refusal>>,
}

impl Made {
    /// One bit.
    pub(crate) fn bit(signal: Signal) -> Self {
        Self { bits: vec![Ok(signal)], ..Self::default() }
    }

    /// One reading.
    pub(crate) fn reading(number: Number) -> Self {
        Self { readings: vec![Ok(number)], ..Self::default() }
    }
}
