//! A change as an object on one line, as a device prints it and is told it.

use reigen_core::change::Value;
use reigen_core::time::Nanos;

/// The text of a change, with the end of its line.
pub(crate) fn change_text(Nanos(time_ns): Nanos, line: &str, value: Value) -> String {
    format!("{{\"time_ns\":{time_ns},{}", fields(line, value))
}

/// The text of what a line is now, without a time: a receiver that comes later would take an old one for the device's clock.
pub(crate) fn state_text(line: &str, value: Value) -> String {
    format!("{{{}", fields(line, value))
}

fn fields(line: &str, value: Value) -> String {
    let value = match value {
        Value::Level(high) => u8::from(high).to_string(),
        Value::Number(number) => format!("{number:?}"),
        Value::Unknown => "null".to_owned(),
    };
    let line = serde_json::Value::from(line);
    format!("\"line\":{line},\"value\":{value}}}\n")
}
