//! `reigen debounce`: the bounce of one line, and the debounce that is chosen for it.

use crate::Done;
use crate::cli::DebounceArguments;
use crate::commands::survey::JsonBurst;
use crate::failure::Failure;
use crate::overwrite::refuse_overwriting;
use crate::picture;
use crate::print::Out;
use crate::reading;
use crate::reading::{read_through, refuse_line};
use crate::replay::read_options;
use crate::tables::{cells, left, table};
use reigen_core::condition::input::{Asserted, Contact, on_while_high};
use reigen_core::measure::bounce::Bursts;
use reigen_core::measure::debounce::{DebounceMeter, Debounced, Method};
use reigen_core::measure::plateau::Plateau;
use reigen_core::names::counted;
use reigen_core::station::plan::find_line;
use reigen_core::time::Nanos;
use reigen_core::units::significant;
use reigen_draw::curve::CurvePicture;
use reigen_draw::theme::Theme;
use reigen_io::recording::Recording;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::Path;

/// How many plateaus a program is given.
const MOST_PLATEAUS: usize = 1000;
/// How many plateaus are shown to people.
const SHOWN: usize = 12;

/// A line measured as an input.
pub(crate) struct Measured {
    line: String,
    asserted: Asserted,
    contact: Contact,
    length: Nanos,
    debounced: Debounced,
}

impl Measured {
    /// The time that is recommended for `stable`.
    pub(crate) fn stable_time(&self) -> Nanos {
        self.debounced.methods.first().map_or(Nanos(0), |method| method.recommended)
    }
}

/// Runs the command.
pub(crate) fn run(arguments: &DebounceArguments, out: &mut Out) -> Result<Done, Failure> {
    let options = read_options(&arguments.reading)?;
    arguments.draw.as_deref().map(picture::format_of).transpose()?;
    refuse_overwriting(&[arguments.draw.as_deref()], &[&arguments.recording])?;
    let recording = reading::open(&arguments.recording, &options)?;
    let measured = measure(recording, &arguments.line, arguments.asserted.map(Into::into), arguments.contact.into())?;
    if arguments.json {
        out.json(&Json::new(&measured, arguments.true_count))?;
    } else {
        print(&measured, arguments.true_count, out)?;
    }
    if let Some(path) = &arguments.draw {
        draw(&measured, arguments.true_count, path)?;
    }
    let gives = |count| measured.debounced.methods.iter().any(|method| method.curve.giving(count).0);
    Ok(if arguments.true_count.is_none_or(gives) { Done::Fine } else { Done::Differs })
}

/// Measures one line of a recording. Without `asserted` the input is taken to be off at the line's idle level.
pub(crate) fn measure(
    mut recording: Recording,
    line: &str,
    asserted: Option<Asserted>,
    contact: Contact,
) -> Result<Measured, Failure> {
    let signal = find_line(line, recording.lines()).map_err(|kind| refuse_line("--line", &kind))?;
    let asserted = asserted.unwrap_or(Asserted::High);
    let while_high = on_while_high(asserted, contact);
    let mut meter: Option<DebounceMeter> = None;
    let length = read_through(&mut recording, &[signal], &[], &mut |lines| {
        let Some(bit) = lines.bits().first() else { return };
        if let Some(level) = bit.level {
            meter.get_or_insert_with(|| DebounceMeter::new(level == while_high)).take(&bit.toggles);
        }
    })?;
    let Some(meter) = meter else {
        return Err(Failure::Usage {
            message: format!("the line `{line}` never has a level in {}", recording.name()),
            help: "look whether it was recorded at all".to_owned(),
        });
    };
    Ok(Measured { line: line.to_owned(), asserted, contact, length, debounced: meter.finish(length) })
}

/// Draws the curves, the recommended method's first.
fn draw(measured: &Measured, true_count: Option<u64>, path: &Path) -> Result<(), Failure> {
    let mut methods: Vec<&Method> = measured.debounced.methods.iter().collect();
    methods.sort_by_key(|method| method.name != measured.debounced.choice);
    let title = format!("{}: what each debounce time counts", measured.line);
    picture::write(&CurvePicture { title, methods, true_count }, path, (1280, 800), &Theme::LIGHT)
}

