//! The reason for an edge, a count, a state.

use crate::cli::{SpanArguments, WhyArguments};
use crate::failure::Failure;
use crate::print::Out;
use crate::reading::replay;
use crate::table_view::Table;
use reigen_core::cast;
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::condition::explain::waiting;
use reigen_core::condition::input::InputSettings;
use reigen_core::condition::input::InputSummary;
use reigen_core::event::{Event, EventKind, EventOrder, Real};
use reigen_core::logic::expression::{Reference, Value};
use reigen_core::logic::pair::PairSummary;
use reigen_core::names::counted;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin, place, places};
use reigen_core::units::resolved;
use reigen_io::recording::Recording;
use reigen_run::observer::WindowView;
use reigen_run::outcome::Outcome;
use reigen_run::place::Place;
use reigen_run::replay::RunOptions;
use reigen_run::states::States;
use reigen_run::station_file::StationFile;
use reigen_station::station::{FieldColumn, Point, Station};
use serde::Serialize;

mod fates;
mod made;

use fates::{Fates, Reasons};

/// What is asked beside the point.
pub(crate) fn why(
    station: &StationFile,
    recording: Recording,
    point: usize,
    arguments: &WhyArguments,
) -> Result<WhyReport, Failure> {
    let Some(asked) = station.station.points.get(point) else { return Ok(WhyReport::default()) };
    if let Some(at) = arguments.at {
        return at_time(station, recording, point, at);
    }
    match asked.kind.input() {
        Some(settings) => of_input(station, recording, (point, asked, settings), arguments),
        None if arguments.edge.is_some() => Err(Failure::Usage {
            message: format!("`{}` is {} and has no raw edges", asked.name, asked.kind.what()),
            help: "ask for --edge of an input".to_owned(),
        }),
        None => of_other(station, recording, (point, asked), arguments),
    }
}

/// The answer: a head, lines of a table, and what it comes to.
#[derive(Debug, Default, Serialize)]
pub(crate) struct WhyReport {
    point: String,
    head: String,
    #[serde(skip)]
    header: &'static [&'static str],
    reasons: Vec<Reason>,
    /// How many more there are than were kept.
    #[serde(skip)]
    more: u64,
    sums: String,
}

/// One line of the answer.
#[derive(Debug, Serialize)]
struct Reason {
    /// The number of a raw edge; the depth of a reason behind a state.
    number: u64,
    /// In the recording's own times.
    time_ns: Option<i64>,
    what: String,
    why: String,
}

/// Prints an answer.
pub(crate) fn print(told: &WhyReport, out: &mut Out) -> Result<(), Failure> {
    out.line(&told.head)?;
    if !told.reasons.is_empty() {
        out.line("")?;
    }
    if told.header.is_empty() {
        for reason in &told.reasons {
            let indent = "   ".repeat(cast::usize_from_u64(reason.number));
            let why = if reason.why.is_empty() { String::new() } else { format!(": {}", reason.why) };
            out.line(format!("{indent}{}{why}", reason.what))?;
        }
    } else if !told.reasons.is_empty() {
        let mut rows = Table::new(told.header);
        let times: Vec<i64> = told.reasons.iter().filter_map(|reason| reason.time_ns).collect();
        let mut shown = places(&times).into_iter();
        for reason in &told.reasons {
            let time = reason.time_ns.and_then(|_| shown.next()).unwrap_or_default();
            let number = if reason.number > 0 { reason.number.to_string() } else { String::new() };
            rows.add_row([number, time, reason.what.clone(), reason.why.clone()]);
        }
        rows.left(2);
        rows.left(3);
        out.table(&rows)?;
    }
    if told.more > 0 {
        let more = counted(told.more, "more line");
        out.line(format!("and {more}: --from and --to narrow it down, --most N shows more"))?;
    }
    match told.sums.is_empty() {
        true => Ok(()),
        false => out.line(format!("\n{}", told.sums)),
    }
}

