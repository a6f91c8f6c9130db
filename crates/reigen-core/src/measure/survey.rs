//! The survey of a recording: each line, what it is, and what looks wrong with it.

use super::advice::Advice;
use super::analog::{AnalogFigures, AnalogMeter};
use super::debounce::{self, Sense};
use super::judgement::JUDGED;
use super::kind::{Guess, Kind};
use super::line::{LineFigures, LineMeter, MANY_EDGES, judge_all};
use super::{mains, pulse_train};
use crate::column::{BitColumn, ReadingColumn};
use crate::finding::Finding;
use crate::names::{counted, some_of};
use crate::time::Nanos;
use crate::units::short_time;
use indexmap::IndexMap;
use rayon::prelude::*;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::sync::Arc;

/// A line of two levels, surveyed.
#[derive(Debug, Clone)]
pub struct SurveyedLine {
    /// Its name.
    pub name: String,
    /// Its figures; `None` if it never had a level. Lines that never change share theirs.
    pub figures: Option<Arc<LineFigures>>,
    /// What it is.
    pub guess: Guess,
    /// The first line that had its edges at the same times, and whether at the same levels.
    pub same_as: Option<(String, bool)>,
    /// Which debounce it needs; `None` if it never had a level.
    pub advice: Option<Advice>,
}

/// A whole survey.
#[derive(Debug, Clone)]
pub struct Survey {
    /// The lines of two levels.
    pub lines: Vec<SurveyedLine>,
    /// The lines of numbers, with their figures.
    pub analogs: Vec<(String, Option<AnalogFigures>)>,
    /// What looks wrong.
    pub findings: Vec<Finding>,
}

/// Surveys lines, window by window.
#[derive(Debug, Default)]
pub struct Surveyor {
    lines: Vec<Line>,
    analogs: Vec<AnalogMeter>,
}

/// A line of two levels, in work: of a thousand lines most never change, and those take little room.
#[derive(Debug, Clone, Default)]
struct Line {
    /// Its first level, and when that came.
    start: Option<(Nanos, bool)>,
    /// From its first edge on.
    meter: Option<Box<LineMeter>>,
}

impl Line {
    fn take(&mut self, bit: &BitColumn) {
        let Some(level) = bit.level else { return };
        let (since, level) = *self.start.get_or_insert((bit.since, level));
        if !bit.toggles.is_empty() {
            self.meter.get_or_insert_with(|| Box::new(LineMeter::new(since, level))).take(&bit.toggles);
        }
    }

    /// The figures of a line that changes.
    fn figures(&mut self, end: Nanos) -> Option<Arc<LineFigures>> {
        self.meter.as_mut().map(|meter| Arc::new(meter.figures(end)))
    }

    /// Its meter; `still` are those of lines that stay low and high.
    fn meter<'a>(&'a self, still: &'a [LineMeter; 2]) -> Option<&'a LineMeter> {
        let (_, level) = self.start?;
        self.meter.as_deref().or_else(|| still.get(usize::from(level)))
    }
}

impl Surveyor {
    /// For so many lines of two levels and of numbers.
    pub fn new(lines: usize, analogs: usize) -> Self {
        Self { lines: vec![Line::default(); lines], analogs: vec![AnalogMeter::default(); analogs] }
    }

    /// Takes what the lines did within a window.
    pub fn take(&mut self, bits: &[BitColumn], readings: &[ReadingColumn]) {
        let edges: usize = bits.iter().map(|bit| bit.toggles.len()).sum();
        let work = |(line, bit): (&mut Line, &BitColumn)| line.take(bit);
        match edges > MANY_EDGES {
            true => self.lines.par_iter_mut().zip(bits).for_each(work),
            false => self.lines.iter_mut().zip(bits).for_each(work),
        }
        for (meter, column) in self.analogs.iter_mut().zip(readings) {
            column.times.iter().zip(&column.values).for_each(|(&time, &value)| meter.take(time, value));
        }
    }

