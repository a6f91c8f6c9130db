//! The table of registers in the station file: running counts that come as numbers.

use crate::points::PointKind;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::Builder;
use crate::table::{Field, FieldColumn, LineName, StationErrorKind};
use reigen_core::number::register::{Settings, Sources};
use reigen_core::program::Operation;
use reigen_core::units::Hertz;
use serde::Deserialize;

/// Bits of a register.
const BITS: std::ops::RangeInclusive<u32> = 1..=64;
/// Bits of each of two registers that are one value.
const USUAL_LOW_BITS: u32 = 16;

/// `[register.NAME]`: a running count that comes as numbers.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RegisterTable {
    /// Line of numbers in the recording.
    line: Option<Spanned<String>>,
    /// Line of the upper register of a value in two registers.
    high: Option<Spanned<String>>,
    /// Line of the lower one.
    low: Option<Spanned<String>>,
    /// Number of its bits, of both registers together; without it nothing wraps.
    bits: Option<Spanned<u32>>,
    /// Counts up and down, in two's complement.
    #[serde(default)]
    signed: bool,
    /// "restart": a fall that is no wrap is the device that began anew at 0.
    reset: Option<ResetWord>,
    /// Most counts a second, such as "10 kHz"; what is faster is no wrap.
    fastest: Option<Spanned<Hertz>>,
    /// What one count is, in `unit`.
    per_count: Option<Spanned<f64>>,
    /// Unit of `.value`.
    unit: Option<String>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum ResetWord {
    Restart,
}

impl RegisterTable {
    /// Its line, or both of them; `None` where an error has been noted.
    fn lines(&self, builder: &mut Builder<'_>) -> Option<(LineName, Option<LineName>)> {
        match (&self.line, &self.low, &self.high) {
            (Some(line), None, None) => Some((builder.line(line)?, None)),
            (None, Some(low), Some(high)) => {
                let (low, high) = (builder.line(low), builder.line(high));
                Some((low?, Some(high?)))
            }
            _ => {
                let message = "a register has `line`, or `high` and `low` for a value in two registers".to_owned();
                builder.refuse(builder.place.clone(), StationErrorKind::File(message));
                None
            }
        }
    }

    /// Its bits; `None` where an error has been noted.
    fn bits(&self, builder: &mut Builder<'_>) -> Option<Option<u32>> {
        let Some(bits) = &self.bits else {
            if self.signed {
                let message = "`signed` needs `bits`: where the register wraps, such as bits = 16".to_owned();
                builder.refuse(builder.place.clone(), StationErrorKind::File(message));
                return None;
            }
            return Some(self.high.as_ref().map(|_| 2 * USUAL_LOW_BITS));
        };
        let number = *bits.get_ref();
        let halves = self.high.is_none() || number % 2 == 0;
        if !BITS.contains(&number) || !halves {
            let message = match halves {
                true => format!("`bits` is {number}: a register has from 1 to 64 bits"),
                false => format!("`bits` is {number}: two registers of one size have an even number of bits together"),
            };
            builder.refuse(bits.span(), StationErrorKind::File(message));
            return None;
        }
        Some(Some(number))
    }
}

impl PointTable for RegisterTable {
    type Point = RegisterPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (lines, bits) = (self.lines(builder), self.bits(builder));
        let per_count = builder.positive(&self.per_count, "per_count")?;
        let fastest = self.fastest.as_ref().map(|fastest| fastest.get_ref().0);
        if let Some(span) =
            self.fastest.as_ref().map(Spanned::span).filter(|_| fastest.is_some_and(|hertz| hertz <= 0.0))
        {
            builder.refuse(span, StationErrorKind::File("`fastest` must be above zero".to_owned()));
            return None;
        }
        let scale = match (per_count, self.unit) {
            (None, None) => None,
            (per_count, unit) => Some((per_count.unwrap_or(1.0), unit.unwrap_or_default())),
        };
        let ((line, high), bits) = (lines?, bits?);
        let settings = Settings { bits, signed: self.signed, restarts: self.reset.is_some(), fastest, scale };
        Some(RegisterPoint { settings, line, high })
    }
}

/// A register of the station.
#[derive(Debug)]
pub struct RegisterPoint {
    settings: Settings,
    line: LineName,
    high: Option<LineName>,
}

const COUNT: Field = Field { name: "", column: FieldColumn::Count(0) };
const DELTA: Field = Field { name: "delta", column: FieldColumn::Count(1) };
const RESETS: Field = Field { name: "resets", column: FieldColumn::Count(2) };
const WRAPS: Field = Field { name: "wraps", column: FieldColumn::Count(3) };
const PLAIN: &[Field] = &[COUNT, DELTA, RESETS, WRAPS, Field { name: "value", column: FieldColumn::Count(0) }];
const SCALED: &[Field] = &[COUNT, DELTA, RESETS, WRAPS, Field { name: "value", column: FieldColumn::Reading(0) }];

impl PointKind for RegisterPoint {
    fn what(&self) -> &'static str {
        "a register"
    }

    fn fields(&self) -> &'static [Field] {
        if self.settings.scale.is_some() { SCALED } else { PLAIN }
    }

    fn is_register(&self) -> bool {
        true
    }

    fn number_lines(&self) -> Vec<&LineName> {
        std::iter::once(&self.line).chain(&self.high).collect()
    }

    fn value_unit(&self) -> Option<&str> {
        self.settings.scale.as_ref().map(|(_, unit)| unit.as_str())
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let half = self.settings.bits.map_or(USUAL_LOW_BITS, |bits| bits / 2);
        let high = self.high.as_ref().map(|high| (branch.number_line(high), half));
        let sources = Sources { low: branch.number_line(&self.line), high };
        Operation::Register { settings: self.settings.clone(), sources }
    }
}
