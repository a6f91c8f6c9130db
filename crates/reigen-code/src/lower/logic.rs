//! Pairs, latches, toggles, one-shots, blinking and outputs.

use super::build::{and, binary, either, not, of, or, pass_time, reached, set, when};
use super::input::passed;
use super::scope::{Made, Refusal, Scope, Signal};
use crate::model::{Block, Fixed, Kind, Statement, Value};
use reigen_core::block::BitSource;
use reigen_core::logic::blink::Flashes;
use reigen_core::logic::expression::Operator;
use reigen_core::time::Nanos;

/// A pulse at an edge.
pub(crate) fn one_shot(scope: &mut Scope, source: BitSource, rising: bool, width: Nanos) -> Result<Made, Refusal> {
    let signal = scope.signal(source)?;
    let begin = scope.begin([signal.known.clone()]);
    let watched = if rising { signal } else { Signal { level: not(signal.level.clone()), ..signal } };
    let edge = scope.rose(&watched, if rising { "input" } else { "input_off" });
    let length = scope.length();
    let on = scope.result(Kind::Bit, "pulse");
    if width == scope.code.period {
        scope.set(on, edge);
    } else {
        let passed = scope.state("lit", Kind::of_time(width), "how long it has been on");
        let width = scope.time("WIDTH", width);
        let over = when(reached(passed, width), vec![set(on, Value::Bit(false))]);
        let start = vec![set(on, Value::Bit(true)), set(passed, Value::Whole(0))];
        scope.add(Statement::If(vec![(edge, start), (of(on), vec![pass_time(passed), over])], Vec::new()));
    }
    scope.end(&begin, length);
    Ok(Made::bit(Signal { level: of(on), known: begin.known(), twice: None, between: None }))
}

/// A state that is set and reset.
pub(crate) fn latch(
    scope: &mut Scope,
    set_by: BitSource,
    reset_by: BitSource,
    set_wins: bool,
) -> Result<Made, Refusal> {
    let (sets, resets) = (scope.signal(set_by)?, scope.signal(reset_by)?);
    let length = scope.length();
    let begin = scope.begin([sets.known.clone(), resets.known.clone()]);
    let on = scope.result(Kind::Bit, "state");
    let (set_level, reset_level) = (sets.level, resets.level);
    let plain = match set_wins {
        true => or(set_level.clone(), and(not(reset_level.clone()), of(on))),
        false => and(not(reset_level.clone()), or(set_level.clone(), of(on))),
    };
    let (kind, inputs) = match set_wins {
        true => ("SR", vec![("S1", set_level), ("R", reset_level)]),
        false => ("RS", vec![("S", set_level), ("R1", reset_level)]),
    };
    let instance = scope.instance("latch");
    let block = Block { kind, instance, inputs, outputs: vec![("Q1", on)], instead: Vec::new() };
    scope.add(Statement::Block(block, vec![set(on, plain)]));
    scope.end(&begin, length);
    Ok(Made::bit(Signal { level: of(on), known: begin.known(), twice: None, between: None }))
}

/// A state that flips.
pub(crate) fn toggle(scope: &mut Scope, by: BitSource, reset: Option<BitSource>) -> Result<Made, Refusal> {
    let flips = scope.signal(by)?;
    let resets = reset.map(|reset| scope.signal(reset)).transpose()?;
    let begin = scope.begin([flips.known.clone(), resets.as_ref().and_then(|reset| reset.known.clone())]);
    let on = scope.result(Kind::Bit, "state");
    let rose = scope.rose(&flips, "by");
    let length = scope.length();
    let mut arms = vec![(rose, vec![set(on, not(of(on)))])];
    if let Some(resets) = resets {
        arms.insert(0, (resets.level, vec![set(on, Value::Bit(false))]));
    }
    scope.add(Statement::If(arms, Vec::new()));
    scope.end(&begin, length);
    Ok(Made::bit(Signal { level: of(on), known: begin.known(), twice: None, between: None }))
}

