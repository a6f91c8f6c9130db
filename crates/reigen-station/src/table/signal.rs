//! What may be a line of the recording or a point of the station.

use super::branch::BranchBuilder;
use super::builder::Builder;
use super::{FieldExpression, LineName};
use crate::spanned::Spanned;
use reigen_core::block::BitSource;
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::logic::expression::{self, Span};

/// A signal of two levels by its name: a bit of points where all that it names are points, else a line.
#[derive(Debug)]
pub struct Signal {
    line: LineName,
    expression: Option<FieldExpression>,
    is_point: bool,
}

impl Signal {
    /// Reads the name of a signal.
    pub fn new(text: &Spanned<String>, builder: &mut Builder<'_>) -> Option<Self> {
        let line = builder.line(text)?;
        let expression = expression::parse(text.get_ref()).is_ok().then(|| builder.expression(text)).flatten();
        Some(Self { line, expression, is_point: false })
    }

    /// Learns which names are points.
    pub fn resolve(&mut self, is_point: &dyn Fn(&str) -> bool) {
        self.is_point =
            self.expression.as_ref().is_some_and(|bit| bit.points().all(is_point) && bit.points().count() > 0);
    }

    /// The text of it.
    pub fn name(&self) -> &str {
        &self.line.name
    }

    /// Where that stands.
    pub fn span(&self) -> Span {
        self.line.span.clone()
    }

    /// The line, where it is one.
    pub fn line(&self) -> Option<&LineName> {
        (!self.is_point).then_some(&self.line)
    }

    /// The expression over points, where it is one.
    pub fn expression(&self) -> Option<&FieldExpression> {
        self.expression.as_ref().filter(|_| self.is_point)
    }

    /// Where to read it as a controller sees it: a line with the scan, where there is one.
    pub fn compile(&self, scan: Option<ReadingTimes>, branch: &mut BranchBuilder<'_>) -> BitSource {
        if let Some(bit) = self.expression() {
            return if scan.is_some() { branch.counted(bit) } else { branch.counted_past_scan(bit) };
        }
        match scan {
            Some(_) => branch.seen_line(&self.line),
            None => branch.line(&self.line),
        }
    }

    /// Where to read the line as it is, where it is one.
    pub fn compile_raw(&self, branch: &mut BranchBuilder<'_>) -> Option<BitSource> {
        self.line().map(|line| branch.line(line))
    }
}
