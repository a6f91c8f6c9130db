//! `reigen survey`: what is on each line, without a station file.

use crate::cli::SurveyArguments;
use crate::failure::Failure;
use crate::overwrite::refuse_overwriting;
use crate::print::Out;
use crate::reading;
use crate::reading::{read_through, signals};
use crate::replay::read_options;
use crate::tables::{cells, left, print_findings, table};
use reigen_core::finding::Finding;
use reigen_core::lines::LineKind;
use reigen_core::measure::analog::AnalogFigures;
use reigen_core::measure::survey::{Kind, Survey, SurveyedLine, Surveyor};
use reigen_core::names::{counted, is_point_name};
use reigen_core::time::Nanos;
use reigen_core::units::significant;
use reigen_io::output_file::OutputFile;
use reigen_io::recording::Recording;
use serde::Serialize;
use std::fmt::Write as _;
use std::io::Write as _;

/// A survey with what belongs to the recording.
pub(crate) struct Surveyed {
    recording: String,
    taken_for: Vec<String>,
    length: Nanos,
    survey: Survey,
    unknown: Vec<Nanos>,
}

/// Runs the command.
pub(crate) fn run(arguments: &SurveyArguments, out: &mut Out) -> Result<(), Failure> {
    let options = read_options(&arguments.reading)?;
    refuse_overwriting(&[arguments.station.as_deref()], &[&arguments.recording])?;
    let recording = reading::open(&arguments.recording, &options)?;
    let surveyed = survey(recording)?;
    if let Some(path) = &arguments.station {
        let mut file = OutputFile::create(path)?;
        file.write_all(first_station(&surveyed).as_bytes()).map_err(|error| file.explain(error))?;
        file.finish()?;
    }
    match arguments.json {
        true => out.json(&Json::new(&surveyed)),
        false => print(&surveyed, out),
    }
}

impl Surveyed {
    /// The lines of two levels.
    pub(crate) fn lines(&self) -> &[SurveyedLine] {
        &self.survey.lines
    }
}

/// Surveys a recording.
pub(crate) fn survey(mut recording: Recording) -> Result<Surveyed, Failure> {
    let (bits, names) = signals(recording.lines(), |kind| *kind == LineKind::Level);
    let (numbers, analogs) =
        signals(recording.lines(), |kind| matches!(kind, LineKind::Number { .. } | LineKind::Real));
    let mut surveyor = Surveyor::new(bits.len(), numbers.len());
    let end =
        read_through(&mut recording, &bits, &numbers, &mut |lines| surveyor.take(lines.bits(), lines.readings()))?;
    let mut survey = surveyor.finish(end, &names, &analogs);
    let told: Vec<Finding> = recording.findings(&names).into_iter().filter(|told| told.code != "no-level").collect();
    survey.findings.extend(told);
    Ok(Surveyed {
        recording: recording.name().to_owned(),
        taken_for: recording.taken_for(),
        length: end,
        survey,
        unknown: recording.unknown_times(),
    })
}

/// Prints it for people.
pub(crate) fn print(surveyed: &Surveyed, out: &mut Out) -> Result<(), Failure> {
    let Survey { lines, analogs, findings } = &surveyed.survey;
    for told in &surveyed.taken_for {
        out.line(told)?;
    }
    out.line(format!("{}, {}", surveyed.length, counted((lines.len() + analogs.len()) as u64, "line")))?;
    if !lines.is_empty() {
        out.line("")?;
        out.table(level_table(lines))?;
    }
    if !analogs.is_empty() {
        let mut rows = table(&["line", "values", "least", "mean", "greatest", "noise", "two levels"]);
        for (name, figures) in analogs {
            rows.add_row(analog_row(name, figures.as_ref()));
        }
        out.line("")?;
        out.table(rows)?;
    }
    if lines.iter().all(|line| line.guess.kind == Kind::Unknown) {
        return print_findings(findings, out);
    }
    out.line("\nwhy it may be that:")?;
    let mut grounds = table(&["line", "ground"]);
    for line in lines.iter().filter(|line| line.guess.kind != Kind::Unknown) {
        grounds.add_row([line.name.clone(), line.guess.ground.clone()]);
    }
    left(&mut grounds, 1);
    // A list without a head.
    grounds.set_header(Vec::<String>::new());
    out.table(grounds)?;
    print_findings(findings, out)
}

fn level_table(lines: &[SurveyedLine]) -> comfy_table::Table {
    let mut rows = table(&[
        "line",
        "what it may be",
        "idle",
        "edges",
        "high",
        "shortest high",
        "shortest low",
        "bursts",
        "edges in one",
        "middle",
        "99 %",
        "longest",
    ]);
    for line in lines {
        rows.add_row(line_row(line));
    }
    left(&mut rows, 1);
    rows
}

