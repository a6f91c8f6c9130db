//! The table of an encoder in the station file.

use crate::points::PointKind;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::{Builder, TimeText};
use crate::table::signal::Signal;
use crate::table::{Field, FieldColumn, FieldExpression, LineName, StationErrorKind};
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::count::encoder::decode::Decode;
use reigen_core::count::encoder::homing::IndexDoes;
use reigen_core::count::encoder::settings::{SPEED_EVERY, Settings, Sources};
use reigen_core::program::Operation;
use reigen_core::time::Nanos;
use serde::Deserialize;

/// How long it moves after a count where nothing is said.
const USUAL_STILL: Nanos = Nanos(200_000_000);

/// `[encoder.NAME]`: a quadrature encoder.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EncoderTable {
    /// Line or input of channel A.
    a: Spanned<String>,
    /// Line or input of channel B.
    b: Spanned<String>,
    /// Line or input of the index.
    index: Option<Spanned<String>>,
    /// Edges that count: "x4" (default), "x2" or "x1".
    #[serde(default)]
    decode: DecodeWord,
    /// Counts the other way.
    #[serde(default)]
    reverse: bool,
    /// Cycles of one channel per revolution.
    pulses_per_rev: Option<Spanned<f64>>,
    /// Travel per revolution, in `unit`.
    travel_per_rev: Option<Spanned<f64>>,
    /// Unit of the position, such as "mm".
    unit: Option<Spanned<String>>,
    /// Sets the position to `zero_at` at its rising edge; with "home" it arms the index.
    zero_on: Option<Spanned<String>>,
    /// Position at zero [default: 0].
    zero_at: Option<Spanned<i64>>,
    /// "check" (default), "zero" at each index, or "home" at the first index after `zero_on`.
    index_does: Option<Spanned<IndexWord>>,
    /// `.moving` goes off after this time without a count [default: 200 ms].
    still_after: Option<Spanned<TimeText>>,
    /// Position at which it starts again at 0, in `unit`.
    rollover: Option<Spanned<f64>>,
    /// With [scan]: false counts every edge, as a counter input does, and shows the count at scans.
    scan: Option<Spanned<bool>>,
    /// With a history, goes on from its last state when a live run starts again [default: false].
    #[serde(default)]
    retain: bool,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum DecodeWord {
    X1,
    X2,
    #[default]
    X4,
}

#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum IndexWord {
    Check,
    Zero,
    Home,
}

/// Positions up to this are exact as real numbers, and no number of counts comes near the end of their type.
const MOST_POSITION: i64 = 1 << 53;

impl EncoderTable {
    /// The position at a zero; `None` where an error has been noted.
    fn zero_at(&self, builder: &mut Builder<'_>) -> Option<i64> {
        let Some(zero_at) = &self.zero_at else { return Some(0) };
        if (-MOST_POSITION..=MOST_POSITION).contains(zero_at.get_ref()) {
            return Some(*zero_at.get_ref());
        }
        let message = format!("`zero_at` must be from -{MOST_POSITION} to {MOST_POSITION}");
        builder.refuse(zero_at.span(), StationErrorKind::File(message));
        None
    }

    fn decode(&self) -> Decode {
        match self.decode {
            DecodeWord::X1 => Decode::X1,
            DecodeWord::X2 => Decode::X2,
            DecodeWord::X4 => Decode::X4,
        }
    }

    fn index_does(&self, builder: &mut Builder<'_>) -> IndexDoes {
        let Some(word) = &self.index_does else { return IndexDoes::Check };
        let does = match word.get_ref() {
            IndexWord::Check => IndexDoes::Check,
            IndexWord::Zero => IndexDoes::Zero,
            IndexWord::Home => IndexDoes::Home,
        };
        let needs = match (does, &self.index, &self.zero_on) {
            (IndexDoes::Check, ..) | (IndexDoes::Zero, Some(_), _) | (IndexDoes::Home, Some(_), Some(_)) => None,
            (IndexDoes::Home, _, None) => Some("`home` needs `zero_on`: the switch after which the index zeroes"),
            (_, None, _) => Some("`index_does` needs `index`: the line of the index"),
        };
        if let Some(needs) = needs {
            builder.refuse(word.span(), StationErrorKind::File(needs.to_owned()));
        }
        does
    }

    /// What a count is worth, and the name of that.
    fn unit(&self, builder: &mut Builder<'_>) -> Option<(Option<f64>, String)> {
        let pulses = builder.positive(&self.pulses_per_rev, "pulses_per_rev")?;
        let travel = builder.positive(&self.travel_per_rev, "travel_per_rev")?;
        let asked = self.unit.as_ref().map(Spanned::span).or(self.travel_per_rev.as_ref().map(Spanned::span));
        if let (None, Some(span)) = (pulses, asked) {
            let message = "a unit needs `pulses_per_rev`, the cycles of one channel per revolution".to_owned();
            builder.refuse(span, StationErrorKind::File(message));
            return None;
        }
        let per_count = pulses.map(|pulses| travel.unwrap_or(1.0) / (pulses * f64::from(self.decode().counts())));
        let usual = match (pulses, travel) {
            (Some(_), None) => "rev",
            _ => "",
        };
        Some((per_count, self.unit.as_ref().map_or(usual, |unit| unit.get_ref()).to_owned()))
    }
}

impl PointTable for EncoderTable {
    type Point = EncoderPoint;

    takes_description!();

