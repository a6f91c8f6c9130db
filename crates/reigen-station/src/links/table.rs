//! The table of a link as it stands in the file, and what is wrong with it.

use super::modbus::{BitAddress, ModbusAddress, NumberAddress, NumberForm, Table, parse_place};
use super::{Link, ModbusLink, Protocol};
use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::{Builder, TimeText};
use crate::table::tables::Tables;
use reigen_core::logic::expression::Span;
use reigen_core::time::Nanos;
use serde::Deserialize;

/// A pass and an answer where nothing else is said.
const USUAL_EVERY: Nanos = Nanos(100_000_000);
const USUAL_TIMEOUT: Nanos = Nanos(500_000_000);

/// `[link.NAME]`: the connection to a device, for `reigen live`.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LinkTable {
    /// "modbus-tcp" or "lines".
    protocol: Spanned<ProtocolWord>,
    /// Host and port of the device, such as "192.168.1.20:502".
    address: Option<Spanned<String>>,
    /// Modbus: unit of the device [default: 1].
    unit: Option<Spanned<u8>>,
    /// Modbus: time of one pass over all reads and writes [default: 100 ms].
    every: Option<Spanned<TimeText>>,
    /// Modbus: how long an answer may take [default: 500 ms].
    timeout: Option<Spanned<TimeText>>,
    /// Modbus: lines, each with its place: "discrete 0", or a table with `at` and `type`.
    #[serde(default)]
    lines: Tables<Entry>,
    /// Modbus: points that the device is given, each with its place.
    #[serde(default)]
    outputs: Tables<Entry>,
    /// What becomes of written bits when the run ends: "off" (default) or "hold".
    on_stop: Option<Spanned<StopWord>>,
    /// Modbus: coil that turns over in every pass.
    heartbeat: Option<Spanned<String>>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum ProtocolWord {
    ModbusTcp,
    Lines,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum StopWord {
    Off,
    Hold,
}

/// A place, or a table with more about it.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(untagged)]
enum Entry {
    Place(String),
    Table(PlaceTable),
}

/// `{ at = "input 4", type = "u32" }`: a value in registers.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct PlaceTable {
    /// Its place, such as "input 4".
    at: String,
    /// "u16" (default), "i16", "u32", "i32", "f32", or "bit" with `bit`.
    #[serde(rename = "type")]
    form: Option<TypeWord>,
    /// Of two registers: "high_first" (default) or "low_first".
    words: Option<WordsWord>,
    /// Which bit of the register, from 0.
    bit: Option<u8>,
    /// The number is this times what the registers hold [default: 1].
    scale: Option<f64>,
    /// And this more [default: 0].
    offset: Option<f64>,
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

/// An entry with the places of its name and itself.
type Placed<T> = (Spanned<String>, Span, T);

impl Entry {
    /// Where the value is.
    fn address(&self) -> Result<ModbusAddress, String> {
        let given = match self {
            Self::Place(at) => {
                &PlaceTable { at: at.clone(), form: None, words: None, bit: None, scale: None, offset: None }
            }
            Self::Table(table) => table,
        };
        let (table, at) = parse_place(&given.at)?;
        let has_form = given.form.is_some() || given.words.is_some() || given.scale.is_some() || given.offset.is_some();
        if table.is_bits() {
            return match has_form || given.bit.is_some() {
                true => Err(format!("a {} is one bit: it has no `type` and nothing else beside `at`", table.word())),
                false => Ok(ModbusAddress::Bit(BitAddress { table, at, bit: None })),
            };
        }
        match (given.form, given.bit) {
            (Some(TypeWord::Bit) | None, Some(bit @ 0..=15)) => {
                Ok(ModbusAddress::Bit(BitAddress { table, at, bit: Some(bit) }))
            }
            (Some(TypeWord::Bit), None) => Err("which bit? add bit = 0, from 0 to 15".to_owned()),
            (_, Some(bit @ 16..)) => Err(format!("a register has the bits 0 to 15, and no bit {bit}")),
            (Some(_), Some(_)) => Err("`bit` goes with type = \"bit\" alone".to_owned()),
            (form, None) => given.number(table, at, form).map(ModbusAddress::Number),
        }
    }
}

impl PlaceTable {
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

impl LinkTable {
    /// Checks the table and makes the link of it; `None` where an error has been noted.
    pub(crate) fn build(self, name: Spanned<String>, builder: &mut Builder<'_>) -> Option<Link> {
        let protocol = *self.protocol.get_ref();
        let address = self.address(&name, builder)?;
        let protocol = match protocol {
            ProtocolWord::ModbusTcp => Protocol::ModbusTcp(self.modbus(address, builder)?),
            ProtocolWord::Lines => {
                self.refuse_modbus_keys(builder);
                Protocol::Lines { address }
            }
        };
        Some(Link { span: name.span(), name: name.into_inner(), protocol })
    }

    fn address(&self, name: &Spanned<String>, builder: &mut Builder<'_>) -> Option<String> {
        let Some(address) = &self.address else {
            let kind =
                StationErrorKind::File("a link needs an address, such as address = \"192.168.1.20:502\"".to_owned());
            builder.refuse(name.span(), kind);
            return None;
        };
        let text = address.get_ref();
        let port =
            text.rsplit_once(':').filter(|(host, _)| !host.is_empty()).and_then(|(_, port)| port.parse::<u16>().ok());
        if port.is_none() {
            let message = format!("`{text}` is no address: host and port, such as \"192.168.1.20:502\"");
            builder.refuse(address.span(), StationErrorKind::File(message));
            return None;
        }
        Some(text.clone())
    }

    /// Keys that a link of lines has not.
    fn refuse_modbus_keys(self, builder: &mut Builder<'_>) {
        let keys = [
            ("unit", self.unit.as_ref().map(Spanned::span)),
            ("every", self.every.as_ref().map(Spanned::span)),
            ("timeout", self.timeout.as_ref().map(Spanned::span)),
            ("on_stop", self.on_stop.as_ref().map(Spanned::span)),
            ("heartbeat", self.heartbeat.as_ref().map(Spanned::span)),
            ("lines", self.lines.into_iter().next().map(|(name, _)| name.span())),
            ("outputs", self.outputs.into_iter().next().map(|(name, _)| name.span())),
        ];
        for (key, span) in keys {
            if let Some(span) = span {
                let message = format!(
                    "`{key}` belongs to modbus-tcp; a link of `lines` knows lines by the names that the device prints"
                );
                builder.refuse(span, StationErrorKind::File(message));
            }
        }
    }

    fn modbus(self, address: String, builder: &mut Builder<'_>) -> Option<ModbusLink> {
        let errors = builder.errors.len();
        let time = |time: &Option<Spanned<TimeText>>, usual, builder: &mut Builder<'_>| {
            time.as_ref().map_or(Some(usual), |time| builder.above_zero(time))
        };
        let (every, timeout) = (time(&self.every, USUAL_EVERY, builder), time(&self.timeout, USUAL_TIMEOUT, builder));
        let heartbeat = self.heartbeat.as_ref().and_then(|place| match parse_place(place.get_ref()) {
            Ok((Table::Coil, at)) => Some(BitAddress { table: Table::Coil, at, bit: None }),
            Ok(_) => {
                let message = "a heartbeat is a coil, such as \"coil 15\"".to_owned();
                builder.refuse(place.span(), StationErrorKind::File(message));
                None
            }
            Err(message) => {
                builder.refuse(place.span(), StationErrorKind::File(message));
                None
            }
        });
        let lines = placed(self.lines, builder);
        let outputs = placed(self.outputs, builder);
        check_outputs(&outputs, heartbeat, builder);
        if builder.errors.len() > errors {
            return None;
        }
        let named =
            |all: Vec<Placed<ModbusAddress>>| all.into_iter().map(|(name, _, at)| (name.into_inner(), at)).collect();
        Some(ModbusLink {
            address,
            unit: self.unit.map_or(1, Spanned::into_inner),
            every: every?,
            timeout: timeout?,
            lines: named(lines),
            outputs: named(outputs),
            off_at_end: self.on_stop.is_none_or(|word| *word.get_ref() == StopWord::Off),
            heartbeat,
        })
    }
}

/// The entries with their places in the device; those that have none are noted.
fn placed(entries: Tables<Entry>, builder: &mut Builder<'_>) -> Vec<Placed<ModbusAddress>> {
    let mut all = Vec::new();
    for (name, entry) in entries {
        let span = entry.span();
        match entry.get_ref().address() {
            Ok(address) => all.push((name, span, address)),
            Err(message) => builder.refuse(span, StationErrorKind::File(message)),
        }
    }
    all
}

/// What is written must be writable, and each place once.
fn check_outputs(outputs: &[Placed<ModbusAddress>], heartbeat: Option<BitAddress>, builder: &mut Builder<'_>) {
    for (number, (name, span, address)) in outputs.iter().enumerate() {
        if !address.table().is_writable() {
            let message = format!("`{address}` can only be read: outputs go to a coil or a holding register");
            builder.refuse(span.clone(), StationErrorKind::File(message));
        }
        let others = outputs.iter().take(number).map(|(name, _, other)| (name.get_ref().as_str(), *other));
        let beat = heartbeat.map(|beat| ("the heartbeat", ModbusAddress::Bit(beat)));
        if let Some((other, _)) = others.chain(beat).find(|(_, other)| address.overlaps(*other)) {
            let message = format!("`{}` and `{other}` would both write {address}", name.get_ref());
            builder.refuse(span.clone(), StationErrorKind::File(message));
        }
    }
}
