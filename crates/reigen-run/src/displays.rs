//! What displays show, as it changes.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use indexmap::IndexMap;
use reigen_core::engine::PointColumns;
use reigen_core::finding::Finding;
use reigen_core::logic::expression::{Reference, Value};
use reigen_core::time::{Nanos, Window};
use reigen_station::points::display::Display;
use reigen_station::station::{FieldColumn, Station};
use std::collections::HashMap;

/// A new text of a display.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DisplayText {
    /// From when on it is shown.
    pub time: Nanos,
    /// The number of the display among those of the station.
    pub display: usize,
    /// Its rows.
    pub rows: Vec<String>,
}

/// The displays of a station.
///
/// A display with a `refresh` shows what stands at each multiple of that; another one follows its points. Where nobody
/// wants each text, the one at the end of each window will do.
pub struct DisplayWatch<'a> {
    shown: Vec<Shown<'a>>,
    /// The texts since they were last taken; `None` where nobody wants them.
    told: Option<Vec<DisplayText>>,
}

/// One display.
struct Shown<'a> {
    display: &'a Display,
    /// Where each name in its text is: the number of the point, and its column.
    names: HashMap<&'a Reference, (usize, FieldColumn)>,
    rows: Vec<String>,
    /// Of each row the first finding.
    findings: IndexMap<usize, Finding>,
    /// The first multiple of its refresh time that is still to come; `None` once all times are over.
    next: Option<Nanos>,
}

impl<'a> DisplayWatch<'a> {
    /// The displays as they are at the end.
    pub fn new(station: &'a Station) -> Self {
        let numbers: HashMap<&str, usize> =
            station.points.iter().enumerate().map(|(number, point)| (point.name.as_str(), number)).collect();
        let place = |name: &'a Reference| {
            let number = *numbers.get(name.point.as_str())?;
            let kind = &station.points.get(number)?.kind;
            // What gives nothing to others is still on or off itself.
            let own = name.field.is_empty().then_some(FieldColumn::Bit(0));
            Some((name, (number, kind.field(&name.field).or(own)?)))
        };
        let shown = |display: &'a Display| Shown {
            display,
            names: display.names().filter_map(|(name, ..)| place(name)).collect(),
            rows: Vec::new(),
            findings: IndexMap::new(),
            next: Some(Nanos(0)),
        };
        Self { shown: station.displays.iter().map(shown).collect(), told: None }
    }

    /// The same, with each text on the way.
    pub fn telling(station: &'a Station) -> Self {
        Self { told: Some(Vec::new()), ..Self::new(station) }
    }

    /// The texts since they were last taken, in the order of time.
    pub fn take_told(&mut self) -> Vec<DisplayText> {
        self.told.as_mut().map(std::mem::take).unwrap_or_default()
    }

    /// The rows of each display as they are now, and what did not fit.
    pub fn finish(self) -> (IndexMap<String, Vec<String>>, Vec<Finding>) {
        let mut findings = Vec::new();
        let mut rows = IndexMap::new();
        for shown in self.shown {
            findings.extend(shown.findings.into_values());
            let blank = shown.rows.is_empty().then(|| shown.display.rows(&|_| None).0);
            rows.insert(shown.display.name.clone(), blank.unwrap_or(shown.rows));
        }
        (rows, findings)
    }
}

impl Observer for DisplayWatch<'_> {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let points: HashMap<usize, PointColumns<'_>> =
            view.engine.points().map(|columns| (columns.point, columns)).collect();
        for (display, shown) in self.shown.iter_mut().enumerate() {
            for time in shown.times(view.window, &points, self.told.is_some()) {
                let is_new = shown.show(time, &points);
                if let Some(told) = self.told.as_mut().filter(|_| is_new) {
                    told.push(DisplayText { time, display, rows: shown.rows.clone() });
                }
            }
        }
        if let Some(told) = &mut self.told {
            told.sort_by_key(|text| text.time);
        }
        Ok(())
    }
}

impl Shown<'_> {
    /// The times within a window at which it may show something new.
    fn times(&mut self, window: Window, points: &HashMap<usize, PointColumns<'_>>, each: bool) -> Vec<Nanos> {
        let last = window.until.saturating_sub(Nanos(1));
        let mut times: Vec<Nanos> = match (self.display.refresh, each) {
            (None, false) => return vec![last],
            _ => self.names.values().flat_map(|(point, column)| changes(points.get(point), *column)).collect(),
        };
        if self.rows.is_empty() {
            times.push(window.from);
        }
        times.retain(|time| window.from <= *time);
        if let Some(refresh) = self.display.refresh {
            // What changed after the last refresh of an earlier window waits for the first of this one.
            times.extend(self.next.filter(|next| window.from <= *next));
            let later = |time: Nanos| time.0.div_ceil(refresh.0).checked_mul(refresh.0).map(Nanos);
            times = times.into_iter().filter_map(later).filter(|time| *time < window.until).collect();
            self.next = later(window.until);
        }
        times.sort_unstable();
        times.dedup();
        times
    }

    /// Shows what stands at a time; gives whether that is another text.
    fn show(&mut self, time: Nanos, points: &HashMap<usize, PointColumns<'_>>) -> bool {
        let value = |name: &Reference| {
            let (point, column) = self.names.get(name)?;
            value_at(points.get(point)?, *column, time)
        };
        let (rows, findings) = self.display.rows(&value);
        for (row, finding) in findings {
            self.findings.entry(row).or_insert(finding);
        }
        let is_new = rows != self.rows;
        self.rows = rows;
        is_new
    }
}

/// When a column changes.
fn changes<'a>(columns: Option<&PointColumns<'a>>, column: FieldColumn) -> Box<dyn Iterator<Item = Nanos> + 'a> {
    let Some(columns) = columns else { return Box::new(std::iter::empty()) };
    match column {
        FieldColumn::Bit(bit) => Box::new(columns.bits.get(bit).into_iter().flat_map(|bit| {
            let start = bit.level.map(|_| bit.since);
            start.into_iter().chain(bit.toggles.iter().copied())
        })),
        FieldColumn::Count(count) => {
            Box::new(columns.counts.get(count).into_iter().flat_map(|count| count.times.iter().copied()))
        }
        FieldColumn::Reading(reading) => {
            Box::new(columns.readings.get(reading).into_iter().flat_map(|reading| reading.times.iter().copied()))
        }
    }
}

/// What a column is at a time within the window.
fn value_at(columns: &PointColumns<'_>, column: FieldColumn, time: Nanos) -> Option<Value> {
    match column {
        FieldColumn::Bit(bit) => {
            let bit = columns.bits.get(bit).filter(|bit| bit.since <= time)?;
            bit.level_at(time).map(Value::Bit)
        }
        FieldColumn::Count(count) => columns.counts.get(count)?.at(time).map(Value::Integer),
        FieldColumn::Reading(reading) => columns.readings.get(reading)?.at(time).map(Value::Real),
    }
}
