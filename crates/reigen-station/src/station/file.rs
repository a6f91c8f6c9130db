//! The file as it stands: TOML tables, read by serde, with the place of each name.

use super::{Kind, Point, Station};
use crate::links::{self, Link, LinkTable, online_line};
use crate::points::PointTable;
use crate::points::display::{Display, DisplayTable};
use crate::points::expander::MemberPoint;
use crate::points::point_kind::KnownPoints;
use crate::points::scan::ScanTable;
use crate::spanned::Spanned;
use crate::station::history::HistoryTable;
use crate::table::branch::RAW;
use crate::table::builder::{Builder, Member};
use crate::table::error::MOST_TOLD;
use crate::table::finite::not_finite;
use crate::table::reader::{ReadError, read};
use crate::table::tables::Tables;
use crate::table::{Description, StationError, StationErrorKind};
use crate::wiring::card::CardTable;
use crate::wiring::connection::WiredTable;
use crate::wiring::sensor::SensorTable;
use crate::wiring::{self, Unread, Wiring};
use reigen_core::logic::expression::{ExpressionErrorKind, Reference, Span, Type, wants};
use reigen_core::names::{is_point_name, nearest};
use serde::Deserialize;
use std::collections::{HashMap, HashSet};

macro_rules! point_kinds {
    ($($word:ident: $table:ty),+ $(,)?) => {
        /// The words of all kinds of points: the names of their tables.
        pub const KINDS: &[&str] = &[$(stringify!($word)),+];

        /// What is wired, and how each line is conditioned.
        #[derive(Deserialize, schemars::JsonSchema)]
        #[schemars(title = "Station file of reigen")]
        #[serde(deny_unknown_fields)]
        struct File {
            /// Title for tables and reports.
            title: Option<String>,
            /// Scan of the controller.
            scan: Option<ScanTable>,
            /// Kinds of sensors.
            #[serde(default)]
            sensor: Tables<SensorTable>,
            /// Cards with terminals.
            #[serde(default)]
            card: Tables<CardTable>,
            /// Sensors on terminals that no point reads.
            #[serde(default)]
            wired: Tables<WiredTable>,
            /// Text displays.
            #[serde(default)]
            display: Tables<DisplayTable>,
            /// How long a history keeps its rows.
            #[serde(default)]
            history: HistoryTable,
            /// Connections to devices, for `reigen live`.
            #[serde(default)]
            link: Tables<LinkTable>,
            $(
                #[doc = concat!("Points of the kind `", stringify!($word), "`.")]
                #[serde(default)]
                $word: Tables<$table>,
            )+
        }

        impl File {
            /// All points that can be built, and the electrical data.
            fn build(self, builder: &mut Builder<'_>) -> Station {
                builder.scan = self.scan.and_then(|scan| scan.build(builder));
                let wiring = build_wiring(self.sensor, self.card, self.wired, builder);
                let mut points = Vec::new();
                $(build_all(self.$word, builder, &mut points);)+
                points.sort_by_key(|point| point.span.start);
                let displays = build_displays(self.display, builder);
                let links = build_links(self.link, builder);
                let history_keep = self.history.keep(builder);
                Station { title: self.title, scan: builder.scan, points, displays, links, history_keep, wiring }
            }
        }
    };
}

point_kinds! {
    input: crate::points::input::InputTable,
    counter: crate::points::counter::CounterTable,
    logic: crate::points::logic::LogicTable,
    oneshot: crate::points::logic::OneShotTable,
    latch: crate::points::logic::LatchTable,
    toggle: crate::points::logic::ToggleTable,
    timer: crate::points::logic::TimerTable,
    pair: crate::points::logic::PairTable,
    expander: crate::points::expander::ExpanderTable,
    word: crate::points::expander::WordTable,
    encoder: crate::points::encoder::EncoderTable,
    rate: crate::points::rate::RateTable,
    width: crate::points::rate::WidthTable,
    analog: crate::points::analog::AnalogTable,
    threshold: crate::points::analog::ThresholdTable,
    register: crate::points::register::RegisterTable,
    number: crate::points::numbers::NumberTable,
    hold: crate::points::numbers::HoldTable,
    stats: crate::points::numbers::StatsTable,
    delay: crate::points::numbers::DelayTable,
    analog_output: crate::points::analog_output::AnalogOutputTable,
    expect: crate::points::expect::ExpectTable,
    output: crate::points::logic::OutputTable,
}

/// The electrical data of the file.
fn build_wiring(
    sensors: Tables<SensorTable>,
    cards: Tables<CardTable>,
    unread: Tables<WiredTable>,
    builder: &mut Builder<'_>,
) -> Wiring {
    let mut wiring = Wiring::default();
    for (name, table) in sensors {
        let name = checked_name(name, builder);
        wiring.sensors.push(table.into_inner().build(name, builder));
    }
    for (name, table) in cards {
        let name = checked_name(name, builder);
        wiring.cards.push(table.into_inner().build(name, builder));
    }
    for (name, table) in unread {
        let name = checked_name(name, builder);
        let (wired, described) = table.into_inner().build(builder);
        wiring.unread.push(Unread { name, wired, described });
    }
    wiring
}

