//! Counters: edges, scans or steps, with presets and limits.

use super::build::{and, binary, either, not, of, set, when};
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Block, Fixed, Kind, Range, Statement, Value, VariableId, WHOLE};
use reigen_core::block::BitSource;
use reigen_core::count::counter::{AtLast, CountedEdge, Settings, Sources};
use reigen_core::logic::apply::Operand;
use reigen_core::logic::expression::{Operator, Value as Literal};

/// Counts.
pub(crate) fn counter(scope: &mut Scope, settings: &Settings, sources: &Sources) -> Result<Made, Refusal> {
    let optional = |source: Option<BitSource>| source.map(|source| scope.signal(source)).transpose();
    let (up, down) = (optional(sources.up)?, optional(sources.down)?);
    let (gate, reset, load) = (optional(sources.gate)?, optional(sources.reset)?, optional(sources.load)?);
    let steps = sources.steps.map(|steps| scope.number(steps)).transpose()?;
    let load_to = load_to(scope, sources)?;
    let both_ways = settings.edge == CountedEdge::Both && settings.scans.is_none();
    if both_ways && [&up, &down].into_iter().flatten().any(|signal| signal.twice.is_some()) {
        return Err(Refusal::from("it counts both edges of a bit that can change to and fro within one scan"));
    }
    let signals = [&up, &down, &gate, &reset, &load];
    let known: Vec<Option<Value>> =
        signals.iter().map(|signal| signal.as_ref().and_then(|signal| signal.known.clone())).collect();
    let begin = scope.begin(known);
    let counter = Counter::counting(scope, settings, load_to, false, steps.is_some());
    let counted = |scope: &mut Scope, signal: Option<&Signal>, name| {
        signal.map(|signal| match settings.scans {
            Some(_) => signal.level.clone(),
            None => edges(scope, signal, settings.edge, name),
        })
    };
    let (up, down) = (counted(scope, up.as_ref(), "up"), counted(scope, down.as_ref(), "down"));
    let length = scope.length();
    let counts = match &steps {
        Some(steps) => counter.by_steps(scope, steps)?,
        None => counter.by_edges(up.clone(), down.clone()),
    };
    counter.prepare(scope);
    let block = match (&up, &gate) {
        (Some(up), None) if steps.is_none() => {
            let others = [
                &down,
                &reset.as_ref().map(|reset| reset.level.clone()),
                &load.as_ref().map(|load| load.level.clone()),
            ];
            counter.standard(scope, up, others.map(Option::as_ref))
        }
        _ => None,
    };
    let counts = match gate {
        Some(gate) if !counts.is_empty() => vec![when(gate.level, counts)],
        _ => counts,
    };
    let mut arms = Vec::new();
    if let Some(reset) = reset {
        arms.push((reset.level, vec![set(counter.value, counter.start.clone())]));
    }
    if let (Some(load), Some(to)) = (load, counter.load_to.clone()) {
        arms.push((load.level, vec![set(counter.value, to)]));
    }
    let plain = if arms.is_empty() { counts } else { vec![Statement::If(arms, counts)] };
    match block {
        Some(block) => scope.add(Statement::Block(block, plain)),
        None => plain.into_iter().for_each(|statement| scope.add(statement)),
    }
    scope.end(&begin, length);
    Ok(counter.made(scope, begin.known()))
}

/// The value to load, and what it can be.
pub(super) fn load_to(scope: &mut Scope, sources: &Sources) -> Result<Option<(Value, Range)>, Refusal> {
    Ok(match sources.load_to.filter(|_| sources.load.is_some()) {
        None => sources.load.map(|_| (Value::Whole(0), (0, 0))),
        Some(Operand::Constant(Literal::Integer(whole))) => {
            let range = (whole.into(), whole.into());
            Some((scope.constant("LOAD", Fixed::Whole(whole)), range))
        }
        Some(Operand::Number(source)) => {
            let number = scope.number(source)?;
            if number.known.is_some() {
                return Err(Refusal::from("it loads a number that may have no value"));
            }
            Some((number.value, number.range))
        }
        Some(_) => return Err(Refusal::from("it loads what is no whole number")),
    })
}

/// Whether a signal has an edge that counts.
fn edges(scope: &mut Scope, signal: &Signal, edge: CountedEdge, name: &str) -> Value {
    match edge {
        CountedEdge::Rising => scope.rose(signal, name),
        CountedEdge::Falling => {
            let fallen = Signal { level: not(signal.level.clone()), ..signal.clone() };
            scope.rose(&fallen, &format!("{name}_off"))
        }
        CountedEdge::Both => scope.changed(signal, name),
    }
}

/// A counter in the making.
pub(super) struct Counter<'a> {
    settings: &'a Settings,
    pub(super) value: VariableId,
    pub(super) start: Value,
    pub(super) load_to: Option<Value>,
    /// The constant that it loads, where it is one.
    loads: Option<i128>,
    pub(super) range: Range,
    /// Whether the last preset sent it back in this scan.
    pub(super) restarted: Option<VariableId>,
}

