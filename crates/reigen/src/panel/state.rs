//! What the panel shows, filled while the station is worked.

use super::causes::{Cause, causes};
use reigen_core::finding::Severity;
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;
use reigen_core::units::{resolved, short_time};
use reigen_run::error::RunError;
use reigen_run::live::changes::{PointChange, TakeChanges};
use reigen_run::live::intake::LinkAccount;
use reigen_run::live::source::LinkWatch;
use reigen_run::live::stale::StaleMap;
use reigen_station::station::{FieldColumn, Station};
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// A strip shows so many seconds, one value each.
pub(super) const STRIP: usize = 60;
/// So many changes are kept.
const CHANGES: usize = 200;
const SECOND: u64 = 1_000_000_000;

/// A point on the panel.
#[derive(Debug, Clone, Default)]
pub(super) struct PanelPoint {
    /// Its name; empty where it is not shown.
    pub(super) name: String,
    /// Its name, shown or not.
    pub(super) label: String,
    /// Whether it stands on a value that is old.
    pub(super) is_stale: bool,
    pub(super) unit: String,
    /// Whether it is a bit; else a number.
    pub(super) is_bit: bool,
    /// Whether it is an output, which can be set by hand.
    pub(super) is_settable: bool,
    pub(super) value: Option<Value>,
    pub(super) since: Nanos,
    /// The last value of each second, the newest last.
    pub(super) strip: VecDeque<f64>,
    /// The second that the newest is of.
    second: u64,
}

/// What a line is, and since when.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct LineState {
    pub(super) value: Value,
    pub(super) since: Nanos,
}

/// What is wrong, in a line.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Problem {
    pub(super) severity: Severity,
    pub(super) text: String,
}

/// All that the panel shows.
#[derive(Debug, Default)]
pub(crate) struct Panel {
    pub(super) title: String,
    pub(super) drives: bool,
    pub(super) now: Nanos,
    pub(super) points: Vec<PanelPoint>,
    pub(super) changes: VecDeque<String>,
    pub(super) links: Vec<(String, LinkAccount)>,
    pub(super) paused: bool,
    /// What is looked for among the names.
    pub(super) filter: String,
    pub(super) is_typing: bool,
    /// Which of the points that are shown is chosen; bits come before numbers.
    pub(super) chosen: usize,
    /// Whether it is told why that point is as it is.
    pub(super) tells_why: bool,
    /// What each point reads.
    pub(super) causes: Vec<Vec<Cause>>,
    pub(super) lines: HashMap<String, LineState>,
    /// What points are that have failed, or are faulty.
    pub(super) wrong: Vec<String>,
    pub(super) is_over: bool,
}

impl Panel {
    /// The panel of these points of a station.
    pub(crate) fn new(station: &Station, points: &[usize], drives: bool) -> Self {
        let wanted = |number: usize| points.contains(&number);
        let point = |(number, point): (usize, &reigen_station::station::Point)| PanelPoint {
            // A point that is not wanted has no name, so that the numbers stay.
            name: if wanted(number) { point.name.clone() } else { String::new() },
            label: point.name.clone(),
            unit: point.kind.unit().unwrap_or_default().to_owned(),
            is_bit: point.kind.fields().first().is_none_or(|field| matches!(field.column, FieldColumn::Bit(_))),
            is_settable: point.kind.is_settable(),
            ..PanelPoint::default()
        };
        let title = station.title.clone().unwrap_or_else(|| "station".to_owned());
        let points = station.points.iter().enumerate().map(point).collect();
        Self { title, drives, points, causes: causes(station), ..Self::default() }
    }

    /// A line is this.
    pub(super) fn line(&mut self, name: &str, state: LineState) {
        match self.lines.get_mut(name) {
            // What has not changed has been so for longer.
            Some(known) if known.value == state.value => {}
            Some(known) => *known = state,
            None => drop(self.lines.insert(name.to_owned(), state)),
        }
    }

