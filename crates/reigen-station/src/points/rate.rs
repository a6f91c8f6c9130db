//! The tables of rates and widths in the station file.

use crate::points::PointKind;
use crate::points::point_kind::KnownPoints;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::{Builder, TimeText};
use crate::table::{Field, FieldColumn, FieldExpression, StationErrorKind};
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::finding::Finding;
use reigen_core::logic::expression::{Reference, Span};
use reigen_core::number::sample_rate;
use reigen_core::program::Operation;
use reigen_core::rate::judgement;
use reigen_core::rate::marks::Marks;
use reigen_core::rate::settings::{Method, Settings};
use reigen_core::rate::unit::{Travel, Unit};
use reigen_core::rate::width::{self};
use reigen_core::time::Nanos;
use reigen_core::units::{Share, Speed, engineering};
use serde::Deserialize;

/// How often `auto` reads where nothing is said.
const USUAL_STEP: Nanos = Nanos(100_000_000);

/// `[rate.NAME]`: a frequency or a speed from pulses.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RateTable {
    /// Bit whose rising edges are its pulses.
    of: Spanned<String>,
    /// "auto" (default), "period" or "gate".
    #[serde(default)]
    method: MethodWord,
    /// gate: time in which pulses are counted.
    window: Option<Spanned<TimeText>>,
    /// auto: time between two readings [default: 100 ms].
    every: Option<Spanned<TimeText>>,
    /// period: number of periods to average.
    average: Option<Spanned<u32>>,
    /// Pulses per revolution.
    pulses_per_rev: Option<Spanned<f64>>,
    /// Places of a wheel, and how many of them have no mark.
    marks: Option<Spanned<MarksTable>>,
    /// Metres per revolution, for m/s.
    travel_per_rev: Option<Spanned<f64>>,
    /// "Hz" (default), "rpm", "m/s", "m/min", or your own with `factor`.
    unit: Option<Spanned<String>>,
    /// What 1 Hz is in your own unit.
    factor: Option<Spanned<f64>>,
    /// Reads 0 after this time without a pulse.
    zero_after: Option<Spanned<TimeText>>,
    /// With [scan]: false counts every edge, as a counter input does, and shows the reading at scans.
    scan: Option<Spanned<bool>>,
    /// It should be steady: how far a reading may leave its steady value, such as "±2 %".
    steady: Option<Spanned<Share>>,
    /// Slowest speed that must be seen, for the check of its settings.
    slowest: Option<Spanned<Speed>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// `marks = { … }`: a wheel with a gap.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct MarksTable {
    /// Places on the wheel.
    of: u32,
    /// Places without a mark, side by side.
    missing: u32,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum MethodWord {
    Gate,
    Period,
    #[default]
    Auto,
}

impl MethodWord {
    fn word(self) -> &'static str {
        match self {
            MethodWord::Gate => "gate",
            MethodWord::Period => "period",
            MethodWord::Auto => "auto",
        }
    }
}

impl RateTable {
    /// The method with what belongs to it, and nothing that belongs to another.
    fn method(&self, builder: &mut Builder<'_>) -> Option<Method> {
        let span = |key: &Option<Spanned<TimeText>>| key.as_ref().map(Spanned::span);
        let keys = [
            ("window", MethodWord::Gate, span(&self.window)),
            ("every", MethodWord::Auto, span(&self.every)),
            ("average", MethodWord::Period, self.average.as_ref().map(Spanned::span)),
        ];
        for (key, owner, span) in keys {
            if let Some(span) = span.filter(|_| owner != self.method) {
                let message = format!(
                    "`{key}` belongs to the method `{}`, but the method is `{}`",
                    owner.word(),
                    self.method.word()
                );
                builder.refuse(span, StationErrorKind::File(message));
            }
        }
        match self.method {
            MethodWord::Gate => match &self.window {
                Some(window) => Some(Method::Gate { window: self.step(window, builder)? }),
                None => {
                    let message = "the method `gate` needs a `window`, such as window = \"1 s\"".to_owned();
                    builder.refuse(builder.place.clone(), StationErrorKind::File(message));
                    None
                }
            },
            MethodWord::Period => {
                let average = self.average.as_ref().map_or(1, |average| *average.get_ref());
                if let Some(span) = self.average.as_ref().map(Spanned::span)
                    && !(1..=MOST_AVERAGE).contains(&average)
                {
                    let message = format!("`average` is {average}: it must be from 1 to {MOST_AVERAGE}");
                    builder.refuse(span, StationErrorKind::File(message));
                    return None;
                }
                Some(Method::Period { average })
            }
            MethodWord::Auto => {
                let every =
                    self.every.as_ref().map_or(Some(builder.takes(USUAL_STEP)), |every| self.step(every, builder))?;
                Some(Method::Auto { every })
            }
        }
    }

