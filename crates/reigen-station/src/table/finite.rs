//! Numbers of a file that are none, or beyond all bounds.

use super::{StationError, StationErrorKind};
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// Each number of a TOML text that is not finite: TOML has `nan` and `inf`, and no quantity of a station is either.
///
/// A text that is no TOML has none: what is wrong with it is told by whoever reads it.
pub(crate) fn not_finite(source: &str) -> Vec<StationError> {
    let mut errors = Vec::new();
    if let Ok(table) = DeTable::parse(source) {
        table.get_ref().values().for_each(|value| look(value, &mut errors));
    }
    errors.sort_by_key(|error| error.span.start);
    errors
}

fn look(value: &Spanned<DeValue<'_>>, errors: &mut Vec<StationError>) {
    match value.get_ref() {
        DeValue::Float(number) => {
            let found = number.as_str();
            if !found.parse().is_ok_and(f64::is_finite) {
                let message = format!("`{found}` is not a finite number");
                errors.push(StationError { kind: StationErrorKind::File(message), span: value.span() });
            }
        }
        DeValue::Array(values) => values.iter().for_each(|value| look(value, errors)),
        DeValue::Table(table) => table.values().for_each(|value| look(value, errors)),
        _ => {}
    }
}
