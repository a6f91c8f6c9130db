//! From the compiled program to what a controller does in a scan, operation by operation.

mod analog;
mod between;
mod build;
mod chain;
mod counter;
mod encoder;
mod expression;
mod fold;
mod input;
mod logic;
mod rate;
mod register;
mod scope;
mod timer;
mod word;

use crate::model::*;
use crate::names::Names;
use reigen_core::block::{MainColumn, NumberSource};
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::number::register::Sources;
use reigen_core::program::{Operation, Program, ProgramNode};
use reigen_station::station::plan::Plan;
use reigen_station::station::{Point, Station};
use scope::{Made, Refusal, Scope, Signal};
use std::collections::{HashMap, HashSet};

/// A station as code wants it.
#[derive(Debug, Clone, Copy)]
pub struct Source<'a> {
    /// The station.
    pub station: &'a Station,
    /// The text of its file.
    pub text: &'a str,
    /// Its program, and the lines that it reads.
    pub plan: &'a Plan,
    /// When it scans.
    pub scan: ReadingTimes,
    /// Which station it is: its hash.
    pub version: &'a str,
    /// Whether the language has a place for what happens between scans.
    pub has_edges: bool,
}

/// Makes the code of a station: each point that can be written, after what it reads.
pub fn lower(source: Source<'_>) -> Code {
    let mut names = Names::default();
    let points = source.station.points.iter().map(|point| names.of_station(&point.name, "point")).collect::<Vec<_>>();
    let whole = whole_lines(&source.plan.program);
    let addresses = addresses(source.station);
    let mut lines = Vec::new();
    let sampled = sampled_lines(source.station);
    let mut line = |names: &mut Names, name: &String, kind| {
        let address = addresses.get(name.as_str()).cloned();
        let samples = sampled.contains(name.as_str());
        let name_here = names.of_station(name, "line");
        lines.push(Line { name: name_here, of: name.clone(), kind, edges: false, samples, address });
        LineId(lines.len() - 1)
    };
    let bits = source.plan.names.iter().map(|name| line(&mut names, name, Kind::Bit)).collect();
    let numbers = number_names(source.plan);
    let converted = converted_lines(&source.plan.program);
    let kind = |number: usize, name: &str| match () {
        () if whole.contains(&number) || sampled.contains(name) => Kind::Wide,
        () if converted.contains(&number) => Kind::Whole,
        () => Kind::Real,
    };
    let numbers = numbers.iter().enumerate().map(|(number, name)| line(&mut names, name, kind(number, name)));
    let numbers = numbers.collect();
    let code = Code {
        title: source.station.title.clone(),
        version: source.version.to_owned(),
        period: source.scan.period,
        lines,
        chains: Vec::new(),
        variables: Vec::new(),
        constants: Vec::new(),
        parts: Vec::new(),
        left_out: Vec::new(),
        renamed: Vec::new(),
        not_retained: Vec::new(),
        unused_lines: Default::default(),
        unused_chains: Default::default(),
    };
    let mut scope = Scope::new(code, names, bits, numbers, no_part());
    scope.has_edges = source.has_edges;
    for branch in &source.plan.program.branches {
        scope.columns = Default::default();
        branch.nodes.iter().for_each(|node| work(&mut scope, source, &points, node));
        end_part(&mut scope);
    }
    for point in &source.station.points {
        let told = scope.code.parts.iter().any(|part| part.of == point.name)
            || scope.code.chains.iter().any(|chain| chain.of == point.name)
            || scope.code.left_out.iter().any(|left| left.point == point.name);
        if !told {
            let why = "it does nothing of its own".to_owned();
            scope.code.left_out.push(LeftOut { point: point.name.clone(), why, since: None });
        }
    }
    for display in &source.station.displays {
        let why = "a text display: no controller has the same".to_owned();
        scope.code.left_out.push(LeftOut { point: display.name.clone(), why, since: None });
    }
    let mut code = scope.code;
    let order = |name: &str| source.station.points.iter().position(|point| point.name == name);
    code.left_out.sort_by_key(|left| order(&left.point).unwrap_or(usize::MAX));
    code.renamed = scope.names.renamed;
    let retained = source.station.points.iter().filter(|point| point.retains).map(|point| point.name.clone());
    code.not_retained = retained.filter(|name| code.parts.iter().any(|part| part.of == *name)).collect();
    fold::fold(&mut code);
    code.tidy();
    code
}

