//! What a person should know of inputs: whether what was counted is what really was.
//!
//! The account says what became of each edge. Here a line is judged as a survey judges it, and the debounce is held against that.

use crate::station::{Point, Station};
use rayon::prelude::*;
use reigen_core::account::{Rejected, Verdict};
use reigen_core::column::BitColumn;
use reigen_core::condition::debounce::{Ledger, Settings};
use reigen_core::condition::input::InputSettings;
use reigen_core::finding::Finding;
use reigen_core::measure::advice::{Advice, AdvisedMethod, nice_up_to};
use reigen_core::measure::debounce::{Sense, advise_line};
use reigen_core::measure::edges::Edges;
use reigen_core::measure::kind::Kind;
use reigen_core::measure::line::{LineMeter, judge_all};
use reigen_core::measure::steady::median_length;
use reigen_core::measure::{judgement, parting, pulse_train};
use reigen_core::names::counted;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Window};
use reigen_core::units::short_time;
use std::collections::HashMap;

/// An input is held against so many edges of its line.
const KEPT: usize = judgement::JUDGED;

/// An input of the station, and what it reads.
#[derive(Debug)]
struct Watched {
    /// Its number among the station's points.
    point: usize,
    settings: InputSettings,
    /// Which of the meters is its line's, or that of the point that it reads.
    meter: usize,
}

/// Keeps the first edges of what the inputs read, window by window.
#[derive(Debug)]
pub struct InputWatch {
    inputs: Vec<Watched>,
    meters: Vec<Option<LineMeter>>,
    /// For each meter beyond the lines, the point whose bit it takes.
    points: Vec<usize>,
    names: Vec<String>,
}

impl InputWatch {
    /// The codes of what it tells.
    pub const CODES: [&'static str; 5] =
        ["input-floating", "bounce-counted", "pulses-swallowed", "glitches-removed", "missed-by-scan"];

    /// For the inputs of a station, whose lines have these names, in the order of the engine's lines.
    pub fn new(station: &Station, lines: &HashMap<String, usize>, names: &[String]) -> Self {
        let mut names = names.to_vec();
        let (mut inputs, mut points) = (Vec::new(), Vec::new());
        for (number, point) in station.points.iter().enumerate() {
            let Some(settings) = point.kind.input() else { continue };
            let meter = match point.kind.line() {
                Some(line) => lines.get(&line.name).copied(),
                None => read_point(station, point).map(|read| {
                    names.push(station.points.get(read).map_or(String::new(), |point| point.name.clone()));
                    points.push(read);
                    names.len() - 1
                }),
            };
            inputs.extend(meter.map(|meter| Watched { point: number, settings: *settings, meter }));
        }
        Self { inputs, meters: vec![None; names.len()], points, names }
    }

    /// Takes what lines and points did within a window that counts.
    pub fn take<'a>(&mut self, window: Window, lines: &[BitColumn], point: impl Fn(usize) -> Option<&'a BitColumn>) {
        if self.inputs.is_empty() {
            return;
        }
        let columns = lines.iter().map(Some).chain(self.points.iter().map(|number| point(*number)));
        for (meter, column) in self.meters.iter_mut().zip(columns) {
            let Some((column, level)) = column.and_then(|column| Some((column, column.level?))) else { continue };
            let since = column.since.max(window.from);
            meter.get_or_insert_with(|| LineMeter::of_first_edges(since, level, KEPT)).take(&column.toggles);
        }
    }

    /// What there is to tell of each input, given what the points did; `tick` is the step of the recording's times, `end` its last
    /// time.
    pub fn findings(&self, station: &Station, points: &[PointSummary], tick: Nanos, end: Nanos) -> Vec<Finding> {
        let meters: Vec<Option<&LineMeter>> = self.meters.iter().map(Option::as_ref).collect();
        let kinds = judge_all(&meters, &self.names, end);
        let of = |input: &Watched| -> Option<Vec<Finding>> {
            let (point, guess) = (station.points.get(input.point)?, kinds.get(input.meter)?);
            let meter = self.meters.get(input.meter)?.as_ref().filter(|meter| !meter.edges().times.is_empty())?;
            let PointSummary::Input(summary) = points.get(input.point)? else { return None };
            if guess.kind == Kind::Floating {
                let message = format!("its line {} floats: {}", summary.line, guess.ground);
                let remedy = "connect it, or fit a pull-up or pull-down; its counts mean nothing until then";
                return Some(vec![Finding::warning("input-floating", &point.name, message, remedy)]);
            }
            let case = Case::new(&guess.kind, input.settings, meter, tick, end);
            Some(case.findings(&point.name, summary.rejected))
        };
        self.inputs.par_iter().filter_map(of).flatten().collect()
    }
}

