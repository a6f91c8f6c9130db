//! The table of an input in the station file.

use crate::points::PointKind;
use crate::points::{PointTable, takes_description};
use crate::sizing::rc::Levels;
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::{Builder, TimeText};
use crate::table::contact::ContactWord;
use crate::table::{Field, FieldColumn, FieldExpression, LineName, StationErrorKind};
use crate::wiring::connection::{ReadAs, Role, WireKeys, Wired, WiringTable};
use crate::wiring::parts::PartTable;
use reigen_core::condition::debounce::{HoldTimes, RcSettings, ReadingTimes, Settings};
use reigen_core::condition::input::{Asserted, Contact, InputSettings, on_while_high};
use reigen_core::logic::expression::Span;
use reigen_core::program::Operation;
use reigen_core::quantity::MOST_TIME;
use reigen_core::time::Nanos;
use reigen_core::units::{Farads, Metres, Ohms, Seconds, Speed, Volts};
use serde::Deserialize;
use serde::de::value::MapAccessDeserializer;
use serde::de::{self, Deserializer, IntoDeserializer, MapAccess, Visitor};
use std::fmt;

/// `[input.NAME]`: a switch, contact or sensor with two levels.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct InputTable {
    /// Line of the recording that it reads; a leaf name will do where it is unique.
    line: Option<Spanned<String>>,
    /// Point that it reads in place of a line, such as a bit of a chain.
    of: Option<Spanned<String>>,
    /// Level at which the contact is closed: "high" (default) or "low".
    #[serde(default)]
    asserted: AssertedWord,
    /// "NO" (default), or "NC": on while the contact is open.
    #[serde(default)]
    contact: ContactWord,
    /// Debounce: a time such as "20 ms", or a method with its keys.
    debounce: Option<Spanned<DebounceValue>>,
    /// With [scan]: false changes it at its own times, as an interrupt does; others see it at scans.
    scan: Option<Spanned<bool>>,
    /// With [scan]: hold a pulse until the next scan.
    catch: Option<Spanned<bool>>,
    /// Kind of its sensor: the name of a [sensor.NAME].
    sensor: Option<Spanned<String>>,
    /// Terminal on a card, such as "I0" or "plc.I0".
    terminal: Option<Spanned<String>>,
    /// Length of its cable, such as "15 m".
    #[serde(default)]
    cable: Metres,
    /// Feed, cable data and the usual parts of its wire.
    #[serde(default)]
    wiring: WiringTable,
    /// Parts of its wire, from the sensor to the terminal.
    wire: Option<Spanned<Vec<Spanned<PartTable>>>>,
    /// Which sensor it is, where several points share one.
    device: Option<String>,
    /// "stop" or "run", for the check of safe wiring.
    role: Option<Role>,
    /// Fastest pulses to expect, such as "1 kHz" or "3000 rpm".
    fastest: Option<Speed>,
    /// Shortest pulse that must be seen.
    shortest_pulse: Option<Seconds>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum AssertedWord {
    #[default]
    High,
    Low,
}

/// `debounce` as it stands in the file: a time alone is that of the method `stable`.
#[derive(Debug, schemars::JsonSchema)]
#[schemars(untagged)]
enum DebounceValue {
    /// The time of `stable`.
    Time(TimeText),
    /// A method with what belongs to it.
    Table(Box<DebounceTable>),
}

impl<'de> Deserialize<'de> for DebounceValue {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct TimeOrTable;
        impl<'de> Visitor<'de> for TimeOrTable {
            type Value = DebounceValue;

            fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter
                    .write_str("a time such as \"20 ms\", or a table such as { method = \"stable\", time = \"20 ms\" }")
            }

            fn visit_str<E: de::Error>(self, text: &str) -> Result<DebounceValue, E> {
                TimeText::deserialize(text.into_deserializer()).map(DebounceValue::Time)
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<DebounceValue, A::Error> {
                let table = DebounceTable::deserialize(MapAccessDeserializer::new(map))?;
                Ok(DebounceValue::Table(Box::new(table)))
            }
        }
        deserializer.deserialize_any(TimeOrTable)
    }
}