    fn retains(&self) -> bool {
        self.retain
    }

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let (a, b) = (Signal::new(&self.a, builder), Signal::new(&self.b, builder));
        let index = self.index.as_ref().map(|index| Signal::new(index, builder));
        if self.a.get_ref() == self.b.get_ref() {
            let message = "`a` and `b` are the same: a direction needs two channels".to_owned();
            builder.refuse(self.b.span(), StationErrorKind::File(message));
        }
        let unit = self.unit(builder);
        let still_after =
            self.still_after.as_ref().map_or(Some(builder.takes(USUAL_STILL)), |still| builder.takes_above_zero(still));
        let zero_at = self.zero_at(builder);
        let index_does = self.index_does(builder);
        let rollover = builder.positive(&self.rollover, "rollover");
        if let (Some(rollover), None) = (&self.rollover, &self.pulses_per_rev) {
            let message = "`rollover` is in units, so it needs `pulses_per_rev`".to_owned();
            builder.refuse(rollover.span(), StationErrorKind::File(message));
        }
        let zero_on = builder.optional(&self.zero_on);
        if builder.errors.len() > errors {
            return None;
        }
        let (per_count, unit) = unit?;
        if let (Some(short), Some(per_count)) = (&self.rollover, per_count)
            && *short.get_ref() < per_count
        {
            let message = format!("one count is {per_count} {unit}: `rollover` must be larger than that");
            builder.refuse(short.span(), StationErrorKind::File(message));
            return None;
        }
        let is_past_scan = self.scan.as_ref().is_some_and(|scan| !*scan.get_ref());
        let scan_from = builder.scan.filter(|_| !is_past_scan).map(|scan| scan.phase);
        let speed = match scan_from {
            Some(from) => (builder.takes(SPEED_EVERY), from),
            None => (SPEED_EVERY, Nanos(0)),
        };
        let settings = Settings {
            decode: self.decode(),
            reverse: self.reverse,
            pulses_per_rev: self.pulses_per_rev.map(Spanned::into_inner),
            per_count,
            unit,
            zero_at: zero_at?,
            index_does,
            still_after: still_after?,
            speed,
            rollover: rollover?,
        };
        let past_scan = builder.past_scan(&self.scan);
        let scan = builder.scan.filter(|_| past_scan.is_none());
        Some(EncoderPoint { settings, a: a?, b: b?, index: index.flatten(), zero_on, scan, past_scan })
    }
}

/// An encoder of the station.
#[derive(Debug)]
pub struct EncoderPoint {
    settings: Settings,
    a: Signal,
    b: Signal,
    index: Option<Signal>,
    zero_on: Option<FieldExpression>,
    scan: Option<ReadingTimes>,
    /// When its count is shown, where it counts past the scan.
    past_scan: Option<ReadingTimes>,
}

const POSITION: Field = Field { name: "position", column: FieldColumn::Count(0) };
const MOVING: Field = Field { name: "moving", column: FieldColumn::Bit(0) };
const FORWARD: Field = Field { name: "forward", column: FieldColumn::Bit(1) };
const FAULT: Field = Field { name: "fault", column: FieldColumn::Bit(2) };
const HOMED: Field = Field { name: "homed", column: FieldColumn::Bit(3) };
const SPEED: Field = Field { name: "speed", column: FieldColumn::Reading(1) };
/// In units, where a revolution is told; else in counts.
const IN_UNITS: &[Field] =
    &[Field { name: "", column: FieldColumn::Reading(0) }, SPEED, FORWARD, MOVING, FAULT, HOMED, POSITION];
const IN_COUNTS: &[Field] =
    &[Field { name: "", column: FieldColumn::Count(0) }, SPEED, FORWARD, MOVING, FAULT, HOMED, POSITION];

impl EncoderPoint {
    fn signals(&self) -> impl Iterator<Item = (&'static str, &Signal)> {
        let index = self.index.as_ref().map(|index| ("index", index));
        [("a", &self.a), ("b", &self.b)].into_iter().chain(index)
    }
}

impl PointKind for EncoderPoint {
    fn what(&self) -> &'static str {
        "an encoder"
    }

    fn fields(&self) -> &'static [Field] {
        if self.settings.per_count.is_some() { IN_UNITS } else { IN_COUNTS }
    }

    fn resolve(&mut self, is_point: &dyn Fn(&str) -> bool) {
        [Some(&mut self.a), Some(&mut self.b), self.index.as_mut()]
            .into_iter()
            .flatten()
            .for_each(|signal| signal.resolve(is_point));
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        &["a", "b", "index"]
    }

    fn bounce_keys(&self) -> &'static [&'static str] {
        &["a", "b", "index", "zero_on"]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        let signals = self.signals().filter_map(|(key, signal)| Some((key, signal.expression()?)));
        signals.chain(self.zero_on.as_ref().map(|zero_on| ("zero_on", zero_on))).collect()
    }

    fn lines(&self) -> Vec<&LineName> {
        self.signals().filter_map(|(_, signal)| signal.line()).collect()
    }

    fn encoder(&self) -> Option<[Option<&Signal>; 3]> {
        Some([Some(&self.a), Some(&self.b), self.index.as_ref()])
    }

    fn unit(&self) -> Option<&str> {
        Some(&self.settings.unit)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let raw = self.scan.and_then(|_| self.a.compile_raw(branch).zip(self.b.compile_raw(branch)));
        let sources = Sources {
            a: self.a.compile(self.scan, branch),
            b: self.b.compile(self.scan, branch),
            index: self.index.as_ref().map(|index| index.compile(self.scan, branch)),
            zero_on: self.zero_on.as_ref().map(|zero_on| branch.settled(zero_on)),
            raw,
        };
        let settings = self.settings.clone();
        match self.past_scan {
            Some(times) => Operation::ScannedEncoder { settings, sources, tick: branch.line_tick(), times },
            None => Operation::Encoder { settings, sources, tick: branch.tick() },
        }
    }
}
