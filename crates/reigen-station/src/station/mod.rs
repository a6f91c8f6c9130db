//! The station file: what is wired, how each line is conditioned, and what follows from it.
//!
//! [`parse`] reads the TOML text into a [`Station`]; [`plan::compile`] binds it to the lines of a
//! recording and gives the engine.

pub mod behind;
mod file;
mod history;
#[cfg(test)]
mod key_tests;
pub mod kind;
pub mod line_names;
mod meaning;
#[cfg(test)]
mod model_tests;
pub mod plan;
#[cfg(test)]
mod retain_tests;
pub mod set_by_hand;
#[cfg(test)]
mod step_tests;
#[cfg(test)]
mod tests;
mod version;
#[cfg(test)]
mod window_tests;

pub use crate::points::PointKind;
pub use crate::table::{Field, FieldColumn, FieldExpression, LineName, StationError, StationErrorKind};
pub(crate) use file::translate;
pub use file::{KINDS, parse, schema};
pub use kind::Kind;
pub use meaning::meaning_of;
pub use version::version_of;

use crate::links::{Link, online_line};
use crate::points::display::Display;
use crate::table::Description;
use crate::wiring::Wiring;
use crate::wiring::connection::Wired;
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::finding::Finding;
use reigen_core::logic::expression::Span;
use reigen_core::time::Nanos;
use std::collections::HashSet;

/// A whole station.
#[derive(Debug)]
pub struct Station {
    /// What people call it.
    pub title: Option<String>,
    /// When every line is read, where there is a scan.
    pub scan: Option<ReadingTimes>,
    /// Its points, in the order of the file.
    pub points: Vec<Point>,
    /// Its displays.
    pub displays: Vec<Display>,
    /// The connections to devices, for live runs.
    pub links: Vec<Link>,
    /// How long a history keeps its rows; `None` for ever.
    pub history_keep: Option<Nanos>,
    /// The electrical data of sensors and cards.
    pub wiring: Wiring,
}

impl Station {
    /// Everything that is wired, by name, in the order of the file.
    pub fn wired(&self) -> impl Iterator<Item = (&str, &Wired)> {
        let points = self.points.iter().filter_map(|point| Some((point.name.as_str(), point.kind.wired()?)));
        points.chain(self.wiring.unread.iter().map(|unread| (unread.name.as_str(), &unread.wired)))
    }

    /// Whether a line tells whether the device of a link answers: `LINK.online`. Points go before links of their name.
    pub fn is_online_line(&self, line: &str) -> bool {
        let is_of =
            |link: &Link| online_line(&link.name) == line && self.points.iter().all(|point| point.name != link.name);
        self.links.iter().any(is_of)
    }

    /// The lines of that kind that expressions name, with their places.
    pub fn online_lines(&self) -> Vec<LineName> {
        let expressions = self.points.iter().flat_map(|point| point.kind.expressions());
        let names = expressions.flat_map(|(_, of)| {
            of.expression
                .names()
                .into_iter()
                .map(|(name, part)| LineName { name: name.to_string(), span: of.place(&part) })
        });
        // Most stations have no links: then no name is looked at.
        names.filter(|line| self.is_online_line(&line.name)).collect()
    }

    /// The points that keep their state from one live run to the next, and the registers that counters among them count by.
    pub fn retained(&self) -> Vec<usize> {
        let keeps = |point: &&Point| point.retains;
        let named = |point: &Point| -> Vec<String> {
            let names = point.kind.expressions().into_iter().filter_map(|(_, of)| of.expression.as_name());
            names.map(|name| name.point.clone()).collect()
        };
        let read: HashSet<String> = self.points.iter().filter(keeps).flat_map(named).collect();
        let wanted = |point: &Point| point.retains || (point.kind.is_register() && read.contains(&point.name));
        self.points.iter().enumerate().filter(|(_, point)| wanted(point)).map(|(number, _)| number).collect()
    }

    /// What can be told of the points' settings without a recording.
    pub fn findings(&self) -> Vec<Finding> {
        self.points.iter().flat_map(|point| point.kind.findings(&point.name)).collect()
    }
}

/// One named thing of the station.
#[derive(Debug)]
pub struct Point {
    /// Its name, one of a kind in the station.
    pub name: String,
    /// Where the name stands in the file.
    pub span: Span,
    /// What it is.
    pub kind: Kind,
    /// What stands beside it in the list to wire from.
    pub described: Description,
    /// Whether it goes on from its last state when a live run starts again.
    pub retains: bool,
}
