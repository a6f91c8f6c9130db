//! Live lines as the lines of a station.

use super::due::NextDue;
use super::event::LiveEvent;
use super::findings::of_link;
use super::inbox::Inbox;
use super::intake::{Intake, LinkAccount};
use crate::error::RunError;
use crate::retain::Fitting;
use crate::session::Binding;
use crate::source::{Advance, LineSource, TakeAdvance};
use reigen_core::change::Value;
use reigen_core::engine::Retained;
use reigen_core::finding::Finding;
use reigen_core::lines::{JoinedPiece, LineColumns, LineKind, RecordedLine};
use reigen_core::time::Nanos;
use reigen_station::links::{Link, online_line};
use reigen_station::station::set_by_hand::{SetByHand, set_line};
use reigen_station::station::{Point, Station};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// So many events are taken at once before the station is worked.
const MOST_AT_ONCE: usize = 64;

/// What a live run is.
#[derive(Debug)]
pub struct LiveSettings {
    /// What it is called in messages.
    pub name: String,
    /// The links, by their numbers.
    pub links: Vec<LiveLink>,
    /// How long the run is; `None` for until somebody ends it.
    pub length: Option<Nanos>,
    /// What points go on from, and what was dropped.
    pub kept: Fitting,
    /// The number of the first line by which an output is set by hand, where there are any.
    pub set_from: Option<usize>,
}

/// A link of a live run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LiveLink {
    /// Its name.
    pub name: String,
    /// How late a message with a time of its own may be.
    pub lateness: Nanos,
}

/// What links have done so far, for whoever looks on.
#[derive(Debug, Clone, Default)]
pub struct LinkWatch(Arc<Mutex<Option<Vec<LinkAccount>>>>);

impl LinkWatch {
    /// What there is to tell of each link, where that is new.
    pub fn take_news(&self) -> Option<Vec<LinkAccount>> {
        self.slot().take()
    }

    fn slot(&self) -> MutexGuard<'_, Option<Vec<LinkAccount>>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// The lines of a live run.
pub struct LiveSource<I> {
    settings: LiveSettings,
    lines: Vec<RecordedLine>,
    inbox: I,
    intake: Intake,
    next_due: NextDue,
    /// Each looks at them when it likes.
    links: Vec<LinkWatch>,
    /// For each line of two levels the column that it fills, and its last level; for each number line its column.
    levels: Vec<(Option<usize>, Option<bool>)>,
    numbers: Vec<Option<usize>>,
    edges: u64,
    last_time: Nanos,
}

/// The lines that a station names: those of two levels, then those of numbers. A bit of a number is in that number.
pub fn station_lines(station: &Station) -> Vec<RecordedLine> {
    let (mut levels, mut numbers): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
    let mut add = |name: &str, is_number: bool| {
        let names = if is_number { &mut numbers } else { &mut levels };
        if !names.iter().any(|known| known == name) {
            names.push(name.to_owned());
        }
    };
    for point in &station.points {
        point.kind.number_lines().iter().for_each(|line| add(&line.name, true));
        for line in point.kind.lines() {
            let number = line.name.rsplit_once('.').filter(|(_, bit)| bit.parse::<u32>().is_ok());
            add(number.map_or(line.name.as_str(), |(number, _)| number), number.is_some());
        }
    }
    station.online_lines().iter().for_each(|line| add(&line.name, false));
    let steps: HashMap<&str, Nanos> = station.links.iter().flat_map(steps_of).collect();
    let line = |kind: LineKind| {
        let steps = &steps;
        move |(signal, name): (usize, String)| {
            let step = steps.get(name.as_str()).copied();
            RecordedLine { name, signal, kind: kind.clone(), step }
        }
    };
    let levels = levels.into_iter().enumerate().map(line(LineKind::Level));
    levels.chain(numbers.into_iter().enumerate().map(line(LineKind::Real))).collect()
}

/// The lines by which outputs are set by hand: they follow those of the station, of which links tell.
pub fn set_lines(station: &Station, lines: &[RecordedLine]) -> Vec<RecordedLine> {
    let numbers = lines.iter().filter(|line| line.kind != LineKind::Level).count();
    let settable = station.points.iter().filter(|point| point.kind.is_settable());
    let line = |(signal, point): (usize, &Point)| RecordedLine {
        name: set_line(&point.name),
        signal,
        kind: LineKind::Real,
        step: None,
    };
    (numbers..).zip(settable).map(line).collect()
}

/// How often each line of a link is read, where the device is asked.
fn steps_of(link: &Link) -> Vec<(&str, Nanos)> {
    let Some(step) = link.protocol.step() else { return Vec::new() };
    link.protocol.lines().into_iter().map(|(name, _)| (name, step)).collect()
}

impl<I: Inbox> LiveSource<I> {
    /// A source of these lines, of which events tell by their numbers; with it what tells when something is due, which
    /// must look on.
    pub fn new(settings: LiveSettings, lines: Vec<RecordedLine>, inbox: I) -> (Self, NextDue) {
        let next_due = NextDue::default();
        let online = |link: &str| lines.iter().position(|line| line.name == online_line(link));
        let links = settings.links.iter().map(|link| (online(&link.name), link.lateness));
        let count = |is_level: bool| lines.iter().filter(|line| (line.kind == LineKind::Level) == is_level).count();
        let (levels, numbers) = (vec![(None, None); count(true)], vec![None; count(false)]);
        let due = next_due.clone();
        let mut intake = Intake::new(links.collect());
        for line in settings.set_from.into_iter().flat_map(|first| first..lines.len()) {
            intake.take(LiveEvent::Set { line, what: SetByHand::LetGo, at: Nanos(0) });
        }
        (
            Self {
                settings,
                lines,
                inbox,
                intake,
                next_due,
                links: Vec::new(),
                levels,
                numbers,
                edges: 0,
                last_time: Nanos(0),
            },
            due,
        )
    }