/// What an address of the station stands for: the line of the point that has it.
fn addresses(station: &Station) -> HashMap<&str, String> {
    let of = |point: &'_ Point| Some((point.kind.line()?.name.as_str().to_owned(), point.described.address.clone()?));
    let all = station.points.iter().filter_map(of);
    let mut known = HashMap::new();
    for (line, address) in all {
        let name = station.points.iter().filter_map(|point| point.kind.line()).find(|known| known.name == line);
        name.into_iter().for_each(|name| drop(known.insert(name.name.as_str(), address.clone())));
    }
    known
}

/// The names of the lines of numbers, in their order.
fn number_names(plan: &Plan) -> Vec<String> {
    let mut names = vec![String::new(); plan.numbers.len()];
    for (name, number) in &plan.number_lines {
        if let Some(place) = names.get_mut(*number).filter(|place| place.is_empty() || *name < **place) {
            place.clone_from(name);
        }
    }
    names
}

/// The lines of numbers that only registers read: each of their samples counts, also one that is as the one before.
fn sampled_lines(station: &Station) -> HashSet<&str> {
    let of = |register: bool| {
        let points = station.points.iter().filter(move |point| point.kind.is_register() == register);
        points.flat_map(|point| point.kind.number_lines()).map(|line| line.name.as_str()).collect::<HashSet<&str>>()
    };
    of(true).difference(&of(false)).copied().collect()
}

/// The lines of numbers of which only counts of a converter are read.
fn converted_lines(program: &Program) -> HashSet<usize> {
    let (mut all, mut others) = (HashSet::new(), HashSet::new());
    for branch in &program.branches {
        let mut lines: HashMap<NumberSource, usize> = HashMap::new();
        let mut readings = 0;
        for node in &branch.nodes {
            let (of, is_counts) = match &node.operation {
                Operation::NumberScan { of: NumberSource::Line(line), .. } => {
                    lines.insert(NumberSource::Reading(readings), *line);
                    (None, false)
                }
                Operation::Analog { settings, of, recorded: None } => (Some(*of), settings.scaling.counts.is_some()),
                Operation::Analog { recorded, .. } => (*recorded, false),
                Operation::Scaled { of, .. } | Operation::Register { sources: Sources { low: of, .. }, .. } => {
                    (Some(*of), false)
                }
                Operation::NumberBit { of: NumberSource::Line(line), .. } => {
                    others.insert(*line);
                    (None, false)
                }
                _ => (None, false),
            };
            if let Some(line) = of.and_then(|of| lines.get(&of)) {
                if is_counts {
                    all.insert(*line)
                } else {
                    others.insert(*line)
                };
            }
            readings += node.operation.shape().readings;
        }
    }
    all.difference(&others).copied().collect()
}

/// The lines of numbers of which only bits are read.
fn whole_lines(program: &Program) -> HashSet<usize> {
    let mut of_bits = HashSet::new();
    let mut others = HashSet::new();
    for node in program.branches.iter().flat_map(|branch| &branch.nodes) {
        match &node.operation {
            Operation::NumberBit { of: NumberSource::Line(line), .. } => drop(of_bits.insert(*line)),
            Operation::NumberScan { of: NumberSource::Line(line), .. } => drop(others.insert(*line)),
            _ => {}
        }
    }
    of_bits.difference(&others).copied().collect()
}

fn no_part() -> Part {
    Part {
        point: usize::MAX,
        of: String::new(),
        name: String::new(),
        text: String::new(),
        shown: Shown { value: VariableId(usize::MAX), known: None, known_name: None },
        address: None,
        body: Vec::new(),
        edges: Vec::new(),
        variables: Vec::new(),
    }
}