/// The fate of an input's raw edges: of one, or of all that were thrown away.
fn of_input(
    station: &StationFile,
    recording: Recording,
    (number, point, settings): (usize, &Point, &InputSettings),
    arguments: &WhyArguments,
) -> Result<WhyReport, Failure> {
    let place = Place::of_input(point, &station.station);
    let line = input_name(station, point);
    let mut fates = Fates::new(settings, recording.origin(), arguments.edge, most(arguments));
    let mut verdicts = Vec::new();
    let wanted = wanted(arguments, number);
    let outcome = replay(
        station,
        recording,
        &wanted,
        &mut [&mut |seen: &mut WindowView<'_>| {
            let points: Vec<_> = seen.engine.points().collect();
            let bit = place.as_ref().and_then(|place| place.column(&points, seen.lines, seen.line_numbers));
            if let Some(bit) = bit {
                fates.take_edges(bit.level, &bit.toggles);
            }
            seen.engine.take_verdicts(number, &mut verdicts);
            fates.take_verdicts(&mut verdicts);
        }],
    )?;
    let (reasons, edges) = fates.finish();
    if arguments.edge.is_some() && reasons.shown.is_empty() && reasons.more == 0 {
        return Err(Failure::Usage {
            message: format!("`{}` has only {}", point.name, counted(edges, "raw edge")),
            help: "the first is 1".to_owned(),
        });
    }
    let level = if settings.on_while_high { "high" } else { "low" };
    let head = format!("{} is {} on {line}, on while it is {level}", point.name, point.kind.what());
    let sums = match outcome.points.get(number) {
        Some(PointSummary::Input(input)) => input_sums(input),
        _ => String::new(),
    };
    let header = &["edge", "time", "went", "what became of it"];
    Ok(WhyReport { point: point.name.clone(), head, header, reasons: reasons.shown, more: reasons.more, sums })
}

/// How many lines are kept: as many as are printed.
fn most(arguments: &WhyArguments) -> usize {
    if arguments.json { usize::MAX } else { arguments.most }
}

/// A run in which the fate of one point's edges is remembered.
fn wanted(arguments: &WhyArguments, point: usize) -> RunOptions<'static> {
    let remembered = Some(vec![point]);
    let SpanArguments { from, to } = arguments.recording.span;
    RunOptions { from, to, remembered, counted_before: true, values_enough: Some(1), ..RunOptions::default() }
}

/// What people call what an input reads.
fn input_name(station: &StationFile, point: &Point) -> String {
    let of = || point.kind.expressions().first().and_then(|(_, of)| station.source.get(of.span.clone()));
    point.kind.line().map_or_else(|| of().unwrap_or_default().to_owned(), |line| line.name.clone())
}

fn input_sums(input: &InputSummary) -> String {
    let rejected = &input.rejected;
    let parts = [
        (input.accepted, "accepted"),
        (rejected.bounce, "bounce"),
        (rejected.glitch, "glitch"),
        (rejected.missed, "missed"),
        (input.pending, "pending"),
    ];
    let parts: Vec<String> =
        parts.iter().filter(|(count, _)| *count > 0).map(|(count, word)| format!("{count} {word}")).collect();
    match input.raw_edges {
        0 => "its line never changes".to_owned(),
        edges => format!("{} = {}", counted(edges, "raw edge"), parts.join(" + ")),
    }
}

