//! A change as an object on one line, as a device prints it and is told it.

use reigen_core::change::Value;
use reigen_core::time::Nanos;

/// The text of a change, with the end of its line.
pub(crate) fn change_text(Nanos(time_ns): Nanos, line: &str, value: Value) -> String {
    let value = match value {
        Value::Level(high) => u8::from(high).to_string(),
        Value::Number(number) => format!("{number:?}"),
        Value::Unknown => "null".to_owned(),
    };
    let line = serde_json::Value::from(line);
    format!("{{\"time_ns\":{time_ns},\"line\":{line},\"value\":{value}}}\n")
}