    fn is_past_scan(&self) -> bool {
        self.scan.as_ref().is_some_and(|scan| !*scan.get_ref())
    }

    /// A step at which it reads: under a scan whole periods, unless it works past that.
    fn step(&self, time: &Spanned<TimeText>, builder: &mut Builder<'_>) -> Option<Nanos> {
        if self.is_past_scan() { builder.above_zero(time) } else { builder.step(time) }
    }

    /// The places of a wheel with a gap; `None` where an error has been noted.
    fn marks(&self, builder: &mut Builder<'_>) -> Option<Option<Marks>> {
        let Some(table) = &self.marks else { return Some(None) };
        let MarksTable { of, missing } = *table.get_ref();
        let others = self.pulses_per_rev.as_ref().filter(|pulses| *pulses.get_ref() != f64::from(of));
        let message = match (missing, others) {
            (0, _) => "`missing` is 0: remove `marks`".to_owned(),
            _ if missing.saturating_add(2) > of => {
                format!(
                    "of {of} places {missing} without a mark leave too few: `missing` must be at least 2 below `of`"
                )
            }
            (_, Some(pulses)) => format!(
                "`pulses_per_rev` is {} and `marks` has {of} places: remove `pulses_per_rev`, or set it to {of}",
                pulses.get_ref()
            ),
            _ => return Some(Some(Marks { of, missing })),
        };
        builder.refuse(table.span(), StationErrorKind::File(message));
        None
    }

    /// Pulses in one revolution: as stated, or the places of the wheel.
    fn pulses_per_rev(&self) -> Option<Spanned<f64>> {
        let of = |table: &Spanned<MarksTable>| Spanned::new(table.span(), f64::from(table.get_ref().of));
        self.pulses_per_rev
            .as_ref()
            .map(|pulses| Spanned::new(pulses.span(), *pulses.get_ref()))
            .or(self.marks.as_ref().map(of))
    }

    fn unit(&self, builder: &mut Builder<'_>) -> Option<Unit> {
        let travel = Travel {
            pulses_per_rev: builder.positive(&self.pulses_per_rev(), "pulses_per_rev")?,
            travel_per_rev: builder.positive(&self.travel_per_rev, "travel_per_rev")?,
            factor: builder.positive(&self.factor, "factor")?,
        };
        unit(&self.unit, travel, builder)
    }
}

/// Most intervals that are averaged.
const MOST_AVERAGE: u32 = 100_000;

/// The unit of a table; hertz where none is told.
pub(crate) fn unit(name: &Option<Spanned<String>>, travel: Travel, builder: &mut Builder<'_>) -> Option<Unit> {
    let (text, span) = match name {
        Some(name) => (name.get_ref().as_str(), name.span()),
        None => ("Hz", builder.place.clone()),
    };
    Unit::new(text, travel)
        .map_err(|error| {
            builder.refuse(span, StationErrorKind::Unit(error));
        })
        .ok()
}

