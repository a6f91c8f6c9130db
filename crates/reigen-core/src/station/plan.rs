//! From a station and the lines of a recording to a program.

use super::builder::Builder;
use super::error::MOST_TOLD;
use super::line_names::LineNames;
use super::{FieldColumn, FieldExpression, LineName, Point, Station, StationError, StationErrorKind};
use crate::block::{BitSource, MainColumn, NumberSource, Shape};
use crate::lines::RecordedLine;
use crate::logic::apply::{self, Operand};
use crate::logic::expression::{Expression, Node, Reference, Type, type_of};
use crate::program::{ApplyResult, Operation, Program, ProgramBranch};
use crate::time::Nanos;
use std::collections::{HashMap, HashSet};

/// A station bound to the lines of a recording.
pub struct Plan {
    /// What the station does.
    pub program: Program,
    /// The recording's signals that the engine reads, in the order of its lines.
    pub signals: Vec<usize>,
    /// For each of them the name that the station gives its line.
    pub names: Vec<String>,
    /// For each name that the station gives a line, its number among the engine's lines.
    pub lines: HashMap<String, usize>,
    /// The recording's signals of numbers that the engine reads, in the order of its number lines.
    pub numbers: Vec<usize>,
    /// For each name that the station gives a number line, its number among those.
    pub number_lines: HashMap<String, usize>,
}

/// What the station's names of lines stand for.
#[derive(Debug, Default)]
struct Bound {
    /// The signals, each once.
    signals: Vec<usize>,
    /// The first name of each.
    names: Vec<String>,
    /// For each name the number of its signal among them.
    numbers: HashMap<String, usize>,
    /// The same for each signal.
    known: HashMap<usize, usize>,
}

impl Bound {
    fn add(&mut self, line: &LineName, signal: usize) {
        let number = *self.known.entry(signal).or_insert(self.signals.len());
        if number == self.signals.len() {
            self.signals.push(signal);
            self.names.push(line.name.clone());
        }
        self.numbers.insert(line.name.clone(), number);
    }
}

/// Binds a station to a recording's lines and compiles it; `tick` is the step of the recording's times.
///
/// # Errors
/// Every line that the recording does not have, or has more than one of, or that has no two levels.
pub fn compile(station: &Station, recorded: &[RecordedLine], tick: Nanos) -> Result<Plan, Vec<StationError>> {
    let known = LineNames::new(recorded);
    let mut errors: Vec<StationError> = Vec::new();
    let refuse = |errors: &mut Vec<StationError>, kind, line: &LineName| {
        let kind = if errors.len() < MOST_TOLD { known.explained(kind) } else { kind };
        errors.push(StationError { kind, span: line.span.clone() });
    };
    let (mut lines, mut numbers) = (Bound::default(), Bound::default());
    for point in &station.points {
        for line in point.kind.lines() {
            match known.level(&line.name) {
                Ok(signal) => lines.add(line, signal),
                Err(kind) => refuse(&mut errors, kind, line),
            }
        }
        if let Some(line) = point.kind.number_line() {
            match known.number(&line.name) {
                Ok(signal) => numbers.add(line, signal),
                Err(kind) => refuse(&mut errors, kind, line),
            }
        }
    }
    if !errors.is_empty() {
        return Err(errors);
    }
    // What is read by a scan is no finer than the scan.
    let tick = station.scan.map_or(tick, |scan| tick.max(scan.period));
    let compiled = branches(station).into_iter().map(|members| {
        let builder = BranchBuilder {
            branch: ProgramBranch::default(),
            owner: 0,
            main: MainColumn::default(),
            columns: HashMap::new(),
            lines: &lines.numbers,
            number_lines: &numbers.numbers,
            tick,
            read: HashSet::new(),
        };
        compile_branch(station, &members, builder)
    });
    Ok(Plan {
        program: Program { branches: compiled.collect() },
        signals: lines.signals,
        names: lines.names,
        lines: lines.numbers,
        numbers: numbers.signals,
        number_lines: numbers.numbers,
    })
}

/// For each point the numbers of the points that it reads.
fn reads(station: &Station) -> Vec<Vec<usize>> {
    let number: HashMap<&str, usize> =
        station.points.iter().enumerate().map(|(number, point)| (point.name.as_str(), number)).collect();
    let of = |point: &Point| {
        let expressions = point.kind.expressions();
        expressions.iter().flat_map(|(_, bit)| bit.points()).filter_map(|name| number.get(name).copied()).collect()
    };
    station.points.iter().map(of).collect()
}

