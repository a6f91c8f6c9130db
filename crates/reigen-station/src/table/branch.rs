//! A branch of the program in the making.

use super::field::{FieldExpression, LineName};
use reigen_core::block::{BitSource, MainColumn, NumberSource, Shape};
use reigen_core::cast;
use reigen_core::condition::debounce::{ReadingTimes, Settings};
use reigen_core::condition::input::InputSettings;
use reigen_core::logic::apply::{self, Operand};
use reigen_core::logic::elapsed;
use reigen_core::logic::expression::{Expression, Node, Operator, Reference, Type, Value, type_of};
use reigen_core::number::source::ValidSource;
use reigen_core::program::{ApplyResult, Operation, ProgramBranch};
use reigen_core::time::Nanos;
use std::collections::{HashMap, HashSet};

/// What the names of lines stand for.
#[derive(Debug, Clone, Copy)]
pub struct BoundLines<'a> {
    /// Lines of two levels, by their numbers among the engine's lines.
    pub levels: &'a HashMap<String, usize>,
    /// Number lines, by theirs.
    pub numbers: &'a HashMap<String, usize>,
    /// Bits of number lines: the name of that line and which bit.
    pub number_bits: &'a HashMap<String, (String, u32)>,
    /// Lines of links that the recording does not have: they are on.
    pub always_on: &'a HashSet<String>,
}

/// A branch in the making: where the columns of points and lines are.
pub struct BranchBuilder<'a> {
    branch: ProgramBranch,
    /// The point that is being compiled, and the type of its main column.
    owner: usize,
    main: MainColumn,
    columns: HashMap<Reference, Operand>,
    bound: BoundLines<'a>,
    /// Bits of number lines that are followed already, by the names that points give them.
    number_bits: HashMap<String, BitSource>,
    tick: Nanos,
    /// The step of the recording's own times.
    line_tick: Nanos,
    scan: Option<ReadingTimes>,
    /// Number lines that are read by the scan already.
    scanned_numbers: HashMap<String, NumberSource>,
    /// Inputs past the scan, as they are between two scans.
    past_scan: HashMap<Reference, BitSource>,
    /// The numbers of the branch that some block reads.
    read: HashSet<NumberSource>,
}

/// The field of a timer that says whether its time runs; no expression can name it.
pub(crate) const RUNNING: &str = "#running";

/// The field of a number that says that it is in fault.
const FAULT: &str = "fault";

/// The name of a formula's own number.
pub const RAW: &str = "raw";

/// A source that is not there, for what the checks have let through by no means.
const NOWHERE: BitSource = BitSource::Line(usize::MAX);

impl<'a> BranchBuilder<'a> {
    /// A branch over lines; `tick` is the step of their times, and `scan` when a controller sees them.
    pub fn new(bound: BoundLines<'a>, tick: Nanos, scan: Option<ReadingTimes>) -> Self {
        Self {
            branch: ProgramBranch::default(),
            owner: 0,
            main: MainColumn::default(),
            columns: HashMap::new(),
            bound,
            number_bits: HashMap::new(),
            // What is read by a scan is no finer than the scan.
            tick: scan.map_or(tick, |scan| tick.max(scan.period)),
            line_tick: tick,
            scan,
            scanned_numbers: HashMap::new(),
            past_scan: HashMap::new(),
            read: HashSet::new(),
        }
    }

    /// Goes on with a point, by its number.
    pub fn begin(&mut self, point: usize, main: MainColumn) {
        (self.owner, self.main) = (point, main);
    }

    /// Adds the operation that stands for the point; gives the numbers of its first columns.
    pub fn stand_for(&mut self, operation: Operation) -> Shape {
        self.branch.add(Some(self.owner), self.owner, self.main, operation)
    }

    /// From now on a name is to be read there.
    pub fn give(&mut self, name: Reference, column: Operand) {
        self.columns.insert(name, column);
    }

    /// The branch, once it is whole.
    pub fn finish(mut self) -> ProgramBranch {
        self.branch.mark_unread(&self.read);
        self.branch
    }

