//! Rates by counting in a gate and by timing periods, and widths.

use super::build::{and, binary, not, of, pass_time, reached, set, when};
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Fixed, Kind, Statement, Value, VariableId};
use reigen_core::block::{BitSource, NumberSource};
use reigen_core::logic::expression::Operator;
use reigen_core::rate::settings::{Method, Settings};
use reigen_core::rate::width;
use reigen_core::time::Nanos;

/// Measures a frequency or speed.
pub(crate) fn rate(scope: &mut Scope, settings: &Settings, source: BitSource) -> Result<Made, Refusal> {
    if settings.marks.is_some() {
        return Err(Refusal::from("a wheel with a gap (`marks`)"));
    }
    let signal = scope.signal(source)?;
    let begin = scope.begin([signal.known.clone()]);
    let rose = scope.rose(&signal, "input");
    // Readings count from the first scan, whenever its bit is known.
    let due = match settings.method {
        Method::Auto { every } => Some(reading_is_due(scope, every)),
        Method::Gate { .. } | Method::Period { .. } => None,
    };
    let length = scope.length();
    let rate = Rate::new(scope, settings);
    match settings.method {
        Method::Gate { window } => gate(scope, &rate, &signal, rose, window)?,
        Method::Period { average } => period(scope, &rate, rose, average.into(), settings.zero_after),
        Method::Auto { every } => {
            let due = due.unwrap_or(Value::Bit(false));
            auto(scope, &rate, rose, Readings { every, due }, settings.zero_after);
        }
    }
    scope.end(&begin, length);
    Ok(Made { bits: vec![Ok(rate.stopped(begin.known()))], ..rate.made() })
}

/// What the methods fill.
pub(super) struct Rate {
    value: VariableId,
    known: VariableId,
    per_hertz: f64,
}

impl Rate {
    /// Without a reading yet.
    pub(super) fn new(scope: &mut Scope, settings: &Settings) -> Self {
        let value = scope.result(Kind::Real, "rate");
        let known = scope.state("known", Kind::Bit, "whether there is a reading yet");
        Self { value, known, per_hertz: settings.unit.per_hertz }
    }

    /// Whether the last reading is 0.
    fn stopped(&self, known: Option<Value>) -> Signal {
        let level = super::build::or(not(of(self.known)), binary(Operator::Equal, of(self.value), Value::Real(0.0)));
        Signal { level, known, twice: None, between: None }
    }

    /// What it gives.
    pub(super) fn made(&self) -> Made {
        Made {
            bits: vec![Ok(self.stopped(None))],
            readings: vec![
                Ok(Number::real(of(self.value), Some(of(self.known)))),
                Err(Refusal::from("the resolution of a rate")),
            ],
            ..Made::default()
        }
    }

    /// A reading, in hertz.
    pub(super) fn reading(&self, scope: &mut Scope, hertz: Value) -> Vec<Statement> {
        let value = match self.per_hertz == 1.0 {
            true => hertz,
            false => {
                let per_hertz = scope.constant("PER_HERTZ", Fixed::Real(self.per_hertz));
                binary(Operator::Times, hertz, per_hertz)
            }
        };
        vec![set(self.value, value), set(self.known, Value::Bit(true))]
    }
}

/// Edges counted in windows that follow one another from the first scan on.
fn gate(scope: &mut Scope, rate: &Rate, signal: &Signal, rose: Value, window: Nanos) -> Result<(), Refusal> {
    if signal.known.is_some() {
        return Err(Refusal::from("it counts in windows what may have no level at the first scan"));
    }
    let count = windows(scope, rate, window);
    scope.add(when(rose, vec![set(count, binary(Operator::Plus, of(count), Value::Whole(1)))]));
    Ok(())
}

/// Windows that follow one another from the first scan on, each with a reading at its end; gives what counts the edges in one.
pub(super) fn windows(scope: &mut Scope, rate: &Rate, window: Nanos) -> VariableId {
    let passed = scope.state("open_for", Kind::of_time(window), "how long the window has been open");
    let count = scope.state("edges", Kind::Whole, "edges in it");
    let per_count = scope.constant("PER_EDGE", Fixed::Real(1.0 / window.seconds()));
    let window = scope.time("WINDOW", window);
    let hertz = binary(Operator::Times, Value::AsReal(Box::new(of(count))), per_count);
    let mut close = rate.reading(scope, hertz);
    close.push(set(count, Value::Whole(0)));
    close.push(set(passed, binary(Operator::Minus, of(passed), window.clone())));
    scope.add(pass_time(passed));
    scope.add(when(reached(passed, window), close));
    count
}

