//! What was counted, held against what really happened.

use super::truth::{Actuation, Truth, TruthFile, WireTruth};
use reigen_core::cast;
use reigen_core::time::{Nanos, Origin, seconds_short};
use reigen_core::units::short_time;
use serde::Serialize;

/// After a contact is made or broken, an extra count within this time is laid to its bounce.
const BOUNCE: Nanos = Nanos(50_000_000);
/// How many times a sentence names.
const MOST_NAMED: usize = 3;

/// A point that a source belongs to.
#[derive(Debug, Clone, Serialize, schemars::JsonSchema)]
pub struct Judgement {
    /// The source.
    pub source: String,
    /// How often the point went on, or the counts that an encoder made; `None` for readings.
    pub counted: Option<i64>,
    /// How often it really should have, or the counts that the shaft made.
    #[serde(rename = "true")]
    pub really: Option<i64>,
    /// How far readings are off.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub error: Option<ReadingError>,
    /// What the difference consists of, a sentence each; none where there is none.
    pub differences: Vec<String>,
}

/// How far the readings of a point are off the truth.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct ReadingError {
    /// The unit of all of it.
    pub unit: String,
    /// How many readings were compared.
    pub readings: u64,
    /// The mean error, without its sign.
    pub mean: f64,
    /// The largest error.
    pub largest: f64,
    /// When that was.
    #[serde(rename = "at_ns")]
    pub at: Nanos,
    /// The resolution that the readings state, at its worst.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub resolution: Option<f64>,
}

impl Judgement {
    pub(super) fn of_counts(source: &str, counted: i64, really: i64, differences: Vec<String>) -> Self {
        Self { source: source.to_owned(), counted: Some(counted), really: Some(really), error: None, differences }
    }
}

impl TruthFile {
    /// The source that drives a line, with its name.
    pub fn source_of(&self, line: &str) -> Option<(&str, &Truth)> {
        let drives = |truth: &Truth| truth.lines().iter().any(|known| is_line(line, known));
        self.sources.iter().find(|(_, truth)| drives(truth)).map(|(name, truth)| (name.as_str(), truth))
    }

    /// Judges a point of a chain by its name; `None` where no chain has such a point.
    ///
    /// What another point of the chain did instead is told: then the registers stand in another order.
    pub fn judge_chain_point(&self, name: &str, rises: &[Nanos], origin: Origin) -> Option<Judgement> {
        let chains = self.sources.iter().filter_map(|(source, truth)| match truth {
            Truth::Chain { points, .. } => Some((source, points)),
            _ => None,
        });
        let (source, points) = chains.into_iter().find(|(_, points)| points.contains_key(name))?;
        let actuations = points.get(name)?;
        let mut differences = of_actuations(name, actuations, rises, origin);
        if !differences.is_empty() {
            let others = points.iter().filter(|(other, _)| *other != name);
            let late = others.filter_map(|(other, actuations)| Some((latest(actuations, rises)?, other)));
            if let Some((_, other)) = late.min() {
                differences = vec![format!("it shows what `{other}` did: the order of the registers is wrong")];
            } else if rises.len() < actuations.len() {
                let longest = actuations.iter().map(|one| one.off.saturating_sub(one.on)).max().unwrap_or_default();
                differences.push(format!(
                    "on for {} at most: polls further apart miss that (poll faster, or catch it in hardware); \
                     with closer polls, look at the registers' order",
                    short_time(longest)
                ));
            }
        }
        Some(Judgement::of_counts(
            source,
            cast::i64_from_usize(rises.len()),
            cast::i64_from_usize(actuations.len()),
            differences,
        ))
    }

    /// Judges a point on `line` that went on at `rises`; `None` where no source tells how often it should have.
    pub fn judge(&self, line: &str, rises: &[Nanos], origin: Origin) -> Option<Judgement> {
        let (source, truth) = self.source_of(line)?;
        let wire = self.wires.values().find(|wire| is_line(line, &wire.line));
        let (really, differences) = match truth {
            Truth::Contact { actuations, .. } | Truth::Changeover { actuations, .. } => {
                (actuations.len() as u64, of_actuations(source, actuations, rises, origin))
            }
            Truth::Wheel { passed, missed, missed_at_ns, .. } => {
                let counted = rises.len() as u64;
                (*passed, of_passings(counted, *passed, *missed, missed_at_ns, wire, origin))
            }
            Truth::Port { bits, points, .. } => {
                let bit = bits.iter().position(|bit| is_line(line, bit))?;
                let (name, actuations) = points.get_index(bit)?;
                (actuations.len() as u64, of_actuations(name, actuations, rises, origin))
            }
            _ => return None,
        };
        Some(Judgement::of_counts(source, cast::i64_from_usize(rises.len()), cast::i64_from_u64(really), differences))
    }
}

