//! The table of a link as it stands in the file, and what is wrong with it.

use super::connection::{Connection, Parity, SerialPort};
use super::gpio::GpioLink;
use super::modbus::{BitAddress, ModbusAddress, ModbusLink, Table, parse_place};
use super::mqtt::{MqttLink, check_topic};
use super::nats::{NatsLink, check_station_name};
use super::output::{OnStop, Output, Outputs, USUAL_REFRESH};
use super::place::{Entry, PlaceTable, StopWord};
use super::{LinesLink, Link, Protocol};
use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::{Builder, TimeText};
use crate::table::tables::Tables;
use reigen_core::logic::expression::Span;
use reigen_core::time::Nanos;
use serde::Deserialize;
use std::fmt::Display;

/// A pass and an answer where nothing else is said.
const USUAL_EVERY: Nanos = Nanos(100_000_000);
const USUAL_TIMEOUT: Nanos = Nanos(500_000_000);
/// The usual speeds of a bus (Modbus over serial line V1.02, 2.5.1), and of what a microcontroller prints.
const USUAL_BAUD: u32 = 19_200;
const USUAL_PRINTED_BAUD: u32 = 115_200;

/// `[link.NAME]`: the connection to a device, for `reigen live`.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LinkTable {
    /// "modbus-tcp", "modbus-rtu", "mqtt", "lines", "gpio" or "nats".
    protocol: Spanned<ProtocolWord>,
    /// Host and port of the device or broker, such as "192.168.1.20:502".
    address: Option<Spanned<String>>,
    /// modbus-rtu, lines: serial port, such as "/dev/ttyUSB0".
    serial: Option<Spanned<String>>,
    /// Serial port: bits per second [default: 19200; of lines 115200].
    baud: Option<Spanned<u32>>,
    /// Serial port: "none", "even" or "odd" [default: even; of lines none].
    parity: Option<Spanned<Parity>>,
    /// Serial port: 1 or 2 [default: 1].
    stop_bits: Option<Spanned<u8>>,
    /// gpio: chip with the pins, such as "/dev/gpiochip0".
    chip: Option<Spanned<String>>,
    /// Modbus: unit of the device [default: 1].
    unit: Option<Spanned<u8>>,
    /// Modbus: time of one pass over all reads and writes [default: 100 ms].
    every: Option<Spanned<TimeText>>,
    /// Modbus: how long an answer may take [default: 500 ms].
    timeout: Option<Spanned<TimeText>>,
    /// Lines, each with its place: "discrete 0", a topic, the number of a pin, or a table with `at` and more.
    #[serde(default)]
    lines: Tables<Entry>,
    /// Points that the device is given, each with its place.
    #[serde(default)]
    outputs: Tables<Entry>,
    /// Outputs are written again after this time though they have not changed [default: 1 s].
    refresh: Option<Spanned<TimeText>>,
    /// What becomes of written bits when the run ends: "off" (default) or "hold".
    on_stop: Option<Spanned<StopWord>>,
    /// Modbus: coil that turns over in every pass.
    heartbeat: Option<Spanned<String>>,
    /// MQTT: topic that tells whether the outputs are driven.
    status: Option<Spanned<String>>,
    /// NATS: station whose lines they are.
    station: Option<Spanned<String>>,
    /// NATS: tell the server the lines of the run, instead of reading them there [default: false].
    publish: Option<Spanned<bool>>,
    /// MQTT, NATS: user.
    user: Option<Spanned<String>>,
    /// MQTT, NATS: environment variable with the password.
    password_env: Option<Spanned<String>>,
    /// MQTT: whether the connection is encrypted [default: false].
    tls: Option<Spanned<bool>>,
    /// MQTT with tls: file with the certificate that the broker's is signed by.
    ca: Option<Spanned<String>>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum ProtocolWord {
    ModbusTcp,
    ModbusRtu,
    Mqtt,
    Lines,
    Gpio,
    Nats,
}

