//! The place of a line or an output as it stands in the file.

use super::gpio::{Bias, GpioPin};
use super::modbus::{BitAddress, ModbusAddress, NumberAddress, NumberForm, Table, parse_place};
use super::mqtt::{MqttPlace, TimeUnit, check_pointer, check_topic};
use super::output::OnStop;
use serde::Deserialize;

/// A place, or a table with more about it.
#[derive(Debug, Clone, Deserialize, schemars::JsonSchema)]
#[serde(untagged)]
pub(super) enum Entry {
    Place(At),
    Table(PlaceTable),
}

/// A place: a text, or the number of a pin.
#[derive(Debug, Clone, Deserialize, schemars::JsonSchema)]
#[serde(untagged)]
pub(super) enum At {
    Number(u32),
    Text(String),
}

/// `{ at = "input 4", type = "u32" }`: a place and what is there.
#[derive(Debug, Clone, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PlaceTable {
    /// Its place: "input 4" in a Modbus device, a topic, the name of a line, or the number of a pin.
    at: At,
    /// Modbus: "u16" (default), "i16", "u32", "i32", "f32", or "bit" with `bit`.
    #[serde(rename = "type")]
    form: Option<TypeWord>,
    /// Modbus, of two registers: "high_first" (default) or "low_first".
    words: Option<WordsWord>,
    /// Modbus: which bit of the register, from 0.
    bit: Option<u8>,
    /// Modbus: the number is this times what the registers hold [default: 1].
    scale: Option<f64>,
    /// Modbus: and this more [default: 0].
    offset: Option<f64>,
    /// MQTT: where the value stands in a JSON payload, such as "/value".
    value: Option<String>,
    /// MQTT: where its time stands in a JSON payload.
    time: Option<String>,
    /// MQTT: what a time that is a number counts: "s", "ms", "us", "ns".
    time_unit: Option<TimeUnit>,
    /// Pins: "pull_up", "pull_down", or "off".
    bias: Option<Bias>,
    /// Outputs: what it becomes when the run ends: "off", "hold" or a number.
    on_stop: Option<StopEntry>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum TypeWord {
    U16,
    I16,
    U32,
    I32,
    F32,
    Bit,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
enum WordsWord {
    HighFirst,
    LowFirst,
}

/// What becomes of outputs when the run ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum StopWord {
    Off,
    Hold,
}

/// What becomes of one output.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, schemars::JsonSchema)]
#[serde(untagged)]
enum StopEntry {
    Word(StopWord),
    Number(f64),
}

impl From<StopWord> for OnStop {
    fn from(word: StopWord) -> Self {
        match word {
            StopWord::Off => Self::Off,
            StopWord::Hold => Self::Hold,
        }
    }
}

impl Entry {
    /// As a table, whichever way it was written.
    pub(super) fn table(&self) -> PlaceTable {
        match self {
            Self::Table(table) => table.clone(),
            Self::Place(at) => PlaceTable {
                at: at.clone(),
                form: None,
                words: None,
                bit: None,
                scale: None,
                offset: None,
                value: None,
                time: None,
                time_unit: None,
                bias: None,
                on_stop: None,
            },
        }
    }
}

impl PlaceTable {
    /// Takes out what becomes of an output when the run ends; `None` where nothing is said.
    ///
    /// # Errors
    /// In words, where it is no number.
    pub(super) fn take_on_stop(&mut self) -> Result<Option<OnStop>, String> {
        match self.on_stop.take() {
            Some(StopEntry::Number(number)) if !number.is_finite() => Err("`on_stop` is no number".to_owned()),
            Some(StopEntry::Number(number)) => Ok(Some(OnStop::Becomes(number))),
            Some(StopEntry::Word(word)) => Ok(Some(word.into())),
            None => Ok(None),
        }
    }

    /// Refuses keys that say nothing of this kind of place.
    fn refuse(&self, what: &str, known: &[&str]) -> Result<(), String> {
        let keys = [
            ("type", self.form.is_some()),
            ("words", self.words.is_some()),
            ("bit", self.bit.is_some()),
            ("scale", self.scale.is_some()),
            ("offset", self.offset.is_some()),
            ("value", self.value.is_some()),
            ("time", self.time.is_some()),
            ("time_unit", self.time_unit.is_some()),
            ("bias", self.bias.is_some()),
            ("on_stop", self.on_stop.is_some()),
        ];
        match keys.into_iter().find(|(key, is_there)| *is_there && !known.contains(key)) {
            Some((key, _)) => Err(format!("{what} has no `{key}`")),
            None => Ok(()),
        }
    }

