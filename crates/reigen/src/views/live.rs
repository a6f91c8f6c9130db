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
use reigen_run::live::source::LinkWatch;
use reigen_run::live::stale::StaleMap;
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
    links: LinkNews,
}

/// What links do, and which points stand on them.
pub(crate) struct LinkNews {
    watch: LinkWatch,
    names: Vec<String>,
    stale: StaleMap,
    /// Of each link whether it is lost, as last told; at the start none is reached.
    lost: Vec<bool>,
}

impl LinkNews {
    /// Of the links with these names.
    pub(crate) fn new(watch: LinkWatch, names: Vec<String>, stale: StaleMap) -> Self {
        Self { watch, lost: vec![false; names.len()], names, stale }
    }
}

/// A link that is lost, or reached again, as JSON.
#[derive(Serialize)]
struct JsonLink<'a> {
    time_ns: u64,
    link: &'a str,
    online: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    why: Option<&'a str>,
    /// The points that stand on old values now.
    stale: Vec<&'a str>,
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
        links: LinkNews,
    ) -> Self {
        let names = points.iter().filter_map(|point| station.points.get(*point));
        let width = names.map(|point| point.name.chars().count()).max().unwrap_or_default();
        Self { station, out, json, width, events, has_failed: false, links }
    }

    /// Tells of links that are lost now, or reached again; gives whether there were any.
    fn print_links(&mut self, until: Nanos) -> Result<bool, Failure> {
        let Some(accounts) = self.links.watch.take_news() else { return Ok(false) };
        let mut has_told = false;
        for (number, told) in accounts.iter().enumerate() {
            let (Some(name), Some(lost)) = (self.links.names.get(number), self.links.lost.get_mut(number)) else {
                continue;
            };
            let is_lost = told.lost_since.is_some();
            if std::mem::replace(lost, is_lost) == is_lost {
                continue;
            }
            has_told = true;
            let (at, why) = (told.lost_since.unwrap_or(until), told.why_lost.as_deref());
            if self.json {
                let stale = self.station.points.iter().zip(self.links.stale.of(&accounts));
                let stale = stale.filter(|(_, is_stale)| *is_stale).map(|(point, _)| point.name.as_str()).collect();
                self.out.json_line(&JsonLink { time_ns: at.0, link: name, online: !is_lost, why, stale })?;
            } else {
                let state = why.map_or("reached again".to_owned(), |why| format!("lost: {}", on_one_line(why)));
                self.out.line(format!("{:>16}  {name:width$}  {state}", time(at), width = self.width))?;
            }
        }
        Ok(has_told)
    }

    fn print(&mut self, change: &PointChange) -> Result<(), Failure> {
        let Some(point) = self.station.points.get(change.point) else { return Ok(()) };
        let PointChange { time: Nanos(time_ns), value, .. } = *change;
        if self.json {
            let line = JsonChange { time_ns, point: &point.name, value };
            return self.out.json_line(&line);
        }
        let time = time(Nanos(time_ns));
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

fn time(Nanos(time_ns): Nanos) -> String {
    format!("{} s", seconds_short(i64::try_from(time_ns).unwrap_or(i64::MAX)))
}

impl TakeChanges for ChangeLines<'_> {
    fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError> {
        if !self.has_failed {
            let printed = changes.iter().try_for_each(|change| self.print(change));
            let passed_on = printed
                .and_then(|()| self.print_links(until))
                .and_then(|has_told| if has_told || !changes.is_empty() { self.out.pass_on() } else { Ok(()) });
            self.has_failed = passed_on.is_err() || self.out.is_closed();
        }
        if self.has_failed {
            // A full channel has room by the next window: this thread takes from it.
            let _ = self.events.try_send(LiveEvent::Stop);
        }
        Ok(())
    }
}
