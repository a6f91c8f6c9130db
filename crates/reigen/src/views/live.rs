//! The changes of points as they happen, a line each.

use crate::failure::Failure;
use crate::print::Out;
use reigen_core::logic::expression::Value;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::{Nanos, seconds_short};
use reigen_core::units::resolved;
use reigen_run::error::RunError;
use reigen_run::live::changes::{PointChange, TakeChanges};
use reigen_station::station::Station;
use serde::Serialize;

/// Prints the changes of points.
pub(crate) struct ChangeLines<'a> {
    station: &'a Station,
    out: &'a mut Out,
    json: bool,
    /// The widest name among those that are printed.
    width: usize,
    /// What kept a line from being printed.
    failure: Option<Failure>,
}

/// A change as JSON.
#[derive(Serialize)]
struct JsonChange<'a> {
    time_ns: u64,
    point: &'a str,
    value: Value,
}

impl<'a> ChangeLines<'a> {
    /// Prints the changes of these points, for people or as JSON.
    pub(crate) fn new(station: &'a Station, points: &[usize], json: bool, out: &'a mut Out) -> Self {
        let names = points.iter().filter_map(|point| station.points.get(*point));
        let width = names.map(|point| point.name.chars().count()).max().unwrap_or_default();
        Self { station, out, json, width, failure: None }
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
        for change in changes {
            if self.failure.is_none() {
                self.failure = self.print(change).err();
            }
        }
        if !changes.is_empty() && self.failure.is_none() {
            self.failure = self.out.pass_on().err();
        }
        let why = match &self.failure {
            None => return Ok(()),
            Some(Failure::Print(error)) => error.to_string(),
            Some(_) => String::new(),
        };
        Err(RunError::Request {
            message: format!("the changes cannot be printed: {why}"),
            help: "the run has ended: look where standard output goes".to_owned(),
        })
    }
}
