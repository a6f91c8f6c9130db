//! The table of a counter in the station file.

use crate::points::PointKind;
use crate::points::point_kind::KnownPoints;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::Builder;
use crate::table::{Field, FieldColumn, FieldExpression, StationErrorKind};
use reigen_core::cast;
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::count::counter::{AtLast, CountedEdge, Range, Settings, Sources};
use reigen_core::logic::expression::{Reference, Span};
use reigen_core::program::Operation;
use serde::Deserialize;

/// `[counter.NAME]`: counts edges, or scans, of bits.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CounterTable {
    /// Bit whose edges count up: a point or an expression; or a register, whose steps count up and down.
    up: Option<Spanned<String>>,
    /// Bit whose edges count down.
    down: Option<Spanned<String>>,
    /// Counts only while this is on.
    gate: Option<Spanned<String>>,
    /// Sets it to the start value while this is on.
    reset: Option<Spanned<String>>,
    /// Sets it to `load_to` at each rising edge of this.
    load: Option<Spanned<String>>,
    /// Value that `load` sets: a number or an expression [default: the last preset].
    load_to: Option<Spanned<NumberOrText>>,
    /// Edge that counts: "rising" (default), "falling" or "both".
    #[serde(default)]
    edge: EdgeWord,
    /// Start value [default: 0].
    #[serde(default)]
    start: i64,
    /// Least and greatest value.
    limits: Option<Spanned<[i64; 2]>>,
    /// At a limit: "stop" (default) or "wrap".
    at_limit: Option<Spanned<AtLimitWord>>,
    /// Values that matter, in rising order; `.done` is on from the last one.
    #[serde(default)]
    presets: Vec<Spanned<i64>>,
    /// At the last preset: "go_on" (default) or "restart" from the start value.
    at_last: Option<Spanned<AtLastWord>>,
    /// Width of its register: it wraps as such a register does.
    bits: Option<Spanned<u32>>,
    /// With [scan]: false counts every edge, as a counter input does, and shows the count at scans.
    scan: Option<Spanned<bool>>,
    /// "edges" (default), or "scans" with [scan]: one count for each scan while the bit is on.
    count: Option<Spanned<CountWord>>,
    /// Units per count, such as metres per pulse.
    scale: Option<Spanned<f64>>,
    /// Unit of the scaled value.
    unit: Option<String>,
    /// With a history, goes on from its last state when a live run starts again [default: false].
    #[serde(default)]
    retain: bool,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// A number, or an expression that gives one.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(untagged)]
enum NumberOrText {
    Number(i64),
    Text(String),
}

#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum EdgeWord {
    #[default]
    Rising,
    Falling,
    Both,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
