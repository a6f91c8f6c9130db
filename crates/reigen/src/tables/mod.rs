//! The result of a run for people: tables, then findings.

use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use indexmap::IndexMap;
use reigen_core::condition::input::InputSummary;
use reigen_core::count::counter::CounterSummary;
use reigen_core::finding::{Finding, Remedy, Severity};
use reigen_core::logic::pair::PairSummary;
use reigen_core::names::counted;
use reigen_core::outside_words::on_one_line;
use reigen_core::summary::PointSummary;
use reigen_core::tally::Tally;
use reigen_core::units::{short_time_to, significant};
use reigen_run::outcome::Outcome;
use reigen_station::electrical::WiringReport;
use reigen_station::electrical::terminals::TerminalRow;
use reigen_station::simulate::judge::Judgement;
use reigen_station::sizing::SizingResult;
use reigen_station::station::Station;
use reigen_station::wiring::range::Range;

pub(crate) mod numbers;
mod ports;
pub(crate) mod readings;

pub(crate) use ports::in_all_bases;

/// Cells of tables.
pub(crate) mod cells {
    use reigen_core::time::Nanos;
    use reigen_core::units::short_time;

    /// A time with three digits; empty where there is none.
    pub(crate) fn time(time: Option<Nanos>) -> String {
        time.map_or(String::new(), short_time)
    }
}

/// The heads of a table of inputs.
pub(crate) const INPUT_HEADS: [&str; 11] = [
    "input",
    "now",
    "went on",
    "went off",
    "time on",
    "raw edges",
    "accepted",
    "bounce",
    "glitch",
    "missed",
    "pending",
];

/// The tables of a run, as far as there is anything in them.
pub(crate) fn of_run(station: &Station, outcome: &Outcome, shows: impl Fn(&str) -> bool) -> Vec<Table> {
    let named = station.points.iter().map(|point| point.name.as_str()).zip(&outcome.points);
    let named: Vec<(&str, &PointSummary)> = named.filter(|(name, _)| shows(name)).collect();
    let mut inputs = Table::new(&INPUT_HEADS);
    let mut counters =
        Table::new(&["counter", "value", "counted", "in units", "presets reached", "last preset", "wraps", "lost"]);
    let mut readings = readings::Tables::new();
    let mut ports = ports::Ports::new();
    let mut numbers = numbers::Tables::new();
    let mut bits = Table::new(&["state", "now", "went on", "went off", "time on"]);
    let mut expectations = Table::new(&["expectation", "held", "how"]);
    for (name, summary) in named {
        match summary {
            PointSummary::Input(input) => drop(inputs.add_row(input_row(name, input))),
            PointSummary::Counter(counter) => drop(counters.add_row(counter_row(name, counter))),
            PointSummary::Word(word) => ports.word(name, word),
            PointSummary::Expander(expander) => ports.expander(name, expander),
            PointSummary::Encoder(encoder) => readings.encoder(name, encoder),
            PointSummary::Rate(rate) => readings.rate(name, rate),
            PointSummary::Width(width) => readings.width(name, width),
            PointSummary::Analog(analog) => readings.analog(name, analog),
            PointSummary::Register(register) => numbers.register(name, register),
            PointSummary::SampleRate(rate) => numbers.sample_rate(name, rate),
            PointSummary::Number(number) => numbers.number(name, number),
            PointSummary::Hold(hold) => numbers.hold(name, hold),
            PointSummary::Stats(stats) => numbers.stats(name, stats),
            PointSummary::Delay(delay) => numbers.delay(name, delay),
            PointSummary::AnalogOutput(output) => numbers.analog_output(name, output),
            PointSummary::Expectation(told) => drop(expectations.add_row([name, held(told.pass), &told.detail])),
            PointSummary::Bit(tally) | PointSummary::Pair(PairSummary { tally, .. }) => {
                bits.add_row(bit_row(name, tally));
            }
        }
    }
    expectations.left(2);
    let [encoders, phases, rates, widths, analogs] = readings.done();
    let [words, expanders] = ports.done();
    let of_edges = [inputs, words, expanders, counters, encoders, phases, rates, widths, analogs];
    let all = of_edges.into_iter().chain(numbers.done()).chain([bits, expectations]);
    all.filter(|table| !table.is_empty()).collect()
}

/// Whether an expectation held, in a word.
pub(crate) fn held(pass: bool) -> &'static str {
    if pass { "yes" } else { "no" }
}

