//! The bounce of a recording's lines, and the debounce that each needs.

use crate::failure::Failure;
use crate::print::Out;
use crate::reading::{read_through, refuse_line};
use crate::table_view::Table;
use crate::tables::cells;
use crate::views::survey::JsonBurst;
use reigen_core::cast;
use reigen_core::condition::input::{Asserted, Contact, on_while_high};
use reigen_core::lines::LineKind;
use reigen_core::measure::advice::{Advice, AdvisedMethod, Note, Wish};
use reigen_core::measure::bounce::{BounceMeter, Bursts};
use reigen_core::measure::debounce::{DebounceAnalysis, LinesMeter, Method, Sense};
use reigen_core::measure::plateau::Plateau;
use reigen_core::names::counted;
use reigen_core::time::Nanos;
use reigen_io::recording::Recording;
use reigen_run::signals::{Signals, signals};
use reigen_run::stretch::Stretch;
use reigen_station::station::line_names::find_line;
use serde::Serialize;
use std::collections::BTreeMap;

/// How many plateaus a program is given.
const MOST_PLATEAUS: usize = 1000;
/// How many plateaus are shown to people.
const SHOWN: usize = 12;

/// A line measured as an input.
pub(crate) struct DebounceReport {
    pub(crate) line: String,
    /// Normally closed contacts are on while open.
    contact: Contact,
    length: Nanos,
    pub(crate) debounced: DebounceAnalysis,
}

/// What is asked of a recording's lines.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Question<'a> {
    /// These lines; all of them where none is named. A single one is measured in detail.
    pub(crate) lines: &'a [String],
    /// The level at which the contact is closed; without it the input is off where the line idles.
    pub(crate) asserted: Option<Asserted>,
    pub(crate) contact: Contact,
    pub(crate) wish: Wish,
}

impl DebounceReport {
    /// Of a contact: its actuations, its edges of bounce and the longest burst of them.
    pub(crate) fn contact_figures(&self) -> Option<(u64, u64, Option<Nanos>)> {
        let bounce = &self.debounced.bounce;
        let bursts = [&bounce.turning_on, &bounce.turning_off];
        let longest = bursts.iter().map(|bursts| bursts.longest()).max().filter(|longest| *longest > Nanos(0));
        self.debounced.kind.is_contact().then(|| (bounce.turning_on.count(), bounce.extra_edges(), longest))
    }

    /// The time of `stable` that is advised.
    pub(crate) fn stable_time(&self) -> Nanos {
        match self.debounced.advice.advised {
            Some(AdvisedMethod::Stable(times)) => times.on.max(times.off),
            _ => Nanos(0),
        }
    }
}

impl Question<'_> {
    /// The line that is asked for in detail.
    fn line(&self) -> Option<&str> {
        match self.lines {
            [line] => Some(line),
            _ => None,
        }
    }
}