impl ProtocolWord {
    fn text(self) -> &'static str {
        match self {
            Self::ModbusTcp => "modbus-tcp",
            Self::ModbusRtu => "modbus-rtu",
            Self::Mqtt => "mqtt",
            Self::Lines => "lines",
            Self::Gpio => "gpio",
            Self::Nats => "nats",
        }
    }
}

impl LinkTable {
    /// Checks the table and makes the link of it; `None` where an error has been noted.
    pub(crate) fn build(self, name: Spanned<String>, builder: &mut Builder<'_>) -> Option<Link> {
        let errors = builder.errors.len();
        self.refuse_foreign_keys(builder);
        let protocol = match *self.protocol.get_ref() {
            ProtocolWord::ModbusTcp | ProtocolWord::ModbusRtu => self.modbus(&name, builder).map(Protocol::Modbus),
            ProtocolWord::Mqtt => self.mqtt(&name, builder).map(Protocol::Mqtt),
            ProtocolWord::Lines => self.lines(&name, builder).map(Protocol::Lines),
            ProtocolWord::Gpio => self.gpio(&name, builder).map(Protocol::Gpio),
            ProtocolWord::Nats => self.nats(&name, builder).map(Protocol::Nats),
        };
        let protocol = protocol.filter(|_| builder.errors.len() == errors)?;
        Some(Link { span: name.span(), name: name.into_inner(), protocol })
    }

    /// Refuses keys that belong to other protocols.
    fn refuse_foreign_keys(&self, builder: &mut Builder<'_>) {
        use ProtocolWord::{Gpio, Lines, ModbusRtu, ModbusTcp, Mqtt, Nats};
        const DRIVEN: &[ProtocolWord] = &[ModbusTcp, ModbusRtu, Mqtt, Lines, Gpio];
        fn span<T>(key: &Option<Spanned<T>>) -> Option<Span> {
            key.as_ref().map(Spanned::span)
        }
        let keys: [(&str, Option<Span>, &[ProtocolWord]); 19] = [
            ("address", span(&self.address), &[ModbusTcp, Mqtt, Lines, Nats]),
            ("serial", span(&self.serial), &[ModbusRtu, Lines]),
            ("baud", span(&self.baud), &[ModbusRtu, Lines]),
            ("parity", span(&self.parity), &[ModbusRtu, Lines]),
            ("stop_bits", span(&self.stop_bits), &[ModbusRtu, Lines]),
            ("chip", span(&self.chip), &[Gpio]),
            ("unit", span(&self.unit), &[ModbusTcp, ModbusRtu]),
            ("every", span(&self.every), &[ModbusTcp, ModbusRtu]),
            ("timeout", span(&self.timeout), &[ModbusTcp, ModbusRtu]),
            ("heartbeat", span(&self.heartbeat), &[ModbusTcp, ModbusRtu]),
            ("status", span(&self.status), &[Mqtt]),
            ("user", span(&self.user), &[Mqtt, Nats]),
            ("password_env", span(&self.password_env), &[Mqtt, Nats]),
            ("station", span(&self.station), &[Nats]),
            ("publish", span(&self.publish), &[Nats]),
            ("refresh", span(&self.refresh), DRIVEN),
            ("on_stop", span(&self.on_stop), DRIVEN),
            ("tls", span(&self.tls), &[Mqtt]),
            ("ca", span(&self.ca), &[Mqtt]),
        ];
        let protocol = *self.protocol.get_ref();
        for (key, span, of) in keys {
            if let Some(span) = span.filter(|_| !of.contains(&protocol)) {
                let others: Vec<&str> = of.iter().map(|protocol| protocol.text()).collect();
                let message = format!("`{key}` belongs to {}, and not to {}", others.join(", "), protocol.text());
                builder.refuse(span, StationErrorKind::File(message));
            }
        }
    }