    /// What comes of it at the recording's last time; with the step of its times and the names of the lines.
    pub fn finish(mut self, tick: Nanos, end: Nanos, names: &[String], analogs: &[String]) -> Survey {
        let mut figures: Vec<Option<Arc<LineFigures>>> =
            self.lines.par_iter_mut().map(|line| line.figures(end)).collect();
        let mut of_still: HashMap<(Nanos, bool), Arc<LineFigures>> = HashMap::new();
        for (line, figures) in self.lines.iter().zip(&mut figures).filter(|(line, _)| line.meter.is_none()) {
            let still = |(since, level)| Arc::new(LineMeter::new(since, level).figures(end));
            *figures = line.start.map(|start| Arc::clone(of_still.entry(start).or_insert_with(|| still(start))));
        }
        let still = [false, true].map(|level| LineMeter::new(Nanos(0), level));
        let meters: Vec<Option<&LineMeter>> = self.lines.iter().map(|line| line.meter(&still)).collect();
        let guesses = judge_all(&meters, names, end);
        let sense = Sense { on_while_high: None, tick };
        let advices: Vec<Option<Advice>> = meters
            .par_iter()
            .zip(&figures)
            .zip(&guesses)
            .map(|((meter, figures), guess)| {
                Some(debounce::advise_line((*meter)?, figures.as_deref()?, &guess.kind, sense, end))
            })
            .collect();
        let mut told = LineReport::default();
        let mut lines: Vec<SurveyedLine> = Vec::new();
        let mut earlier = Histories::default();
        let all = names.iter().zip(figures).zip(guesses).zip(meters).zip(advices);
        for ((((name, figures), guess), meter), advice) in all {
            let same_as = meter.and_then(|meter| earlier.same_as(name, meter));
            let line = SurveyedLine { name: name.clone(), figures, guess, same_as, advice };
            of_line(&line, meter, &mut told);
            lines.push(line);
        }
        let mut findings = told.finish();
        findings.extend(of_equal_lines(&lines));
        let analogs: Vec<(String, Option<AnalogFigures>)> =
            analogs.iter().cloned().zip(self.analogs.iter().map(|meter| meter.figures(end))).collect();
        analogs.iter().for_each(|(name, figures)| of_analog(name, figures.as_ref(), &mut findings));
        Survey { lines, analogs, findings }
    }
}

/// The first line of each history, by its edges.
#[derive(Debug, Default)]
struct Histories<'a>(HashMap<(u64, u64), (&'a str, bool)>);

impl<'a> Histories<'a> {
    /// The first line before this one that has its edges at the same times, and whether at the same levels.
    fn same_as(&mut self, name: &'a str, meter: &LineMeter) -> Option<(String, bool)> {
        let history = meter.history()?;
        match self.0.entry(history) {
            Entry::Vacant(first) => {
                first.insert((name, meter.starts_high));
                None
            }
            Entry::Occupied(first) => {
                let (first, starts_high) = first.get();
                Some(((*first).to_owned(), *starts_high == meter.starts_high))
            }
        }
    }
}

/// Findings as they come: of many lines of which the same is said, it is said once.
#[derive(Debug, Default)]
struct LineReport {
    findings: Vec<Finding>,
    /// For each code and message the findings that have them, and how many more there were.
    alike: HashMap<(&'static str, String), (Vec<usize>, usize)>,
}

impl LineReport {
    /// So many findings that say the same are told one by one.
    const MOST: usize = 10;

    fn push(&mut self, finding: Finding) {
        let (numbers, more) = self.alike.entry((finding.code, finding.message.clone())).or_default();
        if numbers.len() < Self::MOST {
            numbers.push(self.findings.len());
            self.findings.push(finding);
        } else {
            *more += 1;
        }
    }