    fn text(&self) -> Result<&str, String> {
        match &self.at {
            At::Text(text) => Ok(text),
            At::Number(number) => Err(format!("`{number}` is a number, and the place here is a text")),
        }
    }

    /// The name of a line that a device is told.
    pub(super) fn line_name(&self) -> Result<String, String> {
        self.refuse("the name of a line", &[])?;
        match self.text()? {
            "" => Err("a line has a name".to_owned()),
            name => Ok(name.to_owned()),
        }
    }

    /// A topic that an output is published under.
    pub(super) fn topic(&self) -> Result<String, String> {
        self.refuse("the topic of an output", &[])?;
        check_topic(self.text()?)?;
        Ok(self.text()?.to_owned())
    }

    /// A topic that a line is on.
    pub(super) fn mqtt(&self) -> Result<MqttPlace, String> {
        self.refuse("a line of MQTT", &["value", "time", "time_unit"])?;
        check_topic(self.text()?)?;
        [&self.value, &self.time].into_iter().flatten().try_for_each(|pointer| check_pointer(pointer))?;
        if self.time.is_some() && self.value.is_none() {
            return Err(
                "where the payload has a time it is JSON: add where the value stands, value = \"/value\"".into()
            );
        }
        if self.time_unit.is_some() && self.time.is_none() {
            return Err("`time_unit` says what `time` counts: add where the time stands, time = \"/time\"".into());
        }
        let Self { value, time, time_unit, .. } = self.clone();
        Ok(MqttPlace { topic: self.text()?.to_owned(), value, time, time_unit })
    }

    /// A pin.
    pub(super) fn pin(&self) -> Result<GpioPin, String> {
        self.refuse("a pin", &["bias"])?;
        match &self.at {
            At::Number(offset) => Ok(GpioPin { offset: *offset, bias: self.bias }),
            At::Text(text) => Err(format!("`{text}` is no pin: use its number on the chip, such as 17")),
        }
    }

    /// Where a value is in a Modbus device.
    pub(super) fn modbus(&self) -> Result<ModbusAddress, String> {
        self.refuse("a place in a Modbus device", &["type", "words", "bit", "scale", "offset"])?;
        let (table, at) = parse_place(self.text()?)?;
        let has_form = self.form.is_some() || self.words.is_some() || self.scale.is_some() || self.offset.is_some();
        if table.is_bits() {
            return match has_form || self.bit.is_some() {
                true => Err(format!("a {} is one bit: it has no `type` and nothing else beside `at`", table.word())),
                false => Ok(ModbusAddress::Bit(BitAddress { table, at, bit: None })),
            };
        }
        match (self.form, self.bit) {
            (Some(TypeWord::Bit) | None, Some(bit @ 0..=15)) => {
                Ok(ModbusAddress::Bit(BitAddress { table, at, bit: Some(bit) }))
            }
            (Some(TypeWord::Bit), None) => Err("which bit? add bit = 0, from 0 to 15".to_owned()),
            (_, Some(bit @ 16..)) => Err(format!("a register has the bits 0 to 15, and no bit {bit}")),
            (Some(_), Some(_)) => Err("`bit` goes with type = \"bit\" alone".to_owned()),
            (form, None) => self.number(table, at, form).map(ModbusAddress::Number),
        }
    }

    fn number(&self, table: Table, at: u16, form: Option<TypeWord>) -> Result<NumberAddress, String> {
        let form = match form {
            None | Some(TypeWord::U16 | TypeWord::Bit) => NumberForm::U16,
            Some(TypeWord::I16) => NumberForm::I16,
            Some(TypeWord::U32) => NumberForm::U32,
            Some(TypeWord::I32) => NumberForm::I32,
            Some(TypeWord::F32) => NumberForm::F32,
        };
        if u32::from(at) + u32::from(form.words()) > 1 << 16 {
            return Err(format!("two registers from {at} on go beyond the last, 65535"));
        }
        if self.words.is_some() && form.words() == 1 {
            return Err("`words` is for values of two registers: type = \"u32\", \"i32\" or \"f32\"".to_owned());
        }
        let (scale, offset) = (self.scale.unwrap_or(1.0), self.offset.unwrap_or_default());
        if scale == 0.0 || !scale.is_finite() || !offset.is_finite() {
            return Err("`scale` is a number other than 0, and `offset` a number".to_owned());
        }
        Ok(NumberAddress { table, at, form, low_first: self.words == Some(WordsWord::LowFirst), scale, offset })
    }
}
