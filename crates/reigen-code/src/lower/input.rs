//! Inputs: polarity, and each way to debounce, as a scan sees them.

use super::build::{and, binary, either, not, of, or, pass_time, reached, set, when};
use super::scope::{Begin, Made, Refusal, Scope, Signal};
use crate::model::{Fixed, Kind, Statement, Value, VariableId};
use reigen_core::block::BitSource;
use reigen_core::condition::debounce::{HoldTimes, Settings};
use reigen_core::condition::input::InputSettings;
use reigen_core::logic::expression::Operator;
use reigen_core::time::Nanos;

/// Conditions a line, or a bit of a point.
pub(crate) fn input(scope: &mut Scope, source: BitSource, settings: &InputSettings) -> Result<Made, Refusal> {
    let signal = scope.signal(source)?;
    let is_line = matches!(source, BitSource::Line(_));
    if is_line && settings.scan.is_none() {
        return past_scan(scope, source, signal, settings);
    }
    let level = if settings.on_while_high { signal.level.clone() } else { not(signal.level.clone()) };
    let read = Signal { level, ..signal };
    let read = match settings.scan.filter(|scan| scan.catch) {
        Some(_) => caught(scope, source, read)?,
        None => read,
    };
    let is_plain = matches!(settings.debounce, Settings::Pass);
    if read.twice.is_some() && !is_plain {
        return Err(Refusal::from("it debounces a bit that can change to and fro within one scan"));
    }
    match settings.debounce {
        Settings::Pass => Ok(Made::bit(passed(scope, read))),
        Settings::Stable(times) if times == NO_TIME => Ok(Made::bit(passed(scope, read))),
        Settings::Lockout(times) if times == NO_TIME => Ok(Made::bit(passed(scope, read))),
        Settings::Stable(times) => Ok(Made::bit(debounced(scope, read, |scope, made| stable(scope, made, times)))),
        Settings::Lockout(times) => Ok(Made::bit(debounced(scope, read, |scope, made| lockout(scope, made, times)))),
        Settings::Sampled { .. } if read.known.is_some() => {
            Err(Refusal::from("it samples what may have no level at the first scan"))
        }
        Settings::Sampled { every, count, .. } => {
            Ok(Made::bit(debounced(scope, read, |scope, made| sampled(scope, made, every, count))))
        }
        Settings::Rc(_) => Err(Refusal::from("a resistor and a capacitor are parts, and no code")),
    }
}

/// An input that changes between scans; scans see it as its line stands then.
fn past_scan(scope: &mut Scope, source: BitSource, signal: Signal, settings: &InputSettings) -> Result<Made, Refusal> {
    if !matches!(settings.debounce, Settings::Pass) {
        return Err(Refusal::from(
            "a debounce between scans (`scan = false`): filter the line, or let the scan see it",
        ));
    }
    let line = scope.edge_line(source)?;
    let level = if settings.on_while_high { signal.level.clone() } else { not(signal.level.clone()) };
    let shown = passed(scope, Signal { level, ..signal });
    Ok(Made::bit(Signal { between: Some((line, settings.on_while_high)), ..shown }))
}

const NO_TIME: HoldTimes = HoldTimes { on: Nanos(0), off: Nanos(0) };

/// The signal itself, kept where it stands for the point.
pub(crate) fn passed(scope: &mut Scope, signal: Signal) -> Signal {
    if !scope.stands {
        return signal;
    }
    // What a part of the point has made is the point itself by now.
    if let Value::Variable(id) = signal.level
        && scope.stand_in(id)
    {
        return signal;
    }
    let own = scope.result(Kind::Bit, "");
    scope.set(own, signal.level);
    Signal { level: of(own), ..signal }
}

/// What a debounce works with.
struct Debounced {
    /// What was read in this scan.
    read: Value,
    /// What comes of it.
    output: VariableId,
    begin: Begin,
    /// Whether it changed to and fro in one scan.
    twice: Option<Value>,
}

fn debounced(scope: &mut Scope, read: Signal, work: impl FnOnce(&mut Scope, &mut Debounced)) -> Signal {
    let length = scope.length();
    let begin = scope.begin([read.known.clone()]);
    let output = scope.result(Kind::Bit, "debounced");
    let level = scope.once(read.level, "read");
    let mut made = Debounced { read: level, output, begin, twice: None };
    work(scope, &mut made);
    scope.end(&made.begin, length);
    Signal { level: of(output), known: made.begin.known(), twice: made.twice, between: None }
}

/// A change counts once it has held for its time.
fn stable(scope: &mut Scope, made: &mut Debounced, times: HoldTimes) {
    let Debounced { read, output, begin, .. } = made;
    let output = *output;
    let seen = scope.state("seen", Kind::Bit, "the level of the scan before");
    let held = scope.state("held", Kind::of_time(times.on.max(times.off)), "how long that has held");
    let time = match times.on == times.off {
        true => scope.time("HOLD", times.on),
        false => {
            let (on, off) = (scope.time("HOLD_ON", times.on), scope.time("HOLD_OFF", times.off));
            Value::Call(reigen_core::logic::expression::Function::Sel, vec![of(seen), off, on])
        }
    };
    let mut settled = vec![set(output, of(seen))];
    let at_once = [(times.on, read.clone()), (times.off, not(read.clone()))];
    let at_once = at_once.into_iter().find(|(time, _)| *time == Nanos(0)).map(|(_, level)| level);
    if let Some(level) = &at_once {
        // Held long enough, and gone back at once where that takes no time: a pulse of no width.
        let twice = scope.state("twice", Kind::Bit, "whether it changed to and fro within this scan");
        scope.set(twice, Value::Bit(false));
        let back = and(level.clone(), binary(Operator::NotEqual, read.clone(), of(seen)));
        settled.push(set(twice, back));
        made.twice = Some(of(twice));
    }
    let first = vec![set(seen, read.clone()), set(output, read.clone())];
    let waits = binary(Operator::NotEqual, of(output), of(seen));
    let settle = when(waits, vec![pass_time(held), when(reached(held, time), settled)]);
    let mut change = vec![set(seen, read.clone()), set(held, Value::Whole(0))];
    if let Some(level) = at_once {
        change.push(when(level, vec![set(output, read.clone())]));
    }
    let changes = when(binary(Operator::NotEqual, read.clone(), of(seen)), change);
    scope.add(Statement::If(vec![(begin.first.clone(), first)], vec![settle, changes]));
}

