//! Encoders: two channels that take turns.

use super::build::{and, binary, not, of, pass_time, reached, set, when};
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Fixed, Kind, Statement, Value, VariableId, WHOLE};
use reigen_core::count::encoder::decode::Decode;
use reigen_core::count::encoder::homing::IndexDoes;
use reigen_core::count::encoder::settings::{Settings, Sources};
use reigen_core::logic::expression::Operator;

/// Decodes quadrature.
pub(crate) fn encoder(scope: &mut Scope, settings: &Settings, sources: &Sources) -> Result<Made, Refusal> {
    let Sources { a, b, index, zero_on, .. } = *sources;
    let (a, b) = (scope.signal(a)?, scope.signal(b)?);
    let optional = |source: Option<_>| source.map(|source| scope.signal(source)).transpose();
    let (index, zero_on) = (optional(index)?, optional(zero_on)?);
    let signals = [Some(&a), Some(&b), index.as_ref(), zero_on.as_ref()];
    let known: Vec<Option<Value>> =
        signals.iter().map(|signal| signal.and_then(|signal| signal.known.clone())).collect();
    let begin = scope.begin(known);
    let in_units = settings.per_count.is_some();
    let position = match in_units {
        true => scope.state("position", Kind::Whole, "in counts"),
        false => scope.result(Kind::Whole, "position"),
    };
    scope.begin_with(position, Value::Whole(settings.zero_at));
    let (fault, forward) = (
        scope.state("fault", Kind::Bit, "a step that two channels cannot make"),
        scope.state("forward", Kind::Bit, ""),
    );
    let moving = scope.state("moving", Kind::Bit, "");
    let still = scope.state("still_for", Kind::of_time(settings.still_after), "time since the last count");
    let (level_a, level_b) = (scope.once(a.level.clone(), "a"), scope.once(b.level.clone(), "b"));
    let a = Signal { level: level_a.clone(), ..a };
    let b = Signal { level: level_b.clone(), ..b };
    let (a_changed, b_changed) = (scope.changed(&a, "a"), scope.changed(&b, "b"));
    let index_rose = index.as_ref().map(|index| scope.rose(index, "index"));
    let zero_rose = zero_on.as_ref().map(|zero_on| scope.rose(zero_on, "zero_on"));
    let length = scope.length();
    // Where it waits for its bits, what they do in the scan of its start is no count.
    let counts = |changed: Value| match begin.known() {
        None => changed,
        Some(begun) => and(changed, begun),
    };
    let (a_changed, b_changed) = (counts(a_changed), counts(b_changed));
    let (index_rose, zero_rose) = (index_rose.map(counts), zero_rose.map(counts));
    let still_after = scope.time("STILL_AFTER", settings.still_after);
    let stands = when(reached(still, still_after), vec![set(moving, Value::Bit(false))]);
    scope.add(when(of(moving), vec![pass_time(still), stands]));
    // Forward is A leading B: A changes to what B is not, B to what A is.
    let differ = binary(Operator::NotEqual, level_a, level_b.clone());
    let leads = binary(Operator::Equal, differ, a_changed.clone());
    let ahead = if settings.reverse { not(leads) } else { leads };
    let count = vec![
        set(forward, ahead),
        Statement::If(vec![(of(forward), vec![step(position, Operator::Plus)])], vec![step(position, Operator::Minus)]),
        set(moving, Value::Bit(true)),
        set(still, Value::Whole(0)),
    ];
    let counts = match settings.decode {
        Decode::X1 => and(and(a_changed.clone(), not(b_changed.clone())), not(level_b)),
        Decode::X2 => and(a_changed.clone(), not(b_changed.clone())),
        Decode::X4 => binary(Operator::NotEqual, a_changed.clone(), b_changed.clone()),
    };
    scope.add(when(and(a_changed, b_changed), vec![set(fault, Value::Bit(true))]));
    scope.add(when(counts, count));
    let wants_zero = zero_on.is_some() || (index.is_some() && settings.index_does != IndexDoes::Check);
    let homed = wants_zero.then(|| scope.state("homed", Kind::Bit, "whether its position is one from a zero"));
    let zero = || {
        let homed = homed.map(|homed| set(homed, Value::Bit(true)));
        std::iter::once(set(position, Value::Whole(settings.zero_at))).chain(homed).collect::<Vec<_>>()
    };
    let sound = || set(fault, Value::Bit(false));
    let homes = settings.index_does == IndexDoes::Home;
    let armed = homes.then(|| scope.state("armed", Kind::Bit, "whether the next index is the zero"));
    if let Some(rose) = index_rose {
        let mut mark = vec![sound()];
        match (settings.index_does, armed) {
            (IndexDoes::Zero, _) => mark.extend(zero()),
            (IndexDoes::Home, Some(armed)) => {
                mark.push(when(of(armed), [vec![set(armed, Value::Bit(false))], zero()].concat()));
            }
            _ => {}
        }
        scope.add(when(rose, mark));
    }
    if let Some(rose) = zero_rose {
        let switch = match armed {
            Some(armed) => vec![set(armed, Value::Bit(true))],
            None => zero(),
        };
        scope.add(when(rose, [vec![sound()], switch].concat()));
    }
    let known = begin.known();
    // With a zero to come there is no position before it.
    let position_known = homed.map(of).or_else(|| known.clone());
    let value = value(scope, settings, position)?;
    scope.end(&begin, length);
    let bit = |id| Ok(Signal { level: of(id), known: known.clone(), twice: None, between: None });
    let homed = homed.map_or(Value::Bit(false), of);
    Ok(Made {
        bits: vec![
            bit(moving),
            bit(forward),
            bit(fault),
            Ok(Signal { level: homed, known: known.clone(), twice: None, between: None }),
        ],
        counts: vec![Ok(Number::whole(of(position), position_known.clone(), WHOLE))],
        readings: vec![
            Ok(Number::real(value.unwrap_or(Value::Real(0.0)), position_known)),
            Err(Refusal::from("the speed of an encoder: a rate of one of its channels is written")),
        ],
    })
}

fn step(position: VariableId, operator: Operator) -> Statement {
    set(position, binary(operator, of(position), Value::Whole(1)))
}

/// The position in units, where there are some.
fn value(scope: &mut Scope, settings: &Settings, position: VariableId) -> Result<Option<Value>, Refusal> {
    let Some(per_count) = settings.per_count else { return Ok(None) };
    let per_count = scope.constant("PER_COUNT", Fixed::Real(per_count));
    let straight = binary(Operator::Times, Value::AsReal(Box::new(of(position))), per_count);
    let own = scope.result(Kind::Real, "value");
    match settings.rollover {
        None => scope.set(own, straight),
        Some(_) => return Err(Refusal::from("a rotary axis (`rollover`)")),
    }
    Ok(Some(of(own)))
}
