//! The table of analog outputs in the station file.

use crate::points::PointKind;
use crate::points::analog::ScaleTable;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::Builder;
use crate::table::{Field, FieldColumn, FieldExpression, StationErrorKind};
use reigen_core::analog::signal::Signal;
use reigen_core::number::analog_output::{OnFault, Settings};
use reigen_core::program::Operation;
use serde::Deserialize;

/// `[analog_output.NAME]`: a number given out as a current or a voltage.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AnalogOutputTable {
    /// Number: a point or an expression.
    of: Spanned<String>,
    /// Its signal: "4-20mA" (default), "0-20mA", "0-10V" or another span.
    signal: Option<Spanned<String>>,
    /// Values of the number at both ends of the signal, such as [0, 300].
    range: Option<Spanned<[f64; 2]>>,
    /// Scales by two points instead: from the number to milliamperes or volts.
    scale: Option<Spanned<ScaleTable>>,
    /// Least and most that is given out, in milliamperes or volts [default: the ends; of 4-20mA 3.8 and 20.5].
    limits: Option<Spanned<[f64; 2]>>,
    /// Given out in fault: milliamperes or volts, or "hold" (default).
    on_fault: Option<Spanned<OnFaultValue>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// What is given out in fault, as it is typed.
#[derive(Debug, Clone, Deserialize, schemars::JsonSchema)]
#[serde(untagged)]
enum OnFaultValue {
    /// Milliamperes or volts.
    Give(f64),
    /// "hold".
    Word(String),
}

impl AnalogOutputTable {
    fn signal(&self, builder: &mut Builder<'_>) -> Option<Signal> {
        let Some(text) = &self.signal else { return Some(Signal::FOUR_TO_TWENTY) };
        match text.get_ref().parse() {
            Ok(signal) => Some(signal),
            Err(message) => {
                builder.refuse(text.span(), StationErrorKind::File(message));
                None
            }
        }
    }

    fn scale(&self, ends: [f64; 2], builder: &mut Builder<'_>) -> Option<([f64; 2], [f64; 2])> {
        match (&self.range, &self.scale) {
            (Some(range), None) => {
                let [from, until] = *range.get_ref();
                let of_range = Spanned::new(range.span(), ScaleTable::new([from, until], ends));
                ScaleTable::checked(&of_range, builder)
            }
            (None, Some(scale)) => ScaleTable::checked(scale, builder),
            _ => {
                let message = "an analog output needs `range`, the values at both ends of the signal, or `scale`; such as range = [0, 300]".to_owned();
                builder.refuse(builder.place.clone(), StationErrorKind::File(message));
                None
            }
        }
    }

    fn on_fault(&self, builder: &mut Builder<'_>) -> Option<OnFault> {
        match self.on_fault.as_ref().map(|value| (value.get_ref(), value.span())) {
            None => Some(OnFault::Hold),
            Some((OnFaultValue::Word(word), _)) if word == "hold" => Some(OnFault::Hold),
            Some((OnFaultValue::Give(given), _)) if given.is_finite() => Some(OnFault::Give(*given)),
            Some((_, span)) => {
                let message = "`on_fault` is milliamperes or volts, such as 3.5, or \"hold\"".to_owned();
                builder.refuse(span, StationErrorKind::File(message));
                None
            }
        }
    }
}

impl PointTable for AnalogOutputTable {
    type Point = AnalogOutputPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let of = builder.number(&self.of);
        let signal = self.signal(builder)?;
        let (ends, unit) = signal.usual();
        let scale = self.scale(ends, builder);
        let is_four_to_twenty = signal.is_same(Signal::FOUR_TO_TWENTY);
        // What a receiver takes for a measurement reaches a little beyond the ends (NAMUR NE 43).
        let usual = if is_four_to_twenty { [3.8, 20.5] } else { ends };
        let limits = match &self.limits {
            Some(limits) => builder.range(limits, "`limits`"),
            None => Some(usual),
        };
        let on_fault = self.on_fault(builder);
        let settings =
            Settings { scale: scale?, limits: limits?, on_fault: on_fault?, unit, tells_states: is_four_to_twenty };
        Some(AnalogOutputPoint { settings, of: of? })
    }
}

/// An analog output of the station.
#[derive(Debug)]
pub struct AnalogOutputPoint {
    settings: Settings,
    of: FieldExpression,
}

impl PointKind for AnalogOutputPoint {
    fn what(&self) -> &'static str {
        "an analog output"
    }

    fn fields(&self) -> &'static [Field] {
        &[
            Field { name: "", column: FieldColumn::Reading(0) },
            Field { name: "limited", column: FieldColumn::Bit(0) },
            Field { name: "fault", column: FieldColumn::Bit(1) },
        ]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("of", &self.of)]
    }

    fn unit(&self) -> Option<&str> {
        Some(self.settings.unit)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        Operation::AnalogOutput { settings: self.settings.clone(), of: branch.worked_or_fault(&self.of) }
    }
}