    fn modbus(self, name: &Spanned<String>, builder: &mut Builder<'_>) -> Option<ModbusLink> {
        let at = match self.protocol.get_ref() {
            ProtocolWord::ModbusTcp => self.address(name, builder).map(Connection::Tcp),
            _ => self.serial(name, USUAL_BAUD, Parity::Even, builder).map(Connection::Serial),
        };
        let (every, timeout) = (time(&self.every, USUAL_EVERY, builder), time(&self.timeout, USUAL_TIMEOUT, builder));
        let heartbeat = self.heartbeat.as_ref().and_then(|place| {
            let found = parse_place(place.get_ref()).and_then(|(table, at)| match table {
                Table::Coil => Ok(BitAddress { table, at, bit: None }),
                _ => Err("a heartbeat is a coil, such as \"coil 15\"".to_owned()),
            });
            refused(found, place.span(), builder)
        });
        let unit = self.unit.as_ref().map_or(1, |unit| *unit.get_ref());
        let outputs = outputs(self.outputs, &self.on_stop, &self.refresh, PlaceTable::modbus, builder);
        check_outputs(&outputs.1, heartbeat, builder);
        let lines = lines(self.lines, PlaceTable::modbus, builder);
        Some(ModbusLink { at: at?, unit, every: every?, timeout: timeout?, lines, outputs: outputs.0?, heartbeat })
    }

    fn mqtt(self, name: &Spanned<String>, builder: &mut Builder<'_>) -> Option<MqttLink> {
        let address = self.address(name, builder);
        if let Some(status) = &self.status {
            refused(check_topic(status.get_ref()), status.span(), builder);
        }
        let tls = self.tls.as_ref().is_some_and(|tls| *tls.get_ref());
        if let Some(ca) = self.ca.as_ref().filter(|_| !tls) {
            builder.refuse(ca.span(), StationErrorKind::File("`ca` goes with tls = true".to_owned()));
        }
        self.check_password(builder);
        let (outputs, placed) = outputs(self.outputs, &self.on_stop, &self.refresh, PlaceTable::topic, builder);
        let status: Vec<String> = self.status.iter().map(|status| status.get_ref().clone()).collect();
        refuse_twice(&placed, &status, builder);
        let lines = lines(self.lines, PlaceTable::mqtt, builder);
        let text = |key: Option<Spanned<String>>| key.map(Spanned::into_inner);
        Some(MqttLink {
            address: address?,
            lines,
            outputs: outputs?,
            status: text(self.status),
            user: text(self.user),
            password_env: text(self.password_env),
            tls,
            ca: text(self.ca),
        })
    }

    fn check_password(&self, builder: &mut Builder<'_>) {
        if let Some(password) = self.password_env.as_ref().filter(|_| self.user.is_none()) {
            builder.refuse(password.span(), StationErrorKind::File("a password goes with a `user`".to_owned()));
        }
    }

    fn nats(self, name: &Spanned<String>, builder: &mut Builder<'_>) -> Option<NatsLink> {
        let address = self.address(name, builder);
        self.check_password(builder);
        let station = needed(&self.station, name, "a station", "station = \"press\"", builder);
        if let Some(station) = &self.station {
            refused(check_station_name(station.get_ref()), station.span(), builder);
        }
        for (entry, what) in [
            (self.lines, "its lines have the names that they have at the machine"),
            (self.outputs, "outputs go to a device"),
        ] {
            if let Some((entry, _)) = entry.into_iter().next() {
                let message = format!("a link to a fleet has no table of these: {what}");
                builder.refuse(entry.span(), StationErrorKind::File(message));
            }
        }
        let text = |key: Option<Spanned<String>>| key.map(Spanned::into_inner);
        Some(NatsLink {
            address: address?,
            station: station?,
            publish: self.publish.is_some_and(Spanned::into_inner),
            user: text(self.user),
            password_env: text(self.password_env),
        })
    }

