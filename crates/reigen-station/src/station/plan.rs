//! From a station and the lines of a recording to a program.

use super::line_names::{LevelOrBit, LineNames};
use super::set_by_hand::{self, unless_set};
use super::{Point, Station};
use crate::table::branch::{BoundLines, BranchBuilder};
use crate::table::builder::Builder;
use crate::table::error::MOST_TOLD;
use crate::table::{FieldColumn, LineName, StationError, StationErrorKind};
use reigen_core::block::{BitSource, MainColumn, NumberSource};
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::logic::apply::Operand;
use reigen_core::logic::expression::Reference;
use reigen_core::program::{Program, ProgramBranch};
use reigen_core::time::Nanos;
use std::collections::{HashMap, HashSet};

/// A station bound to the lines of a recording.
#[derive(Debug)]
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

/// The field of a counter that is on for one scan where it restarts.
const DONE: &str = "done";

/// What the station's names of lines stand for.
#[derive(Debug, Default)]
struct LineBinding {
    /// The signals, each once.
    signals: Vec<usize>,
    /// The first name of each.
    names: Vec<String>,
    /// For each name the number of its signal among them.
    numbers: HashMap<String, usize>,
    /// The same for each signal.
    known: HashMap<usize, usize>,
}

impl LineBinding {
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
    let (mut lines, mut numbers) = (LineBinding::default(), LineBinding::default());
    let (mut number_bits, mut always_on) = (HashMap::new(), HashSet::new());
    for line in &station.online_lines() {
        match known.level(&line.name) {
            Ok(signal) => lines.add(line, signal),
            Err(_) => drop(always_on.insert(line.name.clone())),
        }
    }
    for point in &station.points {
        for line in point.kind.lines() {
            match known.level_or_bit(&line.name) {
                Err(StationErrorKind::UnknownLine { .. }) if station.is_online_line(&line.name) => {
                    always_on.insert(line.name.clone());
                }
                Ok(LevelOrBit::Level(signal)) => lines.add(line, signal),
                Ok(LevelOrBit::BitOfNumber { number, signal, bit }) => {
                    numbers.add(&LineName { name: number.clone(), span: line.span.clone() }, signal);
                    number_bits.insert(line.name.clone(), (number, bit));
                }
                Err(kind) => refuse(&mut errors, kind, line),
            }
        }
        for line in point.kind.number_lines() {
            match known.number(&line.name) {
                Ok(signal) => numbers.add(line, signal),
                Err(kind) => refuse(&mut errors, kind, line),
            }
        }
        // Only a run that lets people set outputs has these.
        if let Some(line) = set_by_hand::line_of(point) {
            known.number(&line.name).into_iter().for_each(|signal| numbers.add(&line, signal));
        }
    }
    if !errors.is_empty() {
        return Err(errors);
    }
    let steps = |is_level: bool| {
        let of_kind = recorded.iter().filter(move |line| (line.kind == LineKind::Level) == is_level);
        of_kind.filter_map(|line| Some((line.signal, line.step?))).collect::<HashMap<usize, Nanos>>()
    };
    let (level_steps, number_steps) = (steps(true), steps(false));
    let compiled = branches(station).into_iter().map(|members| {
        let bound = BoundLines {
            levels: &lines.numbers,
            numbers: &numbers.numbers,
            number_bits: &number_bits,
            always_on: &always_on,
        };
        let step = longest_step(station, &members, [(&lines, &level_steps), (&numbers, &number_steps)], &number_bits);
        let builder = BranchBuilder::new(bound, tick.max(step), station.scan);
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

/// How often the line was read that was read least often, of those that these points name; 0 where none was asked for.
fn longest_step(
    station: &Station,
    members: &[usize],
    steps: [(&LineBinding, &HashMap<usize, Nanos>); 2],
    number_bits: &HashMap<String, (String, u32)>,
) -> Nanos {
    let of = |(lines, steps): (&LineBinding, &HashMap<usize, Nanos>), name: &str| {
        let signal = lines.numbers.get(name).and_then(|number| lines.signals.get(*number))?;
        steps.get(signal).copied()
    };
    let [levels, numbers] = steps;
    let points = members.iter().filter_map(|number| station.points.get(*number));
    let of_point = points.flat_map(|point| {
        let bits = point.kind.lines().into_iter().map(|line| match number_bits.get(&line.name) {
            Some((number, _)) => of(numbers, number),
            None => of(levels, &line.name),
        });
        let numbers = point.kind.number_lines().into_iter().map(|line| of(numbers, &line.name));
        bits.chain(numbers).flatten().collect::<Vec<_>>()
    });
    of_point.max().unwrap_or_default()
}

/// For each point the numbers of the points that it reads.
pub(super) fn reads(station: &Station) -> Vec<Vec<usize>> {
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

/// The numbers of the points, each after what it reads; as they stand in the file where some wait for one another.
pub(super) fn in_order(station: &Station) -> Vec<usize> {
    ordered(&reads(station)).unwrap_or_else(|_| (0..station.points.len()).collect())
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
    let order = in_order(station);
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
        builder.begin(number, main(point));
        give_online_lines(station, point, &mut builder);
        let operation = point.kind.compile(&mut builder);
        let operation = unless_set(point, operation, &mut builder);
        let first = builder.stand_for(operation);
        let fields = point.kind.fields().iter().map(|field| (field.name.to_owned(), field.column));
        for (field, column) in fields.chain(point.kind.inner_fields()) {
            let name = Reference { point: point.name.clone(), field };
            let column = match column {
                FieldColumn::Bit(bit) => Operand::Bit(BitSource::Bit(first.bits + bit)),
                FieldColumn::Count(count) => Operand::Number(NumberSource::Count(first.counts + count)),
                FieldColumn::Reading(reading) => Operand::Number(NumberSource::Reading(first.readings + reading)),
            };
            let column = match column {
                // Others see it at scans.
                Operand::Bit(source) if point.kind.is_past_scan() => {
                    Operand::Bit(builder.past_scan(name.clone(), source))
                }
                Operand::Bit(source) if point.kind.restarts() && name.field == DONE => {
                    Operand::Bit(builder.for_one_scan(source))
                }
                column => column,
            };
            builder.give(name, column);
        }
    }
    builder.finish()
}

/// Makes known to a point which links answer, where it asks.
fn give_online_lines(station: &Station, point: &Point, builder: &mut BranchBuilder<'_>) {
    for (_, of) in point.kind.expressions() {
        for (name, part) in of.expression.names() {
            let line = LineName { name: name.to_string(), span: of.place(&part) };
            if station.is_online_line(&line.name) {
                let seen = builder.seen_line(&line);
                builder.give(name.clone(), Operand::Bit(seen));
            }
        }
    }
}

/// The type of a point's main column; what gives nothing to others is a bit.
fn main(point: &Point) -> MainColumn {
    match point.kind.fields().first().filter(|field| field.name.is_empty()).map(|field| field.column) {
        Some(FieldColumn::Count(_)) => MainColumn::Count,
        Some(FieldColumn::Reading(_)) => MainColumn::Reading,
        Some(FieldColumn::Bit(_)) | None => MainColumn::Bit,
    }
}