/// Measures lines of a stretch of a recording.
pub(crate) fn measure(
    mut recording: Recording,
    stretch: Stretch,
    question: &Question<'_>,
) -> Result<Vec<DebounceReport>, Failure> {
    let mut all = signals(recording.lines(), |kind| *kind == LineKind::Level);
    let wanted = question.lines.iter().map(|line| find_line(line, recording.lines()));
    let wanted = wanted.collect::<Result<Vec<usize>, _>>().map_err(|kind| refuse_line("--lines", &kind))?;
    // One line is judged among all others, which may be its clock or its other channel.
    if wanted.len() > 1 {
        all = all.among(&wanted);
    }
    let Signals { numbers, mut names, .. } = all;
    let only = question.line().and(wanted.first());
    let only = only.and_then(|signal| numbers.iter().position(|number| number == signal));
    if let (Some(name), Some(line)) = (only.and_then(|only| names.get_mut(only)), question.line()) {
        line.clone_into(name);
    }
    let mut meter = LinesMeter::new(numbers.len(), only);
    let end = read_through(&mut recording, (&numbers, &[]), stretch, &mut |_, lines| meter.take(lines.bits()))?;
    let length = end.saturating_sub(stretch.from);
    let on_while_high = question.asserted.map(|asserted| on_while_high(asserted, question.contact));
    let sense = Sense { on_while_high, tick: recording.tick() };
    let contact = question.contact;
    let told = meter.finish(&names, sense, question.wish, end);
    let measured: Vec<DebounceReport> = told
        .into_iter()
        .filter_map(|(line, debounced)| Some(DebounceReport { line, contact, length, debounced: debounced? }))
        .collect();
    if let (Some(line), true) = (question.line(), measured.is_empty()) {
        return Err(Failure::Usage {
            message: format!("the line `{line}` never has a level in {}", recording.name()),
            help: "check that it was recorded at all".to_owned(),
        });
    }
    if let (Some(count), [one]) = (question.wish.true_count, measured.as_slice())
        && count > one.debounced.edges
    {
        return Err(Failure::Usage {
            message: format!("--true-count {count}: `{}` has only {}", one.line, counted(one.debounced.edges, "edge")),
            help: "each actuation has two edges at least: count them again, or name another line".to_owned(),
        });
    }
    Ok(measured)
}

/// Prints one line for people: the advice, then what it rests on.
pub(crate) fn print(measured: &DebounceReport, true_count: Option<u64>, out: &mut Out) -> Result<(), Failure> {
    let DebounceReport { line, debounced, .. } = measured;
    let level = if debounced.on_while_high { "high" } else { "low" };
    out.line(format!(
        "{line}: {}, {} in {}, actuated while {level}",
        debounced.kind.words(),
        counted(debounced.edges, "edge"),
        cells::time(Some(measured.length)),
    ))?;
    print_advice(&debounced.advice, out)?;
    if debounced.edges == 0 {
        return Ok(());
    }
    if debounced.kind.is_contact() {
        print_bounce(measured, out)?;
    }
    if debounced.lockout_edges < cast::usize_from_u64(debounced.edges) {
        out.line(format!("\nlockout is calculated from the first {} edges", debounced.lockout_edges))?;
    }
    print_plateaus(debounced, out)?;
    match true_count {
        Some(count) => print_true_count(debounced, count, out),
        None => Ok(()),
    }
}

fn print_advice(advice: &Advice, out: &mut Out) -> Result<(), Failure> {
    match advice.advised {
        None => out.line(format!("→ no advice: {}", advice.reason))?,
        Some(AdvisedMethod::None) => out.line(format!("→ none: {}", advice.reason))?,
        Some(advised) => {
            out.line(format!("→ {}: {}", advised.method(), advice.reason))?;
            out.line(advised.toml().unwrap_or_default())?;
            out.line(cost(advised, advice.count))?;
        }
    }
    advice.notes.iter().try_for_each(|note| out.line(format!("note: {} [{}]", note.words(), note.code())))
}

/// What a debounce counts and costs.
fn cost(advised: AdvisedMethod, count: Option<u64>) -> String {
    let counts = count.map_or(String::new(), |count| format!("counts {}; ", counted(count, "actuation")));
    let costs = match advised {
        AdvisedMethod::Stable(times) if times.on == times.off => {
            let time = cells::time(Some(times.on));
            format!("each change is reported {time} later, and pulses shorter than {time} are dropped")
        }
        AdvisedMethod::Stable(times) => format!(
            "an actuation is reported {} later, a release {} later",
            cells::time(Some(times.on)),
            cells::time(Some(times.off))
        ),
        AdvisedMethod::Lockout(time) => {
            format!("a change is reported at once, and the next one {} later at the earliest", cells::time(Some(time)))
        }
        AdvisedMethod::None => String::new(),
    };
    format!("{counts}{costs}")
}