    fn lines(self, name: &Spanned<String>, builder: &mut Builder<'_>) -> Option<LinesLink> {
        let at = match (&self.address, &self.serial) {
            (Some(_), Some(serial)) => {
                let message = "a device is reached by `address` or `serial`, not both".to_owned();
                builder.refuse(serial.span(), StationErrorKind::File(message));
                None
            }
            (_, Some(_)) => self.serial(name, USUAL_PRINTED_BAUD, Parity::None, builder).map(Connection::Serial),
            _ => self.address(name, builder).map(Connection::Tcp),
        };
        if let Some((line, _)) = self.lines.into_iter().next() {
            let message = "a device that prints lines has no table of them: its lines have the names that it prints";
            builder.refuse(line.span(), StationErrorKind::File(message.to_owned()));
        }
        let (outputs, placed) = outputs(self.outputs, &self.on_stop, &self.refresh, PlaceTable::line_name, builder);
        refuse_twice(&placed, &[], builder);
        Some(LinesLink { at: at?, outputs: outputs? })
    }

    fn gpio(self, name: &Spanned<String>, builder: &mut Builder<'_>) -> Option<GpioLink> {
        let chip = needed(&self.chip, name, "a chip", "chip = \"/dev/gpiochip0\"", builder);
        let lines = lines(self.lines, PlaceTable::pin, builder);
        let pin = |place: &PlaceTable| place.pin().map(|pin| pin.offset);
        let (outputs, placed) = outputs(self.outputs, &self.on_stop, &self.refresh, pin, builder);
        let read: Vec<u32> = lines.iter().map(|(_, pin)| pin.offset).collect();
        refuse_twice(&placed, &read, builder);
        Some(GpioLink { chip: chip?, lines, outputs: outputs? })
    }

    fn address(&self, name: &Spanned<String>, builder: &mut Builder<'_>) -> Option<String> {
        let text = needed(&self.address, name, "an address", "address = \"192.168.1.20:502\"", builder)?;
        let port =
            text.rsplit_once(':').filter(|(host, _)| !host.is_empty()).and_then(|(_, port)| port.parse::<u16>().ok());
        let message = || format!("`{text}` is no address: host and port, such as \"192.168.1.20:502\"");
        let span = self.address.as_ref().map_or_else(|| name.span(), Spanned::span);
        refused(port.ok_or_else(message), span, builder).map(|_| text)
    }

    fn serial(
        &self,
        name: &Spanned<String>,
        baud: u32,
        parity: Parity,
        builder: &mut Builder<'_>,
    ) -> Option<SerialPort> {
        let path = needed(&self.serial, name, "a serial port", "serial = \"/dev/ttyUSB0\"", builder)?;
        let stop_bits = self.stop_bits.as_ref().map_or(1, |bits| *bits.get_ref());
        if let Some(bits) = self.stop_bits.as_ref().filter(|_| !matches!(stop_bits, 1 | 2)) {
            builder.refuse(bits.span(), StationErrorKind::File("there are 1 or 2 stop bits".to_owned()));
        }
        if let Some(baud) = self.baud.as_ref().filter(|baud| !(50..=10_000_000).contains(baud.get_ref())) {
            let message = "`baud` is from 50 to 10000000 bits per second".to_owned();
            builder.refuse(baud.span(), StationErrorKind::File(message));
        }
        Some(SerialPort {
            path,
            baud: self.baud.as_ref().map_or(baud, |baud| *baud.get_ref()),
            parity: self.parity.as_ref().map_or(parity, |parity| *parity.get_ref()),
            two_stop_bits: stop_bits == 2,
        })
    }
}

/// A key that a link cannot be without.
fn needed(
    key: &Option<Spanned<String>>,
    name: &Spanned<String>,
    what: &str,
    example: &str,
    builder: &mut Builder<'_>,
) -> Option<String> {
    let text = key.as_ref().map(|text| text.get_ref().clone()).filter(|text| !text.is_empty());
    let span = key.as_ref().map_or_else(|| name.span(), Spanned::span);
    refused(text.ok_or_else(|| format!("a link of this protocol needs {what}, such as {example}")), span, builder)
}