    /// Where to read a line of the recording, or a bit of a number line.
    pub fn line(&mut self, line: &LineName) -> BitSource {
        if let Some(source) = self.number_bits.get(&line.name) {
            return *source;
        }
        if let Some((number, bit)) = self.bound.number_bits.get(&line.name) {
            let of = NumberSource::Line(self.bound.numbers.get(number).copied().unwrap_or(usize::MAX));
            let source = self.inner(Operation::NumberBit { of, bit: *bit });
            self.number_bits.insert(line.name.clone(), source);
            return source;
        }
        if self.bound.always_on.contains(&line.name) {
            let expression = Expression { node: Node::Literal(Value::Bit(true)), span: 0..0 };
            return self.inner(Operation::Logic { expression, sources: Vec::new() });
        }
        self.bound.levels.get(&line.name).map_or(NOWHERE, |&number| BitSource::Line(number))
    }

    /// Where to read a line as a controller sees it: at scans, where there are any.
    pub fn seen_line(&mut self, line: &LineName) -> BitSource {
        let source = self.line(line);
        self.seen(line.name.clone(), source)
    }

    /// Where to read a bit at scans, where there are any.
    pub fn seen(&mut self, line: String, source: BitSource) -> BitSource {
        let Some(times) = self.scan else { return source };
        let settings = InputSettings { on_while_high: true, scan: Some(times), debounce: Settings::Pass };
        self.inner(Operation::Input { line, source, settings })
    }

    /// Remembers where an input past the scan is as it is; gives where others see it.
    pub fn past_scan(&mut self, name: Reference, source: BitSource) -> BitSource {
        self.past_scan.insert(name.clone(), source);
        self.seen(name.to_string(), source)
    }

    /// A pulse of one scan at each rising edge, those of no width among them; as it is where there is no scan.
    pub fn for_one_scan(&mut self, of: BitSource) -> BitSource {
        let Some(times) = self.scan else { return of };
        self.inner(Operation::OneShot { of, rising: true, width: times.period })
    }

    /// When a controller reads, where it does so by a scan.
    pub fn scan(&self) -> Option<ReadingTimes> {
        self.scan
    }

    /// The step of the recording's own times, whatever the scan.
    pub fn line_tick(&self) -> Nanos {
        self.line_tick
    }

    /// Where to read a bit whose edges count past the scan.
    pub fn counted_past_scan(&mut self, bit: &FieldExpression) -> BitSource {
        let past = bit.expression.as_name().and_then(|name| self.past_scan.get(name).copied());
        past.unwrap_or_else(|| self.counted(bit))
    }

    /// Where to read a number line of the recording: at scans, where there are any.
    pub fn number_line(&mut self, line: &LineName) -> NumberSource {
        let of = self.number_line_itself(line);
        let Some(times) = self.scan else { return of };
        if let Some(source) = self.scanned_numbers.get(&line.name) {
            return *source;
        }
        let source = self.inner_reading(Operation::NumberScan { of, times });
        self.scanned_numbers.insert(line.name.clone(), source);
        self.read.insert(source);
        source
    }

    /// Whether there is a number line of that name.
    pub fn has_number_line(&self, line: &LineName) -> bool {
        self.bound.numbers.contains_key(&line.name)
    }

    fn number_line_itself(&self, line: &LineName) -> NumberSource {
        NumberSource::Line(self.bound.numbers.get(&line.name).copied().unwrap_or(usize::MAX))
    }

    /// The step of the times at which edges can be: the recording's, or the scan's.
    pub fn tick(&self) -> Nanos {
        self.tick
    }

    /// Adds an operation within the point; gives the numbers of its first columns.
    fn add(&mut self, operation: Operation) -> Shape {
        self.branch.add(None, self.owner, self.main, operation)
    }

    /// Adds an operation of one reading within the point; gives where to read it.
    pub fn inner_reading(&mut self, operation: Operation) -> NumberSource {
        NumberSource::Reading(self.add(operation).readings)
    }

    /// Where to read a formula, in which [`RAW`] is the number at `raw`.
    pub fn formula(&mut self, formula: &FieldExpression, raw: NumberSource) -> NumberSource {
        let expression = formula.expression.clone();
        let mut names: Vec<Reference> = expression.names().into_iter().map(|(name, _)| name.clone()).collect();
        names.dedup();
        let of = |name: &Reference| match name.point == RAW && name.field.is_empty() {
            true => Operand::Number(raw),
            false => self.columns.get(name).copied().unwrap_or(Operand::Bit(NOWHERE)),
        };
        let operands: Vec<Operand> = names.iter().map(of).collect();
        operands.iter().for_each(|operand| self.reads(*operand));
        self.inner_reading(Operation::Formula { expression, names, operands })
    }