    fn finish(self) -> Vec<Finding> {
        let mut findings: Vec<Option<Finding>> = self.findings.into_iter().map(Some).collect();
        for (numbers, more) in self.alike.into_values().filter(|(_, more)| *more > 0) {
            let mut alike = numbers.iter().filter_map(|&number| Some((number, findings.get_mut(number)?.take()?)));
            let Some((number, mut first)) = alike.next() else { continue };
            let others: Vec<String> = alike.map(|(_, finding)| finding.subject).collect();
            first.subject = format!("{}, {} and {more} more", first.subject, others.join(", "));
            findings.get_mut(number).into_iter().for_each(|place| *place = Some(first.clone()));
        }
        findings.into_iter().flatten().collect()
    }
}

/// Lines that are the same as another, or the opposite, each kind together.
fn of_equal_lines(lines: &[SurveyedLine]) -> Vec<Finding> {
    let mut groups: IndexMap<&(String, bool), Vec<&str>> = IndexMap::new();
    for line in lines {
        if let Some(same_as) = &line.same_as {
            groups.entry(same_as).or_default().push(&line.name);
        }
    }
    let told = groups.into_iter().map(|((first, same), names)| {
        let (code, word) = if *same { ("lines-equal", "the same as") } else { ("lines-opposite", "the opposite of") };
        let message = format!("always {word} `{first}`, edge for edge");
        let remedy = "if they should be two signals, check for a short or a copied wire";
        Finding::note(code, &some_of(&names), message, remedy)
    });
    told.collect()
}

fn of_line(line: &SurveyedLine, meter: Option<&LineMeter>, findings: &mut LineReport) {
    let name = line.name.as_str();
    let (Some(figures), Some(meter)) = (&line.figures, meter) else {
        let message = "never has a level".to_owned();
        return findings.push(Finding::warning("no-level", name, message, "check that it was recorded at all"));
    };
    // What is wrong with lines that are the same is told once.
    if line.same_as.as_ref().is_some_and(|(_, same)| *same) {
        return;
    }
    match line.guess.kind {
        Kind::Dead => {
            let level = if figures.idle_high { "high" } else { "low" };
            let message = format!("{level} from the first time to the last");
            let remedy = "actuate it while recording; if it stays so, check for a broken wire, a short, or a sensor without supply";
            findings.push(Finding::warning("dead", name, message, remedy));
        }
        Kind::Floating => {
            let remedy = "connect it, or fit a pull-up or pull-down; tie it off if nothing is wired to it";
            findings.push(Finding::warning("floating", name, line.guess.ground.clone(), remedy));
        }
        Kind::Contact | Kind::Changeover { .. } | Kind::Unknown => of_bursts(name, figures, findings),
        Kind::Pulses | Kind::Modulated | Kind::Quadrature { .. } => of_pulses(line, meter, findings),
        _ => {}
    }
    if let (Kind::Pulses, Some(hertz)) = (&line.guess.kind, mains::same_frequency(meter.edges().first(JUDGED))) {
        let message =
            format!("its frequency is exactly that of {hertz} Hz mains, with steady widths: driven, or well coupled");
        let remedy = "stop what it measures while recording: if the pulses go on, they come from the mains, so ground the cable's shield";
        findings.push(Finding::note("mains-frequency", name, message, remedy));
    }
}

/// Short pulses beside a contact's own transitions.
fn of_bursts(name: &str, figures: &LineFigures, findings: &mut LineReport) {
    let (at_rest, away) = (figures.at_rest(), figures.away_from_rest());
    if at_rest.count() > 0 {
        let pulses = counted(at_rest.count(), "short pulse");
        let message = format!("{pulses} at rest with no change after, up to {}", short_time(at_rest.longest()));
        let remedy = "check for a wire beside a coil or a motor; `reigen debounce` finds a time that removes them";
        findings.push(Finding::note("glitches", name, message, remedy));
    }
    if away.count() > 0 {
        let breaks = counted(away.count(), "short break");
        let message = format!("{breaks} while it is actuated, up to {}", short_time(away.longest()));
        let remedy = "a dirty or loose contact: clean or replace it, or give it more wetting current";
        findings.push(Finding::note("dropouts", name, message, remedy));
    }
}

/// Short pulses in a sensor's rhythm.
fn of_pulses(line: &SurveyedLine, meter: &LineMeter, findings: &mut LineReport) {
    let found = pulse_train::interference(meter.edges(), &line.guess.kind);
    if found.pulses == 0 {
        return;
    }
    let message = format!(
        "{} between its pulses that {} not belong, up to {}",
        counted(found.pulses, "short pulse"),
        if found.pulses == 1 { "does" } else { "do" },
        short_time(Nanos(found.longest))
    );
    let remedy =
        "check the shield and the pull-up; `reigen debounce` finds a time that removes them, where there is one";
    findings.push(Finding::note("glitches", &line.name, message, remedy));
}

fn of_analog(name: &str, figures: Option<&AnalogFigures>, findings: &mut Vec<Finding>) {
    let Some(figures) = figures else { return };
    let ends = [("lowest", figures.least), ("highest", figures.most)];
    for ((word, value), _) in ends.into_iter().zip(figures.clips).filter(|(_, clips)| *clips) {
        let message = format!("at its {word} value, {value}, again and again: it looks clipped");
        findings.push(Finding::note("clipping", name, message, "check the range of sensor and converter"));
    }
    if figures.most == figures.least && figures.values > 1 {
        let message = format!("{} all the time", figures.least);
        findings.push(Finding::warning("dead", name, message, "check for a broken wire or a sensor without supply"));
    }
}
