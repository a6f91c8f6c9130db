//! From a table of the file to a point: what the kinds need while they are built.

use super::{FieldExpression, LineName, StationError, StationErrorKind};
use crate::spanned::Spanned;
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::logic::expression::{self, Span};
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::Deserialize;
use serde::de::{self, Deserializer, Visitor};
use std::borrow::Cow;
use std::fmt;

/// No quantity is smaller or larger; what is made of such numbers stays within bounds too.
const REASONABLE: std::ops::RangeInclusive<f64> = 1e-12..=1e12;

/// An input of a chain that its table names.
#[derive(Debug)]
pub struct Member {
    /// Its name.
    pub name: String,
    /// Where that stands.
    pub span: Span,
    /// The bit of the chain that it is.
    pub of: FieldExpression,
}

/// Collects what is wrong while points are built.
#[derive(Debug)]
pub struct Builder<'a> {
    source: &'a str,
    /// When every line is read, where there is a scan.
    pub scan: Option<ReadingTimes>,
    /// Where the name of the table stands that is being built.
    pub place: Span,
    /// Where that table stands.
    pub table: Span,
    /// The name of that table.
    pub name: String,
    /// The inputs of the chain that is being built, which are points of their own.
    pub members: Vec<Member>,
    /// Everything that was wrong so far.
    pub errors: Vec<StationError>,
}

impl<'a> Builder<'a> {
    /// A builder over the text of a station file.
    pub fn new(source: &'a str) -> Self {
        Self {
            source,
            scan: None,
            place: 0..0,
            table: 0..0,
            name: String::new(),
            members: Vec::new(),
            errors: Vec::new(),
        }
    }

    /// Notes an error.
    pub fn refuse(&mut self, span: Span, kind: StationErrorKind) {
        self.errors.push(StationError { kind, span });
    }

    /// Reads an expression that is a bit; its names are checked once all points are known.
    pub fn expression(&mut self, text: &Spanned<String>) -> Option<FieldExpression> {
        self.field_expression(text, false, false)
    }

    /// Reads an expression that is a number.
    pub fn number(&mut self, text: &Spanned<String>) -> Option<FieldExpression> {
        self.field_expression(text, true, false)
    }

    /// Reads a formula: a number in which `raw` is the point's own.
    pub fn formula(&mut self, text: &Spanned<String>) -> Option<FieldExpression> {
        self.field_expression(text, true, true)
    }

    /// Reads an expression where there is one.
    pub fn optional(&mut self, text: &Option<Spanned<String>>) -> Option<FieldExpression> {
        self.expression(text.as_ref()?)
    }

    fn field_expression(&mut self, text: &Spanned<String>, number: bool, formula: bool) -> Option<FieldExpression> {
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
            Ok(expression) => Some(FieldExpression { number, formula, expression, span, verbatim }),
            Err(error) => {
                let place = if verbatim { start + error.span.start..start + error.span.end } else { span };
                self.refuse(place, StationErrorKind::Expression(error.kind));
                None
            }
        }
    }

    /// When a point is shown that works past the scan: `scan = false`.
    pub fn past_scan(&mut self, scan: &Option<Spanned<bool>>) -> Option<ReadingTimes> {
        let key = scan.as_ref()?;
        if self.scan.is_none() {
            let message = "`scan` needs [scan]: add it with period = \"10 ms\", or remove `scan`".to_owned();
            self.refuse(key.span(), StationErrorKind::File(message));
        }
        self.scan.filter(|_| !*key.get_ref())
    }

    /// A time that something takes: under a scan it begins and ends at scans, so whole periods.
    pub fn takes(&self, time: Nanos) -> Nanos {
        self.scan.map_or(time, |scan| scan.whole(time))
    }

    /// The same of a time that must be above zero.
    pub fn takes_above_zero(&mut self, time: &Spanned<TimeText>) -> Option<Nanos> {
        self.above_zero(time).map(|time| self.takes(time))
    }

    /// A step at which something reads, above zero: under a scan it must be whole periods.
    pub fn step(&mut self, time: &Spanned<TimeText>) -> Option<Nanos> {
        let step = self.above_zero(time)?;
        let Some(scan) = self.scan.filter(|scan| scan.whole(step) != step) else { return Some(step) };
        let nearest = scan.whole(step);
        let message = format!("under [scan] this is whole periods of {}: such as \"{nearest}\"", scan.period);
        self.refuse(time.span(), StationErrorKind::File(message));
        None
    }

    /// A time that must be above zero.
    pub fn above_zero(&mut self, time: &Spanned<TimeText>) -> Option<Nanos> {
        let TimeText(nanos) = *time.get_ref();
        if nanos == Nanos(0) {
            let message = "the time must be above zero".to_owned();
            self.refuse(time.span(), StationErrorKind::File(message));
            return None;
        }
        Some(nanos)
    }

    /// Refuses a number further from zero than any quantity is.
    pub fn bounded(&mut self, number: &Spanned<f64>, key: &str) {
        let (value, most) = (*number.get_ref(), *REASONABLE.end());
        if value.is_nan() || value.abs() > most {
            let message = format!("`{key}` is {value:e}: it must be from -{most:e} to {most:e}");
            self.refuse(number.span(), StationErrorKind::File(message));
        }
    }

    /// A number that must be above zero, where there is one; `None` where it is not, which is noted.
    pub fn positive(&mut self, number: &Option<Spanned<f64>>, key: &str) -> Option<Option<f64>> {
        let Some(number) = number else { return Some(None) };
        let value = *number.get_ref();
        if REASONABLE.contains(&value) {
            return Some(Some(value));
        }
        let message = match value > 0.0 {
            true => format!("`{key}` is {value:e}: it must be from {:e} to {:e}", REASONABLE.start(), REASONABLE.end()),
            false => format!("`{key}` is {value}: it must be above zero"),
        };
        self.refuse(number.span(), StationErrorKind::File(message));
        None
    }

    /// Two bounds, the lower first.
    pub fn range(&mut self, range: &Spanned<[f64; 2]>, key: &'static str) -> Option<[f64; 2]> {
        let [least, most] = *range.get_ref();
        if least <= most {
            return Some([least, most]);
        }
        self.refuse(range.span(), StationErrorKind::wrong_way_round(key, least, most));
        None
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

impl JsonSchema for TimeText {
    fn schema_name() -> Cow<'static, str> {
        "Time".into()
    }

    fn json_schema(_generator: &mut SchemaGenerator) -> Schema {
        json_schema!({ "type": "string", "description": "time with its unit", "examples": ["8 ms", "20 us", "1.5 s"] })
    }
}

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
