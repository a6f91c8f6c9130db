//! What each point reads.

use reigen_station::station::{Point, Station};
use std::collections::HashMap;

/// What a point reads.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Cause {
    /// Another point, under a key of its table; with the field that is read.
    Point { key: &'static str, number: usize, name: String },
    /// A line.
    Line(String),
}

/// What each point of a station reads.
pub(super) fn causes(station: &Station) -> Vec<Vec<Cause>> {
    let numbers: HashMap<&str, usize> =
        station.points.iter().enumerate().map(|(number, point)| (point.name.as_str(), number)).collect();
    let of = |point: &Point| {
        let mut all = Vec::new();
        for (key, expression) in point.kind.expressions() {
            for (name, _) in expression.expression.names() {
                let cause = match numbers.get(name.point.as_str()) {
                    Some(number) => Cause::Point { key, number: *number, name: name.to_string() },
                    None => Cause::Line(name.to_string()),
                };
                if !all.contains(&cause) {
                    all.push(cause);
                }
            }
        }
        let lines = point.kind.lines().into_iter().chain(point.kind.number_lines());
        all.extend(lines.map(|line| Cause::Line(line.name.clone())));
        all
    };
    station.points.iter().map(of).collect()
}