/// The points in an order in which each comes after what it reads; on a loop, the points of the loop.
fn ordered(reads: &[Vec<usize>]) -> Result<Vec<usize>, Vec<usize>> {
    #[derive(Clone, Copy, PartialEq)]
    enum Mark {
        New,
        Open,
        Done,
    }
    let mut marks = vec![Mark::New; reads.len()];
    let mut order = Vec::new();
    for root in 0..reads.len() {
        // A path of points, each with the number of its reads that have been followed.
        let mut path = vec![(root, 0)];
        while let Some((point, followed)) = path.last_mut() {
            let point = *point;
            let (Some(mark), Some(all)) = (marks.get_mut(point), reads.get(point)) else { break };
            match (*mark, all.get(*followed)) {
                (Mark::Done, _) => drop(path.pop()),
                (_, None) => {
                    *mark = Mark::Done;
                    order.push(point);
                    path.pop();
                }
                (_, Some(&next)) => {
                    *mark = Mark::Open;
                    *followed += 1;
                    if marks.get(next) == Some(&Mark::Open) {
                        let ring = path.iter().map(|(point, _)| *point).skip_while(|&point| point != next);
                        return Err(ring.collect());
                    }
                    path.push((next, 0));
                }
            }
        }
    }
    Ok(order)
}

/// Refuses a station whose points wait for one another.
pub(super) fn check_loops(station: &Station, builder: &mut Builder<'_>) {
    let Err(ring) = ordered(&reads(station)) else { return };
    let points: Vec<&Point> = ring.iter().filter_map(|&number| station.points.get(number)).collect();
    let Some(first) = points.first() else { return };
    let names = points.iter().chain([first]).map(|point| point.name.clone()).collect();
    builder.refuse(first.span.clone(), StationErrorKind::Loop(names));
}

/// The numbers of the points of each branch, each after what it reads.
fn branches(station: &Station) -> Vec<Vec<usize>> {
    let reads = reads(station);
    let order = ordered(&reads).unwrap_or_default();
    // The branch of each point so far; joining two branches renames the later one.
    let mut branch: Vec<usize> = (0..reads.len()).collect();
    for (point, all) in reads.iter().enumerate() {
        for &read in all {
            let pair = (branch.get(point).copied(), branch.get(read).copied());
            let (Some(one), Some(other)) = pair else { continue };
            branch.iter_mut().filter(|name| **name == one.max(other)).for_each(|name| *name = one.min(other));
        }
    }
    let mut members: Vec<Vec<usize>> = vec![Vec::new(); reads.len()];
    for point in order {
        let name = branch.get(point).copied().unwrap_or(point);
        if let Some(list) = members.get_mut(name) {
            list.push(point);
        }
    }
    members.retain(|list| !list.is_empty());
    members
}

fn compile_branch(station: &Station, members: &[usize], mut builder: BranchBuilder<'_>) -> ProgramBranch {
    for &number in members {
        let Some(point) = station.points.get(number) else { continue };
        (builder.owner, builder.main) = (number, main(point));
        let operation = point.kind.compile(&mut builder);
        let first = builder.branch.add(Some(number), number, builder.main, operation);
        let fields = point.kind.fields().iter().map(|field| (field.name.to_owned(), field.column));
        for (field, column) in fields.chain(point.kind.inner_fields()) {
            let name = Reference { point: point.name.clone(), field };
            let column = match column {
                FieldColumn::Bit(bit) => Operand::Bit(BitSource::Bit(first.bits + bit)),
                FieldColumn::Count(count) => Operand::Number(NumberSource::Count(first.counts + count)),
                FieldColumn::Reading(reading) => Operand::Number(NumberSource::Reading(first.readings + reading)),
            };
            builder.columns.insert(name, column);
        }
    }
    builder.branch.mark_unread(&builder.read);
    builder.branch
}

/// The type of a point's main column; what gives nothing to others is a bit.
fn main(point: &Point) -> MainColumn {
    match point.kind.fields().first().filter(|field| field.name.is_empty()).map(|field| field.column) {
        Some(FieldColumn::Count(_)) => MainColumn::Count,
        Some(FieldColumn::Reading(_)) => MainColumn::Reading,
        Some(FieldColumn::Bit(_)) | None => MainColumn::Bit,
    }
}

/// A branch in the making: where the columns of points and lines are.
pub struct BranchBuilder<'a> {
    branch: ProgramBranch,
    /// The point that is being compiled, and the type of its main column.
    owner: usize,
    main: MainColumn,
    columns: HashMap<Reference, Operand>,
    lines: &'a HashMap<String, usize>,
    number_lines: &'a HashMap<String, usize>,
    tick: Nanos,
    /// The numbers of the branch that some block reads.
    read: HashSet<NumberSource>,
}

/// The name of a formula's own number.
pub const RAW: &str = "raw";

/// A source that is not there, for what the checks have let through by no means.
const NOWHERE: BitSource = BitSource::Line(usize::MAX);

impl BranchBuilder<'_> {
    /// Where to read a line of the recording.
    pub fn line(&self, line: &LineName) -> BitSource {
        self.lines.get(&line.name).map_or(NOWHERE, |&number| BitSource::Line(number))
    }

    /// Where to read a number line of the recording.
    pub fn number_line(&self, line: &LineName) -> NumberSource {
        NumberSource::Line(self.number_lines.get(&line.name).copied().unwrap_or(usize::MAX))
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

    /// Where to read any part of an expression; operations are blocks.
    fn operand(&mut self, tree: &Expression) -> Operand {
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
