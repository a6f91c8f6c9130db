//! What is gathered of an encoder for its rows.

use reigen_core::engine::PointColumns;
use reigen_core::lines::LineColumns;
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;
use reigen_draw::steps::Steps;
use reigen_draw::trace::Trace;
use reigen_draw::turning::Turning;
use reigen_run::place::Place;
use reigen_station::station::{Point, Station};
use std::collections::HashMap;

/// More marks than these are not told apart.
const MOST_MARKS: usize = 100_000;

/// An encoder's rows in the making.
#[derive(Debug)]
pub(super) struct TurningBuilder {
    /// The channels and the index.
    places: [Option<Place>; 3],
    channels: [Trace; 2],
    forward: Trace,
    marks: Vec<Nanos>,
    speed: Steps,
}

impl TurningBuilder {
    /// Of an encoder; `None` for other points.
    pub(super) fn of(point: &Point, station: &Station, from: Nanos) -> Option<Self> {
        let places = point.kind.encoder()?.map(|signal| signal.and_then(|signal| Place::of_signal(signal, station)));
        Some(Self {
            places,
            channels: [Trace::new(from), Trace::new(from)],
            forward: Trace::new(from),
            marks: Vec::new(),
            speed: Steps::new(from),
        })
    }

    /// Takes a window.
    pub(super) fn take(
        &mut self,
        own: &PointColumns<'_>,
        all: &[PointColumns<'_>],
        lines: &LineColumns,
        numbers: &HashMap<String, usize>,
    ) {
        let [a, b, index] = [0, 1, 2].map(|place: usize| {
            self.places.get(place).and_then(Option::as_ref).and_then(|place| place.column(all, lines, numbers))
        });
        for (trace, column) in self.channels.iter_mut().zip([a, b]) {
            column.into_iter().for_each(|column| trace.take(column.since, column.level, &column.toggles));
        }
        if let Some(column) = index.filter(|_| self.marks.len() < MOST_MARKS) {
            self.marks.extend(column.rising());
        }
        // The second bit is the direction, the second reading the speed.
        if let Some(forward) = own.bits.get(1) {
            self.forward.take(forward.since, forward.level, &forward.toggles);
        }
        if let Some(speed) = own.readings.get(1) {
            self.speed.take(speed.before, speed.times.iter().copied().zip(speed.values.iter().copied()));
        }
    }

    /// The row's part, and the speed.
    pub(super) fn finish(self, end: Nanos, summary: Option<&PointSummary>) -> (Turning, Steps) {
        let [mut a, mut b] = self.channels;
        let mut forward = self.forward;
        [&mut a, &mut b, &mut forward].into_iter().for_each(|trace| trace.finish(end));
        let zeros = match summary {
            Some(PointSummary::Encoder(encoder)) => encoder.homings.iter().map(|homing| homing.at).collect(),
            _ => Vec::new(),
        };
        (Turning { forward, channels: Some((a, b)), marks: self.marks, zeros }, self.speed)
    }
}