fn build_displays(tables: Tables<DisplayTable>, builder: &mut Builder<'_>) -> Vec<Display> {
    let build = |(name, table): (Spanned<String>, Spanned<DisplayTable>)| {
        let name = checked_name(name, builder);
        table.into_inner().build(name, builder)
    };
    tables.into_iter().map(build).collect()
}

fn build_links(tables: Tables<LinkTable>, builder: &mut Builder<'_>) -> Vec<Link> {
    let build = |(name, table): (Spanned<String>, Spanned<LinkTable>)| {
        let name = Spanned::new(name.span(), checked_name(name, builder));
        table.into_inner().build(name, builder)
    };
    tables.into_iter().filter_map(build).collect()
}

/// The points that links are given, and what two of them would share.
fn check_links(station: &Station, builder: &mut Builder<'_>) {
    let known = NameTypes::new(station);
    for (number, link) in station.links.iter().enumerate() {
        let before = station.links.get(..number).unwrap_or_default();
        let mut wrong: Vec<StationErrorKind> =
            links::beside_others(link, before).into_iter().map(StationErrorKind::File).collect();
        for output in link.protocol.outputs() {
            let name = Reference { point: output.point.to_owned(), field: String::new() };
            match type_of(&known, &name, true) {
                Ok(found) => wrong.extend(links::output(&output, found).map(StationErrorKind::File)),
                Err(kind) => wrong.push(StationErrorKind::Expression(kind)),
            }
        }
        wrong.into_iter().for_each(|kind| builder.refuse(link.span.clone(), kind));
    }
}

/// The names in the texts of displays.
fn check_displays(station: &Station, builder: &mut Builder<'_>) {
    let known = NameTypes::new(station);
    for (name, span, is_bit) in station.displays.iter().flat_map(Display::names) {
        if station.is_online_line(&name.to_string()) {
            let point = format!("[output.{}_{}]", name.point, name.field);
            let message =
                format!("a display shows points, and `{name}` is none: make one of it, {point} with when = \"{name}\"");
            builder.refuse(span, StationErrorKind::File(message));
            continue;
        }
        match type_of(&known, name, builder.errors.len() < MOST_TOLD) {
            Ok(found) if is_bit && found != Type::Bit => {
                let kind = ExpressionErrorKind::NumberForBit(name.to_string());
                builder.refuse(span, StationErrorKind::Expression(kind));
            }
            Ok(_) => {}
            Err(kind) => builder.refuse(span, StationErrorKind::Expression(kind)),
        }
    }
}

fn checked_name(name: Spanned<String>, builder: &mut Builder<'_>) -> String {
    if !is_point_name(name.get_ref()) {
        builder.refuse(name.span(), StationErrorKind::BadName(name.get_ref().clone()));
    }
    name.into_inner()
}

fn build_all<T: PointTable<Point: Into<Kind>>>(tables: Tables<T>, builder: &mut Builder<'_>, points: &mut Vec<Point>) {
    for (name, table) in tables {
        let span = name.span();
        let name = checked_name(name, builder);
        builder.place = span.clone();
        builder.table = table.span();
        builder.name.clone_from(&name);
        let mut table = table.into_inner();
        let (described, retains) = (table.described(), table.retains());
        if let Some(point) = table.build(builder) {
            points.push(Point { name, span, kind: point.into(), described, retains });
        }
        let members = builder.members.drain(..).map(|Member { name, span, of }| Point {
            name,
            span,
            kind: MemberPoint { of }.into(),
            described: Description::default(),
            retains: false,
        });
        points.extend(members);
    }
}

/// The form of a station file as JSON Schema (draft 2020-12), by which editors complete and check it.
pub fn schema() -> schemars::Schema {
    schemars::schema_for!(File)
}

/// Reads a station file.
///
/// # Errors
/// Everything that is wrong with it, in the order of the file; one error alone where the text is no TOML or
/// a table is not of its kind.
pub fn parse(source: &str) -> Result<Station, Vec<StationError>> {
    let file: File = read(source).map_err(|error| vec![translate(&error, source)])?;
    let wrong = not_finite(source);
    if !wrong.is_empty() {
        return Err(wrong);
    }
    let mut builder = Builder::new(source);
    let mut station = file.build(&mut builder);
    resolve(&mut station);
    if station.points.is_empty() && builder.errors.is_empty() {
        builder.refuse(0..0, StationErrorKind::NoPoints);
    }
    if builder.errors.is_empty() {
        check_names(&station, &mut builder);
        check_expressions(&station, &mut builder);
        check_displays(&station, &mut builder);
        check_links(&station, &mut builder);
        let chains = station.points.iter().filter_map(|point| point.kind.chain());
        wiring::names::check_names(&station.wiring, station.wired().map(|(_, wired)| wired), chains, &mut builder);
    }
    if builder.errors.is_empty() {
        super::plan::check_loops(&station, &mut builder);
    }
    builder.errors.sort_by_key(|error| error.span.start);
    if builder.errors.is_empty() { Ok(station) } else { Err(builder.errors) }
}

