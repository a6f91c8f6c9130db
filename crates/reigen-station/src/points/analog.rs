//! The tables of analog points and thresholds in the station file.

use crate::points::PointKind;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::{Builder, TimeText};
use crate::table::{Field, FieldColumn, FieldExpression, LineName, StationErrorKind};
use crate::wiring::connection::{ReadAs, WireKeys, Wired, WiringTable};
use crate::wiring::parts::{self, PartKind, PartTable};
use reigen_core::analog::meter::{Scaling, Settings};
use reigen_core::analog::smooth::Smoothing;
use reigen_core::analog::threshold::Levels;
use reigen_core::program::Operation;
use reigen_core::time::Nanos;
use reigen_core::units::Metres;
use serde::Deserialize;

/// `[analog.NAME]`: a line of numbers, scaled and checked.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AnalogTable {
    /// Line of the recording.
    line: Spanned<String>,
    /// Turns counts of a converter into its span.
    counts: Option<Spanned<CountsTable>>,
    /// Scales by two points.
    scale: Option<Spanned<ScaleTable>>,
    /// Reading from `raw`, after counts and scale.
    formula: Option<Spanned<String>>,
    /// Unit of the reading.
    #[serde(default)]
    unit: String,
    /// Least and greatest reading; beyond them `.fault` is on.
    valid: Option<Spanned<[f64; 2]>>,
    /// Mean over time.
    smooth: Option<SmoothTable>,
    /// Kind of its sensor: the name of a [sensor.NAME].
    sensor: Option<Spanned<String>>,
    /// Terminal on a card, such as "I0" or "plc.I0".
    terminal: Option<Spanned<String>>,
    /// Length of its cable, such as "15 m".
    #[serde(default)]
    cable: Metres,
    /// Feed, cable data and the usual parts of its wire.
    #[serde(default)]
    wiring: WiringTable,
    /// Parts of its wire, from the sensor to the terminal.
    wire: Option<Spanned<Vec<Spanned<PartTable>>>>,
    /// Which sensor it is, where several points share one.
    device: Option<String>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// `counts = { … }`: a converter.
#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct CountsTable {
    /// Counts at full scale.
    full: f64,
    /// Value at full scale.
    span: f64,
}

/// `scale = { … }`: a line through two points.
#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ScaleTable {
    /// Two values as recorded.
    from: [f64; 2],
    /// What they mean.
    to: [f64; 2],
}

impl ScaleTable {
    /// A line through two points.
    pub(crate) fn new(from: [f64; 2], to: [f64; 2]) -> Self {
        Self { from, to }
    }

    /// Both points; `None` where they are no line, which is noted.
    pub(crate) fn checked(scale: &Spanned<Self>, builder: &mut Builder<'_>) -> Option<([f64; 2], [f64; 2])> {
        let Self { from: [from, until], to } = *scale.get_ref();
        let finite = [from, until].iter().chain(&to).all(|number| number.is_finite());
        if from == until || !finite {
            let message = format!("`scale` needs two different points: `from` is {from} and {until}");
            builder.refuse(scale.span(), StationErrorKind::File(message));
            return None;
        }
        Some(([from, until], to))
    }
}

/// `smooth = { … }`: the mean over time.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct SmoothTable {
    /// Time to average over.
    over: Spanned<TimeText>,
    /// Time between two readings.
    every: Spanned<TimeText>,
}

impl AnalogTable {
    fn scaling(&self, builder: &mut Builder<'_>) -> Scaling {
        if let Some(counts) = &self.counts {
            let CountsTable { full, span } = *counts.get_ref();
            if !(full > 0.0 && full.is_finite() && span.is_finite() && span != 0.0) {
                let message =
                    format!("{full} counts for a span of {span}: full scale is above zero, and the span not zero");
                builder.refuse(counts.span(), StationErrorKind::File(message));
            }
        }
        Scaling {
            counts: self.counts.as_ref().map(|counts| (counts.get_ref().full, counts.get_ref().span)),
            wire: None,
            scale: self.scale.as_ref().and_then(|scale| ScaleTable::checked(scale, builder)),
        }
    }

    fn smoothing(&self, builder: &mut Builder<'_>) -> Option<Smoothing> {
        let smooth = self.smooth.as_ref()?;
        let (over, every) = (builder.step(&smooth.over), builder.step(&smooth.every));
        let from = builder.scan.map_or(Nanos(0), |scan| scan.phase);
        Some(Smoothing { over: over?, every: every?, from })
    }
}