fn time(time: &Option<Spanned<TimeText>>, usual: Nanos, builder: &mut Builder<'_>) -> Option<Nanos> {
    time.as_ref().map_or(Some(usual), |time| builder.above_zero(time))
}

/// What was found; an error is noted.
fn refused<T>(found: Result<T, String>, span: Span, builder: &mut Builder<'_>) -> Option<T> {
    found.map_err(|message| builder.refuse(span, StationErrorKind::File(message))).ok()
}

/// The lines with their places; those that have none are noted.
fn lines<P>(
    entries: Tables<Entry>,
    place: impl Fn(&PlaceTable) -> Result<P, String>,
    builder: &mut Builder<'_>,
) -> Vec<(String, P)> {
    let all = entries.into_iter().filter_map(|(name, entry)| {
        let found = place(&entry.get_ref().table());
        Some((name.into_inner(), refused(found, entry.span(), builder)?))
    });
    all.collect()
}

/// An output with where it stands in the file: its name, its span, its place.
type Placed<P> = (String, Span, P);

/// The outputs with their places; those that have none are noted.
fn outputs<P: Clone>(
    entries: Tables<Entry>,
    on_stop: &Option<Spanned<StopWord>>,
    refresh: &Option<Spanned<TimeText>>,
    place: impl Fn(&PlaceTable) -> Result<P, String>,
    builder: &mut Builder<'_>,
) -> (Option<Outputs<P>>, Vec<Placed<P>>) {
    let usual = on_stop.as_ref().map_or(OnStop::Off, |word| (*word.get_ref()).into());
    let refresh = time(refresh, USUAL_REFRESH, builder);
    let (mut all, mut placed) = (Vec::new(), Vec::new());
    for (name, entry) in entries {
        let (span, mut table) = (entry.span(), entry.get_ref().table());
        let found = table.take_on_stop().and_then(|on_stop| Ok((on_stop.unwrap_or(usual), place(&table)?)));
        let Some((on_stop, place)) = refused(found, span.clone(), builder) else { continue };
        let point = name.into_inner();
        placed.push((point.clone(), span, place.clone()));
        all.push(Output { point, place, on_stop });
    }
    (refresh.map(|refresh| Outputs { all, refresh }), placed)
}

/// Refuses outputs whose place is taken, by what is named or by one before.
fn refuse_twice<P: Display + PartialEq>(placed: &[Placed<P>], taken: &[P], builder: &mut Builder<'_>) {
    for (number, (name, span, place)) in placed.iter().enumerate() {
        let before = placed.iter().take(number).map(|(_, _, place)| place);
        if before.chain(taken).any(|other| other == place) {
            let message = format!("`{name}` goes to {place}, which is taken already");
            builder.refuse(span.clone(), StationErrorKind::File(message));
        }
    }
}

/// What is written must be writable, and each place once.
fn check_outputs(outputs: &[Placed<ModbusAddress>], heartbeat: Option<BitAddress>, builder: &mut Builder<'_>) {
    for (number, (name, span, address)) in outputs.iter().enumerate() {
        if !address.table().is_writable() {
            let message = format!("`{address}` can only be read: outputs go to a coil or a holding register");
            builder.refuse(span.clone(), StationErrorKind::File(message));
        }
        let others = outputs.iter().take(number).map(|(name, _, other)| (name.as_str(), *other));
        let beat = heartbeat.map(|beat| ("the heartbeat", ModbusAddress::Bit(beat)));
        if let Some((other, _)) = others.chain(beat).find(|(_, other)| address.overlaps(*other)) {
            let message = format!("`{name}` and `{other}` would both write {address}");
            builder.refuse(span.clone(), StationErrorKind::File(message));
        }
    }
}
