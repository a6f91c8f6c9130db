//! The table of an input in the station file.

use super::debounce::{HoldTimes, Settings};
use super::input::{Asserted, Contact, Input, on_while_high};
use crate::engine::{Block, Shape};
use crate::logic::expression::Span;
use crate::station::builder::{Builder, PointTable, TimeText};
use crate::station::plan::BranchBuilder;
use crate::station::{Field, FieldColumn, LineName, PointKind, StationErrorKind};
use crate::units::{Metres, Seconds, Speed};
use crate::wiring::connection::{PartsTable, ReadAs, Wired};
use serde::Deserialize;
use toml::Spanned;

/// `[input.NAME]` as it stands in the file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct InputTable {
    line: Spanned<String>,
    #[serde(default)]
    asserted: AssertedWord,
    #[serde(default)]
    contact: ContactWord,
    debounce: Option<Spanned<DebounceTable>>,
    sensor: Option<Spanned<String>>,
    terminal: Option<Spanned<String>>,
    #[serde(default)]
    cable: Metres,
    #[serde(default)]
    wiring: PartsTable,
    fastest: Option<Speed>,
    shortest_pulse: Option<Seconds>,
}

#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
enum AssertedWord {
    #[default]
    High,
    Low,
}

/// `contact` as it stands in the file.
#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(rename_all = "UPPERCASE")]
pub(crate) enum ContactWord {
    #[default]
    No,
    Nc,
}

impl From<ContactWord> for Contact {
    fn from(word: ContactWord) -> Self {
        match word {
            ContactWord::No => Contact::NormallyOpen,
            ContactWord::Nc => Contact::NormallyClosed,
        }
    }
}

/// `debounce = { … }` as it stands in the file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct DebounceTable {
    method: Method,
    time: Option<Spanned<TimeText>>,
    on: Option<Spanned<TimeText>>,
    off: Option<Spanned<TimeText>>,
}

#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Method {
    None,
    Stable,
    Lockout,
}

impl DebounceTable {
    fn build(&self, span: Span, builder: &mut Builder<'_>) -> Option<Settings> {
        match self.method {
            Method::None => {
                let keys = [("time", &self.time), ("on", &self.on), ("off", &self.off)];
                let Some((key, value)) = keys.into_iter().find_map(|(key, value)| Some((key, value.as_ref()?))) else {
                    return Some(Settings::Pass);
                };
                builder.refuse(value.span(), StationErrorKind::DebounceKey { method: "none", key });
                None
            }
            Method::Stable => self.times("stable", span, builder).map(Settings::Stable),
            Method::Lockout => self.times("lockout", span, builder).map(Settings::Lockout),
        }
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

impl PointTable for InputTable {
    fn build(self, builder: &mut Builder<'_>) -> Option<Box<dyn PointKind>> {
        let line = builder.line(&self.line);
        let debounce = match &self.debounce {
            None => Some(Settings::Pass),
            Some(table) => table.get_ref().build(table.span(), builder),
        };
        let asserted = match self.asserted {
            AssertedWord::High => Asserted::High,
            AssertedWord::Low => Asserted::Low,
        };
        let (line, debounce, contact) = (line?, debounce?, Contact::from(self.contact));
        let wired = Wired {
            sensor: self.sensor,
            terminal: self.terminal,
            cable: self.cable,
            parts: self.wiring,
            fastest: self.fastest,
            shortest_pulse: self.shortest_pulse,
            read_as: ReadAs::Input { line: line.name.clone(), asserted, contact, debounce: debounce.times() },
            load: None,
        };
        Some(Box::new(InputPoint { line, on_while_high: on_while_high(asserted, contact), debounce, wired }))
    }
}

/// An input of the station.
#[derive(Debug)]
struct InputPoint {
    line: LineName,
    on_while_high: bool,
    debounce: Settings,
    wired: Wired,
}

impl PointKind for InputPoint {
    fn what(&self) -> &'static str {
        "an input"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Bit(0) }]
    }

    fn wired(&self) -> Option<&Wired> {
        Some(&self.wired)
    }

    fn line(&self) -> Option<&LineName> {
        Some(&self.line)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> (Box<dyn Block>, Shape) {
        let source = branch.line(&self.line);
        let block = Input::new(self.line.name.clone(), source, self.on_while_high, self.debounce);
        (Box::new(block), Shape { bits: 1, counts: 0 })
    }
}