    /// What tells of the links while the run goes on.
    pub fn link_watch(&mut self) -> LinkWatch {
        let watch = LinkWatch::default();
        self.links.push(watch.clone());
        watch
    }

    /// The lines that are bound: those of two levels, and those of numbers.
    pub fn lines_of(&self, binding: &Binding) -> [Vec<RecordedLine>; 2] {
        let of = |is_level: bool, signals: &[usize]| {
            let kind = self.lines.iter().filter(|line| (line.kind == LineKind::Level) == is_level);
            signals.iter().filter_map(|signal| kind.clone().find(|line| line.signal == *signal).cloned()).collect()
        };
        [of(true, &binding.signals), of(false, &binding.numbers)]
    }

    /// Says how the links are.
    fn tell_of_links(&self) {
        for watch in &self.links {
            *watch.slot() = Some(self.intake.accounts().cloned().collect());
        }
    }

    /// Says so where that is new, and the last has been looked at: links tell of themselves in every pass.
    fn tell_news_of_links(&mut self) {
        if self.links.iter().any(|watch| watch.slot().is_none()) && self.intake.has_news() {
            self.tell_of_links();
        }
    }

    /// Waits for the next event, for what is due, or for the end.
    fn wait(&mut self) {
        let end = self.settings.length.unwrap_or(Nanos(u64::MAX));
        let due = self.next_due.get().map_or(Nanos(u64::MAX), |due| self.intake.known_by(due + Nanos(1)));
        // What waits for its turn is due, too.
        let waiting = self.intake.next_waiting().map_or(Nanos(u64::MAX), |time| self.intake.known_by(time + Nanos(1)));
        if let Some(event) = self.inbox.receive(due.min(end).min(waiting)) {
            self.intake.take(event);
        }
        for _ in 1..MOST_AT_ONCE {
            let Some(event) = self.inbox.receive_at_once() else { break };
            self.intake.take(event);
        }
    }

    /// Puts into the columns what lies before a time.
    fn fill(&mut self, columns: &mut LineColumns, until: Nanos) {
        let Self { intake, lines, levels, numbers, edges, .. } = self;
        intake.pass(until, |time, line, value| {
            let Some(line) = lines.get(line) else { return };
            match (value, levels.get_mut(line.signal), numbers.get(line.signal)) {
                (Value::Level(high), Some((column, last)), _) if line.kind == LineKind::Level => {
                    let before = last.replace(high);
                    *edges += u64::from(before.is_some_and(|before| before != high));
                    let Some(column) = *column else { return };
                    match before {
                        None => columns.append(column, JoinedPiece { start: Some((time, high)), edges: &[] }),
                        Some(before) if before != high => {
                            columns.append(column, JoinedPiece { start: None, edges: &[time] });
                        }
                        Some(_) => {}
                    }
                }
                (Value::Number(number), _, Some(Some(column))) if line.kind != LineKind::Level => {
                    columns.append_reading(*column, time, number);
                }
                // A line that is not known holds its last value.
                _ => {}
            }
        });
    }
}

impl<I: Inbox> LineSource for LiveSource<I> {
    fn name(&self) -> &str {
        &self.settings.name
    }

    fn lines(&self) -> &[RecordedLine] {
        &self.lines
    }

    fn tick(&self) -> Nanos {
        Nanos(1)
    }

    fn resumed(&self) -> &[(String, Retained)] {
        &self.settings.kept.resumed
    }

    fn select(&mut self, bits: &[usize], numbers: &[usize]) -> LineColumns {
        for (column, signal) in bits.iter().enumerate() {
            self.levels.iter_mut().skip(*signal).take(1).for_each(|level| level.0 = Some(column));
        }
        for (column, signal) in numbers.iter().enumerate() {
            self.numbers.iter_mut().skip(*signal).take(1).for_each(|number| *number = Some(column));
        }
        LineColumns::new(bits.len(), numbers.len())
    }

    fn drive(&mut self, columns: &mut LineColumns, take: &mut TakeAdvance<'_>) -> Result<(), RunError> {
        loop {
            self.wait();
            let now = self.inbox.now();
            let end = self.settings.length.filter(|end| *end <= now);
            let over = self.intake.is_over().then(|| self.intake.last_waiting().map_or(now, |last| last.max(now)));
            if let Some(end) = end.or(over) {
                // What a link has told is worked, whatever may still come.
                self.fill(columns, end + Nanos(1));
                columns.end_at(end + Nanos(1));
                self.last_time = end;
                let _ = take(columns, Advance { known_until: end + Nanos(1) });
                self.tell_of_links();
                return Ok(());
            }
            let known_until = self.intake.known_until(now);
            self.fill(columns, known_until);
            self.tell_news_of_links();
            self.last_time = known_until.saturating_sub(Nanos(1));
            if take(columns, Advance { known_until }).is_break() {
                return Ok(());
            }
        }
    }

    fn last_time(&self) -> Nanos {
        self.last_time
    }

    fn two_level_lines(&self) -> usize {
        self.levels.len()
    }

    fn edges(&self) -> u64 {
        self.edges
    }

    fn findings(&self, _names: &[String]) -> Vec<Finding> {
        let links = self.settings.links.iter().map(|link| link.name.as_str());
        let of_links = links.zip(self.intake.accounts()).flat_map(|(name, told)| of_link(name, told, self.last_time));
        self.settings.kept.findings.iter().cloned().chain(of_links).collect()
    }
}