/// Tells the points which names are points, where a line could be meant too.
fn resolve(station: &mut Station) {
    let names: HashSet<String> = station.points.iter().map(|point| point.name.clone()).collect();
    station.points.iter_mut().for_each(|point| point.kind.resolve(&|name| names.contains(name)));
    // Each after what it reads, so that a hold of a hold of a number has its unit; points on a loop are refused later.
    let mut known = KnownPoints::default();
    for number in super::plan::in_order(station) {
        if let Some(point) = station.points.get_mut(number) {
            point.kind.learn(&known);
            known.add(&point.name, &*point.kind);
        }
    }
}

fn check_names(station: &Station, builder: &mut Builder<'_>) {
    let mut earlier: HashMap<&str, &Point> = HashMap::new();
    for point in &station.points {
        let first = *earlier.entry(&point.name).or_insert(point);
        if !std::ptr::eq(first, point) {
            let kind = StationErrorKind::TwiceNamed { name: point.name.clone(), first: first.span.clone() };
            builder.refuse(point.span.clone(), kind);
        }
    }
}

fn check_expressions(station: &Station, builder: &mut Builder<'_>) {
    let known = NameTypes::new(station);
    for (span, reason) in station.points.iter().filter_map(|point| point.kind.refused()) {
        builder.refuse(span, StationErrorKind::File(reason));
    }
    for (_, bit) in station.points.iter().flat_map(|point| point.kind.expressions()) {
        // What may be meant is looked for as long as it is told.
        let explained = builder.errors.len() < MOST_TOLD;
        let is_raw = |name: &Reference| bit.formula && name.point == RAW && name.field.is_empty();
        let type_of = |name: &Reference| if is_raw(name) { Ok(Type::Real) } else { type_of(&known, name, explained) };
        let mut errors = Vec::new();
        wants(!bit.number, &bit.expression, &type_of, &mut errors);
        for error in errors {
            builder.refuse(bit.place(&error.span), StationErrorKind::Expression(error.kind));
        }
    }
}

/// The points by their names.
struct NameTypes<'a> {
    station: &'a Station,
    points: HashMap<&'a str, &'a Point>,
}

impl<'a> NameTypes<'a> {
    fn new(station: &'a Station) -> Self {
        let named = station.points.iter().rev().map(|point| (point.name.as_str(), point));
        Self { station, points: named.collect() }
    }
}

/// The type of a name; `explained` also looks for the one that may be meant.
fn type_of(known: &NameTypes<'_>, name: &Reference, explained: bool) -> Result<Type, ExpressionErrorKind> {
    let Some(point) = known.points.get(name.point.as_str()) else {
        if known.station.is_online_line(&name.to_string()) {
            return Ok(Type::Bit);
        }
        let names = known.station.points.iter().map(|point| point.name.as_str()).filter(|_| explained);
        let of_link = known.station.links.iter().find(|link| link.name == name.point);
        let near = of_link.map(|link| online_line(&link.name));
        let near = near.or_else(|| nearest(&name.point, names).map(str::to_owned));
        return Err(ExpressionErrorKind::UnknownPoint(name.point.clone(), near));
    };
    let fields = point.kind.fields();
    match point.kind.field(&name.field) {
        Some(column) => Ok(column.value_type()),
        None => Err(ExpressionErrorKind::UnknownField {
            point: name.point.clone(),
            kind: point.kind.what().to_owned(),
            field: name.field.clone(),
            known: fields.iter().map(|field| field.name).filter(|name| !name.is_empty()).collect(),
        }),
    }
}

/// Puts an error of the TOML reader, or of serde, into our own terms.
///
/// serde names what it found and what it knows in backticks, in this order.
pub(crate) fn translate(error: &ReadError, source: &str) -> StationError {
    let message = error.message.as_str();
    let span: Span = error.span.clone().unwrap_or(0..source.len().min(1));
    let mut quoted = message.split('`').skip(1).step_by(2).map(str::to_owned);
    let what = ["field", "variant"].into_iter().find(|what| message.starts_with(&format!("unknown {what} `")));
    let kind = match what {
        Some(what) => {
            let found = quoted.next().unwrap_or_default();
            let known: Vec<String> = quoted.collect();
            let top_level = known.iter().any(|name| name == "title");
            match (what, top_level) {
                ("variant", _) => StationErrorKind::unknown("value", &found, known),
                (_, true) => StationErrorKind::unknown_key("table or key", &found, known),
                _ => StationErrorKind::unknown_key("key", &found, known),
            }
        }
        None if message.starts_with("missing field `") => StationErrorKind::Missing(quoted.next().unwrap_or_default()),
        None => StationErrorKind::File(plain_words(message)),
    };
    StationError { kind, span }
}

/// `invalid type: integer `8`, expected a string` as a person says it.
fn plain_words(message: &str) -> String {
    let parted = message.strip_prefix("invalid type: ").and_then(|rest| rest.split_once(", expected "));
    match parted {
        Some((found, wanted)) => format!("expected {wanted}, found the {found}"),
        None => message.to_owned(),
    }
}
