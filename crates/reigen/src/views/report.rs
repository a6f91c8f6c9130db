//! What a report shows: the verdict, findings, pictures and tables of a run, and the wiring.

use crate::failure::Failure;
use crate::table_view::Table;
use crate::tables;
use crate::views::check::wiring_picture;
use askama::Template;
use base64::Engine as _;
use reigen_core::finding::{Finding, Severity};
use reigen_core::names::counted;
use reigen_core::outside_words::on_one_line;
use reigen_core::summary::PointSummary;
use reigen_core::time::place;
use reigen_core::units::short_time;
use reigen_draw::diagram::Diagram;
use reigen_draw::histogram::Histogram;
use reigen_draw::picture::{Drawing, Format, render};
use reigen_draw::theme::Theme;
use reigen_run::outcome::Outcome;
use reigen_run::station_file::StationFile;
use reigen_station::electrical::{WiringReport, check};
use reigen_station::station::{Station, version_of};

/// The width of its pictures.
const WIDTH: u32 = 1120;
const HISTOGRAM_HEIGHT: u32 = 320;
/// At most so many rows make a picture, so that two fit on a page.
const ROWS: usize = 12;
/// A picture of lines that is longer than this is one of pixels.
const MOST_SVG: usize = 60_000;

/// What the report shows, whatever shows it; the page escapes everything where it writes it.
#[derive(Template)]
#[template(path = "report.html")]
pub(crate) struct ReportView {
    title: String,
    recording: String,
    version: &'static str,
    /// A class and words for each.
    verdict: Vec<(&'static str, String)>,
    facts: Vec<(&'static str, String)>,
    wiring: Vec<FindingView>,
    terminals: Vec<Rows>,
    wires: Vec<Rows>,
    circuits: Vec<Picture>,
    sections: Vec<Section>,
    pictures: Vec<Picture>,
    histograms: Vec<Picture>,
    displays: Vec<(String, String)>,
    findings: Vec<FindingView>,
}

/// A finding.
struct FindingView {
    class: &'static str,
    subject: String,
    message: String,
    code: &'static str,
    sum: String,
    remedies: Vec<String>,
}

/// Tables under one heading.
struct Section {
    title: &'static str,
    tables: Vec<Rows>,
}

/// A table.
struct Rows {
    header: Vec<Cell>,
    rows: Vec<Vec<Cell>>,
}

struct Cell {
    text: String,
    left: bool,
}

/// A picture, within the page.
struct Picture {
    alt: String,
    source: String,
}

/// What the report shows of a run.
pub(crate) fn report(
    station: &StationFile,
    outcome: &Outcome,
    diagram: Diagram,
    taken_for: Vec<String>,
) -> Result<ReportView, Failure> {
    let checked = check(&station.station);
    let wired = !checked.terminals.is_empty();
    let wiring: Vec<FindingView> = checked.findings.iter().filter(|_| wired).map(FindingView::new).collect();
    let shown = |time| place(outcome.origin.file_time_ns(time));
    let facts = vec![
        ("read as", taken_for.join("; ")),
        ("from", shown(outcome.from)),
        ("to", shown(outcome.to)),
        ("length", short_time(outcome.to.saturating_sub(outcome.from))),
        ("lines", outcome.lines.to_string()),
        ("edges", outcome.edges.to_string()),
        ("station file", station.name.clone()),
        ("station version", version_of(&station.source)),
    ];
    Ok(ReportView {
        title: on_one_line(station.station.title.as_ref().unwrap_or(&station.name)).into_owned(),
        recording: format!(
            "{}, {}",
            on_one_line(&outcome.recording),
            short_time(outcome.to.saturating_sub(outcome.from))
        ),
        version: env!("CARGO_PKG_VERSION"),
        verdict: verdict(outcome, checked.findings.iter().filter(|_| wired), wired),
        facts,
        wiring,
        terminals: tables::terminals(&checked).iter().map(Rows::new).collect(),
        wires: tables::wires(&checked).iter().map(Rows::new).collect(),
        circuits: circuits(station, &checked)?,
        sections: sections(station, outcome),
        pictures: pictures(diagram)?,
        histograms: histograms(&station.station, outcome)?,
        displays: outcome.displays.iter().map(|(name, rows)| (name.clone(), rows.join("\n"))).collect(),
        findings: outcome.findings.iter().map(FindingView::new).collect(),
    })
}

/// So many circuits make a picture that fits on a page.
const CIRCUITS: usize = 5;

/// The circuits of all sensors, in pictures that fit on a page.
fn circuits(station: &StationFile, checked: &WiringReport) -> Result<Vec<Picture>, Failure> {
    let Some(mut rest) = wiring_picture(&station.station, checked, &[]) else { return Ok(Vec::new()) };
    let mut pictures = Vec::new();
    while !rest.circuits.is_empty() {
        let after = rest.circuits.split_off(CIRCUITS.min(rest.circuits.len()));
        let names: Vec<&str> = rest.circuits.iter().map(|circuit| circuit.point.as_str()).collect();
        let alt = format!("circuits of {}", names.join(", "));
        pictures.push(picture(&rest, (CIRCUITS_WIDTH, rest.needed_height()), alt)?);
        rest.circuits = after;
    }
    Ok(pictures)
}

/// The width that the circuits are drawn for.
const CIRCUITS_WIDTH: u32 = 1280;

/// A picture within the page: lines that scale, or pixels where there are too many of them.
fn picture(drawing: &dyn Drawing, size: (u32, u32), alt: String) -> Result<Picture, Failure> {
    let mut bytes = render(drawing, Format::Svg, size, &Theme::LIGHT)?;
    let mut kind = "svg+xml";
    if bytes.len() > MOST_SVG {
        bytes = render(drawing, Format::Png, size, &Theme::LIGHT)?;
        kind = "png";
    }
    let text = base64::engine::general_purpose::STANDARD.encode(&bytes);
    Ok(Picture { alt, source: format!("data:image/{kind};base64,{text}") })
}

/// What whoever has no time should know.
fn verdict<'a>(
    outcome: &'a Outcome,
    wiring: impl Iterator<Item = &'a Finding>,
    wired: bool,
) -> Vec<(&'static str, String)> {
    let all: Vec<&Finding> = wiring.chain(&outcome.findings).collect();
    let count = |severity| all.iter().filter(|finding| finding.severity == severity).count() as u64;
    let mut verdict = Vec::new();
    let expected = outcome.points.iter().filter_map(|point| match point {
        PointSummary::Expectation(told) => Some(told.pass),
        _ => None,
    });
    let (held, expectations) = expected.fold((0, 0), |(held, all), pass| (held + u64::from(pass), all + 1));
    if expectations > 0 {
        let class = if held == expectations { "good" } else { "error" };
        verdict.push((class, format!("{held} of {} held", counted(expectations, "expectation"))));
    }
    for (severity, class, word) in [(Severity::Error, "error", "error"), (Severity::Warning, "warning", "warning")] {
        if count(severity) > 0 {
            verdict.push((class, counted(count(severity), word)));
        }
    }
    if count(Severity::Error) + count(Severity::Warning) == 0 {
        verdict.push(("good", "no error and no warning".to_owned()));
    }
    if !wired {
        verdict.push(("note", "wiring not checked: no point names a sensor or a terminal".to_owned()));
    }
    verdict
}

/// The tables of a run, under the headings that they belong to.
fn sections(station: &StationFile, outcome: &Outcome) -> Vec<Section> {
    const TITLES: [(&str, &[&str]); 4] = [
        ("Inputs, and what became of their edges", &["input", "chain", "word"]),
        (
            "Counters and readings, with their resolution",
            &["counter", "encoder", "channels", "rate", "width", "analog"],
        ),
        ("States", &["state"]),
        ("Expectations", &["expectation"]),
    ];
    let tables: Vec<Rows> = tables::of_run(&station.station, outcome, |_| true).iter().map(Rows::new).collect();
    let mut sections: Vec<Section> = Vec::new();
    for table in tables {
        let first = table.header.first().map(|cell| cell.text.clone()).unwrap_or_default();
        let title = TITLES.iter().find(|(_, words)| words.contains(&first.as_str()));
        let title = title.map_or("Further points", |(title, _)| title);
        match sections.iter_mut().find(|section| section.title == title) {
            Some(section) => section.tables.push(table),
            None => sections.push(Section { title, tables: vec![table] }),
        }
    }
    sections.sort_by_key(|section| TITLES.iter().position(|(title, _)| *title == section.title));
    sections
}

/// The diagram in pictures that fit on a page.
fn pictures(mut diagram: Diagram) -> Result<Vec<Picture>, Failure> {
    let mut pictures = Vec::new();
    let count = diagram.rows.len().div_ceil(ROWS).max(1);
    let rows = diagram.rows.len().div_ceil(count);
    while !diagram.rows.is_empty() {
        let rest = diagram.rows.split_off(rows.min(diagram.rows.len()));
        let size = (WIDTH, diagram.least_height().max(300));
        let names: Vec<&str> = diagram.rows.iter().map(|row| row.label.as_str()).collect();
        let alt = format!("{}: {}", diagram.title, names.join(", "));
        pictures.push(picture(&diagram, size, alt)?);
        diagram.rows = rest;
    }
    Ok(pictures)
}

/// How long each delay took, as bars.
fn histograms(station: &Station, outcome: &Outcome) -> Result<Vec<Picture>, Failure> {
    let delays = station.points.iter().zip(&outcome.points).filter_map(|(point, told)| match told {
        PointSummary::Delay(delay) if delay.count > 1 => Some((point.name.as_str(), &**delay)),
        _ => None,
    });
    let drawn = delays.map(|(name, delay)| {
        let title = format!("{}: {}", on_one_line(name), counted(delay.count, "delay"));
        let mark = delay.p99.map(|time| (time, format!("99 % take at most {}", short_time(time))));
        let alt = format!("how often {name} took how long");
        picture(&Histogram { title, bars: &delay.histogram, mark }, (WIDTH, HISTOGRAM_HEIGHT), alt)
    });
    drawn.collect()
}

impl FindingView {
    fn new(finding: &Finding) -> Self {
        Self {
            class: finding.severity.word(),
            subject: on_one_line(&finding.subject).into_owned(),
            message: on_one_line(&finding.message).into_owned(),
            code: finding.code,
            sum: finding.sum.clone().unwrap_or_default(),
            remedies: tables::remedies(finding),
        }
    }
}

impl Rows {
    /// Words stand to the left, numbers to the right.
    fn new(table: &Table) -> Self {
        let is_number = |text: &str| {
            text.is_empty() || text.starts_with(|letter: char| "±-".contains(letter) || letter.is_ascii_digit())
        };
        let numbers = |column: usize| table.rows.iter().all(|row| row.get(column).is_none_or(|text| is_number(text)));
        let left: Vec<bool> = (0..table.columns()).map(|column| column == 0 || !numbers(column)).collect();
        let cells = |row: &Vec<String>| {
            let cells = row.iter().zip(&left);
            cells.map(|(text, &left)| Cell { text: on_one_line(text).into_owned(), left }).collect()
        };
        Self { header: cells(&table.header), rows: table.rows.iter().map(cells).collect() }
    }
}
