//! Timers of IEC 61131-3, and comparisons of their time.

use super::build::{and, binary, either, not, of, pass_time, reached, set, when};
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Block, Kind, Statement, Value, VariableId};
use reigen_core::block::{BitSource, NumberSource};
use reigen_core::logic::elapsed::Bound;
use reigen_core::logic::expression::{Function, Operator};
use reigen_core::logic::timer::TimerKind;
use reigen_core::time::Nanos;

/// A millisecond: most controllers count their times in these.
const MS: u64 = 1_000_000;

/// What a timer works with.
struct Timer {
    level: Value,
    on: VariableId,
    runs: VariableId,
    passed: VariableId,
    time: Value,
    /// Whether its time is up, where that is asked for.
    over: Option<VariableId>,
}

/// A timer.
pub(crate) fn timer(
    scope: &mut Scope,
    kind: TimerKind,
    time: Nanos,
    told: Nanos,
    source: BitSource,
) -> Result<Made, Refusal> {
    let signal = scope.signal(source)?;
    if time == Nanos(0) {
        return no_time(scope, kind, signal);
    }
    let length = scope.length();
    let begin = scope.begin([signal.known.clone()]);
    let on = scope.result(Kind::Bit, "delayed");
    let name = match kind {
        TimerKind::OnDelay => "ON_DELAY",
        TimerKind::OffDelay => "OFF_DELAY",
        TimerKind::Pulse => "PULSE",
    };
    let level = scope.once(signal.level, "input");
    let named = scope.time(name, time);
    let (runs, passed) = (
        scope.state("runs", Kind::Bit, "whether its time runs"),
        scope.state("passed", Kind::of_time(time), "how much of it has passed"),
    );
    // What it tells as elapsed once its time is up; that of an on-delay follows from the timer itself.
    let is_read = scope.reads_numbers;
    let tells = is_read && kind != TimerKind::OnDelay;
    let over = tells.then(|| scope.state("over", Kind::Bit, "whether its time is up"));
    let timer = Timer { level: level.clone(), on, runs, passed, time: named.clone(), over };
    let plain = match kind {
        TimerKind::OnDelay => vec![on_delay(&timer)],
        TimerKind::OffDelay => vec![off_delay(&timer)],
        TimerKind::Pulse => pulse(scope, &timer),
    };
    let is_over = over.unwrap_or(on);
    let elapsed = Value::Call(Function::Sel, vec![of(is_over), Value::Real(0.0), Value::Real(told.seconds())]);
    // Where its time is compared, or is none that the clock of every controller has, it is counted here.
    match is_read || !time.0.is_multiple_of(MS) {
        true => plain.into_iter().for_each(|statement| scope.add(statement)),
        false => {
            let block = Block {
                kind: match kind {
                    TimerKind::OnDelay => "TON",
                    TimerKind::OffDelay => "TOF",
                    TimerKind::Pulse => "TP",
                },
                instance: scope.instance("timer"),
                inputs: vec![("IN", level), ("PT", named)],
                outputs: vec![("Q", on)],
                instead: vec![runs, passed],
            };
            scope.add(Statement::Block(block, plain));
        }
    }
    scope.end(&begin, length);
    let known = begin.known();
    let mut reading = Number::real(elapsed, known.clone());
    reading.timer = Some((of(runs), of(passed)));
    let bit = |id| Ok(Signal { level: of(id), known: known.clone(), twice: None, between: None });
    Ok(Made { bits: vec![bit(on), bit(runs)], readings: vec![Ok(reading)], ..Made::default() })
}

/// A timer of no time: the bit itself, and of a pulse nothing.
fn no_time(scope: &mut Scope, kind: TimerKind, signal: Signal) -> Result<Made, Refusal> {
    if kind == TimerKind::Pulse {
        return Err(Refusal::from("a pulse of no time"));
    }
    let signal = super::input::passed(scope, signal);
    let reading = Number::real(Value::Real(0.0), signal.known.clone());
    let runs = Signal { level: Value::Bit(false), ..signal.clone() };
    Ok(Made { bits: vec![Ok(signal), Ok(runs)], readings: vec![Ok(reading)], ..Made::default() })
}

