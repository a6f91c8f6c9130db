//! Registers: running counts that a device keeps, as their samples come; and the rates of such counts.

use super::build::{and, binary, either, not, of, or, set, when};
use super::rate::reading_is_due;
use super::scope::{Made, Number, Refusal, Scope, Signal};
use crate::model::{Fixed, Kind, Range, Statement, Value, VariableId};
use reigen_core::block::NumberSource;
use reigen_core::logic::expression::{Function, Operator};
use reigen_core::number::register::{Settings, Sources};
use reigen_core::number::sample_rate;

/// What 64 bits hold.
const WIDE: Range = (i64::MIN as i128, i64::MAX as i128);

/// What a register works with.
struct Register<'a> {
    settings: &'a Settings,
    now: Value,
    last: VariableId,
    at: VariableId,
    straight: VariableId,
    steps: VariableId,
}

impl Register<'_> {
    /// How many counts it has; `None` where it never wraps.
    fn size(&self) -> Option<i64> {
        self.settings.bits.map(|bits| 1i64 << bits)
    }

    /// Whether a sample is one that it can show.
    fn shows(&self) -> Value {
        let Some(size) = self.size() else { return Value::Bit(true) };
        let least = if self.settings.signed { -size / 2 } else { 0 };
        let (least, most) = (Value::Whole(least), Value::Whole(size - 1));
        and(binary(Operator::AtLeast, self.now.clone(), least), binary(Operator::AtMost, self.now.clone(), most))
    }

    /// The steps around its end, where the straight way is another.
    fn around(&self, around: VariableId) -> Vec<Statement> {
        let Some(size) = self.size() else { return vec![set(around, of(self.straight))] };
        let whole = Value::Whole(size);
        if !self.settings.signed {
            // It is asked where the count fell.
            return vec![set(around, binary(Operator::Plus, of(self.straight), whole))];
        }
        // The shorter way round, up or down.
        let half = Value::Whole(size / 2);
        let shifted = binary(Operator::Plus, of(self.straight), half.clone());
        let lifted = set(around, binary(Operator::Plus, of(around), whole.clone()));
        vec![
            set(around, binary(Operator::Mod, shifted, whole)),
            when(binary(Operator::Less, of(around), Value::Whole(0)), vec![lifted]),
            set(around, binary(Operator::Minus, of(around), half)),
        ]
    }

    /// Whether it can have gone so many counts in the time since the sample before.
    fn can_be(&self, scope: &mut Scope, steps: VariableId) -> Value {
        let Some(fastest) = self.settings.fastest else { return Value::Bit(true) };
        let fastest = scope.constant("FASTEST", Fixed::Real(fastest));
        let later = Value::Seconds(Box::new(binary(Operator::Minus, Value::Clock, of(self.at))));
        // The first and the last count may have come just outside the time between the samples.
        let most = binary(Operator::Plus, binary(Operator::Times, fastest, later), Value::Real(1.0));
        let size = Value::AsReal(Box::new(Value::Call(Function::Abs, vec![of(steps)])));
        binary(Operator::AtMost, size, most)
    }

    /// How it went from one sample to the next.
    fn step(&self, scope: &mut Scope) -> Vec<Statement> {
        let Settings { bits, signed, restarts, fastest, .. } = self.settings;
        let around = scope.local("around", Kind::Wide);
        let can_be = self.can_be(scope, around);
        let likely = match (bits, signed, fastest) {
            (Some(bits), false, None) => binary(Operator::Less, of(around), Value::Whole((1i64 << bits) / 2)),
            (Some(_), ..) => can_be.clone(),
            (None, ..) => Value::Bit(false),
        };
        let below = binary(Operator::Less, of(self.straight), Value::Whole(0));
        let fell = if *signed && bits.is_some() { not(can_be) } else { below.clone() };
        let anew = if *restarts { and(fell, not(likely)) } else { Value::Bit(false) };
        let gone = vec![either(anew, vec![set(self.steps, self.now.clone())], vec![set(self.steps, of(around))])];
        let other_way = [self.around(around), gone].concat();
        // What rises is counted up, but where the shorter way round may be down.
        let straight = set(self.steps, of(self.straight));
        match signed {
            true => other_way,
            false => vec![either(below, other_way, vec![straight])],
        }
    }
}