/// What happened to a point that is no input.
fn of_other(
    station: &StationFile,
    recording: Recording,
    (number, point): (usize, &Point),
    arguments: &WhyArguments,
) -> Result<WhyReport, Failure> {
    let origin = recording.origin();
    let (mut order, mut waiting) = (EventOrder::default(), Vec::new());
    let mut reasons = Reasons::new(most(arguments));
    let unit = point.kind.unit().unwrap_or_default();
    let mut tell = |event: Event| {
        reasons.take(|| Reason {
            number: 0,
            time_ns: Some(origin.file_time_ns(event.time)),
            what: what_happened(event.what, unit),
            why: String::new(),
        });
    };
    let mut scans = ScanCount::of(station, point);
    let outcome = replay(
        station,
        recording,
        &wanted(arguments, number),
        &mut [&mut |seen: &mut WindowView<'_>| {
            if let Some(scans) = &mut scans {
                scans.take(seen);
            }
            let told = seen.engine.take_events(seen.window, &mut waiting);
            waiting.retain(|event: &Event| event.point == number);
            order.pass(&mut waiting, told).for_each(&mut tell);
        }],
    )?;
    order.pass(&mut waiting, Nanos(u64::MAX)).for_each(&mut tell);
    let (head, mut sums) = (head_of(station, point), sums_of(outcome.points.get(number)));
    if let (Some(scans), Some(PointSummary::Counter(counter))) = (scans, outcome.points.get(number)) {
        sums += &scans.tell(outcome.to, counter.total);
    }
    let header = &["", "time", "what happened", ""];
    Ok(WhyReport { point: point.name.clone(), head, header, reasons: reasons.shown, more: reasons.more, sums })
}

/// What a counter would count that took every scan while its bit is on: the classic mistake.
struct ScanCount {
    times: ReadingTimes,
    /// The point that is counted, and its bit.
    point: usize,
    bit: usize,
    on_since: Option<Nanos>,
    count: u64,
}

/// The scan that is supposed where the station has none.
const USUAL_SCAN: Nanos = Nanos(10_000_000);

impl ScanCount {
    /// Of a counter of edges of one bit; `None` for other points.
    fn of(station: &StationFile, point: &Point) -> Option<Self> {
        let counted = point.kind.counted();
        let [bit] = counted.as_slice() else { return None };
        let name = bit.expression.as_name()?;
        let number = station.station.points.iter().position(|point| point.name == name.point)?;
        let fields = station.station.points.get(number)?.kind.fields();
        let FieldColumn::Bit(bit) = fields.iter().find(|field| field.name == name.field)?.column else { return None };
        let usual = ReadingTimes { period: USUAL_SCAN, phase: Nanos(0), catch: false };
        let times = station.station.scan.unwrap_or(usual);
        Some(Self { times, point: number, bit, on_since: None, count: 0 })
    }

    fn take(&mut self, seen: &WindowView<'_>) {
        let columns = seen.engine.points().find(|columns| columns.point == self.point);
        let Some(column) = columns.and_then(|columns| columns.bits.get(self.bit)) else { return };
        if column.level == Some(true) {
            self.on_since.get_or_insert(column.since.max(seen.window.from));
        }
        for &time in &column.toggles {
            match self.on_since.take() {
                Some(since) => self.count += self.between(since, time),
                None => self.on_since = Some(time),
            }
        }
    }

    /// How many readings lie from a time up to another.
    fn between(&self, since: Nanos, until: Nanos) -> u64 {
        let [first, last] = [since, until].map(|time| self.times.at_or_after(time));
        last.saturating_sub(first).0 / self.times.period.0
    }

    /// What that comes to, where it differs.
    fn tell(mut self, end: Nanos, total: i64) -> String {
        if let Some(since) = self.on_since.take() {
            self.count += self.between(since, end + Nanos(1));
        }
        let period = self.times.period;
        match i64::try_from(self.count) == Ok(total) {
            true => String::new(),
            false => format!("\ncounting every scan of {period} while its bit is on would give {}", self.count),
        }
    }
}

fn what_happened(what: EventKind, unit: &str) -> String {
    match what {
        EventKind::Rejected(rule) => rule.word().to_owned(),
        EventKind::On => "on".to_owned(),
        EventKind::Off => "off".to_owned(),
        EventKind::Preset(preset) => format!("reached the preset {preset}"),
        EventKind::Value(value) => format!("became {value}"),
        EventKind::Reading(Real(value)) => format!("read {} {unit}", resolved(value, None)).trim_end().to_owned(),
        EventKind::BadFrame(clocks) => {
            format!("bad frame: {}; its points kept their state", counted(clocks, "clock"))
        }
        EventKind::NotCounted(why) => format!("not counted: {}", why.word()),
    }
}