/// Displays, each in its frame.
pub(crate) fn print_displays(displays: &IndexMap<String, Vec<String>>, out: &mut Out) -> Result<(), Failure> {
    for (name, rows) in displays {
        let width = rows.first().map_or(0, |row| row.chars().count());
        out.line(format!("\n{name}"))?;
        out.line(format!("┌{}┐", "─".repeat(width)))?;
        rows.iter().try_for_each(|row| out.line(format!("│{row}│")))?;
        out.line(format!("└{}┘", "─".repeat(width)))?;
    }
    Ok(())
}

/// What was counted against what really happened.
pub(crate) fn print_judgements(outcome: &Outcome, out: &mut Out) -> Result<(), Failure> {
    if outcome.judgements.is_empty() {
        return Ok(());
    }
    let counts: Vec<_> = outcome.judgements.iter().filter(|(_, judgement)| judgement.error.is_none()).collect();
    if !counts.is_empty() {
        let mut rows = Table::new(&["compared with the truth", "counted", "really", "source"]);
        let at_rest = |judgement: &Judgement| (judgement.counted, judgement.really) == (Some(0), Some(0));
        let still = counts.iter().filter(|(_, judgement)| at_rest(judgement)).count() as u64;
        for (name, judgement) in counts.into_iter().filter(|(_, judgement)| !at_rest(judgement)) {
            let number = |number: Option<i64>| number.map_or(String::new(), |number| number.to_string());
            rows.add_row([name.clone(), number(judgement.counted), number(judgement.really), judgement.source.clone()]);
        }
        rows.left(3);
        out.line("")?;
        out.table(&rows)?;
        if still > 0 {
            out.line(format!("{} never went on, as in truth", counted(still, "more point")))?;
        }
    }
    let errors =
        outcome.judgements.iter().filter_map(|(name, judgement)| Some((name, judgement, judgement.error.as_ref()?)));
    let errors: Vec<_> = errors.collect();
    if !errors.is_empty() {
        let mut rows =
            Table::new(&["compared with the truth", "readings", "mean error", "largest", "resolution", "source"]);
        for (name, judgement, error) in errors {
            let number = |value: f64| format!("{} {}", significant(value), error.unit).trim_end().to_owned();
            rows.add_row([
                name.clone(),
                error.readings.to_string(),
                number(error.mean),
                number(error.largest),
                error.resolution.map_or(String::new(), |step| format!("±{}", significant(step))),
                judgement.source.clone(),
            ]);
        }
        rows.left(5);
        out.line("")?;
        out.table(&rows)?;
    }
    for (name, judgement) in &outcome.judgements {
        for difference in &judgement.differences {
            out.line(format!("   {name}: {difference}"))?;
        }
    }
    Ok(())
}

/// What came of a wiring check, in one line.
pub(crate) fn wiring_verdict(checked: &WiringReport) -> String {
    let count = |severity| checked.findings.iter().filter(|finding| finding.severity == severity).count() as u64;
    match (count(Severity::Error), count(Severity::Warning)) {
        (0, 0) if checked.terminals.is_empty() => {
            "nothing was checked: no point names a sensor or a terminal".to_owned()
        }
        (0, 0) => "no error and no warning in the wiring that the station states".to_owned(),
        (errors, warnings) => format!("{}, {}", counted(errors, "error"), counted(warnings, "warning")),
    }
}

/// A wiring check: the verdict, findings, then the terminals to wire from.
pub(crate) fn print_check(title: Option<&str>, checked: &WiringReport, out: &mut Out) -> Result<(), Failure> {
    if let Some(title) = title {
        out.line(on_one_line(title))?;
    }
    out.line(wiring_verdict(checked))?;
    print_findings(&checked.findings, out)?;
    match terminals(checked) {
        None => Ok(()),
        Some(terminals) => {
            out.line("")?;
            out.table(&terminals)
        }
    }
}

/// The list to wire from: every wire, sorted by cable; what is wrong stands before it.
pub(crate) fn print_wires(title: Option<&str>, checked: &WiringReport, out: &mut Out) -> Result<(), Failure> {
    if let Some(title) = title {
        out.line(on_one_line(title))?;
    }
    let wrong = checked.findings.iter().filter(|finding| finding.severity == Severity::Error).count() as u64;
    if wrong > 0 {
        out.line(format!("{}: run `reigen check` without --list before anything is wired", counted(wrong, "error")))?;
    }
    match wires(checked) {
        None => out.line("no point names a terminal, so there is nothing to wire"),
        Some(wires) => {
            out.line("")?;
            out.table(&wires)
        }
    }
}