impl PointTable for RateTable {
    type Point = RatePoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let (method, marks, unit) = (self.method(builder), self.marks(builder), self.unit(builder));
        let zero_after = self.zero_after.as_ref().and_then(|time| match self.is_past_scan() {
            true => builder.above_zero(time),
            false => builder.takes_above_zero(time),
        });
        if let (Some(zero_after), MethodWord::Gate) = (&self.zero_after, self.method) {
            let message = "`gate` does not use `zero_after`: a window without edges reads 0".to_owned();
            builder.refuse(zero_after.span(), StationErrorKind::File(message));
        }
        let of = builder.expression(&self.of);
        if let Some(steady) = self.steady.as_ref().filter(|steady| steady.get_ref().0 <= 0.0) {
            let message = "`steady` must be above zero, such as steady = \"±2 %\"".to_owned();
            builder.refuse(steady.span(), StationErrorKind::File(message));
        }
        if builder.errors.len() > errors {
            return None;
        }
        let steady = self.steady.as_ref().map(|steady| steady.get_ref().0);
        let pulses_per_rev = self.pulses_per_rev().map(Spanned::into_inner);
        let scan_from = builder.scan.filter(|_| !self.is_past_scan()).map(|scan| scan.phase);
        let steps_from = scan_from.unwrap_or_default();
        let settings =
            Settings { method: method?, steps_from, zero_after, unit: unit?, pulses_per_rev, marks: marks?, steady };
        let (of_samples, past_scan) = (false, builder.past_scan(&self.scan));
        Some(RatePoint { settings, of: of?, of_samples, past_scan, slowest: self.slowest.map(Spanned::into_inner) })
    }
}

/// A rate of the station.
#[derive(Debug)]
pub struct RatePoint {
    settings: Settings,
    of: FieldExpression,
    /// Whether that is a register, whose samples tell the counts.
    of_samples: bool,
    /// When it is shown, where it works past the scan.
    past_scan: Option<ReadingTimes>,
    slowest: Option<Speed>,
}

const ITSELF: Field = Field { name: "", column: FieldColumn::Reading(0) };
/// Those of a wheel with a gap; of others all but the last.
const RATE_FIELDS: &[Field] = &[
    ITSELF,
    Field { name: "resolution", column: FieldColumn::Reading(1) },
    Field { name: "stopped", column: FieldColumn::Bit(0) },
    Field { name: "revolution", column: FieldColumn::Bit(1) },
];

impl PointKind for RatePoint {
    fn what(&self) -> &'static str {
        "a rate"
    }

    fn fields(&self) -> &'static [Field] {
        match self.settings.marks {
            Some(_) => RATE_FIELDS,
            None => RATE_FIELDS.get(..3).unwrap_or(RATE_FIELDS),
        }
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        if self.of_samples { &[] } else { &["of"] }
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("of", &self.of)]
    }

    fn rate(&self) -> Option<&Settings> {
        Some(&self.settings).filter(|_| !self.of_samples)
    }

    fn counted(&self) -> Vec<&FieldExpression> {
        if self.of_samples { Vec::new() } else { vec![&self.of] }
    }

    fn learn(&mut self, known: &KnownPoints) {
        self.of_samples = known.is_register(&self.of);
        self.of.number = self.of_samples;
    }

    fn refused(&self) -> Option<(Span, String)> {
        let wrong = match self.settings {
            _ if !self.of_samples => return None,
            Settings { method: Method::Auto { .. }, zero_after: None, marks: None, steady: None, .. } => return None,
            Settings { method: Method::Auto { .. }, zero_after: Some(_), .. } => {
                "its samples tell when nothing was counted: remove `zero_after`"
            }
            Settings { method: Method::Auto { .. }, marks: Some(_), .. } => {
                "its samples show no single marks: remove `marks`"
            }
            Settings { method: Method::Auto { .. }, .. } => "`steady` is not worked out for one: remove it",
            _ => "the rate of a register is worked from its samples: remove `method`",
        };
        Some((self.of.span.clone(), format!("`{}` is a register, and {wrong}", self.of.expression)))
    }

    fn unit(&self) -> Option<&str> {
        Some(&self.settings.unit.name)
    }

    fn findings(&self, name: &str) -> Vec<Finding> {
        let Some(slowest) = self.slowest else { return Vec::new() };
        let hertz = slowest.pulses(self.settings.pulses_per_rev.unwrap_or(1.0)).0;
        let mut findings = Vec::new();
        if let Some(zero_after) = self.settings.zero_after.filter(|zero| zero.seconds() * hertz < 1.0) {
            let message = format!(
                "at {slowest} a pulse comes every {}, and after {zero_after} without one it reads 0",
                engineering(1.0 / hertz, "s")
            );
            let remedy = format!("zero_after = \"{}\"", engineering(2.0 / hertz, "s"));
            findings.push(Finding::warning("stops-too-early", name, message, &remedy));
        }
        if let Method::Gate { window } = self.settings.method {
            let share = judgement::count_in_gate(window.seconds()) / hertz;
            if share > 0.1 {
                let message = format!(
                    "at {slowest} a window of {window} holds {:.1} pulses: one is {:.0} % of it",
                    1.0 / share,
                    share * 100.0
                );
                let remedy = "method = \"auto\" times the pulses; `reigen size speed` compares the two";
                findings.push(Finding::warning("coarse-at-slowest", name, message, remedy));
            }
        }
        findings
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        if let (true, Method::Auto { every }, Some(name)) =
            (self.of_samples, self.settings.method, self.of.expression.as_name())
        {
            let Unit { name: unit, per_hertz } = self.settings.unit.clone();
            let settings =
                sample_rate::Settings { every, phase: self.settings.steps_from, per_hertz, unit, tick: branch.tick() };
            let field = |field: &str| Reference { point: name.point.clone(), field: field.to_owned() };
            let (count, delta) = (branch.named(&field("")), branch.named(&field("delta")));
            return Operation::SampleRate { settings, count, delta };
        }
        let settings = self.settings.clone();
        if let Some(times) = self.past_scan {
            let of = branch.counted_past_scan(&self.of);
            return Operation::ScannedRate { settings, of, tick: branch.line_tick(), times };
        }
        let (of, tick) = (branch.counted(&self.of), branch.tick());
        Operation::Rate { settings, of, tick }
    }
}