impl TruthFile {
    /// Judges a register by what it counted in all.
    pub fn judge_register(&self, line: &str, counted: i64) -> Option<Judgement> {
        let (source, Truth::Register { counts, restarts, .. }) = self.source_of(line)? else { return None };
        let really = cast::i64_from_u64(*counts);
        let mut differences = Vec::new();
        if counted != really {
            let what = if counted < really { "lost" } else { "too many" };
            let hint = match restarts {
                0 => "check `bits`",
                _ => {
                    "the device restarted: what it counted since its last sample is lost, and reset = \"restart\" must be there"
                }
            };
            differences.push(format!("{} counts {what}, of {really}: {hint}", counted.abs_diff(really)));
        }
        Some(Judgement::of_counts(source, counted, really, differences))
    }
}

impl Truth {
    /// The lines that the source drives.
    fn lines(&self) -> Vec<&str> {
        match self {
            Truth::Contact { line, .. } | Truth::Wheel { line, .. } | Truth::Floating { line } => vec![line],
            Truth::Changeover { no, nc, .. } => vec![no, nc],
            Truth::Analog { line, .. } | Truth::Register { line, .. } => vec![line],
            Truth::Port { line, bits, .. } => std::iter::once(line).chain(bits).map(String::as_str).collect(),
            Truth::Chain { load, clock, data, .. } => vec![load, clock, data],
            Truth::Echo { trigger, echo, .. } => vec![trigger, echo],
            Truth::Encoder { a, b, index, .. } => {
                [Some(a), Some(b), index.as_ref()].into_iter().flatten().map(String::as_str).collect()
            }
        }
    }
}

/// Whether a line of a station is the one that a source calls `known`.
pub(super) fn is_line(line: &str, known: &str) -> bool {
    line == known || line.ends_with(&format!(".{known}"))
}

/// How long after its actuation the latest rise comes, where each rises once while it is actuated.
fn latest(actuations: &[Actuation], rises: &[Nanos]) -> Option<Nanos> {
    let delay = |(actuation, rise): (&Actuation, &Nanos)| {
        (actuation.on..actuation.off).contains(rise).then(|| rise.saturating_sub(actuation.on))
    };
    let delays: Option<Vec<Nanos>> = actuations.iter().zip(rises).map(delay).collect();
    delays.filter(|_| actuations.len() == rises.len())?.into_iter().max()
}

/// Counts beyond one for each actuation, and actuations without a count.
fn of_actuations(source: &str, actuations: &[Actuation], rises: &[Nanos], origin: Origin) -> Vec<String> {
    let (mut bounce, mut strange, mut lost) = (Vec::new(), Vec::new(), Vec::new());
    let first = actuations.first().map_or(Nanos(u64::MAX), |first| first.on);
    strange.extend(rises.iter().copied().filter(|rise| *rise < first));
    for (number, actuation) in actuations.iter().enumerate() {
        let until = actuations.get(number + 1).map_or(Nanos(u64::MAX), |next| next.on);
        let mut counts = rises.iter().copied().filter(|rise| (actuation.on..until).contains(rise));
        if counts.next().is_none() {
            lost.push(actuation.on);
        }
        for extra in counts {
            let near = |edge: Nanos| extra >= edge && extra.saturating_sub(edge) <= BOUNCE;
            if near(actuation.on) || near(actuation.off) { bounce.push(extra) } else { strange.push(extra) }
        }
    }
    let mut differences = Vec::new();
    say(&mut differences, &bounce, "too many", &format!("bounce of {source}"), origin);
    say(&mut differences, &strange, "too many", &format!("no actuation of {source} made it"), origin);
    say(&mut differences, &lost, "too few", &format!("{source} was actuated and did not count"), origin);
    differences
}

fn say(differences: &mut Vec<String>, times: &[Nanos], what: &str, why: &str, origin: Origin) {
    if times.is_empty() {
        return;
    }
    differences.push(format!("{} {what}, at {}: {why}", times.len(), named(times, origin)));
}

/// The first times, in the file's own.
fn named(times: &[Nanos], origin: Origin) -> String {
    let text = |time: &Nanos| format!("{} s", seconds_short(origin.file_time_ns(*time)));
    let first: Vec<String> = times.iter().take(MOST_NAMED).map(text).collect();
    let more = if times.len() > MOST_NAMED { ", …" } else { "" };
    format!("{}{more}", first.join(", "))
}

fn of_passings(
    counted: u64,
    passed: u64,
    missed: u64,
    missed_at: &[Nanos],
    wire: Option<&WireTruth>,
    origin: Origin,
) -> Vec<String> {
    let mut differences = Vec::new();
    if missed > 0 {
        differences.push(format!(
            "{missed} too few, at {}: marks passed that the sensor did not see",
            named(missed_at, origin)
        ));
    }
    let rest = i128::from(counted) - i128::from(passed) + i128::from(missed);
    let (size, what) = (rest.unsigned_abs(), if rest > 0 { "too many" } else { "too few" });
    match wire.filter(|wire| wire.glitches > 0) {
        _ if rest == 0 => {}
        Some(wire) => {
            let times = named(&wire.glitches_at_ns, origin);
            differences.push(format!("{size} {what}: {} short pulses were on the wire, at {times}", wire.glitches));
        }
        None => differences.push(format!("{size} {what}: the debounce takes edges of one mark together or apart")),
    }
    differences
}