impl DebounceValue {
    /// The table that it is short for.
    fn table(self, span: Span) -> DebounceTable {
        match self {
            Self::Table(table) => *table,
            Self::Time(time) => {
                DebounceTable { time: Some(Spanned::new(span, time)), ..DebounceTable::of(Method::Stable) }
            }
        }
    }
}

/// `debounce = { … }`: a method and its keys.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct DebounceTable {
    /// "none", "stable", "lockout", "sampled" or "rc".
    method: Method,
    /// stable, lockout: time for both states.
    time: Option<Spanned<TimeText>>,
    /// stable, lockout: time for going on.
    on: Option<Spanned<TimeText>>,
    /// stable, lockout: time for going off.
    off: Option<Spanned<TimeText>>,
    /// sampled: time between two readings.
    every: Option<Spanned<TimeText>>,
    /// sampled: number of equal readings in a row.
    count: Option<Spanned<u32>>,
    /// rc: resistor through which the capacitor charges.
    resistance: Option<Spanned<Ohms>>,
    /// rc: capacitor.
    capacitance: Option<Spanned<Farads>>,
    /// rc: resistor through which it discharges, if it is another one.
    discharge_resistance: Option<Spanned<Ohms>>,
    /// rc: supply voltage.
    supply: Option<Spanned<Volts>>,
    /// rc: upper threshold of the input.
    rise_at: Option<Spanned<Volts>>,
    /// rc: lower threshold of the input.
    fall_at: Option<Spanned<Volts>>,
}

#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum Method {
    None,
    Stable,
    Lockout,
    Sampled,
    Rc,
}

impl Method {
    fn word(self) -> &'static str {
        match self {
            Method::None => "none",
            Method::Stable => "stable",
            Method::Lockout => "lockout",
            Method::Sampled => "sampled",
            Method::Rc => "rc",
        }
    }

    /// The keys that go with it.
    fn keys(self) -> &'static [&'static str] {
        match self {
            Method::None => &[],
            Method::Stable | Method::Lockout => &["time", "on", "off"],
            Method::Sampled => &["every", "count"],
            Method::Rc => &["resistance", "capacitance", "discharge_resistance", "supply", "rise_at", "fall_at"],
        }
    }
}

impl DebounceTable {
    /// A method without any of its keys.
    fn of(method: Method) -> Self {
        let (time, on, off, every) = Default::default();
        let (resistance, capacitance, discharge_resistance) = Default::default();
        let (count, supply, rise_at, fall_at) = Default::default();
        Self {
            method,
            time,
            on,
            off,
            every,
            count,
            resistance,
            capacitance,
            discharge_resistance,
            supply,
            rise_at,
            fall_at,
        }
    }

    fn build(&self, span: Span, on_while_high: bool, builder: &mut Builder<'_>) -> Option<Settings> {
        let method = self.method;
        if let Some((key, place)) = self.keys().into_iter().find(|(key, _)| !method.keys().contains(key)) {
            builder.refuse(place, StationErrorKind::DebounceKey { method: method.word(), key });
            return None;
        }
        match method {
            Method::None => Some(Settings::Pass),
            Method::Stable => self.times("stable", span, builder).map(Settings::Stable),
            Method::Lockout => self.times("lockout", span, builder).map(Settings::Lockout),
            Method::Sampled => self.sampled(span, builder),
            Method::Rc => self.rc(span, on_while_high, builder),
        }
    }

    /// The keys that are there, with their places.
    fn keys(&self) -> Vec<(&'static str, Span)> {
        let keys = [
            ("time", self.time.as_ref().map(Spanned::span)),
            ("on", self.on.as_ref().map(Spanned::span)),
            ("off", self.off.as_ref().map(Spanned::span)),
            ("every", self.every.as_ref().map(Spanned::span)),
            ("count", self.count.as_ref().map(Spanned::span)),
            ("resistance", self.resistance.as_ref().map(Spanned::span)),
            ("capacitance", self.capacitance.as_ref().map(Spanned::span)),
            ("discharge_resistance", self.discharge_resistance.as_ref().map(Spanned::span)),
            ("supply", self.supply.as_ref().map(Spanned::span)),
            ("rise_at", self.rise_at.as_ref().map(Spanned::span)),
            ("fall_at", self.fall_at.as_ref().map(Spanned::span)),
        ];
        keys.into_iter().filter_map(|(key, place)| Some((key, place?))).collect()
    }