impl<'a> Counter<'a> {
    /// One that counts between scans, beside what scans show.
    pub(super) fn inner(scope: &mut Scope, settings: &'a Settings, load_to: Option<(Value, Range)>) -> Self {
        Self::counting(scope, settings, load_to, true, false)
    }

    /// One in the making; `inner` where scans only show it, `far` where it can go far in one scan.
    fn counting(
        scope: &mut Scope,
        settings: &'a Settings,
        load_to: Option<(Value, Range)>,
        inner: bool,
        far: bool,
    ) -> Self {
        let unlimited = if far { (i64::MIN.into(), i64::MAX.into()) } else { WHOLE };
        let limits = settings.range.map_or(unlimited, |range| (range.least.into(), range.most.into()));
        let start: Range = (settings.start.into(), settings.start.into());
        let join = |(least, most): Range, (low, high): Range| (least.min(low), most.max(high));
        let presets = settings.presets.iter().map(|preset| (i128::from(*preset), i128::from(*preset)));
        let loaded = load_to.iter().map(|(_, range)| *range);
        let range = presets.chain(loaded).fold(join(limits, start), join);
        let kind = Kind::of_range(range);
        let value = match inner {
            true => scope.state("counted", kind, "counts at each edge, shown at scans"),
            false => scope.result(kind, "count"),
        };
        scope.begin_with(value, Value::Whole(settings.start));
        let restarts = settings.at_last == AtLast::Restart && !settings.presets.is_empty();
        let restarted = restarts.then(|| scope.local("restarted", Kind::Bit));
        let start = Value::Whole(settings.start);
        let loads =
            load_to.as_ref().map(|(_, range)| *range).filter(|(least, most)| least == most).map(|(least, _)| least);
        Self { settings, value, start, load_to: load_to.map(|(to, _)| to), loads, range, restarted }
    }

    /// What stands before the counts.
    fn prepare(&self, scope: &mut Scope) {
        if let Some(restarted) = self.restarted {
            scope.set(restarted, Value::Bit(false));
        }
    }

    /// One step up or down, as far as its limits let it.
    pub(super) fn step(&self, up: bool) -> Vec<Statement> {
        let (value, range) = (self.value, self.settings.range);
        let next = binary(if up { Operator::Plus } else { Operator::Minus }, of(value), Value::Whole(1));
        let (end, other_end) = match (range, Kind::of_range(self.range)) {
            (Some(range), _) if up => (range.most, range.least),
            (Some(range), _) => (range.least, range.most),
            (None, Kind::Wide) => return vec![set(value, next)],
            (None, _) => (if up { i32::MAX.into() } else { i32::MIN.into() }, 0),
        };
        let wraps = range.is_some_and(|range| range.wraps);
        // A value that was loaded beyond the limits is as if it were at one.
        let (low, high) = range.map_or((end, end), |range| (range.least, range.most));
        let beyond = self.load_is_beyond(low, high);
        let inside = match (beyond, up) {
            (false, true) => binary(Operator::Less, of(value), Value::Whole(end)),
            (false, false) => binary(Operator::Greater, of(value), Value::Whole(end)),
            (true, true) => and(
                binary(Operator::Less, of(value), Value::Whole(high)),
                binary(Operator::AtLeast, of(value), Value::Whole(low.saturating_sub(1))),
            ),
            (true, false) => and(
                binary(Operator::Greater, of(value), Value::Whole(low)),
                binary(Operator::AtMost, of(value), Value::Whole(high.saturating_add(1))),
            ),
        };
        let otherwise = if wraps { vec![set(value, Value::Whole(other_end))] } else { Vec::new() };
        let mut steps = vec![either(inside, vec![set(value, next)], otherwise)];
        if let (Some(restarted), Some(last), true) = (self.restarted, self.settings.presets.last(), up) {
            let back = vec![set(value, self.start.clone()), set(restarted, Value::Bit(true))];
            // Only a count that was made can reach it.
            let at_last = when(binary(Operator::Equal, of(value), Value::Whole(*last)), back);
            steps = match steps.pop() {
                Some(Statement::If(mut arms, otherwise)) => {
                    arms.iter_mut().for_each(|(_, arm)| arm.push(at_last.clone()));
                    let otherwise = if wraps { [otherwise, vec![at_last]].concat() } else { otherwise };
                    vec![Statement::If(arms, otherwise)]
                }
                Some(other) => vec![other, at_last],
                None => Vec::new(),
            };
        }
        steps
    }

    /// Whether its value can lie beyond its limits: loaded, started or restarted there.
    fn load_is_beyond(&self, low: i64, high: i64) -> bool {
        self.settings.range.is_some() && (self.range.0 < low.into() || self.range.1 > high.into())
    }