/// One row for each line, then the lines to paste.
pub(crate) fn print_all(all: &[DebounceReport], out: &mut Out) -> Result<(), Failure> {
    let mut rows = Table::new(&["line", "kind", "advice", "counts", "why"]);
    for DebounceReport { line, debounced, .. } in all {
        let advice = &debounced.advice;
        let method = match advice.advised {
            None => "no advice".to_owned(),
            Some(AdvisedMethod::None) => "none needed".to_owned(),
            Some(AdvisedMethod::Stable(times)) if times.on != times.off => {
                format!("stable, on {}, off {}", cells::time(Some(times.on)), cells::time(Some(times.off)))
            }
            Some(advised) => format!("{} {}", advised.method(), cells::time(advised.times().map(|times| times.on))),
        };
        let notes: String = advice.notes.iter().map(|note| format!(" [{}]", note.code())).collect();
        let count = advice.count.map_or(String::new(), |count| count.to_string());
        // The column before says it.
        let reason = advice.reason.replace(": no debounce needed;", ":");
        rows.add_row([line.clone(), debounced.kind.words(), method, count, format!("{reason}{notes}")]);
    }
    [1, 2, 4].into_iter().for_each(|column| rows.left(column));
    out.table(&rows)?;
    let paste: Vec<(&str, String)> =
        all.iter().filter_map(|one| Some((one.line.as_str(), one.debounced.advice.advised?.toml()?))).collect();
    if !paste.is_empty() {
        out.line("\nto paste into the inputs of the station:")?;
        for (line, toml) in paste {
            out.line(format!("{toml}    # {line}"))?;
        }
    }
    let mut notes: Vec<Note> = all.iter().flat_map(|one| one.debounced.advice.notes.iter().copied()).collect();
    notes.sort_unstable();
    notes.dedup();
    for note in notes {
        out.line(format!("\nnote: {} [{}]", note.words(), note.code()))?;
    }
    Ok(())
}