impl PointTable for AnalogTable {
    type Point = AnalogPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let mut scaling = self.scaling(builder);
        let smooth = self.smoothing(builder);
        let keys = WireKeys {
            sensor: self.sensor,
            device: self.device,
            terminal: self.terminal,
            cable: self.cable,
            wiring: self.wiring,
            wire: self.wire,
        };
        let wired = keys.build(builder);
        scaling.wire = wire_gain(&wired);
        let settings = Settings {
            scaling,
            smooth,
            valid: self.valid.as_ref().and_then(|valid| builder.range(valid, "`valid`")),
            unit: self.unit,
            computed: false,
        };
        let line = builder.line(&self.line);
        let formula = self.formula.as_ref().map(|formula| builder.formula(formula));
        if builder.errors.len() > errors {
            return None;
        }
        let line = line?;
        let read_as =
            ReadAs::Analog { line: line.name.clone(), scale_from: settings.scaling.scale.map(|(from, _)| from) };
        let wired = Wired { read_as, ..wired };
        Some(AnalogPoint { settings, line, formula: formula.flatten(), wired })
    }
}

/// What one volt at the terminal is before the parts of the wire: volts of the sensor, or its milliamperes over a shunt.
fn wire_gain(wired: &Wired) -> Option<f64> {
    let divides = wired.parts.iter().any(|part| matches!(part.kind, PartKind::PullDown(_)));
    let shunts = wired.parts.iter().any(|part| matches!(part.kind, PartKind::Shunt(_)));
    match (shunts, divides) {
        // A current is told in milliamperes, as everywhere.
        (true, _) => parts::gain(&wired.parts, true).map(|ohms| 1e3 / ohms),
        (false, true) => parts::gain(&wired.parts, false).map(|share| 1.0 / share),
        (false, false) => None,
    }
}

/// An analog point of the station.
#[derive(Debug)]
pub struct AnalogPoint {
    settings: Settings,
    line: LineName,
    formula: Option<FieldExpression>,
    wired: Wired,
}

const ANALOG_FIELDS: &[Field] =
    &[Field { name: "", column: FieldColumn::Reading(0) }, Field { name: "fault", column: FieldColumn::Bit(0) }];

impl PointKind for AnalogPoint {
    fn what(&self) -> &'static str {
        "an analog point"
    }

    fn fields(&self) -> &'static [Field] {
        ANALOG_FIELDS
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        self.formula.iter().map(|formula| ("formula", formula)).collect()
    }

    fn scaled(&self, recorded: f64) -> Option<f64> {
        self.formula.is_none().then(|| self.settings.scaling.value(recorded))
    }

    fn number_line(&self) -> Option<&LineName> {
        Some(&self.line)
    }

    fn wired(&self) -> Option<&Wired> {
        (self.wired.terminal.is_some() || self.wired.sensor.is_some()).then_some(&self.wired)
    }

    fn unit(&self) -> Option<&str> {
        Some(&self.settings.unit)
    }

    fn valid(&self) -> Option<[f64; 2]> {
        self.settings.valid
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let line = branch.number_line(&self.line);
        let (of, recorded) = match &self.formula {
            None => (line, None),
            Some(formula) => {
                let raw = branch.inner_reading(Operation::Scaled { of: line, scaling: self.settings.scaling });
                (branch.formula(formula, raw), Some(line))
            }
        };
        Operation::Analog { settings: self.settings.clone(), of, recorded }
    }
}

/// `[threshold.NAME]`: a bit from a number, with hysteresis.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ThresholdTable {
    /// Number: a point or an expression.
    of: Spanned<String>,
    /// Goes on above this.
    on_above: Option<Spanned<f64>>,
    /// Goes off below this.
    off_below: Option<Spanned<f64>>,
    /// Goes on below this.
    on_below: Option<Spanned<f64>>,
    /// Goes off above this.
    off_above: Option<Spanned<f64>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

impl ThresholdTable {
    fn levels(&self, builder: &mut Builder<'_>) -> Option<Levels> {
        let (above, below, inverted) = match (&self.on_above, &self.off_below, &self.on_below, &self.off_above) {
            (Some(above), Some(below), None, None) => (above, below, false),
            (None, None, Some(below), Some(above)) => (above, below, true),
            _ => {
                let message = "a threshold needs on_above and off_below, or on_below and off_above".to_owned();
                builder.refuse(builder.place.clone(), StationErrorKind::File(message));
                return None;
            }
        };
        let (above, below, span) = (*above.get_ref(), *below.get_ref(), above.span());
        if above < below || !above.is_finite() || !below.is_finite() {
            builder.refuse(span, StationErrorKind::wrong_way_round("the threshold", below, above));
            return None;
        }
        Some(Levels { above, below, inverted })
    }
}

impl PointTable for ThresholdTable {
    type Point = ThresholdPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (levels, of) = (self.levels(builder), builder.number(&self.of));
        Some(ThresholdPoint { of: of?, levels: levels? })
    }
}

/// A threshold of the station.
#[derive(Debug)]
pub struct ThresholdPoint {
    of: FieldExpression,
    levels: Levels,
}

impl PointKind for ThresholdPoint {
    fn what(&self) -> &'static str {
        "a threshold"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Bit(0) }]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("of", &self.of)]
    }

    fn threshold(&self) -> Option<(&FieldExpression, Levels)> {
        Some((&self.of, self.levels))
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let of = branch.number(&self.of);
        Operation::Threshold { levels: self.levels, of }
    }
}