/// Works one node: it belongs to the part of its owner.
fn work(scope: &mut Scope, source: Source<'_>, points: &[String], node: &ProgramNode) {
    if scope.part.point != node.owner {
        end_part(scope);
        let (Some(point), Some(name)) = (source.station.points.get(node.owner), points.get(node.owner)) else { return };
        scope.part = Part {
            point: node.owner,
            of: point.name.clone(),
            name: name.clone(),
            text: own_lines(source.text, point),
            address: point.described.address.clone(),
            ..no_part()
        };
        scope.refused = None;
    }
    scope.stands = node.point.is_some();
    scope.reads_numbers = !node.unread;
    let made = match &scope.refused {
        Some(why) => Err(why.clone()),
        None => operation(scope, &node.operation),
    };
    if let (Err(why), None) = (&made, &scope.refused) {
        scope.refused = Some(why.clone());
    }
    // What reads it cannot be written either, and says why.
    let of = &scope.part.of;
    let made = made.map_err(|refusal| Refusal {
        since: Some(refusal.since.unwrap_or_else(|| of.clone())),
        why: format!("it reads `{of}`, which is not written"),
    });
    let is_chain = matches!(node.operation, Operation::Expander { .. });
    if let (true, false, Ok(made)) = (scope.stands, is_chain, &made) {
        show(scope, node.main, made);
    }
    scope.give(node.operation.shape(), made);
}

/// Makes sure that the point's main value is in a variable of its name.
fn show(scope: &mut Scope, main: MainColumn, made: &Made) {
    let (value, known) = match main {
        MainColumn::Bit => match made.bits.first() {
            Some(Ok(Signal { level, known, .. })) => (level.clone(), known.clone()),
            _ => return,
        },
        MainColumn::Count => match made.counts.first() {
            Some(Ok(number)) => (number.value.clone(), number.known.clone()),
            _ => return,
        },
        MainColumn::Reading => match made.readings.first() {
            Some(Ok(number)) => (number.value.clone(), number.known.clone()),
            _ => return,
        },
    };
    let own = scope
        .part
        .variables
        .iter()
        .copied()
        .find(|id| scope.code.variable(*id).is_some_and(|variable| variable.name == scope.part.name));
    let own = own.unwrap_or_else(|| {
        let kind = scope.code.kind(&value);
        let own = scope.own(kind);
        scope.set(own, value);
        own
    });
    let known_name = known.as_ref().map(|_| scope.names.of_code(&format!("{}_has_value", scope.part.name)));
    scope.part.shown = Shown { value: own, known, known_name };
}

fn end_part(scope: &mut Scope) {
    let part = std::mem::replace(&mut scope.part, no_part());
    if part.point == usize::MAX {
        return;
    }
    match scope.refused.take() {
        Some(Refusal { why, since }) => scope.code.left_out.push(LeftOut { point: part.of, why, since }),
        // A chain is read by what is around the code.
        None if scope.code.chains.iter().any(|chain| chain.point == part.point) => {}
        None if part.shown.value.0 == usize::MAX => {
            scope.code.left_out.push(LeftOut { point: part.of, why: "it gives no value".to_owned(), since: None });
        }
        None => scope.code.parts.push(part),
    }
}

/// The lines of the file that a point's table takes, up to the next table or an empty line.
fn own_lines(text: &str, point: &Point) -> String {
    let start = text.get(..point.span.start).and_then(|before| before.rfind('\n')).map_or(0, |end| end + 1);
    let rest = text.get(start..).unwrap_or_default();
    let mut lines = rest.lines();
    let first = lines.next().unwrap_or_default();
    if !first.trim_start().starts_with('[') || first.trim_start().starts_with("[\"") {
        // A point that stands within the table of another: one of a chain.
        let before = text.get(..start).unwrap_or_default();
        let header = before.lines().rev().find(|line| line.starts_with('[') && !line.starts_with("[\""));
        let table = header.and_then(|line| line.split_inclusive(']').next()).unwrap_or_default();
        return format!("{} of {table}", point.name);
    }
    let own =
        lines.take_while(|line| !(line.trim().is_empty() || line.trim_start().starts_with('[') && line.contains('.')));
    std::iter::once(first).chain(own).collect::<Vec<_>>().join("\n")
}