/// The list to wire from, where there is anything to wire. Columns that are empty everywhere are left out.
pub(crate) fn wires(checked: &WiringReport) -> Option<Table> {
    if checked.wires.is_empty() {
        return None;
    }
    let text = |text: &Option<String>| text.clone().unwrap_or_default();
    let rows: Vec<[(&str, String); 10]> = checked
        .wires
        .iter()
        .map(|row| {
            [
                ("wire", text(&row.wire)),
                ("cable", row.cable_m.map_or(String::new(), |length| length.to_string())),
                ("from", row.device.clone()),
                ("pin", row.pin.clone()),
                ("to", row.to.clone()),
                ("through", row.through.join("; ")),
                ("point", row.points.join(", ")),
                ("address", text(&row.address)),
                ("function", row.function.clone()),
                ("remark", text(&row.remark)),
            ]
        })
        .collect();
    // The device is the point where nobody says otherwise, and needs no second column.
    let told = |(name, _): &(&str, String)| {
        let cells = || rows.iter().flat_map(|row| row.iter().filter(|(column, _)| column == name));
        let repeats = *name == "point"
            && checked.wires.iter().all(|row| row.points.is_empty() || row.points == [row.device.clone()]);
        cells().any(|(_, text)| !text.is_empty()) && !repeats
    };
    let columns: Vec<bool> = rows.first().map(|row| row.iter().map(told).collect()).unwrap_or_default();
    let kept = |row: &[(&'static str, String); 10]| -> Vec<(&'static str, String)> {
        row.iter().zip(&columns).filter(|(_, kept)| **kept).map(|(cell, _)| cell.clone()).collect()
    };
    let header: Vec<&str> =
        rows.first().map(|row| kept(row).into_iter().map(|(name, _)| name).collect()).unwrap_or_default();
    let mut wires = Table::new(&header);
    for row in &rows {
        wires.add_row(kept(row).into_iter().map(|(_, text)| text));
    }
    for column in 1..header.len() {
        wires.left(column);
    }
    Some(wires)
}

/// The terminals to wire from, where there are any.
pub(crate) fn terminals(checked: &WiringReport) -> Option<Table> {
    if checked.terminals.is_empty() {
        return None;
    }
    let mut terminals =
        Table::new(&["terminal", "wire", "point", "cable", "sensor or load", "actuated", "resting", "finding"]);
    // Terminals that nothing is wired to and nothing is told of share a line for each card.
    let is_idle = |row: &TerminalRow| row.point.is_none() && row.wire.is_none() && row.findings.is_empty();
    let mut idle: IndexMap<&str, Vec<&str>> = IndexMap::new();
    for row in checked.terminals.iter().filter(|row| is_idle(row)) {
        let (card, terminal) = row.terminal.split_once('.').unwrap_or((&row.terminal, ""));
        idle.entry(card).or_default().push(terminal);
    }
    for row in checked.terminals.iter().filter(|row| !is_idle(row)) {
        let text = |text: &Option<String>| text.clone().unwrap_or_default();
        let level = |level: Option<Range>| level.map_or(String::new(), Range::volts);
        let actuated = match (row.actuated_v, row.actuated_high) {
            (Some(volts), Some(high)) => format!("{} {}", if high { "high" } else { "low" }, volts.volts()),
            (volts, _) => level(volts),
        };
        let wire = match (&row.wire, &row.point) {
            (None, None) => "unused".to_owned(),
            (wire, _) => text(wire),
        };
        terminals.add_row([
            row.terminal.clone(),
            wire,
            text(&row.point),
            row.cable_m.map_or(String::new(), |cable| cable.to_string()),
            text(&row.sensor),
            actuated,
            level(row.resting_v),
            row.findings.join(", "),
        ]);
    }
    for (card, names) in idle {
        let mut row = vec![card.to_owned(), format!("unused: {}", names.join(", "))];
        row.resize(8, String::new());
        terminals.add_row(row);
    }
    for column in [1, 2, 4, 7] {
        terminals.left(column);
    }
    Some(terminals)
}

/// A sum: what was given, what came of it, and by which formula.
pub(crate) fn print_sum(worked: &SizingResult, out: &mut Out) -> Result<(), Failure> {
    let mut values = Table::new(&["given", ""]);
    for value in &worked.given {
        values.add_row([value.label.clone(), value.amount.to_string()]);
    }
    out.table(&values)?;
    let mut values = Table::new(&["found", ""]);
    for value in &worked.found {
        values.add_row([value.label.clone(), value.amount.to_string()]);
    }
    out.line("")?;
    out.table(&values)?;
    out.line("")?;
    for formula in &worked.formulas {
        out.line(format!("by {formula}"))?;
    }
    for note in &worked.notes {
        out.line(format!("→ {note}"))?;
    }
    Ok(())
}

/// Prints findings, each with its calculation and all remedies.
pub(crate) fn print_findings(findings: &[Finding], out: &mut Out) -> Result<(), Failure> {
    if findings.is_empty() {
        return Ok(());
    }
    out.line("")?;
    findings.iter().try_for_each(|finding| print_finding(finding, true, None, out))
}

/// Prints a finding: the fact, its calculation where `full`, the remedies, and the command that shows more.
pub(crate) fn print_finding(finding: &Finding, full: bool, more: Option<String>, out: &mut Out) -> Result<(), Failure> {
    let colour = match finding.severity {
        Severity::Note => "\x1b[36m",
        Severity::Warning => "\x1b[33m",
        Severity::Error => "\x1b[31m",
    };
    let told = format!(": {}: {} [{}]", finding.subject, finding.message, finding.code);
    out.coloured(colour, finding.severity.word(), &on_one_line(&told))?;
    if let Some(sum) = finding.sum.as_ref().filter(|_| full) {
        out.words(&format!("   = {}", on_one_line(sum)))?;
    }
    // A remedy that only names a command says no more than the command that is printed below it.
    let names_command = |remedy: &String| !full && more.is_some() && remedy.starts_with("`reigen ");
    let remedies = remedies(finding);
    let told = remedies.iter().filter(|remedy| !names_command(remedy));
    for line in told.map(|remedy| format!("   → {}", on_one_line(remedy))) {
        // A line to paste stays whole.
        if line.contains('=') { out.line(line)? } else { out.words(&line)? }
    }
    more.iter().try_for_each(|command| out.line(format!("   $ {}", on_one_line(command))))
}

/// What to do about a finding: all remedies that were tried and hold, each with the voltage that it makes; else what a
/// person may do.
pub(crate) fn remedies(finding: &Finding) -> Vec<String> {
    let told = |remedy: &Remedy| match (remedy.least_v, remedy.greatest_v) {
        (Some(least), Some(most)) => format!("{}: {} at the terminal", remedy.change, Range { least, most }.volts()),
        _ => remedy.change.clone(),
    };
    match finding.remedies.as_deref() {
        None | Some([]) => vec![finding.remedy.clone()],
        Some(remedies) => remedies.iter().map(told).collect(),
    }
}

fn state(last: Option<bool>) -> String {
    match last {
        Some(true) => "on",
        Some(false) => "off",
        None => "unknown",
    }
    .to_owned()
}

pub(crate) fn input_row(name: &str, input: &InputSummary) -> Vec<String> {
    let numbers = [
        input.raw_edges,
        input.accepted,
        input.rejected.bounce,
        input.rejected.glitch,
        input.rejected.missed,
        input.pending,
    ];
    bit_cells(name, input.last, [input.rising, input.falling], input.on)
        .into_iter()
        .chain(numbers.map(|number| number.to_string()))
        .collect()
}

fn bit_row(name: &str, tally: &Tally) -> Vec<String> {
    bit_cells(name, tally.last, [tally.rising, tally.falling], tally.on)
}

pub(crate) fn bit_cells(
    name: &str,
    last: Option<bool>,
    changes: [u64; 2],
    on: reigen_core::time::Nanos,
) -> Vec<String> {
    let [rising, falling] = changes.map(|number| number.to_string());
    vec![name.to_owned(), state(last), rising, falling, short_time_to(on, 4)]
}

fn counter_row(name: &str, counter: &CounterSummary) -> Vec<String> {
    let reached = counter.presets.iter().zip(&counter.preset_hits);
    let hits: Vec<String> = reached.map(|(preset, hits)| format!("{preset}: {hits}×")).collect();
    let done = match (hits.is_empty(), counter.done) {
        (true, _) => "",
        (_, true) => "reached",
        // It began anew since.
        (_, false) if counter.preset_hits.last().is_some_and(|hits| *hits > 0) => "reached before",
        (_, false) => "not reached",
    };
    vec![
        name.to_owned(),
        counter.value.map_or_else(|| "unknown".to_owned(), |value| value.to_string()),
        counter.total.to_string(),
        counter.scaled.map_or(String::new(), |value| {
            format!("{} {}", significant(value), counter.unit.as_deref().unwrap_or_default()).trim_end().to_owned()
        }),
        hits.join(", "),
        done.to_owned(),
        counter.wraps.to_string(),
        counter.lost.to_string(),
    ]
}