/// The time of the last intervals, at each edge.
fn period(scope: &mut Scope, rate: &Rate, rose: Value, average: i64, zero_after: Option<Nanos>) {
    let places = usize::try_from(average).unwrap_or(1).max(1);
    let times = scope.row("edge_at", Kind::LongTime, places, "times of the last edges, one after another around");
    let next = scope.state("next_edge", Kind::Whole, "where the next one goes");
    let edges = scope.state("edges", Kind::Whole, "how many of them count");
    let most = scope.constant("INTERVALS", Fixed::Whole(average));
    let oldest = Value::Element(times, Box::new(of(next)));
    let timed = Value::Seconds(Box::new(binary(Operator::Minus, Value::Clock, oldest)));
    let hertz = binary(Operator::Over, Value::AsReal(Box::new(most.clone())), timed);
    let full = binary(Operator::AtLeast, of(edges), most.clone());
    let around = binary(Operator::Mod, binary(Operator::Plus, of(next), Value::Whole(1)), most);
    let more = set(edges, binary(Operator::Plus, of(edges), Value::Whole(1)));
    let mut edge = vec![
        Statement::If(vec![(full, rate.reading(scope, hertz))], vec![more]),
        Statement::SetElement(times, of(next), Value::Clock),
        set(next, around),
    ];
    let Some(zero_after) = zero_after else {
        scope.add(when(rose, edge));
        return;
    };
    let passed = scope.state("idle_for", Kind::of_time(zero_after), "time since the last edge");
    let zero_after = scope.time("ZERO_AFTER", zero_after);
    edge.push(set(passed, Value::Whole(0)));
    // An edge exactly then is still in time; what comes later begins anew.
    let idle = and(binary(Operator::Greater, of(edges), Value::Whole(0)), reached(passed, zero_after));
    let turned = and(of(rate.known), binary(Operator::NotEqual, of(rate.value), Value::Real(0.0)));
    let stop = vec![set(edges, Value::Whole(0)), when(turned, vec![set(rate.value, Value::Real(0.0))])];
    let any = binary(Operator::Greater, of(edges), Value::Whole(0));
    scope.add(when(any, vec![pass_time(passed)]));
    scope.add(Statement::If(vec![(rose, edge), (idle, stop)], Vec::new()));
}

/// A bound is lowered by no less than so small a part of the idle time.
pub(super) const FALL: u64 = 1000;

/// Whether a reading is due in this scan.
pub(super) fn reading_is_due(scope: &mut Scope, every: Nanos) -> Value {
    let passed = scope.state("since", Kind::of_time(every), "time since the last reading was due");
    let due = scope.local("due", Kind::Bit);
    let every = scope.time("EVERY", every);
    scope.add(pass_time(passed));
    scope.set(due, reached(passed, every.clone()));
    scope.add(when(of(due), vec![set(passed, binary(Operator::Minus, of(passed), every))]));
    of(due)
}

/// When readings are due.
pub(super) struct Readings {
    pub(super) every: Nanos,
    /// Whether one is in this scan.
    pub(super) due: Value,
}

/// Edges that are timed.
pub(super) struct Edges {
    anchored: VariableId,
    anchor: VariableId,
    last: VariableId,
    count: VariableId,
}

impl Edges {
    pub(super) fn new(scope: &mut Scope) -> Self {
        Self {
            anchored: scope.state("anchored", Kind::Bit, "whether there is an edge to count from"),
            anchor: scope.state("anchor", Kind::LongTime, "when that was"),
            last: scope.state("last_edge", Kind::LongTime, "the last edge of all"),
            count: scope.state("edges", Kind::Whole, "edges since that one"),
        }
    }