/// The point that an input reads in place of a line.
fn read_point(station: &Station, point: &Point) -> Option<usize> {
    let (_, of) = point.kind.expressions().into_iter().next()?;
    let name = of.expression.as_name().filter(|name| name.field.is_empty())?;
    station.points.iter().position(|point| point.name == name.point)
}

/// One input: what its line did, and what its debounce made of it.
struct Case<'a> {
    kind: &'a Kind,
    settings: InputSettings,
    /// The line's first edges, high for on.
    edges: Edges<'a>,
    /// How often it was really actuated, as far as these edges go.
    real: u64,
    /// How often a scan alone saw it, and how often it came out.
    seen: u64,
    rises: u64,
    /// The state that came out first, and its changes.
    starts_on: bool,
    output: Vec<Nanos>,
    verdicts: Vec<Verdict>,
    quiet: Nanos,
    /// Whether these are all of its edges.
    all: bool,
    /// The debounce that it needs.
    advice: Advice,
    longest_burst: Nanos,
}

impl<'a> Case<'a> {
    fn new(kind: &'a Kind, settings: InputSettings, meter: &'a LineMeter, tick: Nanos, end: Nanos) -> Self {
        let levels = meter.edges();
        let edges = Edges { starts_high: levels.starts_high == settings.on_while_high, ..levels };
        let all = meter.has_all();
        let until = if all { end } else { levels.times.last().copied().unwrap_or(end) };
        let quiet = match kind.is_contact() {
            true => parting::part(levels.first(judgement::JUDGED)).map_or(Nanos(1), |parting| parting.quiet),
            false => Nanos(1),
        };
        let real = match kind.is_contact() {
            true => parting::meter(edges, quiet).turning_on.count(),
            false => {
                let foreign = pulse_train::interference(levels, kind).pulses;
                (edges.rising().count() as u64).saturating_sub(foreign)
            }
        };
        let (starts_on, output, ledger) = worked(settings, edges, until);
        let (plain_starts_on, plain, _) = worked(InputSettings { debounce: Settings::Pass, ..settings }, edges, until);
        let sense = Sense { on_while_high: Some(settings.on_while_high), tick };
        let advice = advise_line(meter, &meter.clone().figures(until), kind, sense, until);
        let longest = parting::meter(edges, quiet).all().iter().map(|bursts| bursts.longest()).max();
        let verdicts = ledger.verdicts.unwrap_or_default();
        Self {
            kind,
            settings,
            edges,
            real,
            seen: times_on(edges, plain_starts_on, &plain),
            rises: times_on(edges, starts_on, &output),
            starts_on,
            output,
            verdicts,
            quiet,
            all,
            advice,
            longest_burst: longest.unwrap_or_default(),
        }
    }

    fn findings(&self, name: &str, rejected: Rejected) -> Vec<Finding> {
        let scan = self.missed_by_scan(name);
        let first = self.bounce_counted(name).or_else(|| self.pulses_swallowed(name));
        let last = || self.glitches_removed(name, rejected);
        scan.into_iter().chain(first.or_else(last)).collect()
    }

    /// The line to paste, or why there is none.
    fn remedy(&self) -> String {
        let advice = &self.advice;
        match advice.advised.map(|advised| advised.toml()) {
            Some(Some(toml)) => toml,
            Some(None) => "remove the debounce: the line is clean".to_owned(),
            None => format!("no debounce fits: {}", advice.reason),
        }
    }