fn head_of(station: &StationFile, point: &Point) -> String {
    let expressions = point.kind.expressions();
    let parts: Vec<String> = expressions
        .iter()
        .map(|(key, bit)| format!("{key} = {}", station.source.get(bit.span.clone()).unwrap_or_default()))
        .collect();
    let parts: Vec<String> = std::iter::once(format!("{} is {}", point.name, point.kind.what())).chain(parts).collect();
    parts.join(", ")
}

fn sums_of(summary: Option<&PointSummary>) -> String {
    match summary {
        Some(PointSummary::Counter(counter)) => {
            let value = counter.value.map_or_else(|| "unknown".to_owned(), |value| value.to_string());
            format!("{} in all, value {value}", counted(counter.total.unsigned_abs(), "count"))
        }
        Some(PointSummary::Expander(expander)) => {
            format!("{}, {} of them bad", counted(expander.frames, "frame"), expander.bad_frames)
        }
        Some(PointSummary::Word(word)) => {
            let value = word.value.map_or_else(|| "unknown".to_owned(), |value| value.to_string());
            format!("{value} at the end, {}", counted(word.changes, "change"))
        }
        Some(PointSummary::Encoder(encoder)) => {
            let illegal = counted(encoder.illegal, "illegal step");
            format!(
                "{} up, {} down, {}, {illegal}",
                encoder.forward,
                encoder.backward,
                counted(encoder.reversals, "reversal")
            )
        }
        Some(PointSummary::Rate(rate)) => readings_sum(rate.readings, rate.min, rate.max, &rate.unit),
        Some(PointSummary::Width(width)) => readings_sum(width.readings, width.min, width.max, &width.unit),
        Some(PointSummary::Bit(tally) | PointSummary::Pair(PairSummary { tally, .. })) => {
            format!("on {} times, off {} times", tally.rising, tally.falling)
        }
        _ => String::new(),
    }
}

fn readings_sum(readings: u64, least: Option<f64>, most: Option<f64>, unit: &str) -> String {
    match least.zip(most) {
        None => "no reading".to_owned(),
        Some((least, most)) => {
            let range = format!("from {} to {} {unit}", resolved(least, None), resolved(most, None));
            format!("{}, {range}", counted(readings, "reading")).trim_end().to_owned()
        }
    }
}

/// Why a point is as it is at a time, back through the expressions to the inputs.
fn at_time(station: &StationFile, recording: Recording, point: usize, at: i64) -> Result<WhyReport, Failure> {
    let origin = recording.origin();
    if origin.since_start(at).is_none() {
        return Err(Failure::Usage {
            message: format!("--at {} is before the recording", place(at)),
            help: format!("it begins at {}", place(origin.0)),
        });
    }
    let mut states = States::default();
    let mut line_numbers = Default::default();
    let wanted = RunOptions { to: Some(at), counted_before: true, values_enough: Some(1), ..RunOptions::default() };
    let outcome: Outcome = replay(
        station,
        recording,
        &wanted,
        &mut [&mut states, &mut |seen: &mut WindowView<'_>| {
            if seen.line_numbers.len() != std::collections::HashMap::len(&line_numbers) {
                line_numbers = seen.line_numbers.clone();
            }
        }],
    )?;
    let asked = origin.since_start(at).unwrap_or_default();
    if asked > outcome.to {
        return Err(Failure::Usage {
            message: format!("--at {} lies after the recording", place(at)),
            help: format!("it ends at {}", place(origin.file_time_ns(outcome.to))),
        });
    }
    let mut told = ReasonTree {
        station,
        states: &states,
        lines: &line_numbers,
        points: &outcome.points,
        origin,
        time: asked,
        told: Vec::new(),
        reasons: Vec::new(),
    };
    let Some(asked) = station.station.points.get(point) else { return Ok(WhyReport::default()) };
    told.tell(point, 0);
    let reasons = told.reasons;
    let head = format!("{} at {}:", asked.name, place(at));
    Ok(WhyReport { point: asked.name.clone(), head, header: &[], reasons, more: 0, sums: String::new() })
}

