//! The tables of numbers that follow from numbers: `number`, `hold`, `stats`, `delay`.

use crate::points::PointKind;
use crate::points::analog::ScaleTable;
use crate::points::point_kind::KnownPoints;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::Builder;
use crate::table::{Field, FieldColumn, FieldExpression};
use reigen_core::analog::meter::{Scaling, Settings};
use reigen_core::number::hold;
use reigen_core::program::Operation;
use serde::Deserialize;

/// `[number.NAME]`: a number worked from points.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NumberTable {
    /// Expression over points that gives a number, such as "line_speed - drum_speed".
    of: Spanned<String>,
    /// Scales by two points.
    scale: Option<Spanned<ScaleTable>>,
    /// Unit of the number.
    unit: Option<String>,
    /// Least and greatest value; beyond them `.fault` is on.
    valid: Option<Spanned<[f64; 2]>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

impl PointTable for NumberTable {
    type Point = NumberPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let of = builder.number(&self.of);
        let scale = self.scale.as_ref().and_then(|scale| ScaleTable::checked(scale, builder));
        let valid = self.valid.as_ref().and_then(|valid| builder.range(valid, "`valid`"));
        if builder.errors.len() > errors {
            return None;
        }
        let scaling = Scaling { scale, ..Scaling::default() };
        let own_unit = self.unit.is_some();
        let settings = Settings { scaling, unit: self.unit.unwrap_or_default(), valid, smooth: None, computed: true };
        Some(NumberPoint { settings, of: of?, own_unit })
    }
}

/// A number of the station that is worked from points.
#[derive(Debug)]
pub struct NumberPoint {
    settings: Settings,
    of: FieldExpression,
    own_unit: bool,
}

const NUMBER_FIELDS: &[Field] = &[
    Field { name: "", column: FieldColumn::Reading(0) },
    Field { name: "value", column: FieldColumn::Reading(0) },
    Field { name: "fault", column: FieldColumn::Bit(0) },
];

impl PointKind for NumberPoint {
    fn what(&self) -> &'static str {
        "a number"
    }

    fn fields(&self) -> &'static [Field] {
        NUMBER_FIELDS
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("of", &self.of)]
    }

    fn learn(&mut self, known: &KnownPoints) {
        if !self.own_unit && self.settings.scaling.scale.is_none() {
            known.take_unit(&self.of, &mut self.settings.unit);
        }
    }

    fn unit(&self) -> Option<&str> {
        Some(&self.settings.unit)
    }

    fn valid(&self) -> Option<[f64; 2]> {
        self.settings.valid
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        Operation::Analog { settings: self.settings.clone(), of: branch.worked(&self.of), recorded: None }
    }
}

/// `[hold.NAME]`: the value of a number at an edge.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HoldTable {
    /// Number: a point or an expression.
    of: Spanned<String>,
    /// Bit at whose edges it is held.
    at: Spanned<String>,
    /// "rising" (default), "falling" or "both".
    #[serde(default)]
    edge: EdgeWord,
    /// Unit of the number [default: that of the point].
    unit: Option<String>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum EdgeWord {
    #[default]
    Rising,
    Falling,
    Both,
}

impl PointTable for HoldTable {
    type Point = HoldPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (of, at) = (builder.number(&self.of), builder.expression(&self.at));
        let edges = match self.edge {
            EdgeWord::Rising => hold::Edges { rising: true, falling: false },
            EdgeWord::Falling => hold::Edges { rising: false, falling: true },
            EdgeWord::Both => hold::Edges { rising: true, falling: true },
        };
        let own_unit = self.unit.is_some();
        let settings = hold::Settings { edges, unit: self.unit.unwrap_or_default() };
        Some(HoldPoint { settings, of: of?, at: at?, own_unit })
    }
}

/// A hold of the station.
#[derive(Debug)]
pub struct HoldPoint {
    settings: hold::Settings,
    of: FieldExpression,
    at: FieldExpression,
    own_unit: bool,
}

impl PointKind for HoldPoint {
    fn what(&self) -> &'static str {
        "a hold"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Reading(0) }, Field { name: "value", column: FieldColumn::Reading(0) }]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("of", &self.of), ("at", &self.at)]
    }

    fn counted(&self) -> Vec<&FieldExpression> {
        vec![&self.at]
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        &["at"]
    }

    fn learn(&mut self, known: &KnownPoints) {
        if !self.own_unit {
            known.take_unit(&self.of, &mut self.settings.unit);
        }
    }

    fn unit(&self) -> Option<&str> {
        Some(&self.settings.unit)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let (of, at) = (branch.worked_or_fault(&self.of), branch.counted(&self.at));
        Operation::Hold { settings: self.settings.clone(), of, at }
    }
}

/// `[stats.NAME]`: a number while a bit is on.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StatsTable {
    /// Number: a point or an expression.
    of: Spanned<String>,
    /// Bit while which it is measured.
    #[serde(rename = "while")]
    while_on: Spanned<String>,
    /// Unit of the number [default: that of the point].
    unit: Option<String>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

impl PointTable for StatsTable {
    type Point = StatsPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (of, while_on) = (builder.number(&self.of), builder.expression(&self.while_on));
        let own_unit = self.unit.is_some();
        Some(StatsPoint { unit: self.unit.unwrap_or_default(), of: of?, while_on: while_on?, own_unit })
    }
}

/// What a number does while a bit of the station is on.
#[derive(Debug)]
pub struct StatsPoint {
    unit: String,
    of: FieldExpression,
    while_on: FieldExpression,
    own_unit: bool,
}

impl PointKind for StatsPoint {
    fn what(&self) -> &'static str {
        "a set of figures"
    }

    fn fields(&self) -> &'static [Field] {
        &[
            Field { name: "", column: FieldColumn::Reading(0) },
            Field { name: "mean", column: FieldColumn::Reading(0) },
            Field { name: "min", column: FieldColumn::Reading(1) },
            Field { name: "max", column: FieldColumn::Reading(2) },
        ]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("of", &self.of), ("while", &self.while_on)]
    }

    fn learn(&mut self, known: &KnownPoints) {
        if !self.own_unit {
            known.take_unit(&self.of, &mut self.unit);
        }
    }

    fn unit(&self) -> Option<&str> {
        Some(&self.unit)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let (of, while_on) = (branch.worked_or_fault(&self.of), branch.settled(&self.while_on));
        Operation::Stats { unit: self.unit.clone(), of, while_on }
    }
}

/// `[delay.NAME]`: the time from one point to another.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DelayTable {
    /// Bit at whose rising edges the time begins.
    from: Spanned<String>,
    /// Bit at whose rising edges it ends.
    to: Spanned<String>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

impl PointTable for DelayTable {
    type Point = DelayPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (from, to) = (builder.expression(&self.from), builder.expression(&self.to));
        Some(DelayPoint { from: from?, to: to? })
    }
}

/// A delay of the station.
#[derive(Debug)]
pub struct DelayPoint {
    from: FieldExpression,
    to: FieldExpression,
}

impl PointKind for DelayPoint {
    fn what(&self) -> &'static str {
        "a delay"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Reading(0) }, Field { name: "pending", column: FieldColumn::Bit(0) }]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("from", &self.from), ("to", &self.to)]
    }

    fn counted(&self) -> Vec<&FieldExpression> {
        vec![&self.from, &self.to]
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        &["from", "to"]
    }

    fn unit(&self) -> Option<&str> {
        Some("s")
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        Operation::Delay { from: branch.counted(&self.from), to: branch.counted(&self.to) }
    }
}