    fn sampled(&self, span: Span, builder: &mut Builder<'_>) -> Option<Settings> {
        let (Some(every), Some(count)) = (&self.every, &self.count) else {
            builder.refuse(span, StationErrorKind::DebounceNeeds { method: "sampled", needs: "`every` and `count`" });
            return None;
        };
        let zero = [(every.get_ref().0 == Nanos(0), every.span()), (*count.get_ref() == 0, count.span())];
        if let Some((_, place)) = zero.into_iter().find(|(is_zero, _)| *is_zero) {
            builder.refuse(place, StationErrorKind::File("must be above zero for the method `sampled`".into()));
            return None;
        }
        let step = builder.step(every)?;
        Some(Settings::Sampled { every: step, count: u64::from(*count.get_ref()), from: Nanos(0) })
    }

    fn rc(&self, span: Span, on_while_high: bool, builder: &mut Builder<'_>) -> Option<Settings> {
        let needed = (&self.resistance, &self.capacitance, &self.supply, &self.rise_at, &self.fall_at);
        let (Some(resistance), Some(capacitance), Some(supply), Some(rise_at), Some(fall_at)) = needed else {
            let needs = "`resistance`, `capacitance`, `supply`, `rise_at` and `fall_at`";
            builder.refuse(span, StationErrorKind::DebounceNeeds { method: "rc", needs });
            return None;
        };
        let levels = match Levels::new(*supply.get_ref(), *rise_at.get_ref(), *fall_at.get_ref()) {
            Ok(levels) => levels,
            Err(error) => {
                builder.refuse(rise_at.span(), StationErrorKind::File(error.to_string()));
                return None;
            }
        };
        let (charge, capacitance) = (*resistance.get_ref(), *capacitance.get_ref());
        let discharge = self.discharge_resistance.as_ref().map_or(charge, |discharge| *discharge.get_ref());
        let nanos = |resistance: Ohms| (resistance * capacitance).0 * 1e9;
        let settings = RcSettings { charge_ns: nanos(charge), discharge_ns: nanos(discharge), levels, on_while_high };
        if settings.delay(true).max(settings.delay(false)) > MOST_TIME {
            builder.refuse(span, StationErrorKind::File("this filter would take years".into()));
            return None;
        }
        Some(Settings::Rc(settings))
    }

    fn times(&self, method: &'static str, span: Span, builder: &mut Builder<'_>) -> Option<HoldTimes> {
        let nanos = |text: &Spanned<TimeText>| text.get_ref().0;
        let (place, kind) = match (&self.time, &self.on, &self.off) {
            (Some(time), None, None) => return Some(HoldTimes { on: nanos(time), off: nanos(time) }),
            (None, Some(on), Some(off)) => return Some(HoldTimes { on: nanos(on), off: nanos(off) }),
            (None, None, None) => (span, StationErrorKind::DebounceTime(method)),
            (Some(_), Some(on), _) => (on.span(), StationErrorKind::DebounceBoth("on")),
            (Some(_), None, Some(off)) => (off.span(), StationErrorKind::DebounceBoth("off")),
            (None, Some(on), None) => (on.span(), StationErrorKind::DebounceHalf("on", "off")),
            (None, None, Some(off)) => (off.span(), StationErrorKind::DebounceHalf("off", "on")),
        };
        builder.refuse(place, kind);
        None
    }
}

/// What an input reads.
#[derive(Debug)]
enum Source {
    Line(LineName),
    /// A bit of a point, and its text.
    Point(FieldExpression, String),
}

impl Source {
    fn name(&self) -> &str {
        match self {
            Source::Line(line) => &line.name,
            Source::Point(_, text) => text,
        }
    }
}