enum AtLastWord {
    GoOn,
    Restart,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum AtLimitWord {
    Stop,
    Wrap,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum CountWord {
    Edges,
    Scans,
}

impl CounterTable {
    fn presets(&self, range: Option<Range>, builder: &mut Builder<'_>) -> Vec<i64> {
        for pair in self.presets.windows(2) {
            let [earlier, later] = pair else { continue };
            if later.get_ref() <= earlier.get_ref() {
                let kind = StationErrorKind::PresetsFall(*earlier.get_ref(), *later.get_ref());
                builder.refuse(later.span(), kind);
            }
        }
        let inside = |value: i64| range.is_none_or(|range| (range.least..=range.most).contains(&value));
        for preset in self.presets.iter().filter(|preset| !inside(*preset.get_ref())) {
            let Some(Range { least, most, .. }) = range else { continue };
            builder.refuse(preset.span(), StationErrorKind::OutsideLimits { value: *preset.get_ref(), least, most });
        }
        self.presets.iter().map(|preset| *preset.get_ref()).collect()
    }

    fn at_last(&self, builder: &mut Builder<'_>) -> AtLast {
        let Some(word) = self.at_last.as_ref().filter(|word| *word.get_ref() == AtLastWord::Restart) else {
            return AtLast::GoOn;
        };
        match self.presets.last() {
            None => builder.refuse(word.span(), StationErrorKind::RestartWithoutPresets),
            Some(last) if *last.get_ref() <= self.start => {
                let kind = StationErrorKind::PresetBehind { start: self.start, last: *last.get_ref() };
                builder.refuse(last.span(), kind);
            }
            Some(_) => {}
        }
        AtLast::Restart
    }

    /// The values that it stays within: its limits, or what a register of so many bits holds.
    fn range(&self, builder: &mut Builder<'_>) -> Option<Range> {
        if let Some(limits) = &self.limits {
            let [least, most] = *limits.get_ref();
            if least >= most {
                builder.refuse(limits.span(), StationErrorKind::wrong_way_round("`limits`", least, most));
            }
            if least < most && !(least..=most).contains(&self.start) {
                builder.refuse(limits.span(), StationErrorKind::OutsideLimits { value: self.start, least, most });
            }
        }
        if let (Some(word), None) = (&self.at_limit, &self.limits) {
            builder.refuse(word.span(), StationErrorKind::File("`at_limit` needs `limits`".into()));
        }
        let register = self.bits.as_ref().and_then(|bits| self.register(bits, builder));
        let Some(limits) = &self.limits else { return register };
        let [least, most] = *limits.get_ref();
        if let Some(register) = register.filter(|register| least < register.least || most > register.most) {
            let value = if least < register.least { least } else { most };
            let kind = StationErrorKind::OutsideLimits { value, least: register.least, most: register.most };
            builder.refuse(limits.span(), kind);
        }
        let wraps = self.at_limit.as_ref().is_some_and(|word| *word.get_ref() == AtLimitWord::Wrap);
        Some(Range { least, most, wraps })
    }

    /// Unsigned; two's complement where the start or a limit is negative.
    fn register(&self, bits: &Spanned<u32>, builder: &mut Builder<'_>) -> Option<Range> {
        let width = *bits.get_ref();
        if !(1..=63).contains(&width) {
            builder.refuse(bits.span(), StationErrorKind::File(format!("`bits` is {width}: it must be from 1 to 63")));
            return None;
        }
        let negative = self.start < 0 || self.limits.as_ref().is_some_and(|limits| limits.get_ref()[0] < 0);
        let range = match negative {
            true => Range { least: -(1i64 << (width - 1)), most: (1i64 << (width - 1)) - 1, wraps: true },
            false => Range { least: 0, most: cast::i64_from_u64((1u64 << width) - 1), wraps: true },
        };
        if !(range.least..=range.most).contains(&self.start) {
            let kind = StationErrorKind::OutsideLimits { value: self.start, least: range.least, most: range.most };
            builder.refuse(bits.span(), kind);
        }
        Some(range)
    }

    /// The value to load: a number, an expression, or the last preset.
    fn load_to(&self, builder: &mut Builder<'_>) -> Option<FieldExpression> {
        let Some(load) = &self.load else {
            if let Some(value) = &self.load_to {
                builder.refuse(value.span(), StationErrorKind::File("`load_to` needs `load`".into()));
            }
            return None;
        };
        let (span, text) = match &self.load_to {
            Some(value) => (
                value.span(),
                match value.get_ref() {
                    NumberOrText::Number(number) => number.to_string(),
                    NumberOrText::Text(text) => text.clone(),
                },
            ),
            None => match self.presets.last() {
                Some(last) => (last.span(), last.get_ref().to_string()),
                None => {
                    builder.refuse(load.span(), StationErrorKind::LoadWithoutValue);
                    return None;
                }
            },
        };
        builder.number(&Spanned::new(span, text))
    }
}

impl PointTable for CounterTable {
    type Point = CounterPoint;

    takes_description!();

    fn retains(&self) -> bool {
        self.retain
    }

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let edge = match self.edge {
            EdgeWord::Rising => CountedEdge::Rising,
            EdgeWord::Falling => CountedEdge::Falling,
            EdgeWord::Both => CountedEdge::Both,
        };
        let range = self.range(builder);
        let (presets, at_last) = (self.presets(range, builder), self.at_last(builder));
        let by_scans = self.count.as_ref().filter(|count| *count.get_ref() == CountWord::Scans);
        if let (Some(count), None) = (by_scans, builder.scan) {
            builder.refuse(count.span(), StationErrorKind::ScansWithoutScan);
        }
        if let Some(scale) = &self.scale {
            builder.bounded(scale, "scale");
        }
        let scale = match (&self.scale, &self.unit) {
            (None, None) => None,
            (worth, unit) => {
                Some((worth.as_ref().map_or(1.0, |worth| *worth.get_ref()), unit.clone().unwrap_or_default()))
            }
        };
        let settings = Settings {
            edge,
            start: self.start,
            presets,
            at_last,
            range,
            only_down: self.up.is_none(),
            tells_zero: self.down.is_some(),
            scans: by_scans.and(builder.scan),
            scale,
        };
        if self.up.is_none() && self.down.is_none() {
            builder.refuse(builder.place.clone(), StationErrorKind::NothingCounted);
        }
        let [up, down, gate, reset, load] =
            [&self.up, &self.down, &self.gate, &self.reset, &self.load].map(|text| builder.optional(text));
        let load_to = self.load_to(builder);
        if builder.errors.len() > errors {
            return None;
        }
        let past_scan = builder.past_scan(&self.scan);
        let needs_edges =
            by_scans.map(Spanned::span).or(self.scan.as_ref().filter(|_| past_scan.is_some()).map(Spanned::span));
        let needs_edges = needs_edges.or(down.as_ref().map(|down| down.span.clone()));
        let needs_edges = needs_edges.or(up.as_ref().filter(|_| edge != CountedEdge::Rising).map(|up| up.span.clone()));
        Some(CounterPoint {
            settings,
            past_scan,
            up,
            down,
            gate,
            reset,
            load,
            load_to,
            of_register: false,
            needs_edges,
        })
    }
}

/// A counter of the station.
#[derive(Debug)]
pub struct CounterPoint {
    settings: Settings,
    /// When its count is shown, where it counts past the scan.
    past_scan: Option<ReadingTimes>,
    up: Option<FieldExpression>,
    down: Option<FieldExpression>,
    gate: Option<FieldExpression>,
    reset: Option<FieldExpression>,
    load: Option<FieldExpression>,
    load_to: Option<FieldExpression>,
    /// Whether `up` is a register, whose samples tell the counts.
    of_register: bool,
    /// Where a key stands that a counter of a register has not.
    needs_edges: Option<Span>,
}

const ITSELF: Field = Field { name: "", column: FieldColumn::Count(0) };
const BAND: Field = Field { name: "band", column: FieldColumn::Count(1) };
const DONE: Field = Field { name: "done", column: FieldColumn::Bit(0) };
/// Of counters that count down.
const AT_ZERO: Field = Field { name: "at_zero", column: FieldColumn::Bit(1) };
/// In units, where there are some; else the count.
const SCALED: [Field; 5] = [ITSELF, Field { name: "value", column: FieldColumn::Reading(0) }, BAND, DONE, AT_ZERO];
const PLAIN: [Field; 5] = [ITSELF, Field { name: "value", column: FieldColumn::Count(0) }, BAND, DONE, AT_ZERO];

impl PointKind for CounterPoint {
    fn what(&self) -> &'static str {
        "a counter"
    }