    /// The run is over: the terminal becomes what it was.
    pub(crate) fn end(&mut self) {
        self.is_over = true;
    }

    /// The points whose names fit what is looked for.
    pub(super) fn shown(&self) -> impl Iterator<Item = &PanelPoint> {
        self.points.iter().filter(|point| !point.name.is_empty() && point.name.contains(&self.filter))
    }

    /// The number of the point that is chosen.
    pub(super) fn chosen_point(&self) -> Option<usize> {
        let (bits, numbers): (Vec<&PanelPoint>, Vec<&PanelPoint>) = self.shown().partition(|point| point.is_bit);
        let chosen = bits.into_iter().chain(numbers).nth(self.chosen)?;
        self.points.iter().position(|point| point.label == chosen.label)
    }

    /// What is wrong now, the worst first.
    pub(super) fn problems(&self) -> Vec<Problem> {
        let mut problems = Vec::new();
        let problem = |severity, text| Problem { severity, text };
        for (name, told) in &self.links {
            if let Some(since) = told.lost_since {
                let why = told.why_lost.as_deref().unwrap_or_default();
                let long = short_time(self.now.saturating_sub(since));
                let text = match told.was_reached {
                    true => format!("{name} lost {long} ago: {why}"),
                    false => format!("{name} not reached for {long}: {why}"),
                };
                problems.push(problem(Severity::Error, text));
            }
        }
        problems.extend(self.wrong.iter().map(|text| problem(Severity::Warning, text.clone())));
        for (name, told) in &self.links {
            if let Some(what) = &told.driven_twice {
                let text = format!("{name}: another program writes to the same device: {what}");
                problems.push(problem(Severity::Warning, text));
            }
            if let Some((first, _)) = &told.first_refused {
                problems.push(problem(Severity::Warning, format!("{name} refuses {first}")));
            }
            if let Some(first) = told.first_malformed.as_deref() {
                let count = told.malformed;
                problems
                    .push(problem(Severity::Warning, format!("{name}: {count} could not be read, the first: {first}")));
            }
        }
        problems
    }

    fn take(&mut self, change: &PointChange) {
        let Some(point) = self.points.get_mut(change.point) else { return };
        let second = change.time.0 / SECOND;
        point.pass(second);
        (point.value, point.since) = (Some(change.value), change.time);
        if let (Some(number), Some(newest)) = (number(change.value), point.strip.back_mut()) {
            *newest = number;
        }
        // Numbers have their strips, and would hide all else.
        if point.name.is_empty() || !point.is_bit {
            return;
        }
        let line = format!("{:>11.3} s  {}  {}", change.time.seconds(), point.name, point.words());
        if self.changes.len() >= CHANGES {
            self.changes.pop_front();
        }
        self.changes.push_back(line);
    }

    /// Time passes.
    pub(super) fn pass(&mut self, now: Nanos) {
        self.now = self.now.max(now);
        let second = self.now.0 / SECOND;
        self.points.iter_mut().for_each(|point| point.pass(second));
    }
}

/// The number of a value; a bit is none.
fn number(value: Value) -> Option<f64> {
    match value {
        Value::Bit(_) => None,
        value => value.as_real(),
    }
}

impl PanelPoint {
    /// Its value as people say it.
    pub(super) fn words(&self) -> String {
        match self.value {
            None => "-".to_owned(),
            Some(Value::Bit(on)) => if on { "on" } else { "off" }.to_owned(),
            Some(Value::Integer(count)) => format!("{count} {}", self.unit).trim_end().to_owned(),
            Some(Value::Real(number)) => format!("{} {}", resolved(number, None), self.unit).trim_end().to_owned(),
        }
    }

    /// The strip goes on to a second, with the value that holds.
    fn pass(&mut self, second: u64) {
        let Some(value) = self.value.and_then(number) else {
            if self.strip.is_empty() {
                self.strip.push_back(0.0);
            }
            self.second = second;
            return;
        };
        let steps = second.saturating_sub(self.second).min(STRIP as u64);
        for _ in 0..steps {
            self.strip.push_back(value);
        }
        while self.strip.len() > STRIP {
            self.strip.pop_front();
        }
        self.second = self.second.max(second);
    }
}