    fn among(&self) -> &'static str {
        if self.all { "" } else { " in the first edges" }
    }

    /// Accepted edges that stand in bursts, as bounce does.
    fn bounce_counted(&self, name: &str) -> Option<Finding> {
        if !self.kind.is_contact() {
            return self.interference_counted(name);
        }
        let output = Edges { starts_high: self.starts_on, times: &self.output };
        let bursts = parting::meter(output, self.quiet);
        let in_bursts = bursts.extra_edges() + bursts.glitches.edges + bursts.dropouts.edges;
        if in_bursts == 0 || self.rises <= self.real {
            return None;
        }
        let what = match bursts.extra_edges() {
            0 => "short pulses",
            _ => "bounce",
        };
        let message = format!(
            "it goes on {} but only {} likely {}{}: {what} is counted",
            counted(self.rises, "time"),
            self.real,
            if self.real == 1 { "was real" } else { "were real" },
            self.among()
        );
        let sum = format!("longest burst {}, {}", short_time(self.longest_burst), self.debounce_words());
        Some(Finding::warning("bounce-counted", name, message, &self.remedy()).with_sum(sum))
    }

    fn debounce_words(&self) -> String {
        match self.settings.debounce.times() {
            None => "no debounce".to_owned(),
            Some(times) if times.on == times.off => format!("debounce {}", short_time(times.on)),
            Some(times) => format!("debounce {} on and {} off", short_time(times.on), short_time(times.off)),
        }
    }

    /// Short pulses in a sensor's rhythm that are counted with it.
    fn interference_counted(&self, name: &str) -> Option<Finding> {
        let found = pulse_train::interference(self.edges, self.kind);
        if found.pulses == 0 || self.rises <= self.real {
            return None;
        }
        let message = format!(
            "it counts {} but only {} likely were real{}: {} of up to {} between its pulses",
            counted(self.rises, "pulse"),
            self.real,
            self.among(),
            counted(found.pulses, "short pulse"),
            short_time(Nanos(found.longest))
        );
        Some(Finding::warning("bounce-counted", name, message, &self.remedy()))
    }

    /// Real pulses that did not come through.
    fn pulses_swallowed(&self, name: &str) -> Option<Finding> {
        let dropped = match self.kind {
            kind if kind.is_contact() || kind.is_pulses() => {
                self.seen.min(self.real).checked_sub(self.rises + self.undecided())?
            }
            _ => self.look_like_real(),
        };
        // Interference at the very end is not told from a pulse.
        let foreign = pulse_train::interference(self.edges, self.kind).pulses;
        if dropped == 0 || (dropped == 1 && foreign > 0) {
            return None;
        }
        let message = format!(
            "{} of {} {} dropped{}, {}",
            dropped,
            counted(self.real, "real pulse"),
            if dropped == 1 { "is" } else { "are" },
            self.among(),
            self.debounce_words()
        );
        Some(Finding::warning("pulses-swallowed", name, message, &self.remedy()))
    }

    /// Actuations that the end of the edges leaves open.
    fn undecided(&self) -> u64 {
        let decided = self.output.len() + self.verdicts.iter().filter(|verdict| verdict.rule.is_some()).count();
        u64::from(decided < self.edges.times.len())
    }

    /// Dropped pulses of a line of no known kind that look like those that came through: as long, or in a steady rhythm.
    fn look_like_real(&self) -> u64 {
        let rejected: Vec<Nanos> = self
            .verdicts
            .iter()
            .filter(|verdict| verdict.rule == Some(reigen_core::account::Rule::Glitch))
            .map(|verdict| verdict.edge)
            .collect();
        let widths: Vec<u64> =
            rejected.chunks_exact(2).filter_map(|pair| Some((*pair.get(1)? - *pair.first()?).0)).collect();
        let accepted: Vec<u64> = Edges { starts_high: self.starts_on, times: &self.output }.widths(true);
        match (median_length(&accepted), widths.len()) {
            (Some(usual), _) => widths.iter().filter(|width| **width >= usual / 2).count() as u64,
            (None, 8..) if pulse_train::pulse_train(Edges { starts_high: false, times: &rejected }).is_some() => {
                widths.len() as u64
            }
            _ => 0,
        }
    }

    fn glitches_removed(&self, name: &str, rejected: Rejected) -> Option<Finding> {
        let pulses = rejected.glitch.div_ceil(2);
        if pulses == 0 {
            return None;
        }
        let message = format!("the debounce removed {}", counted(pulses, "short pulse"));
        if let Some(longer) = self.longer_than_bursts() {
            let message = format!("{message}; it is shorter than the bounce, and held only just");
            let sum = format!("longest burst {}, {}", short_time(self.longest_burst), self.debounce_words());
            return Some(Finding::note("glitches-removed", name, message, &longer).with_sum(sum));
        }
        let remedy =
            "nothing to do: they look like interference; `reigen run --events FILE.csv` lists each with its time";
        Some(Finding::note("glitches-removed", name, message, remedy))
    }

    /// The line to paste where a contact is held for less than its longest burst: the next burst may be counted.
    fn longer_than_bursts(&self) -> Option<String> {
        let (Settings::Stable(present), Some(AdvisedMethod::Stable(advised))) =
            (self.settings.debounce, self.advice.advised)
        else {
            return None;
        };
        let lacks = |present: Nanos, advised: Nanos| present < advised && present < self.longest_burst;
        let lacking = lacks(present.on, advised.on) || lacks(present.off, advised.off);
        (self.kind.is_contact() && lacking).then(|| self.advice.advised?.toml()).flatten()
    }

    /// Real pulses that came and went between two scans.
    fn missed_by_scan(&self, name: &str) -> Option<Finding> {
        let scan = self.settings.scan?;
        let missed = self.real.checked_sub(self.seen).filter(|missed| *missed > 0)?;
        let shortest = match self.kind.is_contact() {
            true => parting::meter(self.edges, self.quiet).shortest_hold(),
            false => self.edges.holds().map(|hold| Nanos(hold.length)).min(),
        };
        let message = format!(
            "{missed} of {} {} missed by a scan of {}{}",
            counted(self.real, "pulse"),
            if missed == 1 { "is" } else { "are" },
            short_time(scan.period),
            self.among()
        );
        let remedy = match shortest.map(nice_up_to).filter(|time| *time > Nanos(0)) {
            Some(time) => format!(
                "scan every {} or faster: the shortest level lasts {}; or use a high-speed counter input",
                short_time(time),
                short_time(shortest.unwrap_or_default())
            ),
            None => "use a high-speed counter input".to_owned(),
        };
        Some(Finding::warning("missed-by-scan", name, message, &remedy))
    }
}