    fn fields(&self) -> &'static [Field] {
        let all = if self.settings.scale.is_some() { &SCALED } else { &PLAIN };
        all.get(..if self.settings.tells_zero { 5 } else { 4 }).unwrap_or(all)
    }

    fn restarts(&self) -> bool {
        self.settings.at_last == AtLast::Restart
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        &["up", "down"]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        let all = [
            ("up", &self.up),
            ("down", &self.down),
            ("gate", &self.gate),
            ("reset", &self.reset),
            ("load", &self.load),
            ("load_to", &self.load_to),
        ];
        all.into_iter().filter_map(|(key, field)| Some((key, field.as_ref()?))).collect()
    }

    fn counted(&self) -> Vec<&FieldExpression> {
        [&self.up, &self.down].into_iter().flatten().filter(|field| !field.number).collect()
    }

    fn learn(&mut self, known: &KnownPoints) {
        let Some(up) = &mut self.up else { return };
        self.of_register = known.is_register(up);
        up.number = self.of_register;
        // It counts both ways, as the register does.
        self.settings.tells_zero |= self.of_register;
    }

    fn refused(&self) -> Option<(Span, String)> {
        let (place, up) = (self.needs_edges.clone().filter(|_| self.of_register)?, self.up.as_ref()?);
        let message = format!(
            "`{}` is a register, whose steps count up and down at its samples: remove `down`, `edge`, `scan` and `count`",
            up.expression
        );
        Some((place, message))
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let past_scan = self.past_scan;
        let counted = |branch: &mut BranchBuilder<'_>, field| match past_scan {
            Some(_) => branch.counted_past_scan(field),
            None => branch.counted(field),
        };
        let bits = [&self.up, &self.down].map(|field| field.as_ref().filter(|field| !field.number));
        let [up, down] = bits.map(|field| field.map(|field| counted(branch, field)));
        let register = self.up.as_ref().filter(|up| up.number).and_then(|up| up.expression.as_name());
        let steps =
            register.map(|name| branch.named(&Reference { point: name.point.clone(), field: "delta".to_owned() }));
        let [gate, reset, load] =
            [&self.gate, &self.reset, &self.load].map(|field| field.as_ref().map(|field| branch.settled(field)));
        let load_to = self.load_to.as_ref().map(|field| branch.number(field));
        let sources = Sources { up, down, steps, gate, reset, load, load_to };
        let settings = self.settings.clone();
        match past_scan {
            Some(times) => Operation::ScannedCounter { settings, sources, times },
            None => Operation::Counter { settings, sources },
        }
    }
}