/// A running count in the samples of a line.
pub(crate) fn register(scope: &mut Scope, settings: &Settings, sources: &Sources) -> Result<Made, Refusal> {
    if sources.high.is_some() {
        return Err(Refusal::from("a register in two parts"));
    }
    if settings.bits.is_some_and(|bits| bits > 52) {
        return Err(Refusal::from("a register of more than 52 bits"));
    }
    let sample = scope.number(sources.low)?;
    let Some(fresh) = sample.fresh else { return Err(Refusal::from("a register that does not come in samples")) };
    let count = scope.result(Kind::Wide, "count");
    let register = Register {
        settings,
        now: sample.value,
        last: scope.state("last", Kind::Wide, "the sample before"),
        at: scope.state("last_at", Kind::LongTime, "when that came"),
        straight: scope.local("straight", Kind::Wide),
        steps: scope.state("steps", Kind::Wide, "how far it went at the last sample"),
    };
    let known = scope.state("known", Kind::Bit, "whether there was a sample yet");
    let stepped = scope.state("stepped_yet", Kind::Bit, "whether there were two");
    let new = scope.state("stepped", Kind::Bit, "whether it has gone on in this scan");
    let mut go = vec![set(register.straight, binary(Operator::Minus, register.now.clone(), of(register.last)))];
    go.extend(register.step(scope));
    go.extend([
        set(count, binary(Operator::Plus, of(count), of(register.steps))),
        set(stepped, Value::Bit(true)),
        set(new, Value::Bit(true)),
    ]);
    let taken = vec![
        when(of(known), go),
        set(known, Value::Bit(true)),
        set(register.last, register.now.clone()),
        set(register.at, Value::Clock),
    ];
    scope.set(new, Value::Bit(false));
    scope.add(when(and(fresh, register.shows()), taken));
    let mut delta = Number::whole(of(register.steps), Some(of(stepped)), WIDE);
    delta.fresh = Some(of(new));
    let told = || Err(Refusal::from("how often a register wrapped or began anew"));
    let mut made = Made {
        counts: vec![Ok(Number::whole(of(count), Some(of(known)), WIDE)), Ok(delta), told(), told()],
        ..Made::default()
    };
    if let Some((per_count, _)) = &settings.scale {
        let per_count = scope.constant("PER_COUNT", Fixed::Real(*per_count));
        let scaled = binary(Operator::Times, Value::AsReal(Box::new(of(count))), per_count);
        made.readings.push(Ok(Number::real(scaled, Some(of(known)))));
    }
    Ok(made)
}

/// The rate of such a count: the counts between two samples over the time between them.
pub(crate) fn rate(
    scope: &mut Scope,
    settings: &sample_rate::Settings,
    count: NumberSource,
    delta: NumberSource,
) -> Result<Made, Refusal> {
    let (count, delta) = (scope.number(count)?, scope.number(delta)?);
    let (Some(fresh), Some(counted)) = (delta.fresh, count.known) else {
        return Err(Refusal::from("a rate of what does not come in samples"));
    };
    let value = scope.result(Kind::Real, "rate");
    let known = scope.state("known", Kind::Bit, "whether there is a reading yet");
    let begun = scope.state("begun", Kind::Bit, "whether there was a sample yet");
    let (at, told_at) = (
        scope.state("sample_at", Kind::LongTime, "when the last sample came"),
        scope.state("told_at", Kind::LongTime, "when that came of which the last reading was told"),
    );
    let sum = scope.state("sum", Kind::Wide, "counts since that one");
    let due = reading_is_due(scope, settings.every);
    let first = vec![set(begun, Value::Bit(true)), set(at, Value::Clock), set(told_at, Value::Clock)];
    let more = vec![set(sum, binary(Operator::Plus, of(sum), delta.value)), set(at, Value::Clock)];
    let arms = vec![(and(counted.clone(), not(of(begun))), first), (fresh, more)];
    scope.add(Statement::If(arms, Vec::new()));
    let interval = Value::Seconds(Box::new(binary(Operator::Minus, of(at), of(told_at))));
    let hertz = binary(Operator::Over, Value::AsReal(Box::new(of(sum))), interval);
    let per_hertz = scope.constant("PER_HERTZ", Fixed::Real(settings.per_hertz));
    let tell = vec![
        set(value, binary(Operator::Times, hertz, per_hertz)),
        set(known, Value::Bit(true)),
        set(told_at, of(at)),
        set(sum, Value::Whole(0)),
    ];
    // The first reading is due at the first scan.
    let is_due = or(due, Value::FirstScan);
    scope.add(when(and(is_due, binary(Operator::NotEqual, of(at), of(told_at))), tell));
    let stopped = or(not(of(known)), binary(Operator::Equal, of(value), Value::Real(0.0)));
    Ok(Made {
        bits: vec![Ok(Signal { level: stopped, known: Some(of(begun)), twice: None, between: None })],
        readings: vec![Ok(Number::real(of(value), Some(of(known)))), Err(Refusal::from("the resolution of a rate"))],
        ..Made::default()
    })
}
