//! What is on each line of a recording, without a station file.

use crate::failure::Failure;
use crate::gauge::StateTable;
use crate::print::Out;
use crate::reading::{read_through, refuse_line};
use crate::table_view::Table;
use crate::tables::{cells, print_findings};
use indexmap::IndexMap;
use reigen_core::finding::Finding;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::measure::analog::AnalogFigures;
use reigen_core::measure::kind::Kind;
use reigen_core::measure::survey::{Survey, SurveyedLine, Surveyor};
use reigen_core::names::{counted, some_of};
use reigen_core::time::Nanos;
use reigen_core::units::{short_time, significant};
use reigen_io::recording::Recording;
use reigen_run::gauge::{Gauge, GaugeTable};
use reigen_run::signals::signals_among;
use reigen_run::stretch::Stretch;
use reigen_station::station::line_names::{LineNames, find_line, find_number};
use serde::Serialize;
use std::collections::HashMap;

/// A survey with what belongs to the recording.
pub(crate) struct SurveyReport {
    pub(crate) recording: String,
    taken_for: Vec<String>,
    length: Nanos,
    pub(crate) survey: Survey,
    unknown: Vec<Nanos>,
    /// For each line its other names.
    aliases: Vec<Vec<String>>,
    /// For each line whether a station can name it.
    pub(crate) nameable: Vec<bool>,
    /// The states of all lines at a step, where they were asked for and not printed.
    pub(crate) every: Option<GaugeTable>,
}

impl SurveyReport {
    /// The lines of two levels.
    pub(crate) fn lines(&self) -> &[SurveyedLine] {
        &self.survey.lines
    }
}

/// Surveys a stretch of a recording: all of its lines, or those that are named.
///
/// A table of states, where one is wanted, is filled on the way.
pub(crate) fn survey(
    mut recording: Recording,
    stretch: Stretch,
    wanted: &[String],
    mut states: Option<&mut StateTable<'_>>,
) -> Result<SurveyReport, Failure> {
    let known = LineNames::new(recording.lines());
    let mut bits = signals_among(recording.lines(), &known, |kind| *kind == LineKind::Level);
    let mut numbers =
        signals_among(recording.lines(), &known, |kind| matches!(kind, LineKind::Number { .. } | LineKind::Real));
    if !wanted.is_empty() {
        let (levels, values) = named(wanted, recording.lines())?;
        (bits, numbers) = (bits.among(&levels), numbers.among(&values));
    }
    let mut surveyor = Surveyor::new(bits.numbers.len(), numbers.numbers.len());
    if let Some(states) = &mut states {
        states.begin(Gauge::of_lines(&bits.names, &numbers.names, states.step(), recording.origin()))?;
    }
    let end = read_through(&mut recording, (&bits.numbers, &numbers.numbers), stretch, &mut |window, lines| {
        surveyor.take(lines.bits(), lines.readings());
        if let Some(states) = &mut states {
            states.take_lines(window, lines);
        }
    })?;
    let names = &bits.names;
    let mut survey = surveyor.finish(recording.tick(), end, names, &numbers.names);
    let told: Vec<Finding> = recording.findings(names).into_iter().filter(|told| told.code != "no-level").collect();
    survey.findings.extend(told);
    Ok(SurveyReport {
        recording: recording.name().to_owned(),
        taken_for: recording.taken_for(),
        length: end.saturating_sub(stretch.from),
        survey,
        unknown: recording.unknown_times(),
        aliases: bits.aliases,
        nameable: bits.nameable,
        every: None,
    })
}

/// The signals of lines by their names: those of two levels, and those of numbers.
fn named(wanted: &[String], lines: &[RecordedLine]) -> Result<(Vec<usize>, Vec<usize>), Failure> {
    let (mut levels, mut values) = (Vec::new(), Vec::new());
    for name in wanted {
        match (find_line(name, lines), find_number(name, lines)) {
            (Ok(signal), _) => levels.push(signal),
            (_, Ok(signal)) => values.push(signal),
            (Err(kind), _) => return Err(refuse_line("--lines", &kind)),
        }
    }
    Ok((levels, values))
}

/// Prints it for people.
pub(crate) fn print(surveyed: &SurveyReport, out: &mut Out) -> Result<(), Failure> {
    let Survey { lines, analogs, .. } = &surveyed.survey;
    for told in &surveyed.taken_for {
        out.line(told)?;
    }
    out.line(format!("{}, {}", short_time(surveyed.length), counted((lines.len() + analogs.len()) as u64, "line")))?;
    if !lines.is_empty() {
        out.line("")?;
        out.table(&level_table(surveyed))?;
    }
    if !analogs.is_empty() {
        let mut rows = Table::new(&["line", "values", "min", "mean", "max", "noise", "two levels"]);
        for (name, figures) in analogs {
            rows.add_row(analog_row(name, figures.as_ref()));
        }
        out.line("")?;
        out.table(&rows)?;
    }
    let told = |line: &&SurveyedLine| line.guess.kind != Kind::Dead && line.same_as.is_none();
    if lines.iter().any(|line| told(&line)) {
        out.line("\nevidence:")?;
        let mut grounds = Table::new(&["line", "evidence"]);
        for line in lines.iter().filter(told) {
            grounds.add_row([line.name.clone(), line.guess.ground.clone()]);
        }
        grounds.left(1);
        // A list without a head.
        grounds.header.clear();
        out.table(&grounds)?;
    }
    print_findings(&folded(surveyed), out)
}

