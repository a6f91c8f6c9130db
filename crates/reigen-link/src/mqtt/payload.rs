//! What a payload says, and how one is made.

use reigen_core::change::Value;
use reigen_station::links::mqtt::{MqttPlace, TimeUnit};
use serde_json::Value as Json;

/// What a payload says of a line: its value, and when that was by the device's clock, in nanoseconds.
///
/// # Errors
/// In words, where it says neither.
pub fn read(payload: &[u8], place: &MqttPlace) -> Result<(Value, Option<i64>), String> {
    let text = std::str::from_utf8(payload).map_err(|_| "the payload is no text".to_owned())?.trim();
    let Some(pointer) = &place.value else { return Ok((of_text(text)?, None)) };
    let told: Json = serde_json::from_str(text).map_err(|error| format!("{}: {error}", shortened(text)))?;
    let found = told.pointer(pointer).ok_or_else(|| format!("{} has no `{pointer}`", shortened(text)))?;
    let value = of_json(found)?;
    let time = place.time.as_ref().map(|pointer| {
        let found = told.pointer(pointer).ok_or_else(|| format!("{} has no `{pointer}`", shortened(text)))?;
        time_of(found, place.time_unit)
    });
    Ok((value, time.transpose()?))
}

/// A payload for people to read.
fn shortened(text: &str) -> String {
    let few: String = text.chars().take(60).collect();
    if few.len() < text.len() { format!("`{few}…`") } else { format!("`{few}`") }
}

fn of_text(text: &str) -> Result<Value, String> {
    match text.to_ascii_lowercase().as_str() {
        "off" | "false" => return Ok(Value::Level(false)),
        "on" | "true" => return Ok(Value::Level(true)),
        _ => {}
    }
    let wrong = || format!("{} is no value: 0, 1, ON, OFF, true, false or a number", shortened(text));
    match text.parse::<f64>().ok().filter(|number| number.is_finite()).ok_or_else(wrong)? {
        // A line of numbers takes a level as 0 or 1.
        0.0 => Ok(Value::Level(false)),
        1.0 => Ok(Value::Level(true)),
        number => Ok(Value::Number(number)),
    }
}

fn of_json(value: &Json) -> Result<Value, String> {
    match value {
        Json::Bool(on) => Ok(Value::Level(*on)),
        Json::String(text) => of_text(text),
        value => of_text(&value.to_string()),
    }
}

/// A time in nanoseconds: RFC 3339 since 1970, or a number in a unit since any time.
fn time_of(value: &Json, unit: Option<TimeUnit>) -> Result<i64, String> {
    if let Json::String(text) = value {
        let time: jiff::Timestamp =
            text.parse().map_err(|_| format!("`{text}` is no time: RFC 3339 is 2026-11-28T14:05:00.250Z"))?;
        return i64::try_from(time.as_nanosecond()).map_err(|_| format!("`{text}` is too far away"));
    }
    let unit =
        unit.ok_or_else(|| format!("the time {value} is a number: add time_unit = \"ms\", or what it counts"))?;
    let too_large = || format!("the time {value} is no number of nanoseconds that fits");
    match value.as_i64() {
        Some(whole) => whole.checked_mul(unit.ns()).ok_or_else(too_large),
        None => {
            let ns = value.as_f64().map(|number| (number * unit.ns() as f64).round());
            ns.and_then(reigen_core::cast::whole_i64).ok_or_else(too_large)
        }
    }
}

/// The value of a line as a payload; `None` where it has none.
pub(super) fn json_of(value: Value) -> Option<Json> {
    match value {
        Value::Level(high) => Some(Json::from(u8::from(high))),
        Value::Number(number) => Some(Json::from(number)),
        Value::Unknown => None,
    }
}

/// A value at a place of a JSON document, which grows as it must.
pub(super) fn put(document: &mut Json, pointer: &str, value: Json) {
    let mut place = document;
    for key in pointer.split('/').skip(1).map(|key| key.replace("~1", "/").replace("~0", "~")) {
        if !place.is_object() {
            *place = Json::Object(serde_json::Map::new());
        }
        let Json::Object(map) = place else { return };
        place = map.entry(key).or_insert(Json::Null);
    }
    *place = value;
}

#[cfg(test)]
mod tests {
    use super::*;

    fn place(value: Option<&str>, time: Option<&str>, time_unit: Option<TimeUnit>) -> MqttPlace {
        let text = |text: Option<&str>| text.map(str::to_owned);
        MqttPlace { topic: "t".to_owned(), value: text(value), time: text(time), time_unit }
    }

    #[test]
    fn payloads_say_levels_numbers_and_times() {
        let plain = place(None, None, None);
        for (payload, value) in [
            ("0", Value::Level(false)),
            ("ON", Value::Level(true)),
            (" false\n", Value::Level(false)),
            ("4.25", Value::Number(4.25)),
            ("1.0", Value::Level(true)),
            ("-3e2", Value::Number(-300.0)),
        ] {
            assert_eq!(read(payload.as_bytes(), &plain), Ok((value, None)), "{payload}");
        }
        let json = place(Some("/io/0"), Some("/at"), Some(TimeUnit::Ms));
        let payload = br#"{"io":[true,7],"at":1500.5}"#;
        assert_eq!(read(payload, &json), Ok((Value::Level(true), Some(1_500_500_000))));
        let dated = place(Some("/v"), Some("/t"), None);
        let payload = br#"{"v":"off","t":"1970-01-01T00:00:02.5Z"}"#;
        assert_eq!(read(payload, &dated), Ok((Value::Level(false), Some(2_500_000_000))));
    }

    #[test]
    fn a_payload_that_says_nothing_is_told() {
        let dated = place(Some("/v"), Some("/t"), None);
        for (payload, place, told) in [
            (&b"\xff\xfe"[..], place(None, None, None), "no text"),
            (b"much", place(None, None, None), "no value"),
            (b"NaN", place(None, None, None), "no value"),
            (b"{\"v\":1", dated.clone(), "EOF"),
            (b"{\"w\":1}", dated.clone(), "has no `/v`"),
            (b"{\"v\":null,\"t\":1}", dated.clone(), "no value"),
            (b"{\"v\":1,\"t\":5}", dated.clone(), "add time_unit"),
            (b"{\"v\":1,\"t\":\"yesterday\"}", dated.clone(), "no time"),
            (b"{\"v\":1,\"t\":1e300}", MqttPlace { time_unit: Some(TimeUnit::S), ..dated }, "that fits"),
        ] {
            let error = read(payload, &place).unwrap_err();
            assert!(error.contains(told), "{error}");
        }
    }

    #[test]
    fn what_is_put_at_a_place_is_read_from_there() {
        let mut document = Json::Null;
        put(&mut document, "/a/b~1c", Json::from(7));
        put(&mut document, "/a/d", Json::from(true));
        assert_eq!(document.pointer("/a/b~1c"), Some(&Json::from(7)));
        assert_eq!(document.to_string(), r#"{"a":{"b/c":7,"d":true}}"#);
        put(&mut document, "", Json::from(1));
        assert_eq!(document, Json::from(1));
    }
}