    /// What an edge at a time does.
    pub(super) fn edge(&self, at: Value) -> Vec<Statement> {
        let first = vec![set(self.anchored, Value::Bit(true)), set(self.anchor, at.clone())];
        let more = vec![set(self.count, binary(Operator::Plus, of(self.count), Value::Whole(1)))];
        vec![super::build::either(of(self.anchored), more, first), set(self.last, at)]
    }
}

/// Edges over the time that they took, at a constant step.
fn auto(scope: &mut Scope, rate: &Rate, rose: Value, readings: Readings, zero_after: Option<Nanos>) {
    let edges = Edges::new(scope);
    // An edge at the time of a reading belongs to it.
    scope.add(when(rose, edges.edge(Value::Clock)));
    read_at(scope, rate, &edges, readings, zero_after);
}

/// What a reading that is due makes of the edges.
pub(super) fn read_at(scope: &mut Scope, rate: &Rate, edges: &Edges, readings: Readings, zero_after: Option<Nanos>) {
    let Edges { anchored, anchor, last, count } = *edges;
    let hertz = scope.state("hertz", Kind::Real, "the last reading in hertz");
    let timed = Value::Seconds(Box::new(binary(Operator::Minus, of(last), of(anchor))));
    let counted = binary(Operator::Over, Value::AsReal(Box::new(of(count))), timed);
    let mut read = vec![set(hertz, counted)];
    read.extend(rate.reading(scope, of(hertz)));
    read.extend([set(anchor, of(last)), set(count, Value::Whole(0))]);
    let idle = binary(Operator::Minus, Value::Clock, of(last));
    // A long standstill lowers the bound by a thousandth at a time.
    let is_long = zero_after.is_none_or(|zero_after| zero_after.0 / FALL > readings.every.0);
    let fell = is_long.then(|| scope.state("fell_at", Kind::LongTime, "when the bound was lowered last"));
    read.extend(fell.map(|fell| set(fell, of(last))));
    let mut arms = vec![(binary(Operator::Greater, of(count), Value::Whole(0)), read)];
    if let Some(zero_after) = zero_after {
        let zero_after = scope.time("ZERO_AFTER", zero_after);
        let mut stop = vec![set(anchored, Value::Bit(false)), set(hertz, Value::Real(0.0))];
        stop.push(when(of(rate.known), vec![set(rate.value, Value::Real(0.0))]));
        arms.push((binary(Operator::AtLeast, idle.clone(), zero_after), stop));
    }
    // Without an edge it cannot be faster than one edge since the last.
    let most = binary(Operator::Over, Value::Real(1.0), Value::Seconds(Box::new(idle)));
    let mut lower = binary(Operator::Less, most.clone(), of(hertz));
    let mut fall = vec![set(hertz, most)];
    if let Some(fell) = fell {
        let since = binary(Operator::Minus, Value::Clock, of(fell));
        let idle_then = binary(Operator::Minus, of(fell), of(last));
        let thousand = Value::Whole(FALL.cast_signed());
        lower = and(lower, binary(Operator::AtLeast, binary(Operator::Times, since, thousand), idle_then));
        fall.push(set(fell, Value::Clock));
    }
    fall.extend(rate.reading(scope, of(hertz)));
    arms.push((and(of(rate.known), lower), fall));
    scope.add(when(and(readings.due, of(anchored)), vec![Statement::If(arms, Vec::new())]));
}

/// How long a level is held.
pub(crate) fn stretches(scope: &mut Scope, source: BitSource, high: bool) -> Result<Made, Refusal> {
    let signal = scope.signal(source)?;
    if signal.twice.is_some() {
        return Err(Refusal::from("it measures a bit that can change to and fro within one scan"));
    }
    let changed = scope.changed(&signal, "input");
    let began = scope.state("began", Kind::LongTime, "when the level began");
    let open = scope.state("measures", Kind::Bit, "whether it began within the time that is seen");
    let width = scope.state("width", Kind::Real, "in seconds");
    let measured = scope.local("measured", Kind::Bit);
    let known = scope.state("measured_yet", Kind::Bit, "");
    let level = if high { signal.level } else { not(signal.level) };
    let begins = vec![set(began, Value::Clock), set(open, Value::Bit(true))];
    let time = Value::Seconds(Box::new(binary(Operator::Minus, Value::Clock, of(began))));
    let ends = vec![
        set(measured, Value::Bit(true)),
        set(width, time),
        set(known, Value::Bit(true)),
        set(open, Value::Bit(false)),
    ];
    scope.set(measured, Value::Bit(false));
    let ended = and(changed.clone(), of(open));
    scope.add(Statement::If(vec![(and(changed, level), begins), (ended, ends)], Vec::new()));
    let mut number = Number::real(of(width), Some(of(known)));
    number.fresh = Some(of(measured));
    Ok(Made::reading(number))
}