    /// The standard block that does the same, where one does: counts of edges from 0 on, as far as 32 bits go, with one preset.
    fn standard(&self, scope: &mut Scope, up: &Value, [down, reset, load]: [Option<&Value>; 3]) -> Option<Block> {
        let Settings { edge, start, presets, at_last, range, scans, .. } = self.settings;
        let [preset] = presets.as_slice() else { return None };
        let is_plain = *edge == CountedEdge::Rising && *start == 0 && range.is_none() && scans.is_none();
        if !is_plain || *at_last != AtLast::GoOn || Kind::of_range(self.range) != Kind::Whole {
            return None;
        }
        let loads_preset = match load {
            None => true,
            // The standard loads its preset, and that alone.
            Some(_) => down.is_some() && self.loads == Some((*preset).into()),
        };
        if !loads_preset {
            return None;
        }
        let value = |of: Option<&Value>| of.cloned().unwrap_or(Value::Bit(false));
        let (kind, inputs) = match down {
            None => ("CTU_DINT", vec![("CU", up.clone()), ("R", value(reset)), ("PV", Value::Whole(*preset))]),
            Some(down) => {
                let inputs = vec![
                    ("CU", up.clone()),
                    ("CD", down.clone()),
                    ("R", value(reset)),
                    ("LD", value(load)),
                    ("PV", Value::Whole(*preset)),
                ];
                ("CTUD_DINT", inputs)
            }
        };
        Some(Block {
            kind,
            instance: scope.instance("counter"),
            inputs,
            outputs: vec![("CV", self.value)],
            instead: Vec::new(),
        })
    }

    /// Counts edges or scans: one up and one down leave it as it is.
    fn by_edges(&self, up: Option<Value>, down: Option<Value>) -> Vec<Statement> {
        match (up, down) {
            (Some(up), None) => vec![when(up, self.step(true))],
            (None, Some(down)) => vec![when(down, self.step(false))],
            (Some(up), Some(down)) => {
                let only_up = and(up.clone(), not(down.clone()));
                let only_down = and(down, not(up));
                vec![Statement::If(vec![(only_up, self.step(true)), (only_down, self.step(false))], Vec::new())]
            }
            (None, None) => Vec::new(),
        }
    }

    /// Counts the steps of a register, one by one.
    fn by_steps(&self, scope: &mut Scope, steps: &Number) -> Result<Vec<Statement>, Refusal> {
        let Some(fresh) = steps.fresh.clone() else {
            return Err(Refusal::from("it counts steps that do not come anew"));
        };
        if self.settings.range.is_none() && self.restarted.is_none() {
            return Ok(vec![when(
                fresh,
                vec![set(self.value, binary(Operator::Plus, of(self.value), steps.value.clone()))],
            )]);
        }
        let number = scope.local("steps_done", Kind::Wide);
        let up = binary(Operator::Greater, steps.value.clone(), Value::Whole(0));
        let back = Value::Negated(Box::new(steps.value.clone()));
        let rises = Statement::Repeat(number, steps.value.clone(), self.step(true));
        let falls = Statement::Repeat(number, back, self.step(false));
        Ok(vec![when(fresh, vec![either(up, vec![rises], vec![falls])])])
    }

    /// What it gives.
    pub(super) fn made(&self, scope: &mut Scope, known: Option<Value>) -> Made {
        let (settings, value) = (self.settings, of(self.value));
        let reached = |preset: i64| binary(Operator::AtLeast, value.clone(), Value::Whole(preset));
        let at_zero = binary(Operator::AtMost, value.clone(), Value::Whole(0));
        let done = match settings.presets.last() {
            _ if settings.only_down => at_zero.clone(),
            Some(last) => reached(*last),
            None => Value::Bit(false),
        };
        let bit = |level, twice| Ok(Signal { level, known: known.clone(), twice, between: None });
        let mut made = Made::default();
        made.bits.push(bit(done, self.restarted.map(of)));
        if settings.tells_zero {
            made.bits.push(bit(at_zero, None));
        }
        made.counts.push(Ok(Number::whole(value.clone(), known.clone(), self.range)));
        let digit = |preset: &i64| Value::Digit(Box::new(reached(*preset)));
        let sum = settings.presets.iter().map(digit).reduce(|one, other| binary(Operator::Plus, one, other));
        let most = settings.presets.len() as i128;
        let band = Number::whole(sum.unwrap_or(Value::Whole(0)), known.clone(), (0, most));
        let bands = settings.presets.iter().map(|preset| reached(*preset)).collect();
        made.counts.push(Ok(Number { bands, ..band }));
        if let Some((worth, _)) = &settings.scale {
            let worth = scope.constant("PER_COUNT", Fixed::Real(*worth));
            let scaled = binary(Operator::Times, Value::AsReal(Box::new(value)), worth);
            made.readings.push(Ok(Number::real(scaled, known)));
        }
        made
    }
}