/// How often an input was on; one that went on before the first scan is on there without an edge, and is not missed.
fn times_on(edges: Edges<'_>, starts_on: bool, output: &[Nanos]) -> u64 {
    let rises = Edges { starts_high: starts_on, times: output }.rising().count() as u64;
    rises + u64::from(starts_on && !edges.starts_high)
}

/// What an input makes of edges, up to and including a time: its first state, its changes, and the fate of the edges.
fn worked(settings: InputSettings, edges: Edges<'_>, until: Nanos) -> (bool, Vec<Nanos>, Ledger) {
    let mut method = settings.start();
    let (mut output, mut ledger) = (Vec::new(), Ledger { verdicts: Some(Vec::new()), ..Ledger::default() });
    method.start_at(Nanos(0), edges.starts_high);
    method.work(edges.times, Nanos(until.0 + 1), &mut output, &mut ledger);
    (method.first_level().map_or(edges.starts_high, |(_, on)| on), output, ledger)
}

#[cfg(test)]
mod tests {
    use super::*;
    use fastrand::Rng;
    use reigen_bank::{self as bank, Line};
    use reigen_core::condition::debounce::{HoldTimes, ReadingTimes};
    use reigen_core::measure::debounce::DebounceMeter;

    const MS: u64 = 1_000_000;

    fn line(times: impl IntoIterator<Item = u64>) -> Line {
        Line { word: "", starts_high: false, times: times.into_iter().map(Nanos).collect() }
    }

    /// Presses of a length every second, each closing with so many bounces 1 ms apart.
    fn presses(hold: u64, bounces: u64) -> Line {
        line((1..=8u64).flat_map(move |second| {
            let start = second * 1000 * MS;
            (0..=2 * bounces).map(move |edge| start + edge * MS).chain([start + hold * MS])
        }))
    }

    /// Presses every second that fall back once before they close.
    fn late_presses() -> Line {
        line((1..=8u64).flat_map(|second| [0, 1, 4, 200].map(|ms| (second * 1000 + ms) * MS)))
    }

    fn stable(time: u64) -> Settings {
        Settings::Stable(HoldTimes { on: Nanos(time), off: Nanos(time) })
    }

    /// What is told of an input that is on while its line is high.
    fn told(line: &Line, kind: &Kind, debounce: Settings, scan: Option<ReadingTimes>) -> Vec<Finding> {
        let end = Nanos(line.times.last().unwrap().0 + 3000 * MS);
        let mut meter = LineMeter::of_first_edges(Nanos(0), line.starts_high, KEPT);
        meter.take(&line.times);
        let settings = InputSettings { on_while_high: true, scan, debounce };
        let case = Case::new(kind, settings, &meter, Nanos(1), end);
        let glitch =
            case.verdicts.iter().filter(|verdict| verdict.rule == Some(reigen_core::account::Rule::Glitch)).count();
        let findings = case.findings("x", Rejected { glitch: glitch as u64, ..Rejected::default() });
        assert!(findings.iter().all(|finding| !finding.remedy.is_empty() && finding.subject == "x"));
        findings
    }

