//! Where the column of a signal is: among the lines, or among a point's bits.

use reigen_core::column::BitColumn;
use reigen_core::engine::PointColumns;
use reigen_core::lines::LineColumns;
use reigen_core::logic::expression::Expression;
use reigen_station::station::{FieldColumn, Point, Station};
use reigen_station::table::signal::Signal;
use std::collections::HashMap;

/// Where a column is.
#[derive(Debug, Clone)]
pub enum Place {
    /// A line, by its name in the station.
    Line(String),
    /// A bit of a point, by their numbers.
    Point(usize, usize),
}

impl Place {
    /// Of a signal that is a line or the name of a bit.
    pub fn of_signal(signal: &Signal, station: &Station) -> Option<Self> {
        match signal.line() {
            Some(line) => Some(Place::Line(line.name.clone())),
            None => Self::of_name(&signal.expression()?.expression, station),
        }
    }

    /// Of what an input reads.
    pub fn of_input(point: &Point, station: &Station) -> Option<Self> {
        point.kind.input()?;
        match point.kind.line() {
            Some(line) => Some(Place::Line(line.name.clone())),
            None => Self::of_name(&point.kind.expressions().first()?.1.expression, station),
        }
    }

    fn of_name(expression: &Expression, station: &Station) -> Option<Self> {
        let name = expression.as_name()?;
        let number = station.points.iter().position(|point| point.name == name.point)?;
        match station.points.get(number)?.kind.field(&name.field)? {
            FieldColumn::Bit(bit) => Some(Place::Point(number, bit)),
            _ => None,
        }
    }

    /// The column within a window.
    pub fn column<'a>(
        &self,
        points: &[PointColumns<'a>],
        lines: &'a LineColumns,
        numbers: &HashMap<String, usize>,
    ) -> Option<&'a BitColumn> {
        match self {
            Place::Line(name) => lines.bits().get(*numbers.get(name)?),
            Place::Point(point, bit) => points.iter().find(|columns| columns.point == *point)?.bits.get(*bit),
        }
    }
}
