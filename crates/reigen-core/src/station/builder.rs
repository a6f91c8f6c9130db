//! From a table of the file to a point: what the kinds need while they are built.

use super::{FieldExpression, LineName, PointKind, StationError, StationErrorKind};
use crate::condition::debounce::ReadingTimes;
use crate::logic::expression::{self, Span};
use crate::quantity::parse_time;
use crate::time::Nanos;
use serde::Deserialize;
use serde::de::{self, DeserializeOwned, Deserializer, Visitor};
use std::fmt;
use toml::Spanned;

/// A table of one kind of point, as it stands in the file.
pub trait PointTable: DeserializeOwned {
    /// Checks the table and makes the point of it; `None` where an error has been noted.
    fn build(self, builder: &mut Builder<'_>) -> Option<Box<dyn PointKind>>;
}

/// Collects what is wrong while points are built.
#[derive(Debug)]
pub struct Builder<'a> {
    source: &'a str,
    /// When every line is read, where there is a scan.
    pub scan: Option<ReadingTimes>,
    /// Where the name of the table stands that is being built.
    pub place: Span,
    /// Everything that was wrong so far.
    pub errors: Vec<StationError>,
}

impl<'a> Builder<'a> {
    /// A builder over the text of a station file.
    pub fn new(source: &'a str) -> Self {
        Self { source, scan: None, place: 0..0, errors: Vec::new() }
    }

    /// Notes an error.
    pub fn refuse(&mut self, span: Span, kind: StationErrorKind) {
        self.errors.push(StationError { kind, span });
    }

    /// Reads an expression that is a bit; its names are checked once all points are known.
    pub fn expression(&mut self, text: &Spanned<String>) -> Option<FieldExpression> {
        self.field_expression(text, false)
    }

    /// Reads an expression that is a number.
    pub fn number(&mut self, text: &Spanned<String>) -> Option<FieldExpression> {
        self.field_expression(text, true)
    }

    /// Reads an expression where there is one.
    pub fn optional(&mut self, text: &Option<Spanned<String>>) -> Option<FieldExpression> {
        self.expression(text.as_ref()?)
    }

    fn field_expression(&mut self, text: &Spanned<String>, number: bool) -> Option<FieldExpression> {
        let value = text.get_ref();
        let literal = self.source.get(text.span()).unwrap_or_default();
        // Inside the quotes, unless escapes make the text another one.
        let inside = literal.find(value.as_str()).filter(|_| !value.is_empty());
        let start = text.span().start + inside.unwrap_or_default();
        let (span, verbatim) = match inside {
            Some(_) => (start..start + value.len(), true),
            None => (text.span(), false),
        };
        match expression::parse(value) {
            Ok(expression) => Some(FieldExpression { number, expression, span, verbatim }),
            Err(error) => {
                let place = if verbatim { start + error.span.start..start + error.span.end } else { span };
                self.refuse(place, StationErrorKind::Expression(error.kind));
                None
            }
        }
    }

    /// The name of a line, which must not be empty.
    pub fn line(&mut self, text: &Spanned<String>) -> Option<LineName> {
        if text.get_ref().trim().is_empty() {
            self.refuse(text.span(), StationErrorKind::File("a line's name cannot be empty".to_owned()));
            return None;
        }
        Some(LineName { name: text.get_ref().clone(), span: text.span() })
    }
}

/// A time in the file: a string with its unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TimeText(pub Nanos);

impl<'de> Deserialize<'de> for TimeText {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Text;
        impl Visitor<'_> for Text {
            type Value = TimeText;
            fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter.write_str("a time with its unit, in quotes, such as \"8 ms\"")
            }
            fn visit_str<E: de::Error>(self, text: &str) -> Result<TimeText, E> {
                parse_time(text).map(TimeText).map_err(E::custom)
            }
        }
        deserializer.deserialize_any(Text)
    }
}