/// A value as people say it.
fn in_words(value: Value) -> String {
    match value {
        Value::Bit(true) => "on".to_owned(),
        Value::Bit(false) => "off".to_owned(),
        Value::Integer(number) => number.to_string(),
        Value::Real(number) => resolved(number, None),
    }
}

/// The reasons behind a state, gathered on the way to the inputs.
struct ReasonTree<'a> {
    station: &'a StationFile,
    states: &'a States,
    lines: &'a std::collections::HashMap<String, usize>,
    points: &'a [PointSummary],
    origin: Origin,
    time: Nanos,
    /// The points that have been told.
    told: Vec<usize>,
    reasons: Vec<Reason>,
}

impl ReasonTree<'_> {
    fn since(&self, since: Nanos) -> String {
        match since {
            Nanos(0) => "since the start".to_owned(),
            since => format!("since {}", place(self.origin.file_time_ns(since))),
        }
    }

    /// A point, and what it follows from.
    fn tell(&mut self, number: usize, depth: u64) {
        let Some(point) = self.station.station.points.get(number) else { return };
        let name = Reference { point: point.name.clone(), field: String::new() };
        let state = self.state(&name);
        self.push(depth, format!("{} is {state}", point.name), String::new());
        if self.told.contains(&number) {
            return;
        }
        for line in made::of(point, self.points.get(number), self.origin) {
            self.push(depth + 1, line, String::new());
        }
        self.told.push(number);
        if let (Some(settings), Some(line)) = (point.kind.input(), point.kind.line()) {
            self.tell_line(settings, &line.name, number, depth + 1);
        }
        for (key, bit) in point.kind.expressions() {
            let text = self.station.source.get(bit.span.clone()).unwrap_or_default();
            self.push(depth + 1, format!("{key} = {text}"), String::new());
            let mut names: Vec<&Reference> = bit.expression.names().into_iter().map(|(name, _)| name).collect();
            names.dedup();
            for name in names {
                if !name.field.is_empty() {
                    let state = self.state(name);
                    self.push(depth + 2, format!("{name} is {state}"), String::new());
                }
                let number = self.number(&self.station.station, &name.point);
                if let Some(number) = number {
                    self.tell(number, depth + 2);
                }
            }
        }
    }

    fn number(&self, station: &Station, name: &str) -> Option<usize> {
        station.points.iter().position(|point| point.name == name)
    }

    /// The raw line behind an input.
    fn tell_line(&mut self, settings: &InputSettings, line: &str, number: usize, depth: u64) {
        let state = self.lines.get(line).and_then(|&line| self.states.lines.get(line));
        let Some(&(Some(high), since)) = state else {
            return self.push(depth, format!("its line {line} has no level yet"), String::new());
        };
        let on = high == settings.on_while_high;
        let output = self.states.points.get(number).and_then(|state| state.bits.first()).and_then(|bit| bit.0);
        let level = if high { "high" } else { "low" };
        let means = if on { "on" } else { "off" };
        let why = match output {
            Some(output) if output != on => waiting(settings, on, since, self.time),
            _ => String::new(),
        };
        self.push(depth, format!("its line {line} is {level}, which means {means}, {}", self.since(since)), why);
    }

    /// What a name is, and since when.
    fn state(&self, name: &Reference) -> String {
        let found = self.states.of(&self.station.station, name);
        let unit = self.station.station.points.iter().find(|point| point.name == name.point && name.field.is_empty());
        let unit = unit.and_then(|point| point.kind.unit()).unwrap_or_default();
        let shown = found.map(|(value, since)| (format!("{} {unit}", in_words(value)).trim_end().to_owned(), since));
        match shown {
            Some((value, since)) => format!("{value}, {}", self.since(since)),
            _ => "unknown: not started yet".to_owned(),
        }
    }

    fn push(&mut self, depth: u64, what: String, why: String) {
        self.reasons.push(Reason { number: depth, time_ns: None, what, why });
    }
}
