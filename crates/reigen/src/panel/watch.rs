//! What the panel shows beside the changes of points: what lines are, and what is wrong.

use super::state::{LineState, Panel, lock};
use reigen_core::lines::RecordedLine;
use reigen_core::logic::expression::Value;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, seconds_short};
use reigen_run::error::RunError;
use reigen_run::observer::{Observer, WindowView};
use reigen_station::station::Station;
use std::sync::{Arc, Mutex};

/// How often what is wrong is looked for.
const LOOK: Nanos = Nanos(500_000_000);

/// Looks on for a panel.
pub(crate) struct PanelWatch {
    panel: Arc<Mutex<Panel>>,
    /// The names of the points, by their numbers.
    names: Vec<String>,
    /// The names of the lines: those of two levels, and those of numbers.
    lines: [Vec<String>; 2],
    next_look: Nanos,
}

impl PanelWatch {
    /// Fills a panel from a station with these lines.
    pub(crate) fn new(panel: Arc<Mutex<Panel>>, station: &Station, [levels, numbers]: &[Vec<RecordedLine>; 2]) -> Self {
        let names = |lines: &[RecordedLine]| lines.iter().map(|line| line.name.clone()).collect();
        Self {
            panel,
            names: station.points.iter().map(|point| point.name.clone()).collect(),
            lines: [names(levels), names(numbers)],
            next_look: Nanos(0),
        }
    }

    /// Points that have failed or are faulty.
    fn wrong(&self, view: &WindowView<'_>) -> Vec<String> {
        let at = |time: Nanos| format!("{} s", seconds_short(i64::try_from(time.0).unwrap_or(i64::MAX)));
        let mut wrong = Vec::new();
        for (name, summary) in self.names.iter().zip(view.engine.summaries(view.window.until)) {
            match summary {
                PointSummary::Expectation(told) => {
                    if let Some(failed) = told.failed_at {
                        wrong.push(format!("{name} failed at {}: {}", at(failed), told.detail));
                    }
                }
                PointSummary::Analog(told) => {
                    if let Some(first) = told.first_fault {
                        wrong.push(format!("{name} was out of its valid range, the first time at {}", at(first)));
                    }
                }
                _ => {}
            }
        }
        for (point, count, first) in view.engine.faults() {
            let name = self.names.get(point).map(String::as_str).unwrap_or_default();
            wrong.push(format!("{name} could not be worked out {count} times, the first time at {}", at(first)));
        }
        wrong
    }
}

impl Observer for PanelWatch {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let wrong = (view.window.until >= self.next_look).then(|| self.wrong(view));
        let mut panel = lock(&self.panel);
        let [levels, numbers] = &self.lines;
        for (name, column) in levels.iter().zip(view.lines.bits()) {
            let Some(level) = column.last_level() else { continue };
            let since = column.toggles.last().copied().unwrap_or(column.since);
            panel.line(name, LineState { value: Value::Bit(level), since });
        }
        for (name, column) in numbers.iter().zip(view.lines.readings()) {
            if let (Some(value), Some(since)) = (column.values.last(), column.times.last()) {
                panel.line(name, LineState { value: Value::Real(*value), since: *since });
            }
        }
        if let Some(wrong) = wrong {
            self.next_look = view.window.until + LOOK;
            panel.wrong = wrong;
        }
        Ok(())
    }
}
