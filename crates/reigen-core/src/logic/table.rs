//! The tables of logic points in the station file.

use super::output::Output;
use crate::engine::{Block, Shape};
use crate::station::builder::{Builder, PointTable};
use crate::station::plan::BranchBuilder;
use crate::station::{BitExpression, Field, FieldColumn, PointKind};
use crate::units::Metres;
use crate::wiring::connection::{Load, ReadAs, Wired};
use serde::Deserialize;
use toml::Spanned;

/// `[output.NAME]` as it stands in the file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OutputTable {
    when: Spanned<String>,
    terminal: Option<Spanned<String>>,
    #[serde(default)]
    cable: Metres,
    load: Option<Load>,
}

impl PointTable for OutputTable {
    fn build(self, builder: &mut Builder<'_>) -> Option<Box<dyn PointKind>> {
        let wired = Wired {
            terminal: self.terminal,
            cable: self.cable,
            load: self.load,
            read_as: ReadAs::Output,
            ..Wired::default()
        };
        Some(Box::new(OutputPoint { when: builder.expression(&self.when)?, wired }))
    }
}

/// An output of the station.
#[derive(Debug)]
struct OutputPoint {
    when: BitExpression,
    wired: Wired,
}

impl PointKind for OutputPoint {
    fn what(&self) -> &'static str {
        "an output"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Bit(0) }]
    }

    fn expressions(&self) -> Vec<(&'static str, &BitExpression)> {
        vec![("when", &self.when)]
    }

    fn wired(&self) -> Option<&Wired> {
        Some(&self.wired)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> (Box<dyn Block>, Shape) {
        let when = branch.settled(&self.when);
        (Box::new(Output::new(when)), Shape { bits: 1, counts: 0 })
    }
}