/// `[width.NAME]`: the length of each pulse.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WidthTable {
    /// Bit whose pulses are measured.
    of: Spanned<String>,
    /// "high" (default): while on; "low": while off.
    #[serde(default)]
    level: LevelWord,
    /// Reading from the width `raw` in seconds, such as "raw * 171.5".
    formula: Option<Spanned<String>>,
    /// Unit of the reading.
    unit: Option<String>,
    /// Least and greatest reading; others are no readings.
    valid: Option<Spanned<[f64; 2]>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum LevelWord {
    #[default]
    High,
    Low,
}

impl PointTable for WidthTable {
    type Point = WidthPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let of = builder.expression(&self.of);
        let formula = self.formula.as_ref().map(|formula| builder.formula(formula));
        let valid = self.valid.as_ref().and_then(|valid| builder.range(valid, "`valid`"));
        if builder.errors.len() > errors {
            return None;
        }
        let usual_unit = if formula.is_some() { "" } else { "s" };
        let settings = width::Settings { unit: self.unit.unwrap_or_else(|| usual_unit.to_owned()), valid };
        Some(WidthPoint { settings, of: of?, high: self.level == LevelWord::High, formula: formula.flatten() })
    }
}

/// A width of the station.
#[derive(Debug)]
pub struct WidthPoint {
    settings: width::Settings,
    of: FieldExpression,
    high: bool,
    formula: Option<FieldExpression>,
}

impl PointKind for WidthPoint {
    fn what(&self) -> &'static str {
        "a width"
    }

    fn fields(&self) -> &'static [Field] {
        &[ITSELF]
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        &["of"]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        let formula = self.formula.as_ref().map(|formula| ("formula", formula));
        [("of", &self.of)].into_iter().chain(formula).collect()
    }

    fn unit(&self) -> Option<&str> {
        Some(&self.settings.unit)
    }

    fn valid(&self) -> Option<[f64; 2]> {
        self.settings.valid
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let of = branch.counted(&self.of);
        let raw = branch.inner_reading(Operation::Stretches { of, high: self.high });
        let formula = self.formula.as_ref().map(|formula| branch.formula(formula, raw));
        Operation::Width { settings: self.settings.clone(), raw, formula }
    }
}
