//! A supply voltage of the station file: its nominal value, the range that it may have, AC or DC.

use super::range::Range;
use reigen_core::units::Volts;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::Deserialize;
use serde::de::{self, Deserializer, SeqAccess, Visitor};
use std::borrow::Cow;
use std::fmt;

/// 24 V DC of a controller with ripple and all tolerances (IEC 61131-2: 19.2 to 30 V).
const CONTROL_SUPPLY: (f64, Range) = (24.0, Range { least: 19.2, most: 30.0 });

/// What any other supply is taken to keep where its range is not stated.
const USUAL_TOLERANCE: f64 = 0.05;

/// What supplies are called.
const USUAL: [f64; 14] = [1.8, 2.5, 3.3, 5.0, 9.0, 12.0, 15.0, 24.0, 36.0, 48.0, 60.0, 115.0, 230.0, 400.0];

/// A supply: `"24 V"`, `"230 V AC"`, or the range that it keeps, `["22 V", "26 V"]`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Supply {
    /// What it is called.
    pub nominal: Volts,
    /// What it may be.
    pub range: Range,
    /// Whether the range is stated.
    pub stated: bool,
    /// Whether it is an alternating voltage.
    pub alternating: bool,
}

impl Supply {
    /// A direct voltage without a stated range: 24 V by IEC 61131-2, others ±5 %.
    pub fn direct(nominal: Volts) -> Self {
        let (control, range) = CONTROL_SUPPLY;
        let range = if nominal.0 == control { range } else { Range::within(nominal.0, USUAL_TOLERANCE) };
        Self { nominal, range, stated: false, alternating: false }
    }

    /// An alternating voltage.
    fn alternating(nominal: Volts) -> Self {
        Self { nominal, range: Range::within(nominal.0, USUAL_TOLERANCE), stated: false, alternating: true }
    }

    /// A supply that keeps a stated range; it is called by the usual voltage within it that is nearest to its middle.
    fn between(least: Volts, most: Volts) -> Self {
        let middle = (least.0 + most.0) / 2.0;
        let within = USUAL.into_iter().filter(|volts| (least.0..=most.0).contains(volts));
        let nearest = within.min_by(|one, other| (one - middle).abs().total_cmp(&(other - middle).abs()));
        let nominal = Volts(nearest.unwrap_or(middle));
        Self { nominal, range: Range { least: least.0, most: most.0 }, stated: true, alternating: false }
    }

    /// Whether both have one nominal voltage, so that on one card they are one supply.
    pub fn is_same(&self, other: &Supply) -> bool {
        self.alternating == other.alternating && (self.nominal.0 - other.nominal.0).abs() < 1e-9
    }

    /// The supply with the range of another one that is the same and states its range.
    pub fn merged(self, other: &Supply) -> Self {
        if self.is_same(other) && other.stated && !self.stated { *other } else { self }
    }

    fn parse(text: &str) -> Result<Self, reigen_core::quantity::QuantityError> {
        let plain = text.trim();
        let without = |word: &str| {
            let cut = plain.len().checked_sub(word.len())?;
            let (head, tail) = (plain.get(..cut)?, plain.get(cut..)?);
            tail.eq_ignore_ascii_case(word).then(|| head.trim_end())
        };
        match (without("AC"), without("DC")) {
            (Some(volts), _) => volts.parse().map(Self::alternating),
            (_, Some(volts)) => volts.parse().map(Self::direct),
            (None, None) => plain.parse().map(Self::direct),
        }
    }
}

impl fmt::Display for Supply {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = if self.alternating { " AC" } else { "" };
        match self.stated {
            true => write!(formatter, "{}{kind}", self.range.words("V")),
            false => write!(formatter, "{}{kind}", self.nominal),
        }
    }
}

impl<'de> Deserialize<'de> for Supply {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Text;
        impl<'de> Visitor<'de> for Text {
            type Value = Supply;

            fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter.write_str(
                    "a voltage with its unit, in quotes, such as \"24 V\", \"230 V AC\" or [\"22 V\", \"26 V\"]",
                )
            }

            fn visit_str<E: de::Error>(self, text: &str) -> Result<Supply, E> {
                Supply::parse(text).map_err(E::custom)
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut values: A) -> Result<Supply, A::Error> {
                let two = || de::Error::custom("a range of a supply has two voltages: [\"22 V\", \"26 V\"]");
                let least: Volts = values.next_element()?.ok_or_else(two)?;
                let most: Volts = values.next_element()?.ok_or_else(two)?;
                if values.next_element::<Volts>()?.is_some() {
                    return Err(two());
                }
                match least <= most {
                    true => Ok(Supply::between(least, most)),
                    false => Err(de::Error::custom(format!("the lower voltage comes first: {most}, then {least}"))),
                }
            }
        }
        deserializer.deserialize_any(Text)
    }
}

impl JsonSchema for Supply {
    fn schema_name() -> Cow<'static, str> {
        "Supply".into()
    }

    fn json_schema(_generator: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "description": "a supply voltage: \"24 V\", \"230 V AC\", or the range that it keeps",
            "anyOf": [
                { "type": "string" },
                { "type": "array", "items": { "type": "string" }, "minItems": 2, "maxItems": 2 },
            ],
        })
    }
}