    /// Where to read a number as readings: what is none yet is worked as a formula.
    pub fn worked(&mut self, number: &FieldExpression) -> NumberSource {
        let own = number.expression.as_name().and_then(|name| self.columns.get(name).copied());
        match own {
            Some(operand @ Operand::Number(source @ (NumberSource::Reading(_) | NumberSource::Line(_)))) => {
                self.reads(operand);
                source
            }
            _ => self.formula(number, NumberSource::Line(usize::MAX)),
        }
    }

    /// The same, with where its point tells that it is in fault.
    pub fn worked_or_fault(&mut self, number: &FieldExpression) -> ValidSource {
        let own = number.expression.as_name().filter(|name| matches!(name.field.as_str(), "" | "value"));
        let fault = own.map(|name| Reference { point: name.point.clone(), field: FAULT.to_owned() });
        let fault = fault.and_then(|fault| match self.columns.get(&fault) {
            Some(Operand::Bit(source)) => Some(*source),
            _ => None,
        });
        ValidSource { of: self.worked(number), fault }
    }

    /// Where to read a number of a point by its name.
    pub fn named(&mut self, name: &Reference) -> NumberSource {
        match self.columns.get(name).copied() {
            Some(operand @ Operand::Number(source)) => {
                self.reads(operand);
                source
            }
            _ => NumberSource::Line(usize::MAX),
        }
    }

    /// Adds an operation within the point; gives where to read its first bit.
    pub fn inner(&mut self, operation: Operation) -> BitSource {
        BitSource::Bit(self.add(operation).bits)
    }

    /// Where to read a bit whose edges count: a point's own column, with its pulses of width 0.
    pub fn counted(&mut self, bit: &FieldExpression) -> BitSource {
        match bit.expression.as_name() {
            Some(name) => self.bit(name),
            None => self.settled(bit),
        }
    }

    /// Where to read a bit as it stands after each instant.
    pub fn settled(&mut self, bit: &FieldExpression) -> BitSource {
        self.settled_tree(&bit.expression)
    }

    /// Where to read a number.
    pub fn number(&mut self, number: &FieldExpression) -> Operand {
        self.operand(&number.expression)
    }

    /// Bits that are joined are worked at once; what compares numbers is a block of its own before that.
    fn settled_tree(&mut self, tree: &Expression) -> BitSource {
        let mut compared = Vec::new();
        let joined = self.without_numbers(tree, &mut compared);
        let mut names: Vec<Reference> = joined.names().into_iter().map(|(name, _)| name.clone()).collect();
        names.sort();
        names.dedup();
        let named = names.into_iter().map(|name| {
            let source = compared.iter().find(|(known, _)| *known == name).map(|(_, source)| *source);
            let source = source.unwrap_or_else(|| self.bit(&name));
            (name, source)
        });
        let sources = named.collect();
        self.inner(Operation::Logic { expression: joined, sources })
    }

    /// The tree with a name in place of each part that compares numbers, and where those are.
    fn without_numbers(&mut self, tree: &Expression, compared: &mut Vec<(Reference, BitSource)>) -> Expression {
        let node = match &tree.node {
            Node::Binary(operator, ..) if operator.is_comparison() && self.has_numbers(tree) => {
                // No point has such a name.
                let name = Reference { point: format!("#{}", compared.len()), field: String::new() };
                if let Operand::Bit(source) = self.operand(tree) {
                    compared.push((name.clone(), source));
                }
                Node::Name(name)
            }
            Node::Not(operand) => Node::Not(Box::new(self.without_numbers(operand, compared))),
            Node::Binary(operator, left, right) => {
                let left = self.without_numbers(left, compared);
                Node::Binary(*operator, Box::new(left), Box::new(self.without_numbers(right, compared)))
            }
            Node::Call(function, arguments) => {
                let arguments = arguments.iter().map(|argument| self.without_numbers(argument, compared)).collect();
                Node::Call(*function, arguments)
            }
            other => other.clone(),
        };
        Expression { node, span: tree.span.clone() }
    }

