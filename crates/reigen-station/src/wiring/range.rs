//! A range of values, from least to greatest, as the corners of a circuit give it.

use reigen_core::units::{Volts, engineering, significant};
use serde::{Serialize, Serializer};

/// From the least to the greatest value that can be, in the SI unit of the quantity.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Range {
    /// The least.
    pub least: f64,
    /// The greatest.
    pub most: f64,
}

impl Range {
    /// A range that holds nothing yet.
    pub const EMPTY: Range = Range { least: f64::INFINITY, most: f64::NEG_INFINITY };

    /// One value alone.
    pub fn exact(value: f64) -> Self {
        Self { least: value, most: value }
    }

    /// A value with its tolerance as a share of it.
    pub fn within(value: f64, tolerance: f64) -> Self {
        Self { least: value * (1.0 - tolerance), most: value * (1.0 + tolerance) }
    }

    /// Widens the range so that it holds a value.
    pub fn take(&mut self, value: f64) {
        self.least = self.least.min(value);
        self.most = self.most.max(value);
    }

    /// Whether it holds more than one value.
    pub fn varies(self) -> bool {
        self.most > self.least
    }

    /// Whether no value was taken.
    pub fn is_empty(self) -> bool {
        self.least > self.most
    }

    /// The range in words, with its unit: `2.31 to 2.52 V`.
    pub fn words(self, unit: &str) -> String {
        let [least, most] = [self.least, self.most].map(|value| engineering(clean(value), unit));
        if least == most {
            return least;
        }
        // A unit that both share stands once.
        match (least.rsplit_once(' '), most.rsplit_once(' ')) {
            (Some((number, one)), Some((_, other))) if one == other => format!("{number} to {most}"),
            _ => format!("{least} to {most}"),
        }
    }

    /// The range in volts, to a hundredth of a volt: a terminal is not measured closer.
    pub fn volts(self) -> String {
        let [least, most] = [self.least, self.most].map(|value| significant((value * 100.0).round() / 100.0));
        if least == most { format!("{least} V") } else { format!("{least} to {most} V") }
    }
}

/// What lies below a millionth is what a sum of such numbers leaves by its last bits.
fn clean(value: f64) -> f64 {
    if value.abs() < 1e-9 { 0.0 } else { value }
}

impl From<Volts> for Range {
    fn from(Volts(value): Volts) -> Self {
        Range::exact(value)
    }
}

impl Serialize for Range {
    /// `[least, greatest]`.
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let rounded = |value: f64| (clean(value) * 1e6).round() / 1e6;
        [rounded(self.least), rounded(self.most)].serialize(serializer)
    }
}

impl schemars::JsonSchema for Range {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Range".into()
    }

    fn json_schema(_generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({
            "type": "array", "items": { "type": "number" }, "minItems": 2, "maxItems": 2,
            "description": "the least and the greatest value",
        })
    }
}