/// A change counts at once, and then the line is not looked at for a while.
fn lockout(scope: &mut Scope, made: &mut Debounced, times: HoldTimes) {
    let Debounced { read, output, begin, .. } = made;
    let output = *output;
    let locked = scope.state("locked", Kind::Bit, "whether it is not looked at");
    let passed = scope.state("locked_for", Kind::of_time(times.on.max(times.off)), "how long so far");
    let time = match times.on == times.off {
        true => scope.time("LOCKOUT", times.on),
        false => {
            let (on, off) = (scope.time("LOCKOUT_ON", times.on), scope.time("LOCKOUT_OFF", times.off));
            Value::Call(reigen_core::logic::expression::Function::Sel, vec![of(output), off, on])
        }
    };
    let first = vec![set(output, read.clone())];
    let release = when(reached(passed, time), vec![set(locked, Value::Bit(false))]);
    let wait = when(of(locked), vec![pass_time(passed), release]);
    let follows = and(not(of(locked)), binary(Operator::NotEqual, read.clone(), of(output)));
    let follow = vec![set(output, read.clone()), set(passed, Value::Whole(0)), set(locked, Value::Bit(true))];
    scope.add(Statement::If(vec![(begin.first.clone(), first)], vec![wait, when(follows, follow)]));
}

/// The line is read every so often; so many equal readings in a row count.
fn sampled(scope: &mut Scope, made: &mut Debounced, every: Nanos, count: u64) {
    let Debounced { read, output, begin, .. } = made;
    let output = *output;
    let seen = scope.state("seen", Kind::Bit, "the last reading");
    let passed = scope.state("since", Kind::of_time(every), "how long ago that was");
    let kind = if count < 255 { Kind::Small } else { Kind::Wide };
    let alike = scope.state("alike", kind, "equal readings in a row, where they differ from what counts");
    let every = scope.time("EVERY", every);
    let wanted = scope.constant("READINGS", Fixed::Whole(count.min(1 << 53).cast_signed()));
    // At the first scan it takes the level as it is; readings count from there.
    let first = vec![set(seen, read.clone()), set(output, read.clone())];
    let differs = binary(Operator::NotEqual, read.clone(), of(seen));
    let restart = vec![set(seen, read.clone()), set(alike, Value::Whole(1))];
    let waits = binary(Operator::NotEqual, of(output), of(seen));
    let more = when(waits, vec![set(alike, binary(Operator::Plus, of(alike), Value::Whole(1)))]);
    let settled = binary(Operator::AtLeast, of(alike), wanted);
    let differs_still = binary(Operator::NotEqual, of(output), of(seen));
    let reading = vec![
        set(passed, binary(Operator::Minus, of(passed), every.clone())),
        either(differs, restart, vec![more]),
        when(and(differs_still, settled), vec![set(output, of(seen))]),
    ];
    let due = reached(passed, every);
    scope.add(Statement::If(vec![(begin.first.clone(), first)], vec![pass_time(passed), when(due, reading)]));
}

/// A pulse that came and went since the scan before is held for one scan.
fn caught(scope: &mut Scope, source: BitSource, read: Signal) -> Result<Signal, Refusal> {
    let line = scope.edge_line(source)?;
    let edges = scope.state("edges", Kind::Small, "edges of the line since the scan before, up to 255");
    let more = set(edges, binary(Operator::Plus, of(edges), Value::Whole(1)));
    scope.at_edge(line, vec![when(binary(Operator::Less, of(edges), Value::Whole(255)), vec![more])]);
    let level = scope.state("caught", Kind::Bit, "the level, with pulses between two scans held");
    let held = scope.state("pulse_held", Kind::Bit, "whether that is a pulse that is over by now");
    let pulse = scope.local("pulse", Kind::Bit);
    let raw = scope.once(read.level.clone(), "read");
    let same = binary(Operator::Equal, raw.clone(), of(level));
    let many = binary(Operator::AtLeast, of(edges), Value::Whole(2));
    let seen = vec![
        set(pulse, and(and(not(of(held)), same), many)),
        set(level, or(and(of(pulse), not(of(level))), and(not(of(pulse)), raw.clone()))),
        set(held, of(pulse)),
        // The end of a caught pulse belongs to what comes after this scan.
        set(edges, Value::Digit(Box::new(of(pulse)))),
    ];
    let first = vec![set(level, raw), set(edges, Value::Whole(0))];
    scope.set(pulse, Value::Bit(false));
    scope.add(either(Value::FirstScan, first, seen));
    Ok(Signal::always(of(level)))
}
