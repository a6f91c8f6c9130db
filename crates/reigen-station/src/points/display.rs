//! `display`: rows of text with points in them.

use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::{Builder, TimeText};
use reigen_core::finding::Finding;
use reigen_core::logic::expression::{Reference, Span, Value};
use reigen_core::time::Nanos;
use reigen_core::units::significant;
use serde::Deserialize;

/// The most letters of a row, and the most rows.
const MOST_COLUMNS: usize = 1000;
const MOST_ROWS: usize = 1000;

/// `[display.NAME]`: a text display with values of points.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DisplayTable {
    /// Letters in a row.
    columns: Spanned<usize>,
    /// Number of rows.
    rows: Spanned<usize>,
    /// One text for each row, such as "Turns {spool_turns:>5}".
    text: Vec<Spanned<String>>,
    /// How often it takes what points are; without it, it follows them at once.
    refresh: Option<Spanned<TimeText>>,
}

/// A display of so many letters and rows.
#[derive(Debug)]
pub struct Display {
    /// Its name.
    pub name: String,
    /// How many letters a row has.
    pub columns: usize,
    /// How many rows it has.
    pub rows: usize,
    /// How often it takes what points are; `None` where it follows them at once.
    pub refresh: Option<Nanos>,
    /// The text of each row, with its place.
    lines: Vec<(Vec<Part>, Span)>,
}

/// Where a value stands in its letters.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Align {
    Left,
    Centre,
    Right,
}

/// A part of a row.
#[derive(Debug, Clone, PartialEq)]
enum Part {
    /// Letters as they stand.
    Text(String),
    /// `{name}`, `{name:>5}`, `{name:^5}`, `{name:8.2}`: a value, in so many letters, with so many digits after the point.
    Value { name: Reference, align: Align, width: usize, digits: Option<usize> },
    /// `{name?CLOSED:OPEN}`: words for on and off.
    Words { name: Reference, on: String, off: String },
}

impl DisplayTable {
    /// Checks the table and makes the display of it.
    pub(crate) fn build(self, name: String, builder: &mut Builder<'_>) -> Display {
        for (found, what, most) in [(&self.columns, "columns", MOST_COLUMNS), (&self.rows, "rows", MOST_ROWS)] {
            if !(1..=most).contains(found.get_ref()) {
                let message = format!("a display cannot have {} {what}: use 1 to {most}", found.get_ref());
                builder.refuse(found.span(), StationErrorKind::File(message));
            }
        }
        let (columns, rows) = (*self.columns.get_ref(), *self.rows.get_ref());
        if let Some(row) = self.text.get(rows) {
            let kind = StationErrorKind::File(format!(
                "the display has {} rows, and this is row {}",
                rows,
                rows.saturating_add(1)
            ));
            builder.refuse(row.span(), kind);
        }
        let refresh = self.refresh.as_ref().and_then(|refresh| builder.above_zero(refresh));
        let lines = self.text.iter().map(|row| (parse(row, builder), row.span())).collect();
        Display { name, columns, rows, refresh, lines }
    }
}

/// Reads a row; `{{` and `}}` stand for the letters themselves.
fn parse(row: &Spanned<String>, builder: &mut Builder<'_>) -> Vec<Part> {
    let mut parts = Vec::new();
    let mut text = String::new();
    let mut rest = row.get_ref().as_str();
    while let Some(at) = rest.find(['{', '}']) {
        let (before, from) = rest.split_at(at);
        text.push_str(before);
        if from.starts_with("{{") || from.starts_with("}}") {
            text.extend(from.chars().next());
            rest = from.get(2..).unwrap_or_default();
            continue;
        }
        let part = from.strip_prefix('{').and_then(|inner| inner.split_once('}'));
        let Some((part, after)) = part.and_then(|(inner, after)| Some((part_of(inner)?, after))) else {
            builder.refuse(row.span(), StationErrorKind::DisplayPart(from.chars().take(20).collect()));
            return parts;
        };
        parts.push(Part::Text(std::mem::take(&mut text)));
        parts.push(part);
        rest = after;
    }
    text.push_str(rest);
    parts.push(Part::Text(text));
    parts
}

fn part_of(inner: &str) -> Option<Part> {
    if let Some((name, words)) = inner.split_once('?') {
        let (on, off) = words.split_once(':')?;
        return Some(Part::Words { name: reference(name)?, on: on.to_owned(), off: off.to_owned() });
    }
    let (name, form) = inner.split_once(':').unwrap_or((inner, ""));
    let (align, form) = match form.strip_prefix(['<', '^', '>']) {
        Some(rest) if form.starts_with('<') => (Align::Left, rest),
        Some(rest) if form.starts_with('^') => (Align::Centre, rest),
        Some(rest) => (Align::Right, rest),
        None => (Align::Right, form),
    };
    let (width, digits) = form.split_once('.').map_or((form, None), |(width, digits)| (width, Some(digits)));
    let number =
        |text: &str| if text.is_empty() { Some(0) } else { text.parse::<usize>().ok().filter(|number| *number <= 99) };
    let digits = match digits {
        Some(digits) => Some(number(digits)?),
        None => None,
    };
    Some(Part::Value { name: reference(name)?, align, width: number(width)?, digits })
}

fn reference(text: &str) -> Option<Reference> {
    let (point, field) = text.trim().split_once('.').unwrap_or((text.trim(), ""));
    (!point.is_empty()).then(|| Reference { point: point.to_owned(), field: field.to_owned() })
}