/// Findings that are told once for all lines of which they say the same.
const FOLDED: [&str; 3] = ["dead", "no-level", "late-level"];
/// So many names of one line, or of lines that are the same, stand in the table.
const MOST_NAMES: usize = 10;

/// The findings as people read them: those of all dead lines are one.
fn folded(surveyed: &SurveyReport) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    let mut groups: IndexMap<(&str, &str), Vec<&str>> = IndexMap::new();
    for finding in &surveyed.survey.findings {
        if FOLDED.contains(&finding.code) {
            groups.entry((finding.code, &finding.message)).or_default().push(&finding.subject);
        }
    }
    for finding in &surveyed.survey.findings {
        match FOLDED.contains(&finding.code) {
            false => findings.push(finding.clone()),
            true => {
                let names = groups.shift_remove(&(finding.code, finding.message.as_str()));
                let subject = names.map(|names| some_of(&names));
                findings.extend(subject.map(|subject| Finding { subject, ..finding.clone() }));
            }
        }
    }
    findings
}

fn level_table(surveyed: &SurveyReport) -> Table {
    let mut rows = Table::new(&[
        "line",
        "kind",
        "idle",
        "edges",
        "high",
        "shortest high",
        "shortest low",
        "bursts",
        "max edges",
        "median",
        "99 %",
        "longest",
    ]);
    let lines = &surveyed.survey.lines;
    let mut same: HashMap<&str, Vec<&str>> = HashMap::new();
    for line in lines {
        if let Some((first, true)) = &line.same_as {
            same.entry(first).or_default().push(&line.name);
        }
    }
    for (line, aliases) in lines.iter().zip(&surveyed.aliases) {
        let others = same.get(line.name.as_str()).into_iter().flatten().copied();
        let mut names: Vec<&str> =
            std::iter::once(line.name.as_str()).chain(aliases.iter().map(String::as_str)).chain(others).collect();
        let more = names.len().saturating_sub(MOST_NAMES);
        names.truncate(MOST_NAMES);
        let more = if more > 0 { format!(" = {more} more") } else { String::new() };
        // A line that is the same as another stands beside it, and dead lines stand together below.
        if line.guess.kind != Kind::Dead && !line.same_as.as_ref().is_some_and(|(_, same)| *same) {
            rows.add_row(line_row(&(names.join(" = ") + &more), line));
        }
    }
    let dead: Vec<&str> =
        lines.iter().filter(|line| line.guess.kind == Kind::Dead).map(|line| line.name.as_str()).collect();
    if !dead.is_empty() {
        rows.add_row([some_of(&dead), Kind::Dead.words()]);
    }
    rows.left(1);
    rows
}

fn line_row(name: &str, line: &SurveyedLine) -> Vec<String> {
    let Some(figures) = &line.figures else {
        return vec![name.to_owned(), line.guess.kind.words(), "none".to_owned()];
    };
    let time = |time: Option<Nanos>| cells::time(time);
    let mut row = vec![
        name.to_owned(),
        line.guess.kind.words(),
        if figures.idle_high { "high" } else { "low" }.to_owned(),
        figures.edges.to_string(),
        format!("{} %", significant(figures.share_high * 100.0)),
        time(figures.high_pulses.map(|(shortest, _)| shortest)),
        time(figures.low_pulses.map(|(shortest, _)| shortest)),
    ];
    let kinds = figures.bounce.all();
    let count: u64 = kinds.iter().map(|bursts| bursts.count()).sum();
    let most = kinds.iter().map(|bursts| bursts.most_edges).max().unwrap_or(0);
    if line.guess.kind.is_pulses() || line.guess.kind == Kind::Floating || most < 2 {
        return row;
    }
    let longest = |share: f64| kinds.iter().filter_map(|bursts| bursts.lengths.share(share)).max();
    row.extend([
        count.to_string(),
        most.to_string(),
        time(longest(0.5)),
        time(longest(0.99)),
        time(kinds.iter().filter_map(|bursts| bursts.lengths.most()).max()),
    ]);
    row
}

fn analog_row(name: &str, figures: Option<&AnalogFigures>) -> Vec<String> {
    let Some(figures) = figures else { return vec![name.to_owned(), "0".to_owned()] };
    let number = |value: f64| significant(value);
    vec![
        name.to_owned(),
        figures.values.to_string(),
        number(figures.least),
        number(figures.mean),
        number(figures.most),
        number(figures.noise),
        figures.two_levels.map_or(String::new(), |[low, high]| format!("{} and {}", number(low), number(high))),
    ]
}