/// Prints it for people.
pub(crate) fn print(measured: &Measured, true_count: Option<u64>, out: &mut Out) -> Result<(), Failure> {
    let Measured { line, debounced, .. } = measured;
    let level = if measured.asserted == Asserted::High { "high" } else { "low" };
    out.line(format!(
        "{line}: {} in {}, closed while {level}, contact {}",
        counted(debounced.edges, "edge"),
        measured.length,
        measured.contact
    ))?;
    if debounced.edges == 0 {
        return out.line("\nit never changes: actuate it while recording");
    }
    print_bounce(measured, out)?;
    let mut methods = table(&[
        "method",
        "time",
        "actuations",
        "from",
        "up to",
        "room below",
        "room above",
        "delay",
        "keeps pulses of",
    ]);
    for method in &debounced.methods {
        methods.add_row(method_row(method));
    }
    out.line("")?;
    out.table(methods)?;
    if debounced.lockout_edges < debounced.edges as usize {
        out.line(format!("lockout is worked out from the first {} edges", debounced.lockout_edges))?;
    }
    print_plateaus(debounced, out)?;
    if let Some(count) = true_count {
        print_true_count(debounced, count, out)?;
    }
    let Some(choice) = chosen(debounced) else {
        return out.line("\nno debounce time gives a single actuation");
    };
    out.line(format!("\n→ {}: {}", choice.name, debounced.ground))?;
    out.line(format!("debounce = {{ method = \"{}\", time = \"{}\" }}", choice.name, choice.recommended))
}

/// The method that is recommended, where it has a time.
pub(crate) fn chosen(debounced: &Debounced) -> Option<&Method> {
    debounced.methods.iter().find(|method| method.name == debounced.choice && method.plateau.is_some())
}