/// The bursts in which the contact closes and opens: a normally open one closes as it goes on.
fn sides(bounce: &BounceMeter, contact: Contact) -> [(&'static str, &Bursts); 2] {
    let (closing, opening) = match contact {
        Contact::NormallyOpen => (&bounce.turning_on, &bounce.turning_off),
        Contact::NormallyClosed => (&bounce.turning_off, &bounce.turning_on),
    };
    [("closing", closing), ("opening", opening)]
}

fn print_bounce(measured: &DebounceReport, out: &mut Out) -> Result<(), Failure> {
    let bounce = &measured.debounced.bounce;
    let mut bursts = Table::new(&["bursts", "count", "edges", "max edges", "median", "99 %", "longest"]);
    let sides = sides(bounce, measured.contact);
    let returns = [("short pulses at rest", &bounce.glitches), ("short breaks", &bounce.dropouts)];
    for (name, kind) in sides.into_iter().chain(returns).filter(|(_, kind)| kind.count() > 0) {
        bursts.add_row([
            name.to_owned(),
            kind.count().to_string(),
            kind.edges.to_string(),
            kind.most_edges.to_string(),
            cells::time(kind.lengths.share(0.5)),
            cells::time(kind.lengths.share(0.99)),
            cells::time(kind.lengths.most()),
        ]);
    }
    out.line("")?;
    out.table(&bursts)?;
    sides.into_iter().try_for_each(|(name, kind)| print_histogram(name, kind, out))
}

/// How long bursts last, in steps of a doubling.
fn print_histogram(name: &str, bursts: &Bursts, out: &mut Out) -> Result<(), Failure> {
    let steps = bursts.lengths.doublings();
    if bursts.lengths.most().is_none_or(|most| most == Nanos(0)) {
        return Ok(());
    }
    let most = steps.iter().map(|(_, count)| *count).max().unwrap_or(1).max(1);
    let mut rows = Table::new(&[name, "", ""]);
    for (border, count) in steps {
        let label = if border.0 <= 1 { "none".to_owned() } else { format!("up to {}", cells::time(Some(border))) };
        let bar = "█".repeat(cast::usize_from_u64((count * 30).div_ceil(most)));
        rows.add_row([label, count.to_string(), bar]);
    }
    rows.left(2);
    out.line("")?;
    out.table(&rows)
}

/// The widest plateaus of a method, by time.
fn widest(method: &Method, most: usize) -> Vec<Plateau> {
    let mut plateaus = method.curve.plateaus();
    plateaus.sort_by(|one, other| other.width().total_cmp(&one.width()));
    plateaus.truncate(most);
    plateaus.sort_by_key(|plateau| plateau.from);
    plateaus
}

/// The widest plateaus of both methods, by time.
fn print_plateaus(debounced: &DebounceAnalysis, out: &mut Out) -> Result<(), Failure> {
    for method in &debounced.methods {
        let plateaus = widest(method, SHOWN);
        let all = method.curve.steps.len();
        let mut rows = Table::new(&[method.name, "up to", "actuations"]);
        for plateau in &plateaus {
            let mark = if Some(*plateau) == method.plateau { " ←" } else { "" };
            rows.add_row([
                format!("from {}", cells::time(Some(plateau.from))),
                cells::time(Some(plateau.until)),
                format!("{}{mark}", plateau.count),
            ]);
        }
        rows.left(2);
        out.line("")?;
        out.table(&rows)?;
        if all > SHOWN {
            out.line(format!("the widest {SHOWN} of {all} plateaus"))?;
        }
    }
    Ok(())
}

fn print_true_count(debounced: &DebounceAnalysis, count: u64, out: &mut Out) -> Result<(), Failure> {
    out.line("")?;
    for method in &debounced.methods {
        let (gives, ranges) = method.curve.giving(count);
        let ranges: Vec<String> = ranges
            .iter()
            .take(SHOWN)
            .map(|range| {
                let times = format!("{} to below {}", cells::time(Some(range.from)), cells::time(Some(range.until)));
                if gives { times } else { format!("{times} ({})", range.count) }
            })
            .collect();
        let words = if gives { "gives it with" } else { "never gives it; nearest:" };
        out.line(format!("{count} actuations: {} {words} {}", method.name, ranges.join(", ")))?;
    }
    Ok(())
}

/// The advice for one line as JSON.
#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct JsonAdvice<'a> {
    line: &'a str,
    kind: &'static str,
    edges: u64,
    duration_ns: Nanos,
    bounce: JsonBounce,
    glitches: u64,
    recommended: Option<&'static str>,
    recommended_on_ns: Option<Nanos>,
    recommended_off_ns: Option<Nanos>,
    recommended_count: Option<u64>,
    ground: &'a str,
    toml: Option<String>,
    notes: Vec<&'static str>,
}

/// What is printed as JSON: of one line its measurement, of several their advice.
#[derive(Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub(crate) enum JsonResult<'a> {
    One(Box<Json<'a>>),
    All(JsonLines<'a>),
}

/// The advice for all lines as JSON.
#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct JsonLines<'a> {
    pub(crate) lines: Vec<JsonAdvice<'a>>,
}

/// The measurement of one line as JSON.
#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct Json<'a> {
    #[serde(flatten)]
    advice: JsonAdvice<'a>,
    methods: BTreeMap<&'static str, JsonMethod>,
    #[serde(skip_serializing_if = "Option::is_none")]
    true_count: Option<JsonTrueCount>,
}

#[derive(Serialize, schemars::JsonSchema)]
struct JsonBounce {
    closing: JsonBurst,
    opening: JsonBurst,
    glitches: JsonBurst,
    dropouts: JsonBurst,
}

#[derive(Serialize, schemars::JsonSchema)]
struct JsonMethod {
    recommended_ns: Option<Nanos>,
    count: Option<u64>,
    from_ns: Option<Nanos>,
    until_ns: Option<Nanos>,
    delay_on_ns: Nanos,
    delay_off_ns: Nanos,
    shortest_kept_ns: Nanos,
    exact: bool,
    known_until_ns: Nanos,
    /// The widest of them, by time.
    plateaus: Vec<Plateau>,
    plateaus_in_all: usize,
}

