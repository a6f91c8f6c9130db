//! What every kind of point can tell of itself.

use crate::points::expander::ChainLines;
use crate::table::branch::BranchBuilder;
use crate::table::field::{Field, FieldColumn, FieldExpression, LineName};
use crate::table::signal::Signal;
use crate::wiring::chain::ChainWiring;
use crate::wiring::connection::Wired;
use reigen_core::analog::threshold::Levels;
use reigen_core::condition::input::InputSettings;
use reigen_core::finding::Finding;
use reigen_core::logic::expression::{Reference, Span};
use reigen_core::program::Operation;
use reigen_core::rate::settings;
use reigen_core::time::Nanos;
use std::collections::HashMap;
use std::fmt::Debug;

/// What points that name others learn of them.
#[derive(Debug, Default)]
pub struct KnownPoints {
    points: HashMap<String, Known>,
}

/// What one of them is.
#[derive(Debug)]
struct Known {
    unit: Option<String>,
    value_unit: Option<String>,
    is_register: bool,
}

impl KnownPoints {
    /// Adds a point.
    pub(crate) fn add(&mut self, name: &str, kind: &dyn PointKind) {
        let [unit, value_unit] = [kind.unit(), kind.value_unit()].map(|unit| unit.map(str::to_owned));
        let known = Known { unit, value_unit, is_register: kind.is_register() };
        self.points.insert(name.to_owned(), known);
    }

    /// The point that an expression is, where it is nothing but its value.
    fn point<'a>(&'a self, of: &'a FieldExpression) -> Option<(&'a Known, &'a Reference)> {
        let name = of.expression.as_name().filter(|name| matches!(name.field.as_str(), "" | "value"))?;
        Some((self.points.get(&name.point)?, name))
    }

    /// Takes the unit of the point over, where it has one.
    pub fn take_unit(&self, of: &FieldExpression, unit: &mut String) {
        let known = self.point(of).and_then(|(known, name)| match name.field.as_str() {
            "value" => known.value_unit.as_ref(),
            _ => known.unit.as_ref(),
        });
        if let Some(known) = known {
            unit.clone_from(known);
        }
    }

    /// Whether the point is a register.
    pub fn is_register(&self, of: &FieldExpression) -> bool {
        self.point(of).is_some_and(|(known, _)| known.is_register)
    }
}

/// What every kind of point can tell of itself.
///
/// A new kind is a table that [builds](super::point_table::PointTable) one of these, the operation that it compiles to, and
/// one line in the station's list of kinds.
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

    /// Learns what the points are that it names, once all are known.
    fn learn(&mut self, known: &KnownPoints) {
        let _ = known;
    }

    /// What it cannot do with what it has learnt: the place and the reason.
    fn refused(&self) -> Option<(Span, String)> {
        None
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

    /// Whether it is an input that changes between scans.
    fn is_past_scan(&self) -> bool {
        false
    }

    /// Whether somebody may set it by hand: an output.
    fn is_settable(&self) -> bool {
        false
    }

    /// What it makes of its line, where it is an input.
    fn input(&self) -> Option<&InputSettings> {
        None
    }

    /// Whether it is a running count that comes in samples.
    fn is_register(&self) -> bool {
        false
    }

    /// Whether it is one bit of what a controller polls, beside inputs.
    fn is_polled(&self) -> bool {
        false
    }

    /// Its channels and its index, where it is an encoder.
    fn encoder(&self) -> Option<[Option<&Signal>; 3]> {
        None
    }

    /// Its lines and the order of its bits, where it is an expander.
    fn chain_lines(&self) -> Option<ChainLines<'_>> {
        None
    }

    /// The unit of its readings; empty where it has none.
    fn unit(&self) -> Option<&str> {
        None
    }

    /// The unit of its field `value`.
    fn value_unit(&self) -> Option<&str> {
        self.unit()
    }

    /// What it makes of a recorded number, where that is a line through two points.
    fn scaled(&self, recorded: f64) -> Option<f64> {
        let _ = recorded;
        None
    }

    /// What it is set to, where it is a rate.
    fn rate(&self) -> Option<&settings::Settings> {
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

    /// All lines of numbers that it reads.
    fn number_lines(&self) -> Vec<&LineName> {
        self.number_line().into_iter().collect()
    }

    /// The operation that does its work.
    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation;
}