/// Both sides of a changeover contact.
pub(crate) fn pair(scope: &mut Scope, no: BitSource, nc: BitSource, within: Nanos) -> Result<Made, Refusal> {
    let (no, nc) = (scope.signal(no)?, scope.signal(nc)?);
    let length = scope.length();
    let begin = scope.begin([no.known.clone(), nc.known.clone()]);
    let on = scope.result(Kind::Bit, "state");
    let known = scope.state("known", Kind::Bit, "whether both sides have agreed yet");
    let differ = scope.state("differ", Kind::Bit, "whether they disagree");
    let passed = scope.state("differ_for", Kind::of_time(within), "how long so far");
    let fault = scope.state("fault", Kind::Bit, "");
    let within = scope.time("WITHIN", within);
    let level = scope.once(no.level, "no");
    let agree = vec![
        set(on, level.clone()),
        set(known, Value::Bit(true)),
        set(differ, Value::Bit(false)),
        set(fault, Value::Bit(false)),
    ];
    let begins = vec![set(differ, Value::Bit(true)), set(passed, Value::Whole(0))];
    let goes_on = when(not(of(fault)), vec![pass_time(passed), set(fault, reached(passed, within))]);
    let disagree = either(not(of(differ)), begins, vec![goes_on]);
    scope.add(either(binary(Operator::Equal, level, nc.level), agree, vec![disagree]));
    scope.end(&begin, length);
    Ok(Made {
        bits: vec![
            Ok(Signal { level: of(on), known: Some(of(known)), twice: None, between: None }),
            Ok(Signal { level: of(fault), known: begin.known(), twice: None, between: None }),
        ],
        ..Made::default()
    })
}

/// Flashes.
pub(crate) fn blink(scope: &mut Scope, source: BitSource, flashes: Flashes) -> Result<Made, Refusal> {
    let signal = scope.signal(source)?;
    let begin = scope.begin([signal.known.clone()]);
    let edge = if flashes.while_on { Value::Bit(false) } else { scope.rose(&signal, "input") };
    let length = scope.length();
    let on = scope.result(Kind::Bit, "blink");
    let flashing = scope.state("flashing", Kind::Bit, "whether it flashes");
    let period = Nanos(flashes.on.0.saturating_add(flashes.off.0));
    let phase = scope.state("phase", Kind::of_time(period), "how long the flash and its gap have lasted");
    let (lit, whole) = (scope.time("FLASH", flashes.on), scope.time("FLASH_AND_GAP", period));
    let next = set(phase, binary(Operator::Minus, of(phase), whole.clone()));
    if flashes.while_on {
        let level = scope.once(signal.level, "on");
        let goes_on = vec![pass_time(phase), when(reached(phase, whole), vec![next])];
        let begins = vec![set(flashing, Value::Bit(true)), set(phase, Value::Whole(0))];
        let stops = vec![set(flashing, Value::Bit(false))];
        let is_new = or(not(of(flashing)), signal.twice.unwrap_or(Value::Bit(false)));
        scope.add(Statement::If(vec![(not(level), stops), (is_new, begins)], goes_on));
    } else {
        let most = i64::try_from(flashes.times).unwrap_or(i64::MAX);
        let kind = if most < 255 { Kind::Small } else { Kind::Wide };
        let left = scope.state("flashes_left", kind, "");
        let times = scope.constant("FLASHES", Fixed::Whole(most));
        let over = vec![
            next,
            set(left, binary(Operator::Minus, of(left), Value::Whole(1))),
            set(flashing, binary(Operator::Greater, of(left), Value::Whole(0))),
        ];
        scope.add(when(of(flashing), vec![pass_time(phase), when(reached(phase, whole), over)]));
        let begins = vec![set(flashing, Value::Bit(true)), set(phase, Value::Whole(0)), set(left, times)];
        scope.add(when(and(edge, not(of(flashing))), begins));
    }
    scope.set(on, and(of(flashing), binary(Operator::Less, of(phase), lit)));
    scope.end(&begin, length);
    Ok(Made::bit(Signal { level: of(on), known: begin.known(), twice: None, between: None }))
}

/// An output, or a bit that is passed on.
pub(crate) fn output(scope: &mut Scope, source: BitSource, invert: bool) -> Result<Made, Refusal> {
    let signal = scope.signal(source)?;
    let level = if invert { not(signal.level.clone()) } else { signal.level.clone() };
    Ok(Made::bit(passed(scope, Signal { level, ..signal })))
}