/// A reading of held times.
pub(crate) fn width(
    scope: &mut Scope,
    settings: &width::Settings,
    raw: NumberSource,
    formula: Option<NumberSource>,
) -> Result<Made, Refusal> {
    let raw = scope.number(raw)?;
    let number = formula.map(|formula| scope.number(formula)).transpose()?.unwrap_or_else(|| raw.clone());
    let Some(fresh) = raw.fresh.clone() else { return Err(Refusal::from("it reads what is no width")) };
    let value = scope.result(Kind::Real, "value");
    let known = scope.state("known", Kind::Bit, "whether there is a reading yet");
    // A width that has just been measured is known.
    let given = number.known.clone().filter(|known| formula.is_some() && raw.known.as_ref() != Some(known));
    let conditions = [Some(fresh), given, number.valid.clone()].into_iter().flatten().reduce(and);
    let reading = scope.local("reading", Kind::Real);
    let in_range = in_range(scope, &of(reading), settings.valid);
    let show = when(in_range, vec![set(value, of(reading)), set(known, Value::Bit(true))]);
    scope.add(when(conditions.unwrap_or(Value::Bit(true)), vec![set(reading, number.value), show]));
    Ok(Made::reading(Number::real(of(value), Some(of(known)))))
}

/// Whether a number is within its valid range.
pub(crate) fn in_range(scope: &mut Scope, value: &Value, valid: Option<[f64; 2]>) -> Value {
    let Some([least, most]) = valid else { return Value::Bit(true) };
    let (least, most) = (scope.constant("LEAST", Fixed::Real(least)), scope.constant("MOST", Fixed::Real(most)));
    and(binary(Operator::AtLeast, value.clone(), least), binary(Operator::AtMost, value.clone(), most))
}

/// The time from one bit to another.
pub(crate) fn delay(scope: &mut Scope, from: BitSource, to: BitSource) -> Result<Made, Refusal> {
    let (from, to) = (scope.signal(from)?, scope.signal(to)?);
    if from.twice.is_some() || to.twice.is_some() {
        return Err(Refusal::from("it measures a bit that can change to and fro within one scan"));
    }
    let begin = scope.begin([from.known.clone(), to.known.clone()]);
    let (asks, answers) = (scope.rose(&from, "from"), scope.rose(&to, "to"));
    let length = scope.length();
    let (asks, answers) = (scope.once(asks, "asks"), scope.once(answers, "answers"));
    let waits = scope.state("waits", Kind::Bit, "whether an answer is awaited");
    let since = scope.state("since", Kind::LongTime, "from when on");
    let value = scope.result(Kind::Real, "value");
    let known = scope.state("known", Kind::Bit, "whether there is a delay yet");
    let time = Value::Seconds(Box::new(binary(Operator::Minus, Value::Clock, of(since))));
    let answered = vec![set(value, time), set(known, Value::Bit(true)), set(waits, Value::Bit(false))];
    let at_once = vec![set(value, Value::Real(0.0)), set(known, Value::Bit(true))];
    let ask = vec![set(waits, Value::Bit(true)), set(since, Value::Clock)];
    let waited = scope.local("waited", Kind::Bit);
    scope.set(waited, of(waits));
    scope.add(when(and(answers.clone(), of(waited)), answered));
    let unasked = and(answers, not(of(waited)));
    scope.add(when(asks, vec![super::build::either(unasked, at_once, ask)]));
    scope.end(&begin, length);
    Ok(Made {
        bits: vec![Ok(Signal { level: of(waits), known: begin.known(), twice: None, between: None })],
        readings: vec![Ok(Number::real(of(value), Some(of(known))))],
        ..Made::default()
    })
}