impl InputTable {
    fn source(&self, builder: &mut Builder<'_>) -> Option<Source> {
        match (&self.line, &self.of) {
            (Some(line), None) => builder.line(line).map(Source::Line),
            (None, Some(of)) => builder.expression(of).map(|bit| Source::Point(bit, of.get_ref().clone())),
            (Some(_), Some(of)) => {
                let message = "an input needs either `line` or `of`, not both".to_owned();
                builder.refuse(of.span(), StationErrorKind::File(message));
                None
            }
            (None, None) => {
                builder.refuse(builder.table.clone(), StationErrorKind::Missing("line".to_owned()));
                None
            }
        }
    }
}

impl PointTable for InputTable {
    type Point = InputPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let source = self.source(builder);
        let asserted = match self.asserted {
            AssertedWord::High => Asserted::High,
            AssertedWord::Low => Asserted::Low,
        };
        let on_while_high = on_while_high(asserted, self.contact.into());
        let debounce = match self.debounce {
            None => Some(Settings::Pass),
            Some(value) => {
                let span = value.span();
                value.into_inner().table(span.clone()).build(span, on_while_high, builder)
            }
        };
        let past_scan = builder.past_scan(&self.scan).is_some();
        let debounce = if past_scan { debounce } else { debounce.map(|debounce| in_scans(debounce, builder)) };
        // A point is seen as it is; only lines are read by the scan.
        let scan = builder
            .scan
            .filter(|_| self.of.is_none() && !past_scan)
            .map(|scan| ReadingTimes { catch: self.catch.as_ref().is_some_and(|catch| *catch.get_ref()), ..scan });
        if let (Some(catch), None) = (&self.catch, scan) {
            builder.refuse(catch.span(), StationErrorKind::CatchWithoutScan);
        }
        let keys = WireKeys {
            sensor: self.sensor,
            device: self.device,
            terminal: self.terminal,
            cable: self.cable,
            wiring: self.wiring,
            wire: self.wire,
        };
        let wired = keys.build(builder);
        let (source, debounce, contact) = (source?, debounce?, Contact::from(self.contact));
        let wired = Wired {
            fastest: self.fastest,
            shortest_pulse: self.shortest_pulse,
            read_as: ReadAs::Input {
                line: source.name().to_owned(),
                asserted,
                contact,
                debounce: debounce.times(),
                catches: scan.is_some_and(|scan| scan.catch),
            },
            role: self.role,
            ..wired
        };
        Some(InputPoint { source, settings: InputSettings { on_while_high, scan, debounce }, past_scan, wired })
    }
}

/// An input of the station.
#[derive(Debug)]
pub struct InputPoint {
    source: Source,
    settings: InputSettings,
    past_scan: bool,
    wired: Wired,
}

/// A debounce whose times are over at scans.
fn in_scans(debounce: Settings, builder: &Builder<'_>) -> Settings {
    let whole = |times: HoldTimes| HoldTimes { on: builder.takes(times.on), off: builder.takes(times.off) };
    match debounce {
        Settings::Stable(times) => Settings::Stable(whole(times)),
        Settings::Lockout(times) => Settings::Lockout(whole(times)),
        Settings::Sampled { every, count, .. } => {
            Settings::Sampled { every, count, from: builder.scan.map_or(Nanos(0), |scan| scan.phase) }
        }
        Settings::Pass | Settings::Rc(_) => debounce,
    }
}

impl PointKind for InputPoint {
    fn what(&self) -> &'static str {
        "an input"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Bit(0) }]
    }

    fn is_past_scan(&self) -> bool {
        self.past_scan
    }

    fn input(&self) -> Option<&InputSettings> {
        Some(&self.settings)
    }

    fn wired(&self) -> Option<&Wired> {
        Some(&self.wired)
    }

    fn line(&self) -> Option<&LineName> {
        match &self.source {
            Source::Line(line) => Some(line),
            Source::Point(..) => None,
        }
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        &["of"]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        match &self.source {
            Source::Line(_) => Vec::new(),
            Source::Point(of, _) => vec![("of", of)],
        }
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let source = match &self.source {
            Source::Line(line) => branch.line(line),
            Source::Point(of, _) => branch.counted(of),
        };
        Operation::Input { line: self.source.name().to_owned(), source, settings: self.settings }
    }
}