/// Hands what happens to the panel.
pub(crate) struct PanelFeed {
    panel: Arc<Mutex<Panel>>,
    links: LinkWatch,
    names: Vec<String>,
    stale: StaleMap,
}

impl PanelFeed {
    /// Fills a panel; `links` tells of the links with these names, and `stale` which points stand on which.
    pub(crate) fn new(panel: Arc<Mutex<Panel>>, links: LinkWatch, names: Vec<String>, stale: StaleMap) -> Self {
        Self { panel, links, names, stale }
    }
}

/// The panel, whoever has it.
pub(super) fn lock(panel: &Mutex<Panel>) -> MutexGuard<'_, Panel> {
    panel.lock().unwrap_or_else(PoisonError::into_inner)
}

impl TakeChanges for PanelFeed {
    fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError> {
        let links = self.links.take_news();
        let mut panel = lock(&self.panel);
        changes.iter().for_each(|change| panel.take(change));
        panel.pass(until);
        if let Some(links) = links {
            let stale = self.stale.of(&links);
            panel.points.iter_mut().zip(stale).for_each(|(point, is_stale)| point.is_stale = is_stale);
            panel.links = self.names.iter().cloned().zip(links).collect();
        }
        Ok(())
    }
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use reigen_run::live::passes::PassAccount;

    /// A winder at work, with a link that is lost.
    pub(in crate::panel) fn winder() -> Panel {
        let station =
            reigen_station::station::parse(include_str!("../../../../examples/11-live/station.toml")).unwrap();
        let all: Vec<usize> =
            (0..station.points.len()).filter(|number| !station.points[*number].kind.fields().is_empty()).collect();
        let mut panel = Panel::new(&station, &all, true);
        let number = |name: &str| station.points.iter().position(|point| point.name == name).unwrap();
        for second in 0..75_u64 {
            let time = Nanos(second * SECOND + 1);
            let speed = Value::Real(f64::from(u32::try_from(second.min(40)).unwrap()) * 7.5);
            panel.take(&PointChange { time, point: number("drum_speed"), value: speed });
            panel.take(&PointChange {
                time,
                point: number("spool_turns"),
                value: Value::Integer(second.cast_signed() * 5),
            });
            panel.take(&PointChange { time, point: number("running"), value: Value::Bit(second % 9 > 2) });
        }
        panel.pass(Nanos(75 * SECOND));
        panel.line("PB_START", LineState { value: Value::Bit(false), since: Nanos(2 * SECOND) });
        panel.line("PB_START", LineState { value: Value::Bit(false), since: Nanos(3 * SECOND) });
        for name in ["running", "drum_speed", "run_lamp"] {
            panel.points[number(name)].is_stale = true;
        }
        let passes = PassAccount { passes: 3700, late: 2, longest: Nanos(21_400_000) };
        let why = "127.0.0.1:1502: Connection refused".to_owned();
        let lost = LinkAccount {
            lost_since: Some(Nanos(71 * SECOND)),
            downs: 1,
            was_reached: true,
            why_lost: Some(why),
            ..LinkAccount::default()
        };
        panel.links = vec![("io".to_owned(), LinkAccount { passes, ..lost })];
        panel
    }

    #[test]
    fn a_strip_has_the_last_value_of_each_second_of_the_last_minute() {
        let panel = winder();
        let speed = panel.points.iter().find(|point| point.name == "drum_speed").unwrap();
        assert_eq!(speed.strip.len(), STRIP);
        assert_eq!((speed.strip[0], speed.strip[STRIP - 1]), (16.0 * 7.5, 300.0));
        assert!(panel.problems()[0].text.starts_with("io lost 4 s ago"), "{:?}", panel.problems());
    }
}
