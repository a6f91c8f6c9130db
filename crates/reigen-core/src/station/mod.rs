//! The station file: what is wired, how each line is conditioned, and what follows from it.
//!
//! [`parse`] reads the TOML text into a [`Station`]; [`plan::compile`] binds it to the lines of a
//! recording and gives the engine.

pub mod builder;
pub mod error;
mod file;
pub(crate) mod finite;
pub mod kind;
pub mod line_names;
pub mod plan;
pub mod signal;
#[cfg(test)]
mod tests;

pub use error::{StationError, StationErrorKind};
pub(crate) use file::translate;
pub use file::{KINDS, parse, schema};
pub use kind::Kind;

use crate::analog::threshold::Levels;
use crate::condition::debounce::ReadingTimes;
use crate::condition::input::InputSettings;
use crate::finding::Finding;
use crate::logic::display::Display;
use crate::logic::expression::{Expression, Reference, Span, Type};
use crate::program::Operation;
use crate::station::signal::Signal;
use crate::time::Nanos;
use crate::wiring::Wiring;
use crate::wiring::chain::ChainWiring;
use crate::wiring::connection::Wired;
use std::fmt::Debug;

/// A whole station.
#[derive(Debug)]
pub struct Station {
    /// What people call it.
    pub title: Option<String>,
    /// When every line is read, where there is a scan.
    pub scan: Option<ReadingTimes>,
    /// Its points, in the order of the file.
    pub points: Vec<Point>,
    /// Its displays.
    pub displays: Vec<Display>,
    /// The electrical data of sensors and cards.
    pub wiring: Wiring,
}

impl Station {
    /// What can be told of the points' settings without a recording.
    pub fn findings(&self) -> Vec<Finding> {
        self.points.iter().flat_map(|point| point.kind.findings(&point.name)).collect()
    }
}

/// One named thing of the station.
#[derive(Debug)]
pub struct Point {
    /// Its name, one of a kind in the station.
    pub name: String,
    /// Where the name stands in the file.
    pub span: Span,
    /// What it is.
    pub kind: Kind,
    /// What stands beside it in the list to wire from.
    pub described: Described,
}

/// What a person has written beside a point: `address` and `remark`.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Described {
    /// Its address in the controller, such as `%IX0.3` (IEC 61131-3).
    pub address: Option<String>,
    /// Anything else.
    pub remark: Option<String>,
}

/// What a point gives to others: itself, under an empty name, or a field.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Field {
    /// What stands after the dot; empty for the point itself.
    pub name: &'static str,
    /// Where its values are among the point's columns.
    pub column: FieldColumn,
}

/// One of a point's columns.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FieldColumn {
    /// A bit, by its number among the point's bits.
    Bit(usize),
    /// A count, by its number among the point's counts.
    Count(usize),
    /// A reading, by its number among the point's readings.
    Reading(usize),
}

impl FieldColumn {
    /// The type of its values.
    pub fn value_type(self) -> Type {
        match self {
            FieldColumn::Bit(_) => Type::Bit,
            FieldColumn::Count(_) => Type::Integer,
            FieldColumn::Reading(_) => Type::Real,
        }
    }
}

/// What every kind of point can tell of itself.
///
/// A new kind is a table that [builds](builder::PointTable) one of these, beside the block that it compiles
/// to, and one line in the list of [`KINDS`].
pub trait PointKind: Debug + Send + Sync {
    /// Its word, with an article: `a counter`.
    fn what(&self) -> &'static str;

    /// What it gives to others; the point itself first.
    fn fields(&self) -> &'static [Field];

    /// Fields that only its own parts read.
    fn inner_fields(&self) -> Vec<(String, FieldColumn)> {
        Vec::new()
    }

    /// Where the values of a field are.
    fn field(&self, name: &str) -> Option<FieldColumn> {
        let field = self.fields().iter().find(|field| field.name == name).map(|field| field.column);
        let inner = || self.inner_fields().into_iter().find(|(field, _)| field == name).map(|(_, column)| column);
        field.or_else(inner)
    }