fn on_delay(timer: &Timer) -> Statement {
    let Timer { level, on, runs, passed, time, .. } = timer;
    let rests = vec![set(*on, Value::Bit(false)), set(*runs, Value::Bit(false))];
    let begins = vec![set(*runs, Value::Bit(true)), set(*passed, Value::Whole(0))];
    let up = when(reached(*passed, time.clone()), vec![set(*on, Value::Bit(true)), set(*runs, Value::Bit(false))]);
    let goes_on = vec![pass_time(*passed), up];
    let waits = when(not(of(*on)), vec![either(of(*runs), goes_on, begins)]);
    either(not(level.clone()), rests, vec![waits])
}

fn off_delay(timer: &Timer) -> Statement {
    let Timer { level, on, runs, passed, time, over } = timer;
    let mut rests = vec![set(*on, Value::Bit(true)), set(*runs, Value::Bit(false))];
    let begins = vec![set(*runs, Value::Bit(true)), set(*passed, Value::Whole(0))];
    let mut ends = vec![set(*on, Value::Bit(false)), set(*runs, Value::Bit(false))];
    if let Some(over) = over {
        rests.push(set(*over, Value::Bit(false)));
        ends.push(set(*over, Value::Bit(true)));
    }
    let goes_on = vec![pass_time(*passed), when(reached(*passed, time.clone()), ends)];
    let waits = when(of(*on), vec![either(of(*runs), goes_on, begins)]);
    either(level.clone(), rests, vec![waits])
}

/// A bit that is on at the first scan starts it, too.
fn pulse(scope: &mut Scope, timer: &Timer) -> Vec<Statement> {
    let Timer { level, on, runs, passed, time, over } = timer;
    let before = scope.state("input_before", Kind::Bit, "");
    let rose = and(level.clone(), not(of(before)));
    let begins = vec![set(*on, Value::Bit(true)), set(*runs, Value::Bit(true)), set(*passed, Value::Whole(0))];
    let mut ends = vec![set(*on, Value::Bit(false)), set(*runs, Value::Bit(false))];
    ends.extend(over.map(|over| set(over, level.clone())));
    let goes_on = vec![pass_time(*passed), when(reached(*passed, time.clone()), ends)];
    let mut plain =
        vec![Statement::If(vec![(of(*runs), goes_on), (rose, begins)], Vec::new()), set(before, level.clone())];
    plain.extend(over.map(|over| when(not(level.clone()), vec![set(over, Value::Bit(false))])));
    plain
}

/// Compares a timer's time with a constant.
pub(crate) fn elapsed(
    scope: &mut Scope,
    runs: BitSource,
    elapsed: NumberSource,
    bound: Bound,
) -> Result<Made, Refusal> {
    let (runs, elapsed) = (scope.signal(runs)?, scope.number(elapsed)?);
    let Some((_, passed)) = elapsed.timer else { return Err(Refusal::from("it compares a time that no timer has")) };
    let Bound { from, seen_after, inverted } = bound;
    let while_running = match seen_after {
        Nanos(0) => Value::Bit(true),
        after => binary(Operator::AtLeast, passed, scope.time("BOUND", after)),
    };
    // Where it does not run, what it tells is the time as set, or nothing.
    let standing = match &elapsed.value {
        Value::Call(Function::Sel, parts) => match parts.as_slice() {
            [over, _, Value::Real(told)] => match (from == Nanos(0), *told >= from.seconds()) {
                (true, _) => Value::Bit(true),
                (false, true) => over.clone(),
                (false, false) => Value::Bit(false),
            },
            _ => Value::Bit(from == Nanos(0)),
        },
        _ => Value::Bit(from == Nanos(0)),
    };
    let is_reached = super::build::or(and(runs.level.clone(), while_running), and(not(runs.level), standing));
    let level = if inverted { not(is_reached) } else { is_reached };
    Ok(Made::bit(Signal { level, known: runs.known, twice: None, between: None }))
}
