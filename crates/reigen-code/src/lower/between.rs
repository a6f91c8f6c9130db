//! What works past the scan, at each change of its lines: counters, encoders and rates with `scan = false`.

use super::build::{and, binary, either, not, of, or, set, when};
use super::counter::Counter;
use super::rate::{FALL, Rate, windows};
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Fixed, Kind, LineId, Statement, Value, WHOLE};
use reigen_core::block::BitSource;
use reigen_core::count::counter::{CountedEdge, Settings, Sources};
use reigen_core::count::encoder::decode::Decode;
use reigen_core::count::encoder::homing::IndexDoes;
use reigen_core::count::encoder::settings as encoder;
use reigen_core::logic::expression::Operator;
use reigen_core::rate::settings::{Method, Settings as RateSettings};

/// A line whose changes are told, and whether its point is on while it is high.
fn told(signal: &Signal) -> Result<(LineId, Value), Refusal> {
    let (line, on_while_high) = signal.between.ok_or_else(|| {
        Refusal::from(
            "past the scan it reads what only changes at scans: give its input `scan = false`, without a debounce",
        )
    })?;
    let on = if on_while_high { Value::EdgeLevel } else { not(Value::EdgeLevel) };
    Ok((line, on))
}

/// A source past the scan: a line itself, or an input with `scan = false`.
fn source(scope: &Scope, source: BitSource) -> Result<Signal, Refusal> {
    let signal = scope.signal(source)?;
    match source {
        BitSource::Line(_) => {
            let line = scope.edge_line(source)?;
            Ok(Signal { between: Some((line, true)), ..signal })
        }
        BitSource::Bit(_) => Ok(signal),
    }
}

/// Counts at each edge, and shows the count at scans.
pub(crate) fn counter(scope: &mut Scope, settings: &Settings, sources: &Sources) -> Result<Made, Refusal> {
    let counted = |of: Option<BitSource>| of.map(|of| source(scope, of)).transpose();
    let (up, down) = (counted(sources.up)?, counted(sources.down)?);
    let scanned = |of: Option<BitSource>| of.map(|of| scope.signal(of)).transpose();
    let (gate, reset, load) = (scanned(sources.gate)?, scanned(sources.reset)?, scanned(sources.load)?);
    let all = [&gate, &reset, &load];
    if all.iter().any(|signal| signal.as_ref().is_some_and(|signal| signal.known.is_some())) {
        return Err(Refusal::from("past the scan its gate, reset or load may have no level at the first scan"));
    }
    let load_to = super::counter::load_to(scope, sources)?;
    let mut counter = Counter::inner(scope, settings, load_to);
    let stops = [
        gate.as_ref().map(|gate| not(gate.level.clone())),
        reset.as_ref().map(|reset| reset.level.clone()),
        load.as_ref().map(|load| load.level.clone()),
    ];
    let stops = stops.into_iter().flatten().reduce(or);
    // Between scans they stand as the last scan left them.
    let open =
        stops.is_some().then(|| scope.state("counts", Kind::Bit, "whether edges count, as the last scan left it"));
    for (signal, is_up) in [(up, true), (down, false)] {
        let Some(signal) = signal else { continue };
        let (line, on) = told(&signal)?;
        let edge = match settings.edge {
            CountedEdge::Rising => on,
            CountedEdge::Falling => not(on),
            CountedEdge::Both => Value::Bit(true),
        };
        let condition = and(edge, open.map_or(Value::Bit(true), of));
        let body = vec![when(condition, counter.step(is_up))];
        scope.at_edge(line, body);
    }
    let mut arms = Vec::new();
    if let Some(reset) = reset {
        arms.push((reset.level, vec![set(counter.value, counter.start.clone())]));
    }
    if let (Some(load), Some(to)) = (load, counter.load_to.clone()) {
        arms.push((load.level, vec![set(counter.value, to)]));
    }
    if !arms.is_empty() {
        scope.add(Statement::If(arms, Vec::new()));
    }
    if let (Some(open), Some(stops)) = (open, stops) {
        scope.set(open, not(stops));
    }
    let kind = Kind::of_range(counter.range);
    let shown = scope.result(kind, "shown");
    scope.set(shown, of(counter.value));
    counter.value = shown;
    counter.restarted = None;
    Ok(counter.made(scope, None))
}