fn print_bounce(measured: &Measured, out: &mut Out) -> Result<(), Failure> {
    let bounce = &measured.debounced.bounce;
    let mut bursts = table(&["bounce", "times", "edges", "most in one", "middle", "99 %", "longest"]);
    // A contact that is normally open closes as it goes on.
    let (closing, opening) = match measured.contact {
        Contact::NormallyOpen => (&bounce.turning_on, &bounce.turning_off),
        Contact::NormallyClosed => (&bounce.turning_off, &bounce.turning_on),
    };
    for (name, kind) in [("closing", closing), ("opening", opening), ("short bursts, no change", &bounce.glitches)] {
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
    out.table(bursts)?;
    for (name, kind) in [("closing", closing), ("opening", opening)] {
        print_histogram(name, kind, out)?;
    }
    Ok(())
}

/// How long bursts last, in steps of a doubling.
fn print_histogram(name: &str, bursts: &Bursts, out: &mut Out) -> Result<(), Failure> {
    let steps = bursts.lengths.doublings();
    if bursts.lengths.most().is_none_or(|most| most == Nanos(0)) {
        return Ok(());
    }
    let most = steps.iter().map(|(_, count)| *count).max().unwrap_or(1).max(1);
    let mut rows = table(&[name, "", ""]);
    for (border, count) in steps {
        let label = if border.0 <= 1 { "none".to_owned() } else { format!("up to {}", cells::time(Some(border))) };
        let bar = "█".repeat(((count * 30).div_ceil(most)) as usize);
        rows.add_row([label, count.to_string(), bar]);
    }
    left(&mut rows, 2);
    out.line("")?;
    out.table(rows)
}

fn method_row(method: &Method) -> Vec<String> {
    let Some(plateau) = method.plateau else {
        return vec![method.name.to_owned(), "none".to_owned(), "0".to_owned()];
    };
    let ratio = |ratio: f64| format!("{} times", significant(ratio));
    let time = method.recommended.0 as f64;
    vec![
        method.name.to_owned(),
        cells::time(Some(method.recommended)),
        plateau.count.to_string(),
        cells::time(Some(plateau.from)),
        cells::time(Some(plateau.until)),
        ratio(time / plateau.from.0.max(1) as f64),
        ratio(plateau.until.0 as f64 / time),
        cells::time(Some(method.delay_on)),
        if method.shortest_kept == Nanos(0) { "any width".to_owned() } else { cells::time(Some(method.shortest_kept)) },
    ]
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
fn print_plateaus(debounced: &Debounced, out: &mut Out) -> Result<(), Failure> {
    for method in &debounced.methods {
        let plateaus = widest(method, SHOWN);
        let all = method.curve.steps.len();
        let mut rows = table(&[method.name, "up to", "actuations"]);
        for plateau in &plateaus {
            let mark = if Some(*plateau) == method.plateau { " ←" } else { "" };
            rows.add_row([
                format!("from {}", cells::time(Some(plateau.from))),
                cells::time(Some(plateau.until)),
                format!("{}{mark}", plateau.count),
            ]);
        }
        left(&mut rows, 2);
        out.line("")?;
        out.table(rows)?;
        if all > SHOWN {
            out.line(format!("the widest {SHOWN} of {all} plateaus"))?;
        }
    }
    Ok(())
}

fn print_true_count(debounced: &Debounced, count: u64, out: &mut Out) -> Result<(), Failure> {
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

/// The measurement as JSON.
#[derive(Serialize)]
struct Json<'a> {
    line: &'a str,
    edges: u64,
    duration_ns: Nanos,
    bounce: JsonBounce,
    glitches: u64,
    methods: BTreeMap<&'static str, JsonMethod>,
    recommended: Option<&'static str>,
    ground: &'a str,
    toml: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    true_count: Option<JsonTrueCount>,
}

#[derive(Serialize)]
struct JsonBounce {
    closing: JsonBurst,
    opening: JsonBurst,
    glitches: JsonBurst,
}

#[derive(Serialize)]
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

#[derive(Serialize)]
struct JsonTrueCount {
    count: u64,
    /// The ranges of the recommended method.
    ranges: Vec<Plateau>,
    /// Those of each, where none gives it the nearest.
    methods: BTreeMap<&'static str, JsonRanges>,
}

#[derive(Serialize)]
struct JsonRanges {
    gives: bool,
    ranges: Vec<Plateau>,
}

impl<'a> Json<'a> {
    fn new(measured: &'a Measured, true_count: Option<u64>) -> Self {
        let debounced = &measured.debounced;
        let bounce = &debounced.bounce;
        let (closing, opening) = match measured.contact {
            Contact::NormallyOpen => (&bounce.turning_on, &bounce.turning_off),
            Contact::NormallyClosed => (&bounce.turning_off, &bounce.turning_on),
        };
        let choice = chosen(debounced);
        Self {
            line: &measured.line,
            edges: debounced.edges,
            duration_ns: measured.length,
            bounce: JsonBounce {
                closing: JsonBurst::new(closing),
                opening: JsonBurst::new(opening),
                glitches: JsonBurst::new(&bounce.glitches),
            },
            glitches: debounced.glitches,
            methods: debounced.methods.iter().map(|method| (method.name, JsonMethod::new(method))).collect(),
            recommended: choice.map(|method| method.name),
            ground: &debounced.ground,
            toml: choice.map(|method| {
                format!("debounce = {{ method = \"{}\", time = \"{}\" }}", method.name, method.recommended)
            }),
            true_count: true_count.map(|count| JsonTrueCount::new(debounced, count)),
        }
    }
}

impl JsonMethod {
    fn new(method: &Method) -> Self {
        Self {
            recommended_ns: method.plateau.map(|_| method.recommended),
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
    fn new(debounced: &Debounced, count: u64) -> Self {
        let ranges = |method: &Method| {
            let (gives, ranges) = method.curve.giving(count);
            JsonRanges { gives, ranges }
        };
        let methods: BTreeMap<_, _> = debounced.methods.iter().map(|method| (method.name, ranges(method))).collect();
        // Those of the method that is recommended; of the other where only that one gives it.
        let order = debounced.methods.iter().map(|method| method.name);
        let mut order: Vec<&str> = order.collect();
        order.sort_by_key(|name| *name != debounced.choice);
        let giving = order.iter().filter_map(|name| methods.get(name)).find(|ranges| ranges.gives);
        Self { count, ranges: giving.map_or_else(Vec::new, |ranges| ranges.ranges.clone()), methods }
    }
}