impl Display {
    /// The names in one of its rows.
    pub fn names_of_row(&self, row: usize) -> impl Iterator<Item = &Reference> {
        self.lines.get(row).into_iter().flat_map(|(parts, _)| parts).filter_map(|part| match part {
            Part::Text(_) => None,
            Part::Value { name, .. } | Part::Words { name, .. } => Some(name),
        })
    }

    /// The names in its text, with the place of their row.
    pub fn names(&self) -> impl Iterator<Item = (&Reference, Span, bool)> {
        self.lines.iter().flat_map(|(parts, span)| {
            parts.iter().filter_map(|part| match part {
                Part::Text(_) => None,
                Part::Value { name, .. } => Some((name, span.clone(), false)),
                Part::Words { name, .. } => Some((name, span.clone(), true)),
            })
        })
    }

    /// Its rows, given the value of each name; and what does not fit, by the number of its row.
    pub fn rows(&self, of: &dyn Fn(&Reference) -> Option<Value>) -> (Vec<String>, Vec<(usize, Finding)>) {
        let mut findings = Vec::new();
        let mut rows: Vec<String> = Vec::new();
        for (number, (parts, _)) in self.lines.iter().enumerate() {
            let text: String = parts.iter().map(|part| shown(part, of)).collect();
            let length = text.chars().count();
            if length > self.columns {
                let message =
                    format!("row {} has {length} letters, and the display {}: `{text}`", number + 1, self.columns);
                let remedy = "shorten the text, or give its values a smaller width";
                findings.push((number, Finding::warning("display-overflow", &self.name, message, remedy)));
            }
            let cut: String = text.chars().take(self.columns).collect();
            rows.push(format!("{cut:<width$}", width = self.columns));
        }
        rows.resize(self.rows.max(rows.len()), " ".repeat(self.columns));
        (rows, findings)
    }
}

fn shown(part: &Part, of: &dyn Fn(&Reference) -> Option<Value>) -> String {
    match part {
        Part::Text(text) => text.clone(),
        Part::Words { name, on, off } => match of(name).and_then(Value::as_bit) {
            Some(true) => on.clone(),
            Some(false) => off.clone(),
            None => "?".to_owned(),
        },
        Part::Value { name, align, width, digits } => {
            let text = match (of(name), digits) {
                (None, _) => "?".to_owned(),
                (Some(Value::Bit(on)), _) => if on { "ON" } else { "OFF" }.to_owned(),
                (Some(Value::Integer(number)), None) => number.to_string(),
                (Some(Value::Real(number)), None) => significant(number),
                (Some(value), Some(digits)) => format!("{:.digits$}", value.as_real().unwrap_or_default()),
            };
            match align {
                Align::Left => format!("{text:<width$}"),
                Align::Centre => format!("{text:^width$}"),
                Align::Right => format!("{text:>width$}"),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::station::parse;

    fn rows(text: &str, columns: usize) -> (Vec<String>, usize) {
        let station = format!(
            "[input.guard]\nline = 'G'\n[counter.turns]\nup = 'guard'\n[display.d]\ncolumns = {columns}\nrows = 2\ntext = [{text}]"
        );
        let station = parse(&station).unwrap();
        let of = |name: &Reference| match name.to_string().as_str() {
            "guard" => Some(Value::Bit(true)),
            "turns" => Some(Value::Integer(42)),
            _ => None,
        };
        let (rows, findings) = station.displays[0].rows(&of);
        (rows, findings.len())
    }

    #[test]
    fn points_stand_in_the_text_in_the_form_that_is_asked_for() {
        for (text, first) in [
            ("'Turns {turns:>5}'", "Turns    42 "),
            ("'{turns:<5}|'", "42   |      "),
            ("'{turns:^5}|'", " 42  |      "),
            ("'{turns:7.2} m'", "  42.00 m   "),
            ("'{guard?CLOSED:OPEN}'", "CLOSED      "),
            ("'{guard} {{x}}'", "ON {x}      "),
            ("'{turns.done}'", "?           "),
        ] {
            let (rows, findings) = rows(text, 12);
            assert_eq!((rows[0].as_str(), rows.len(), findings), (first, 2, 0), "{text}");
        }
        assert_eq!(rows("'Turns {turns:>5}', 'b'", 8), (vec!["Turns   ".to_owned(), "b       ".to_owned()], 1));
    }

    #[test]
    fn a_text_that_cannot_be_shown_is_refused() {
        for (text, message) in [
            ("'{turn}'", "unknown point `turn`"),
            ("'{guard.done}'", "`guard` is an input and has no field `.done`"),
            ("'{turns?A:B}'", "`turns` is a number, but a bit is needed here"),
            ("'{turns'", "`{turns` is not valid in a display text"),
            ("'{turns:x}'", "`{turns:x}` is not valid in a display text"),
            ("'a', 'b', 'c'", "the display has 2 rows, and this is row 3"),
        ] {
            let station = format!(
                "[input.guard]\nline = 'G'\n[counter.turns]\nup = 'guard'\n[display.d]\ncolumns = 9\nrows = 2\ntext = [{text}]"
            );
            let errors = parse(&station).unwrap_err();
            assert!(errors[0].to_string().starts_with(message), "{text}: {errors:?}");
        }
    }
}