/// Decodes at each edge, and shows the position at scans.
pub(crate) fn encoder(
    scope: &mut Scope,
    settings: &encoder::Settings,
    sources: &encoder::Sources,
) -> Result<Made, Refusal> {
    let (a, b) = (source(scope, sources.a)?, source(scope, sources.b)?);
    let index = sources.index.map(|index| source(scope, index)).transpose()?;
    if sources.zero_on.is_some() {
        return Err(Refusal::from("an encoder past the scan that is zeroed by a scanned bit"));
    }
    if settings.rollover.is_some() {
        return Err(Refusal::from("a rotary axis (`rollover`)"));
    }
    let ((line_a, on_a), (line_b, on_b)) = (told(&a)?, told(&b)?);
    let position = scope.state("counted", Kind::Whole, "counts at each edge, shown at scans");
    scope.begin_with(position, Value::Whole(settings.zero_at));
    let (now_a, now_b) = (scope.state("a_now", Kind::Bit, ""), scope.state("b_now", Kind::Bit, ""));
    let forward = scope.state("forward", Kind::Bit, "");
    let (moving, last) =
        (scope.state("moving", Kind::Bit, ""), scope.state("last_count", Kind::LongTime, "when the last count came"));
    let count = |ahead: Value| {
        let ahead = if settings.reverse { not(ahead) } else { ahead };
        let step = |operator| vec![set(position, binary(operator, of(position), Value::Whole(1)))];
        vec![
            set(forward, ahead),
            either(of(forward), step(Operator::Plus), step(Operator::Minus)),
            set(moving, Value::Bit(true)),
            set(last, Value::EdgeClock),
        ]
    };
    let differ = || binary(Operator::NotEqual, of(now_a), of(now_b));
    // Forward is A leading B: A changes to what B is not, B to what A is.
    let of_a = match settings.decode {
        Decode::X1 => vec![when(not(of(now_b)), count(differ()))],
        Decode::X2 | Decode::X4 => count(differ()),
    };
    scope.at_edge(line_a, [vec![set(now_a, on_a)], of_a].concat());
    let of_b = if settings.decode == Decode::X4 { count(not(differ())) } else { Vec::new() };
    scope.at_edge(line_b, [vec![set(now_b, on_b)], of_b].concat());
    let zeroes = index.is_some() && settings.index_does != IndexDoes::Check;
    let homed = zeroes.then(|| scope.state("homed_now", Kind::Bit, ""));
    if let (Some(index), Some(homed)) = (&index, homed) {
        let (line, on) = told(index)?;
        let zero = vec![set(position, Value::Whole(settings.zero_at)), set(homed, Value::Bit(true))];
        scope.at_edge(line, vec![when(on, zero)]);
    }
    // The first levels are no edges.
    let first = vec![set(now_a, a.level), set(now_b, b.level)];
    scope.add(when(Value::FirstScan, first));
    let still_after = scope.time("STILL_AFTER", settings.still_after);
    let idle = binary(Operator::Minus, Value::Clock, of(last));
    let stands = binary(Operator::AtLeast, idle, still_after);
    scope.add(when(and(of(moving), stands), vec![set(moving, Value::Bit(false))]));
    let shown_homed = homed.map(|homed| {
        let shown = scope.state("homed", Kind::Bit, "whether its position is one from a zero");
        scope.set(shown, of(homed));
        shown
    });
    let known = shown_homed.map(of);
    let in_units = settings.per_count.is_some();
    let shown = if in_units {
        scope.state("position", Kind::Whole, "in counts")
    } else {
        scope.result(Kind::Whole, "position")
    };
    scope.set(shown, of(position));
    let value = match settings.per_count {
        None => Value::Real(0.0),
        Some(per_count) => {
            let per_count = scope.constant("PER_COUNT", Fixed::Real(per_count));
            let own = scope.result(Kind::Real, "value");
            scope.set(own, binary(Operator::Times, Value::AsReal(Box::new(of(shown))), per_count));
            of(own)
        }
    };
    let bit = |level| Ok(Signal::always(level));
    Ok(Made {
        bits: vec![
            bit(of(moving)),
            bit(of(forward)),
            Err(Refusal::from("the fault of an encoder past the scan: edges are told one after another")),
            bit(shown_homed.map_or(Value::Bit(false), of)),
        ],
        counts: vec![Ok(Number::whole(of(shown), known.clone(), WHOLE))],
        readings: vec![
            Ok(Number::real(value, known)),
            Err(Refusal::from("the speed of an encoder: a rate of one of its channels is written")),
        ],
    })
}

/// Measures at each edge, and shows the reading at scans.
pub(crate) fn rate(scope: &mut Scope, settings: &RateSettings, of_bit: BitSource) -> Result<Made, Refusal> {
    if settings.marks.is_some() {
        return Err(Refusal::from("a wheel with a gap (`marks`)"));
    }
    let signal = source(scope, of_bit)?;
    let (line, on) = told(&signal)?;
    match settings.method {
        Method::Gate { window } => {
            let rate = Rate::new(scope, settings);
            let count = windows(scope, &rate, window);
            scope.at_edge(line, vec![when(on, vec![set(count, binary(Operator::Plus, of(count), Value::Whole(1)))])]);
            Ok(rate.made())
        }
        Method::Auto { every } => auto(scope, settings, line, on, every),
        Method::Period { .. } => Err(Refusal::from("periods past the scan: method = \"auto\" is written")),
    }
}

fn auto(
    scope: &mut Scope,
    settings: &RateSettings,
    line: LineId,
    on: Value,
    every: reigen_core::time::Nanos,
) -> Result<Made, Refusal> {
    if settings.zero_after.is_none_or(|zero_after| zero_after.0 / FALL > every.0) {
        return Err(Refusal::from("past the scan a rate needs `zero_after` of no more than a thousand readings"));
    }
    let edges = super::rate::Edges::new(scope);
    scope.at_edge(line, vec![when(on, edges.edge(Value::EdgeClock))]);
    let due = super::rate::reading_is_due(scope, every);
    let rate = Rate::new(scope, settings);
    super::rate::read_at(scope, &rate, &edges, super::rate::Readings { every, due }, settings.zero_after);
    Ok(rate.made())
}
