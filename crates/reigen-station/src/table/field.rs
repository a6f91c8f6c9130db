//! What points give to one another, and where that is named.

use reigen_core::logic::expression::{Expression, Reference, Span, Type};

/// What a person has written beside a point: `address` and `remark`.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Description {
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