fn line_row(line: &SurveyedLine) -> Vec<String> {
    let Some(figures) = &line.figures else {
        return vec![line.name.clone(), line.guess.kind.words(), "none".to_owned()];
    };
    let bounce = &figures.bounce;
    let kinds = [&bounce.turning_on, &bounce.turning_off, &bounce.glitches];
    let count: u64 = kinds.iter().map(|bursts| bursts.count()).sum();
    let most = kinds.iter().map(|bursts| bursts.most_edges).max().unwrap_or(0);
    let time = |time: Option<Nanos>| cells::time(time);
    // A burst of one edge has no length.
    let length = |length: Option<Nanos>| cells::time(length.filter(|_| most > 1));
    let longest = |share: f64| kinds.iter().filter_map(|bursts| bursts.lengths.share(share)).max();
    vec![
        line.name.clone(),
        line.guess.kind.words(),
        if figures.idle_high { "high" } else { "low" }.to_owned(),
        figures.edges.to_string(),
        format!("{} %", significant(figures.share_high * 100.0)),
        time(figures.high_pulses.map(|(shortest, _)| shortest)),
        time(figures.low_pulses.map(|(shortest, _)| shortest)),
        count.to_string(),
        if count == 0 { String::new() } else { format!("≤ {most}") },
        length(longest(0.5)),
        length(longest(0.99)),
        length(kinds.iter().filter_map(|bursts| bursts.lengths.most()).max()),
    ]
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

/// A first station file: every guess an input, with its ground as a comment.
fn first_station(surveyed: &Surveyed) -> String {
    let mut text = format!(
        "# A first station for {}: guesses, each with its ground. Look them over.\ntitle = \"{}\"\n",
        surveyed.recording,
        surveyed.recording.replace(['"', '\\'], "_")
    );
    let mut taken: Vec<String> = Vec::new();
    for line in surveyed.survey.lines.iter() {
        let Some(figures) = line.figures.as_ref() else { continue };
        let name = point_name(&line.name, &mut taken);
        let hash = if matches!(line.guess.kind, Kind::Dead | Kind::Floating) { "# " } else { "" };
        // Writing to a text cannot fail.
        let _ = writeln!(text, "\n# {}: {}", line.guess.kind.words(), line.guess.ground);
        let _ = writeln!(
            text,
            "{hash}[input.{name}]\n{hash}line = \"{}\"",
            line.name.replace('\\', "\\\\").replace('"', "\\\"")
        );
        if figures.idle_high && matches!(line.guess.kind, Kind::Contact | Kind::Pulses) {
            let _ = writeln!(text, "{hash}asserted = \"low\"            # it idles high");
        }
        if matches!(line.guess.kind, Kind::Contact | Kind::Changeover { .. }) {
            let quiet = figures.bounce.quiet();
            let _ = writeln!(text, "{hash}debounce = {{ method = \"stable\", time = \"{quiet}\" }}");
        }
    }
    text
}

/// A line's name as a point's: small letters, digits and `_`.
fn point_name(line: &str, taken: &mut Vec<String>) -> String {
    let plain: String = line
        .chars()
        .map(|letter| if letter.is_ascii_alphanumeric() { letter.to_ascii_lowercase() } else { '_' })
        .collect();
    let plain = plain.trim_matches('_');
    let base = if is_point_name(plain) { plain.to_owned() } else { format!("line_{plain}") };
    let mut name = base.clone();
    for number in 2.. {
        if !taken.contains(&name) {
            break;
        }
        name = format!("{base}_{number}");
    }
    taken.push(name.clone());
    name
}

/// The survey as JSON.
#[derive(Serialize)]
struct Json<'a> {
    recording: &'a str,
    taken_for: &'a [String],
    duration_ns: Nanos,
    lines: Vec<JsonLine<'a>>,
    analogs: Vec<JsonAnalog<'a>>,
    findings: &'a [Finding],
}

#[derive(Serialize)]
struct JsonLine<'a> {
    name: &'a str,
    guess: String,
    ground: &'a str,
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

#[derive(Serialize)]
struct JsonBursts {
    turning_high: JsonBurst,
    turning_low: JsonBurst,
    glitches: JsonBurst,
}

/// Bursts of one kind, as JSON.
#[derive(Serialize)]
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

#[derive(Serialize)]
struct JsonAnalog<'a> {
    name: &'a str,
    #[serde(flatten)]
    figures: Option<&'a AnalogFigures>,
}

impl<'a> Json<'a> {
    fn new(surveyed: &'a Surveyed) -> Self {
        let Survey { lines, analogs, findings } = &surveyed.survey;
        let line = |(line, &unknown_ns): (&'a SurveyedLine, &Nanos)| {
            let figures = line.figures.as_ref();
            JsonLine {
                name: &line.name,
                guess: line.guess.kind.words(),
                ground: &line.guess.ground,
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
                    glitches: JsonBurst::new(&figures.bounce.glitches),
                }),
            }
        };
        Self {
            recording: &surveyed.recording,
            taken_for: &surveyed.taken_for,
            duration_ns: surveyed.length,
            lines: lines.iter().zip(&surveyed.unknown).map(line).collect(),
            analogs: analogs.iter().map(|(name, figures)| JsonAnalog { name, figures: figures.as_ref() }).collect(),
            findings,
        }
    }
}
