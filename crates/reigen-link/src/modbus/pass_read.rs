//! What a pass over a device has read.

use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_run::live::event::LineValue;

/// What a pass has read.
#[derive(Default)]
pub(super) struct PassRead {
    pub(super) values: Vec<LineValue>,
    pub(super) refused: Vec<Refused>,
    /// Values that are no numbers, and the first of them.
    pub(super) malformed: u64,
    pub(super) first_malformed: Option<String>,
    /// Why the device is lost, where it is.
    pub(super) lost: Option<String>,
}

/// A request that was refused.
pub(super) struct Refused {
    pub(super) what: String,
    /// What to do about it.
    pub(super) remedy: &'static str,
    /// The lines that it asked for.
    pub(super) lines: Vec<usize>,
}

impl PassRead {
    /// A line has a value, unless it is a number that is none.
    pub(super) fn take(&mut self, line: usize, value: Value, arrived: Nanos, what: &impl Fn() -> String) {
        match value {
            Value::Number(number) if !number.is_finite() => {
                self.malformed += 1;
                self.first_malformed.get_or_insert_with(|| format!("{number} in {}", what()));
            }
            value => self.values.push(LineValue { line, value, arrived, own_time_ns: None }),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_number_is_told_and_no_line_takes_it() {
        let mut read = PassRead::default();
        for value in [f64::NAN, 7.0, f64::INFINITY] {
            read.take(2, Value::Number(value), Nanos(5), &|| "input 4 to 5".to_owned());
        }
        read.take(3, Value::Level(true), Nanos(5), &String::new);
        let values: Vec<_> = read.values.iter().map(|value| (value.line, value.value)).collect();
        assert_eq!(values, [(2, Value::Number(7.0)), (3, Value::Level(true))]);
        assert_eq!((read.malformed, read.first_malformed.as_deref()), (2, Some("NaN in input 4 to 5")));
    }
}