    fn codes(line: &Line, kind: &Kind, debounce: Settings, scan: Option<ReadingTimes>) -> Vec<&'static str> {
        told(line, kind, debounce, scan).iter().map(|finding| finding.code).collect()
    }

    #[test]
    fn a_debounce_that_only_just_held_is_given_the_longer_one_and_a_longer_one_nothing_to_do() {
        let line = late_presses();
        let remedy = |time: u64| told(&line, &Kind::Contact, stable(time), None).pop().map(|finding| finding.remedy);
        assert_eq!(remedy(2 * MS).as_deref(), Some("debounce = { method = \"stable\", time = \"8 ms\" }"));
        assert!(remedy(8 * MS).is_none_or(|remedy| remedy.starts_with("nothing to do")));
    }

    #[test]
    fn each_finding_on_an_input_has_a_case_that_has_it_and_one_that_just_has_not() {
        let (contact, pulses) = (Kind::Contact, Kind::Pulses);
        let bouncing = presses(200, 3);
        let late = late_presses();
        let noisy = line((1..=8u64).flat_map(|second| [0, 200, 500, 501].map(|ms| (second * 1000 + ms) * MS)));
        let train = line((1..=400u64).flat_map(|pulse| [pulse * 20 * MS, (pulse * 20 + 4) * MS]));
        let disturbed = line((1..=400u64).flat_map(|pulse| {
            let glitch = if pulse % 50 == 0 {
                vec![pulse * 20 * MS + 9 * MS, pulse * 20 * MS + 9 * MS + 50_000]
            } else {
                vec![]
            };
            [vec![pulse * 20 * MS, (pulse * 20 + 4) * MS], glitch].concat()
        }));
        let scan = |ms: u64| Some(ReadingTimes { period: Nanos(ms * MS), phase: Nanos(0), catch: false });
        type Case<'a> = (&'a str, &'a Line, &'a Kind, Settings, Option<ReadingTimes>, &'a [&'a str]);
        let cases: [Case<'_>; 15] = [
            ("bounce without debounce", &bouncing, &contact, Settings::Pass, None, &["bounce-counted"]),
            ("a debounce that is too short", &bouncing, &contact, stable(MS / 2), None, &["bounce-counted"]),
            ("one that is long enough", &bouncing, &contact, stable(10 * MS), None, &[]),
            ("one that is longer than the presses", &bouncing, &contact, stable(300 * MS), None, &["pulses-swallowed"]),
            ("a clean contact needs none", &presses(200, 0), &contact, Settings::Pass, None, &[]),
            ("short pulses counted", &noisy, &contact, Settings::Pass, None, &["bounce-counted"]),
            ("short pulses removed", &noisy, &contact, stable(5 * MS), None, &["glitches-removed"]),
            ("one that only just held", &late, &contact, stable(2 * MS), None, &["glitches-removed"]),
            ("a clean train", &train, &pulses, Settings::Pass, None, &[]),
            ("a train with a debounce for buttons", &train, &pulses, stable(8 * MS), None, &["pulses-swallowed"]),
            ("a disturbed train", &disturbed, &pulses, Settings::Pass, None, &["bounce-counted"]),
            ("its interference removed", &disturbed, &pulses, stable(MS / 10), None, &["glitches-removed"]),
            ("a scan that is too slow", &train, &pulses, Settings::Pass, scan(15), &["missed-by-scan"]),
            ("one that is fast enough", &train, &pulses, Settings::Pass, scan(3), &[]),
            ("a line that is not known", &train, &Kind::Unknown, stable(8 * MS), None, &["pulses-swallowed"]),
        ];
        for (what, line, kind, debounce, scan, wanted) in cases {
            assert_eq!(codes(line, kind, debounce, scan), wanted, "{what}");
        }
    }

    #[test]
    fn a_healthy_input_with_the_debounce_that_is_advised_gets_no_warning() {
        for (name, make) in bank::KINDS {
            for seed in 0..25 {
                let labelled = make(&mut Rng::with_seed(seed));
                for (line, guess) in labelled.lines.iter().zip(labelled.judged()) {
                    let mut meter = DebounceMeter::new(Nanos(0), line.starts_high, false);
                    meter.take(&line.times);
                    let sense = Sense { on_while_high: Some(true), tick: Nanos(1) };
                    let end = Nanos(labelled.end.0 + 3000 * MS);
                    let advised = meter.finish(&guess.kind, sense, Default::default(), end).advice.advised;
                    let Some(advised) = advised else { continue };
                    let told = codes(line, &guess.kind, advised.settings(), None);
                    assert!(
                        told.iter().all(|code| *code == "glitches-removed"),
                        "{name} {seed}: {told:?} with {advised:?}"
                    );
                }
            }
        }
    }
}