    /// Whether a comparison is one of numbers.
    fn has_numbers(&self, tree: &Expression) -> bool {
        tree.parts().first().is_some_and(|left| self.type_of(left) != Type::Bit)
    }

    fn type_of(&self, tree: &Expression) -> Type {
        let of = |name: &Reference| {
            Ok(match self.columns.get(name) {
                Some(Operand::Number(NumberSource::Count(_))) => Type::Integer,
                Some(Operand::Number(NumberSource::Reading(_) | NumberSource::Line(_))) => Type::Real,
                _ => Type::Bit,
            })
        };
        type_of(tree, &of, &mut Vec::new()).unwrap_or(Type::Bit)
    }

    /// A comparison of a timer's elapsed time with a constant: the timer, and from when on that holds.
    fn elapsed_bound(&self, tree: &Expression) -> Option<(Reference, elapsed::Bound)> {
        let Node::Binary(operator, left, right) = &tree.node else { return None };
        let (name, value, operator) = match (&left.node, &right.node) {
            (Node::Name(name), Node::Literal(value)) => (name, value, *operator),
            (Node::Literal(value), Node::Name(name)) => (name, value, operator.mirrored()),
            _ => return None,
        };
        let running = Reference { point: name.point.clone(), field: RUNNING.to_owned() };
        if name.field != "elapsed" || !self.columns.contains_key(&running) {
            return None;
        }
        let nanos = value.as_real()? * 1e9;
        let (at_least, above) = (nanos.ceil(), nanos.floor() + 1.0);
        let (from, inverted) = match operator {
            Operator::AtLeast => (at_least, false),
            Operator::Greater => (above, false),
            Operator::Less => (at_least, true),
            Operator::AtMost => (above, true),
            _ => return None,
        };
        let from = Nanos(cast::u64_from_f64(from));
        let seen_after = self.scan.map_or(from, |scan| scan.whole(from));
        Some((name.clone(), elapsed::Bound { from, seen_after, inverted }))
    }

    /// Where to read any part of an expression; operations are blocks.
    fn operand(&mut self, tree: &Expression) -> Operand {
        if let Some((name, bound)) = self.elapsed_bound(tree) {
            let running = self.bit(&Reference { point: name.point.clone(), field: RUNNING.to_owned() });
            let elapsed = self.named(&name);
            return Operand::Bit(self.inner(Operation::Elapsed { running, elapsed, bound }));
        }
        let operation = match &tree.node {
            Node::Literal(value) => return Operand::Constant(*value),
            Node::Name(name) => {
                let operand = self.columns.get(name).copied().unwrap_or(Operand::Bit(NOWHERE));
                self.reads(operand);
                return operand;
            }
            _ if self.type_of(tree) == Type::Bit && !self.compares(tree) => {
                return Operand::Bit(self.settled_tree(tree));
            }
            Node::Not(_) => return Operand::Bit(self.settled_tree(tree)),
            Node::Minus(_) => apply::Operation::Minus,
            Node::Binary(operator, ..) => apply::Operation::Operator(*operator),
            Node::Call(function, _) => apply::Operation::Function(*function),
        };
        let operands = tree.parts().into_iter().map(|part| self.operand(part)).collect();
        let apply = |result| Operation::Apply { operation, operands, result };
        match self.type_of(tree) {
            Type::Bit => Operand::Bit(self.inner(apply(ApplyResult::Bit))),
            Type::Integer => Operand::Number(NumberSource::Count(self.add(apply(ApplyResult::Count)).counts)),
            Type::Real => Operand::Number(self.inner_reading(apply(ApplyResult::Reading))),
        }
    }

    fn reads(&mut self, operand: Operand) {
        if let Operand::Number(source) = operand {
            self.read.insert(source);
        }
    }

    fn compares(&self, tree: &Expression) -> bool {
        matches!(&tree.node, Node::Binary(operator, ..) if operator.is_comparison()) && self.has_numbers(tree)
    }

    fn bit(&self, name: &Reference) -> BitSource {
        match self.columns.get(name) {
            Some(Operand::Bit(source)) => *source,
            _ => NOWHERE,
        }
    }
}