/// The survey as JSON.
#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct Json<'a> {
    recording: &'a str,
    taken_for: &'a [String],
    duration_ns: Nanos,
    #[schemars(with = "Vec<JsonLine<'a>>")]
    lines: JsonLines<'a>,
    analogs: Vec<JsonAnalog<'a>>,
    findings: &'a [Finding],
    #[serde(skip_serializing_if = "Option::is_none")]
    every: Option<&'a GaugeTable>,
}

/// The lines, each made as it is written.
struct JsonLines<'a>(&'a SurveyReport);

impl Serialize for JsonLines<'_> {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let lines = self.0.survey.lines.iter().zip(&self.0.unknown).zip(&self.0.aliases);
        serializer.collect_seq(lines.map(|((line, &unknown), aliases)| JsonLine::new(line, unknown, aliases)))
    }
}

#[derive(Serialize, schemars::JsonSchema)]
struct JsonLine<'a> {
    name: &'a str,
    aliases: &'a [String],
    guess: String,
    ground: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    bit_ns: Option<Nanos>,
    #[serde(skip_serializing_if = "Option::is_none")]
    same_as: Option<&'a str>,
    idle: Option<&'static str>,
    edges: u64,
    share_high: Option<f64>,
    shortest_high_ns: Option<Nanos>,
    longest_high_ns: Option<Nanos>,
    shortest_low_ns: Option<Nanos>,
    longest_low_ns: Option<Nanos>,
    edges_per_second: Option<f64>,
    unknown_ns: Nanos,
    burst_quiet_ns: Option<Nanos>,
    bursts: Option<JsonBursts>,
}

#[derive(Serialize, schemars::JsonSchema)]
struct JsonBursts {
    turning_high: JsonBurst,
    turning_low: JsonBurst,
    /// Short pulses at rest.
    glitches: JsonBurst,
    /// Short breaks away from rest.
    dropouts: JsonBurst,
}

/// Bursts of one kind, as JSON.
#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct JsonBurst {
    count: u64,
    edges: u64,
    most_edges: u64,
    middle_ns: Option<Nanos>,
    share_99_ns: Option<Nanos>,
    longest_ns: Option<Nanos>,
}

impl JsonBurst {
    pub(crate) fn new(bursts: &reigen_core::measure::bounce::Bursts) -> Self {
        Self {
            count: bursts.count(),
            edges: bursts.edges,
            most_edges: bursts.most_edges,
            middle_ns: bursts.lengths.share(0.5),
            share_99_ns: bursts.lengths.share(0.99),
            longest_ns: bursts.lengths.most(),
        }
    }
}

#[derive(Serialize, schemars::JsonSchema)]
struct JsonAnalog<'a> {
    name: &'a str,
    #[serde(flatten)]
    figures: Option<&'a AnalogFigures>,
}

impl<'a> Json<'a> {
    pub(crate) fn new(surveyed: &'a SurveyReport) -> Self {
        let Survey { analogs, findings, .. } = &surveyed.survey;
        Self {
            recording: &surveyed.recording,
            taken_for: &surveyed.taken_for,
            duration_ns: surveyed.length,
            lines: JsonLines(surveyed),
            analogs: analogs.iter().map(|(name, figures)| JsonAnalog { name, figures: figures.as_ref() }).collect(),
            findings,
            every: surveyed.every.as_ref(),
        }
    }
}

impl<'a> JsonLine<'a> {
    fn new(line: &'a SurveyedLine, unknown_ns: Nanos, aliases: &'a [String]) -> Self {
        let figures = line.figures.as_deref();
        JsonLine {
            name: &line.name,
            aliases,
            guess: line.guess.kind.words(),
            ground: &line.guess.ground,
            bit_ns: if let Kind::Serial { bit } = line.guess.kind { Some(bit) } else { None },
            same_as: line.same_as.as_ref().filter(|(_, same)| *same).map(|(name, _)| name.as_str()),
            idle: figures.map(|figures| if figures.idle_high { "high" } else { "low" }),
            edges: figures.map_or(0, |figures| figures.edges),
            share_high: figures.map(|figures| figures.share_high),
            shortest_high_ns: figures.and_then(|figures| Some(figures.high_pulses?.0)),
            longest_high_ns: figures.and_then(|figures| Some(figures.high_pulses?.1)),
            shortest_low_ns: figures.and_then(|figures| Some(figures.low_pulses?.0)),
            longest_low_ns: figures.and_then(|figures| Some(figures.low_pulses?.1)),
            edges_per_second: figures.map(|figures| figures.rate_hz),
            unknown_ns,
            burst_quiet_ns: figures.map(|figures| figures.bounce.quiet()),
            bursts: figures.map(|figures| JsonBursts {
                turning_high: JsonBurst::new(&figures.bounce.turning_on),
                turning_low: JsonBurst::new(&figures.bounce.turning_off),
                glitches: JsonBurst::new(figures.at_rest()),
                dropouts: JsonBurst::new(figures.away_from_rest()),
            }),
        }
    }
}
