//! The changes of points as they happen, a line each.

use crate::failure::Failure;
use crate::print::Out;
use reigen_core::logic::expression::Value;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::{Nanos, seconds_short};
use reigen_core::units::resolved;
use reigen_run::error::RunError;
use reigen_run::live::changes::{PointChange, TakeChanges};
use reigen_run::live::event::LiveEvent;
use reigen_station::station::Station;
use serde::Serialize;
use std::sync::mpsc::SyncSender;

/// Prints the changes of points.
pub(crate) struct ChangeLines<'a> {
    station: &'a Station,
    out: &'a mut Out,
    json: bool,
    /// The widest name among those that are printed.
    width: usize,
    /// Where the run is asked to end, once a line cannot be printed or nobody reads any more.
    events: SyncSender<LiveEvent>,
    has_failed: bool,
}

/// A change as JSON.
#[derive(Serialize)]
struct JsonChange<'a> {
    time_ns: u64,
    point: &'a str,
    value: Value,
}

impl<'a> ChangeLines<'a> {
    /// Prints the changes of these points, for people or as JSON. Where they cannot be printed, or nobody reads
    /// them any more, the run ends as it does after its time, with its outputs at rest and its recording whole.
    pub(crate) fn new(
        station: &'a Station,
        points: &[usize],
        json: bool,
        out: &'a mut Out,
        events: SyncSender<LiveEvent>,
    ) -> Self {
        let names = points.iter().filter_map(|point| station.points.get(*point));
        let width = names.map(|point| point.name.chars().count()).max().unwrap_or_default();
        Self { station, out, json, width, events, has_failed: false }
    }

    fn print(&mut self, change: &PointChange) -> Result<(), Failure> {
        let Some(point) = self.station.points.get(change.point) else { return Ok(()) };
        let PointChange { time: Nanos(time_ns), value, .. } = *change;
        if self.json {
            let line = JsonChange { time_ns, point: &point.name, value };
            return self.out.json_line(&line);
        }
        let time = format!("{} s", seconds_short(i64::try_from(time_ns).unwrap_or(i64::MAX)));
        let unit = on_one_line(point.kind.unit().unwrap_or_default());
        let value = match value {
            Value::Bit(true) => "on".to_owned(),
            Value::Bit(false) => "off".to_owned(),
            Value::Integer(count) => count.to_string(),
            Value::Real(number) => format!("{} {unit}", resolved(number, None)),
        };
        self.out.line(format!("{time:>16}  {:width$}  {}", point.name, value.trim_end(), width = self.width))
    }
}

impl TakeChanges for ChangeLines<'_> {
    fn take(&mut self, changes: &[PointChange], _until: Nanos) -> Result<(), RunError> {
        if !self.has_failed {
            let printed = changes.iter().try_for_each(|change| self.print(change));
            let passed_on = printed.and_then(|()| if changes.is_empty() { Ok(()) } else { self.out.pass_on() });
            self.has_failed = passed_on.is_err() || self.out.is_closed();
        }
        if self.has_failed {
            // A full channel has room by the next window: this thread takes from it.
            let _ = self.events.try_send(LiveEvent::Stop);
        }
        Ok(())
    }
}