/// Why an expectation is not written.
const EXPECTATION: &str = "an expectation: it is for `reigen verify`";

fn operation(scope: &mut Scope, operation: &Operation) -> Result<Made, Refusal> {
    let refuse = |why: &str| Err(Refusal::from(why));
    match operation {
        Operation::Input { source, settings, .. } => input::input(scope, *source, settings),
        Operation::Counter { settings, sources } => counter::counter(scope, settings, sources),
        Operation::Encoder { settings, sources, .. } => encoder::encoder(scope, settings, sources),
        Operation::Word { code, sources, .. } => word::word(scope, *code, sources),
        Operation::Rate { settings, of, .. } => rate::rate(scope, settings, *of),
        Operation::Stretches { of, high } => rate::stretches(scope, *of, *high),
        Operation::Width { settings, raw, formula } => rate::width(scope, settings, *raw, *formula),
        Operation::Delay { from, to } => rate::delay(scope, *from, *to),
        Operation::Scaled { of, scaling } => analog::scaling(scope, *of, scaling),
        Operation::Analog { settings, of, recorded } => analog::analog(scope, settings, *of, recorded.is_some()),
        Operation::Hold { settings, of, at } => analog::hold(scope, settings, *of, *at),
        Operation::AnalogOutput { settings, of } => analog::analog_output(scope, settings, *of),
        Operation::Threshold { levels, of } => analog::threshold(scope, levels, *of),
        Operation::NumberScan { of, .. } => {
            let mut number = scope.number(*of)?;
            number.fresh = match number.value {
                Value::Line(id) if scope.code.lines.get(id.0).is_some_and(|line| line.samples) => {
                    Some(Value::Fresh(id))
                }
                _ => None,
            };
            Ok(Made::reading(number))
        }
        Operation::NumberBit { of, bit } => {
            let number = scope.number(*of)?;
            match scope.code.kind(&number.value) {
                Kind::Wide => Ok(Made::bit(Signal::always(Value::BitOf(Box::new(number.value), *bit)))),
                _ => refuse("it reads a bit of a number that is read as a number, too"),
            }
        }
        Operation::Logic { expression, sources } => expression::logic(scope, expression, sources),
        Operation::Apply { operation, operands, result } => expression::apply(scope, *operation, operands, *result),
        Operation::Formula { expression, names, operands } => expression::formula(scope, expression, names, operands),
        Operation::OneShot { of, rising, width } => logic::one_shot(scope, *of, *rising, *width),
        Operation::Latch { set, reset, set_wins } => logic::latch(scope, *set, *reset, *set_wins),
        Operation::Toggle { by, reset } => logic::toggle(scope, *by, *reset),
        Operation::Timer { kind, time, told, of } => timer::timer(scope, *kind, *time, *told, *of),
        Operation::Elapsed { running, elapsed, bound } => timer::elapsed(scope, *running, *elapsed, *bound),
        Operation::Pair { no, nc, within } => logic::pair(scope, *no, *nc, *within),
        Operation::Blink { of, flashes } => logic::blink(scope, *of, *flashes),
        Operation::Output { when, invert } => logic::output(scope, *when, *invert),
        Operation::ScannedCounter { settings, sources, .. } => between::counter(scope, settings, sources),
        Operation::ScannedEncoder { settings, sources, .. } => between::encoder(scope, settings, sources),
        Operation::ScannedRate { settings, of, .. } => between::rate(scope, settings, *of),
        Operation::Expander { settings, .. } => Ok(chain::chain(scope, settings)),
        Operation::Register { settings, sources } => register::register(scope, settings, sources),
        Operation::SampleRate { settings, count, delta } => register::rate(scope, settings, *count, *delta),
        Operation::Stats { .. } => refuse("a mean while a bit is on"),
        Operation::Expect { .. } | Operation::ExpectAfter { .. } => refuse(EXPECTATION),
    }
}