#[derive(Serialize, schemars::JsonSchema)]
struct JsonTrueCount {
    count: u64,
    /// The ranges of the recommended method.
    ranges: Vec<Plateau>,
    /// Those of each, where none gives it the nearest.
    methods: BTreeMap<&'static str, JsonRanges>,
}

#[derive(Serialize, schemars::JsonSchema)]
struct JsonRanges {
    gives: bool,
    ranges: Vec<Plateau>,
}

impl<'a> JsonAdvice<'a> {
    pub(crate) fn new(measured: &'a DebounceReport) -> Self {
        let DebounceAnalysis { kind, edges, bounce, advice, .. } = &measured.debounced;
        let [(_, closing), (_, opening)] = sides(bounce, measured.contact);
        let times = advice.advised.and_then(AdvisedMethod::times);
        Self {
            line: &measured.line,
            kind: kind.word(),
            edges: *edges,
            duration_ns: measured.length,
            bounce: JsonBounce {
                closing: JsonBurst::new(closing),
                opening: JsonBurst::new(opening),
                glitches: JsonBurst::new(&bounce.glitches),
                dropouts: JsonBurst::new(&bounce.dropouts),
            },
            glitches: bounce.glitches.count() + bounce.dropouts.count(),
            recommended: advice.advised.map(AdvisedMethod::method),
            recommended_on_ns: times.map(|times| times.on),
            recommended_off_ns: times.map(|times| times.off),
            recommended_count: advice.count,
            ground: &advice.reason,
            toml: advice.advised.and_then(AdvisedMethod::toml),
            notes: advice.notes.iter().map(|note| note.code()).collect(),
        }
    }
}

impl<'a> Json<'a> {
    pub(crate) fn new(measured: &'a DebounceReport, true_count: Option<u64>) -> Self {
        let debounced = &measured.debounced;
        Self {
            advice: JsonAdvice::new(measured),
            methods: debounced.methods.iter().map(|method| (method.name, JsonMethod::new(method))).collect(),
            true_count: true_count.map(|count| JsonTrueCount::new(debounced, count)),
        }
    }
}

impl JsonMethod {
    fn new(method: &Method) -> Self {
        Self {
            recommended_ns: method.plateau.map(|_| method.time),
            count: method.plateau.map(|plateau| plateau.count),
            from_ns: method.plateau.map(|plateau| plateau.from),
            until_ns: method.plateau.map(|plateau| plateau.until),
            delay_on_ns: method.delay_on,
            delay_off_ns: method.delay_off,
            shortest_kept_ns: method.shortest_kept,
            exact: method.curve.exact,
            known_until_ns: method.curve.until,
            plateaus: widest(method, MOST_PLATEAUS),
            plateaus_in_all: method.curve.steps.len(),
        }
    }
}

impl JsonTrueCount {
    fn new(debounced: &DebounceAnalysis, count: u64) -> Self {
        let ranges = |method: &Method| {
            let (gives, ranges) = method.curve.giving(count);
            JsonRanges { gives, ranges }
        };
        let methods: BTreeMap<_, _> = debounced.methods.iter().map(|method| (method.name, ranges(method))).collect();
        // Those of the method that is recommended; of the other where only that one gives it.
        let order = debounced.methods.iter().map(|method| method.name);
        let mut order: Vec<&str> = order.collect();
        let advised = debounced.advice.advised.map(AdvisedMethod::method);
        order.sort_by_key(|name| Some(*name) != advised);
        let giving = order.iter().filter_map(|name| methods.get(name)).find(|ranges| ranges.gives);
        Self { count, ranges: giving.map_or_else(Vec::new, |ranges| ranges.ranges.clone()), methods }
    }
}
