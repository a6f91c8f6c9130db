//! The reason for an edge, a count, a state.

use crate::cli::{SpanArguments, WhyArguments};
use crate::failure::Failure;
use crate::reading::replay;
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::condition::explain::waiting;
use reigen_core::condition::input::InputSettings;
use reigen_core::condition::input::InputSummary;
use reigen_core::count::encoder::summary::EncoderSummary;
use reigen_core::event::{Event, EventKind, EventOrder, Real};
use reigen_core::logic::expression::{Reference, Value};
use reigen_core::logic::pair::PairSummary;
use reigen_core::names::counted;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin, place};
use reigen_core::units::resolved;
use reigen_io::recording::Recording;
use reigen_run::observer::WindowView;
use reigen_run::outcome::Outcome;
use reigen_run::place::Place;
use reigen_run::replay::RunOptions;
use reigen_run::states::States;
use reigen_run::station_file::StationFile;
use reigen_station::station::{FieldColumn, Point, Station};
use std::collections::HashMap;

mod answer;
mod display;
mod fates;
mod made;

use answer::{Cause, CauseOf, Change, Sums};
pub(crate) use answer::{WhyReport, print};
pub(crate) use display::why_display;
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
    let (sums, sum_words) = sums_of(outcome.points.get(number)).unzip();
    let (point, sum_words) = (point.name.clone(), sum_words.unwrap_or_default());
    Ok(WhyReport { point, head, edges: reasons.shown, more: reasons.more, sums, sum_words, ..WhyReport::default() })
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
        reasons.take(|| {
            let (word, value) = event_of(event.what);
            let time_ns = origin.file_time_ns(event.time);
            Change { time_ns, event: word, value, what: what_happened(event.what, unit) }
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
    let (sums, sum_words) = sums_of(outcome.points.get(number)).unzip();
    let mut sum_words = sum_words.unwrap_or_default();
    if let (Some(scans), Some(PointSummary::Counter(counter))) = (scans, outcome.points.get(number)) {
        sum_words += &scans.tell(outcome.to, counter.total);
    }
    let (point, head) = (point.name.clone(), head_of(station, point));
    Ok(WhyReport { point, head, changes: reasons.shown, more: reasons.more, sums, sum_words, ..WhyReport::default() })
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

/// The word for an event, and its number.
fn event_of(what: EventKind) -> (&'static str, Option<Value>) {
    match what {
        EventKind::Rejected(rule) => (rule.word(), None),
        EventKind::On => ("on", None),
        EventKind::Off => ("off", None),
        EventKind::Preset(preset) => ("preset", Some(Value::Integer(preset))),
        EventKind::Value(value) => ("value", Some(Value::Integer(value))),
        EventKind::Reading(Real(value)) => ("reading", Some(Value::Real(value))),
        EventKind::BadFrame(clocks) => ("bad frame", i64::try_from(clocks).ok().map(Value::Integer)),
        EventKind::NotCounted(why) => (why.word(), None),
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

/// What a point's part in the run comes to, and the same in words.
fn sums_of(summary: Option<&PointSummary>) -> Option<(Sums, String)> {
    let value = |value: Option<i64>| value.map_or_else(|| "unknown".to_owned(), |value| value.to_string());
    Some(match summary? {
        PointSummary::Input(input) => (
            Sums::Input {
                raw_edges: input.raw_edges,
                accepted: input.accepted,
                bounce: input.rejected.bounce,
                glitch: input.rejected.glitch,
                missed: input.rejected.missed,
                pending: input.pending,
            },
            input_sums(input),
        ),
        PointSummary::Counter(counter) => (
            Sums::Counter { total: counter.total, value: counter.value },
            format!("{} in all, value {}", counted(counter.total.unsigned_abs(), "count"), value(counter.value)),
        ),
        PointSummary::Expander(expander) => (
            Sums::Expander { frames: expander.frames, bad_frames: expander.bad_frames },
            format!("{}, {} of them bad", counted(expander.frames, "frame"), expander.bad_frames),
        ),
        PointSummary::Word(word) => (
            Sums::Word { value: word.value, changes: word.changes },
            format!("{} at the end, {}", value(word.value), counted(word.changes, "change")),
        ),
        PointSummary::Encoder(encoder) => {
            let EncoderSummary { forward, backward, reversals, illegal, .. } = **encoder;
            let (turned, lost) = (counted(reversals, "reversal"), counted(illegal, "illegal step"));
            let words = format!("{forward} up, {backward} down, {turned}, {lost}");
            (Sums::Encoder { forward, backward, reversals, illegal }, words)
        }
        PointSummary::Rate(rate) => readings_sum(rate.readings, rate.min, rate.max, &rate.unit),
        PointSummary::Width(width) => readings_sum(width.readings, width.min, width.max, &width.unit),
        PointSummary::SampleRate(rate) => readings_sum(rate.readings, rate.min, rate.max, &rate.unit),
        PointSummary::Register(register) => {
            let total = register.count.unwrap_or_default();
            let words = format!(
                "{} in {}, {} past its end, {}",
                counted(total.unsigned_abs(), "count"),
                counted(register.samples, "sample"),
                counted(register.wraps, "time"),
                counted(register.resets, "restart")
            );
            (Sums::Counter { total, value: register.count }, words)
        }
        PointSummary::Number(number) => numbers_sum(number.min, number.max, &number.unit),
        PointSummary::Stats(stats) => numbers_sum(stats.min, stats.max, &stats.unit),
        PointSummary::AnalogOutput(output) => numbers_sum(output.min, output.max, &output.unit),
        PointSummary::Delay(delay) => {
            let [min, max] = [delay.min, delay.max].map(|time| time.map(Nanos::seconds));
            let (sums, words) = readings_sum(delay.count, min, max, "s");
            (sums, format!("{words}; {} without an answer", delay.missed))
        }
        PointSummary::Hold(hold) => readings_sum(hold.count, hold.min, hold.max, &hold.unit),
        PointSummary::Bit(tally) | PointSummary::Pair(PairSummary { tally, .. }) => (
            Sums::Bit { rising: tally.rising, falling: tally.falling },
            format!("on {} times, off {} times", tally.rising, tally.falling),
        ),
        _ => return None,
    })
}

/// The range of a number that is no sequence of readings.
fn numbers_sum(min: Option<f64>, max: Option<f64>, unit: &str) -> (Sums, String) {
    let words = match min.zip(max) {
        None => "no value".to_owned(),
        Some((least, most)) => format!("from {} to {} {unit}", resolved(least, None), resolved(most, None)),
    };
    (Sums::Range { min, max }, words.trim_end().to_owned())
}

fn readings_sum(readings: u64, min: Option<f64>, max: Option<f64>, unit: &str) -> (Sums, String) {
    let words = match min.zip(max) {
        None => "no reading".to_owned(),
        Some((least, most)) => {
            let range = format!("from {} to {} {unit}", resolved(least, None), resolved(most, None));
            format!("{}, {range}", counted(readings, "reading")).trim_end().to_owned()
        }
    };
    (Sums::Readings { readings, min, max }, words)
}

/// Why a point is as it is at a time, back through the expressions to the inputs.
fn at_time(station: &StationFile, recording: Recording, point: usize, at: i64) -> Result<WhyReport, Failure> {
    let read = StatesAt::read(station, recording, at)?;
    let Some(asked) = station.station.points.get(point) else { return Ok(WhyReport::default()) };
    let mut told = ReasonTree::new(station, &read);
    told.tell(point, 0);
    let causes = told.causes;
    let head = format!("{} at {}:", asked.name, place(at));
    Ok(WhyReport { point: asked.name.clone(), head, causes, ..WhyReport::default() })
}

/// What points and lines are at a time of a recording.
struct StatesAt {
    states: States,
    /// For each name that the station gives a line, its number.
    lines: HashMap<String, usize>,
    outcome: Outcome,
    time: Nanos,
}

impl StatesAt {
    fn read(station: &StationFile, recording: Recording, at: i64) -> Result<Self, Failure> {
        let origin = recording.origin();
        let Some(time) = origin.since_start(at) else {
            return Err(Failure::Usage {
                message: format!("--at {} is before the recording", place(at)),
                help: format!("it begins at {}", place(origin.0)),
            });
        };
        let mut states = States::default();
        let mut lines = HashMap::new();
        let wanted = RunOptions { to: Some(at), counted_before: true, values_enough: Some(1), ..RunOptions::default() };
        let mut take_lines = |seen: &mut WindowView<'_>| {
            if seen.line_numbers.len() != lines.len() {
                lines = seen.line_numbers.clone();
            }
        };
        let outcome = replay(station, recording, &wanted, &mut [&mut states, &mut take_lines])?;
        if time > outcome.to {
            return Err(Failure::Usage {
                message: format!("--at {} lies after the recording", place(at)),
                help: format!("it ends at {}", place(origin.file_time_ns(outcome.to))),
            });
        }
        Ok(Self { states, lines, outcome, time })
    }
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
    lines: &'a HashMap<String, usize>,
    points: &'a [PointSummary],
    origin: Origin,
    time: Nanos,
    /// The points that have been told.
    told: Vec<usize>,
    causes: Vec<Cause>,
}

impl<'a> ReasonTree<'a> {
    fn new(station: &'a StationFile, read: &'a StatesAt) -> Self {
        let StatesAt { states, lines, outcome, time } = read;
        let (points, origin, time) = (outcome.points.as_slice(), outcome.origin, *time);
        Self { station, states, lines, points, origin, time, told: Vec::new(), causes: Vec::new() }
    }

    fn since(&self, since: Nanos) -> String {
        match since {
            Nanos(0) => "since the start".to_owned(),
            since => format!("since {}", place(self.origin.file_time_ns(since))),
        }
    }

    /// A point, and what it follows from.
    fn tell(&mut self, number: usize, depth: usize) {
        let Some(point) = self.station.station.points.get(number) else { return };
        self.tell_state(&Reference { point: point.name.clone(), field: String::new() }, depth);
        if self.told.contains(&number) {
            return;
        }
        for line in made::of(point, self.points.get(number), self.origin) {
            self.push(depth + 1, CauseOf::Reading, line);
        }
        self.told.push(number);
        if let (Some(settings), Some(line)) = (point.kind.input(), point.kind.line()) {
            self.tell_line(settings, &line.name, number, depth + 1);
        }
        for (key, bit) in point.kind.expressions() {
            let text = self.station.source.get(bit.span.clone()).unwrap_or_default();
            self.push(depth + 1, CauseOf::Key { key, expression: text.to_owned() }, format!("{key} = {text}"));
            let mut names: Vec<&Reference> = bit.expression.names().into_iter().map(|(name, _)| name).collect();
            names.dedup();
            names.into_iter().for_each(|name| self.tell_name(name, depth + 2));
        }
    }

    /// A name, and the point that it is of.
    fn tell_name(&mut self, name: &Reference, depth: usize) {
        let line = name.to_string();
        if self.station.station.is_online_line(&line) {
            return self.tell_online(&line, depth);
        }
        if !name.field.is_empty() {
            self.tell_state(name, depth);
        }
        let number = self.number(&self.station.station, &name.point);
        if let Some(number) = number {
            self.tell(number, depth);
        }
    }

    /// Whether the device of a link answers.
    fn tell_online(&mut self, line: &str, depth: usize) {
        let state = self.lines.get(line).and_then(|&place| self.states.lines.get(place));
        let (high, since_ns, text) = match state {
            Some(&(Some(high), since)) => {
                let text = format!("{}, {}", if high { "on" } else { "off" }, self.since(since));
                (Some(high), Some(self.origin.file_time_ns(since)), text)
            }
            Some(_) => (None, None, "unknown: not started yet".to_owned()),
            None => (Some(true), None, "on: the recording has no link states".to_owned()),
        };
        let of = CauseOf::Line { line: line.to_owned(), high, on: high, since_ns };
        self.push(depth, of, format!("{line} is {text}"));
    }

    fn number(&self, station: &Station, name: &str) -> Option<usize> {
        station.points.iter().position(|point| point.name == name)
    }

    /// The raw line behind an input.
    fn tell_line(&mut self, settings: &InputSettings, line: &str, number: usize, depth: usize) {
        let Some(&place) = self.lines.get(line) else {
            // A bit of a number: its line is none of two levels.
            let of = CauseOf::Line { line: line.to_owned(), high: None, on: None, since_ns: None };
            return self.push(depth, of, format!("its line is {line}, one bit of a number"));
        };
        let state = self.states.lines.get(place);
        let name = line.to_owned();
        let Some(&(Some(high), since)) = state else {
            let of = CauseOf::Line { line: name, high: None, on: None, since_ns: None };
            return self.push(depth, of, format!("its line {line} has no level yet"));
        };
        let on = high == settings.on_while_high;
        let output = self.states.points.get(number).and_then(|state| state.bits.first()).and_then(|bit| bit.0);
        let level = if high { "high" } else { "low" };
        let means = if on { "on" } else { "off" };
        let why = match output {
            Some(output) if output != on => format!(": {}", waiting(settings, on, since, self.time)),
            _ => String::new(),
        };
        let since_ns = Some(self.origin.file_time_ns(since));
        let text = format!("its line {line} is {level}, which means {means}, {}{why}", self.since(since));
        self.push(depth, CauseOf::Line { line: name, high: Some(high), on: Some(on), since_ns }, text);
    }

    /// What a name is, and since when.
    fn tell_state(&mut self, name: &Reference, depth: usize) {
        let found = self.states.of(&self.station.station, name);
        let unit = self.station.station.points.iter().find(|point| point.name == name.point && name.field.is_empty());
        let unit = unit.and_then(|point| point.kind.unit()).unwrap_or_default();
        let state = match found {
            Some((value, since)) => {
                format!("{}, {}", format!("{} {unit}", in_words(value)).trim_end(), self.since(since))
            }
            None => "unknown: not started yet".to_owned(),
        };
        let (value, since_ns) = found.map(|(value, since)| (value, self.origin.file_time_ns(since))).unzip();
        let text = format!("{name} is {state}");
        self.push(depth, CauseOf::State { name: name.to_string(), value, since_ns }, text);
    }

    fn push(&mut self, depth: usize, of: CauseOf, text: String) {
        self.causes.push(Cause { depth, of, text });
    }
}