    /// Learns which names are points, where it names what may be a line or a point.
    fn resolve(&mut self, is_point: &dyn Fn(&str) -> bool) {
        let _ = is_point;
    }

    /// The expressions that it reads, each with its key in the file.
    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        Vec::new()
    }

    /// The expressions among them whose edges it counts.
    fn counted(&self) -> Vec<&FieldExpression> {
        Vec::new()
    }

    /// The keys of expressions whose edges it sees, pulses of no width among them.
    fn edge_keys(&self) -> &'static [&'static str] {
        &[]
    }

    /// The keys of expressions that a bounce would spoil.
    fn bounce_keys(&self) -> &'static [&'static str] {
        self.edge_keys()
    }

    /// How it is wired, for the electrical check.
    fn wired(&self) -> Option<&Wired> {
        None
    }

    /// Whether it says that something runs, so that what resets it is a stop.
    fn runs(&self) -> bool {
        false
    }

    /// How its registers are wired, where it is a chain.
    fn chain(&self) -> Option<&ChainWiring> {
        None
    }

    /// Its time, where it is a timer, whose second bit says whether it runs.
    fn timer(&self) -> Option<Nanos> {
        None
    }

    /// Whether it restarts at its last preset, so that its `.done` is on for no time.
    fn restarts(&self) -> bool {
        false
    }

    /// What it makes of its line, where it is an input.
    fn input(&self) -> Option<&InputSettings> {
        None
    }

    /// Whether it is one bit of what a controller polls, beside inputs.
    fn is_polled(&self) -> bool {
        false
    }

    /// Its channels and its index, where it is an encoder.
    fn encoder(&self) -> Option<[Option<&Signal>; 3]> {
        None
    }

    /// The unit of its readings; empty where it has none.
    fn unit(&self) -> Option<&str> {
        None
    }

    /// What it makes of a recorded number, where that is a line through two points.
    fn scaled(&self, recorded: f64) -> Option<f64> {
        let _ = recorded;
        None
    }

    /// What it is set to, where it is a rate.
    fn rate(&self) -> Option<&crate::rate::meter::Settings> {
        None
    }

    /// The least and the most that its number may be.
    fn valid(&self) -> Option<[f64; 2]> {
        None
    }

    /// The number that it switches by, and at which levels.
    fn threshold(&self) -> Option<(&FieldExpression, Levels)> {
        None
    }

    /// What can be told of its settings without a recording; `name` is the point's.
    fn findings(&self, name: &str) -> Vec<Finding> {
        let _ = name;
        Vec::new()
    }

    /// The line that it is wired to, where it is one.
    fn line(&self) -> Option<&LineName> {
        None
    }

    /// All lines of two levels that it reads.
    fn lines(&self) -> Vec<&LineName> {
        self.line().into_iter().collect()
    }

    /// The line of numbers that it reads.
    fn number_line(&self) -> Option<&LineName> {
        None
    }

    /// The operation that does its work.
    fn compile(&self, branch: &mut plan::BranchBuilder<'_>) -> Operation;
}

/// An expression of a field, with its place in the station file.
#[derive(Debug, Clone)]
pub struct FieldExpression {
    /// Whether a number is wanted; else a bit.
    pub number: bool,
    /// Whether it is a formula, in which `raw` is the point's own number.
    pub formula: bool,
    /// The tree; its places count from the start of the expression.
    pub expression: Expression,
    /// Where the expression's text stands in the file.
    pub span: Span,
    /// Whether the text stands there letter by letter, so that places within it can be shown.
    pub verbatim: bool,
}

impl FieldExpression {
    /// The place in the file of a part of the expression.
    pub fn place(&self, part: &Span) -> Span {
        if self.verbatim { self.span.start + part.start..self.span.start + part.end } else { self.span.clone() }
    }

    /// The points that it names.
    pub fn points(&self) -> impl Iterator<Item = &str> {
        self.expression.names().into_iter().map(|(Reference { point, .. }, _)| point.as_str())
    }
}

/// The name of a line, with its place in the station file.
#[derive(Debug, Clone)]
pub struct LineName {
    /// The name as the station has it.
    pub name: String,
    /// Where it stands.
    pub span: Span,
}
