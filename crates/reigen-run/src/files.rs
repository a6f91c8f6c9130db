//! Observers that write files: a trace of the points, their events, and the texts of displays.

use crate::displays::{DisplayText, DisplayWatch};
use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use crate::options::RunOptions;
use reigen_core::event::{Event, EventOrder};
use reigen_core::finding::Finding;
use reigen_core::time::{Nanos, Origin, seconds_short};
use reigen_io::events::EventFile;
use reigen_io::output_file::{OutputFile, put_in_place};
use reigen_io::trace::{Column, Names, Shape, TraceFile};
use reigen_station::station::{FieldColumn, PointKind, Station};
use serde::Serialize;
use std::io::Write as _;

/// The files that watch the points: they appear whole or not at all.
pub struct OutputFiles<'a> {
    displays: Option<DisplayLog<'a>>,
    trace: Option<TraceFile>,
    events: Option<EventFile>,
    order: EventOrder,
    waiting: Vec<Event>,
    starts_at: Option<i64>,
    shapes: Vec<Shape>,
}

/// The texts of displays as JSON Lines: `{"time_ns":…,"display":"…","rows":[…]}`.
struct DisplayLog<'a> {
    watch: DisplayWatch<'a>,
    names: Vec<&'a str>,
    origin: Origin,
    file: OutputFile,
}

/// One line of the log.
#[derive(Serialize)]
struct LoggedText<'a> {
    time_ns: i64,
    display: &'a str,
    rows: &'a [String],
}

impl DisplayLog<'_> {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        self.watch.take(view)?;
        for DisplayText { time, display, rows } in self.watch.take_told() {
            let display = self.names.get(display).copied().unwrap_or_default();
            let line = LoggedText { time_ns: self.origin.file_time_ns(time), display, rows: &rows };
            let written = serde_json::to_writer(&mut self.file, &line).map_err(std::io::Error::from);
            written.and_then(|()| self.file.write_all(b"\n")).map_err(|error| self.file.explain(error))?;
        }
        Ok(())
    }
}

impl<'a> OutputFiles<'a> {
    /// The files that are asked for; `lines` are what the station calls its lines.
    ///
    /// # Errors
    /// Where one cannot be written.
    pub fn create(
        station: &'a Station,
        origin: Origin,
        lines: &[String],
        options: &RunOptions<'_>,
    ) -> Result<Self, RunError> {
        let shapes: Vec<Shape> = station.points.iter().map(|point| shape(&*point.kind)).collect();
        let names = Names {
            points: station.points.iter().map(|point| point.name.as_str()).zip(shapes.iter().copied()).collect(),
            lines: lines.iter().map(String::as_str).collect(),
            origin,
        };
        let trace = options.trace.map(|path| TraceFile::create(options.outputs.create(path)?, &names)).transpose()?;
        let point_names = station.points.iter().map(|point| point.name.clone()).collect();
        let events = options
            .events
            .map(|path| EventFile::create(options.outputs.create(path)?, origin, point_names))
            .transpose()?;
        let displays =
            options.display_log.map(|path| options.outputs.create(path)).transpose()?.map(|file| DisplayLog {
                watch: DisplayWatch::telling(station),
                names: station.displays.iter().map(|display| display.name.as_str()).collect(),
                origin,
                file,
            });
        let starts_at = (trace.is_some() && origin.0 < 0).then_some(origin.0);
        Ok(Self { displays, trace, events, order: EventOrder::default(), waiting: Vec::new(), starts_at, shapes })
    }

    /// Whether the engine is to remember what happens.
    pub fn wants_events(&self) -> bool {
        self.events.is_some()
    }
}

impl Observer for OutputFiles<'_> {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        if let Some(displays) = &mut self.displays {
            displays.take(view)?;
        }
        let WindowView { window, engine, lines, .. } = view;
        if let Some(trace) = &mut self.trace {
            let mut points: Vec<_> = engine.points().collect();
            points.sort_by_key(|columns| columns.point);
            let columns = points.iter().zip(&self.shapes).filter_map(|(columns, shape)| match shape {
                Shape::Bit => columns.bit().map(Column::Bit),
                Shape::Count => columns.count().map(Column::Count),
                Shape::Reading => columns.reading().map(Column::Reading),
            });
            trace.write(*window, columns.chain(lines.bits().iter().map(Column::Bit)))?;
        }
        if let Some(events) = &mut self.events {
            let told = engine.take_events(*window, &mut self.waiting);
            for event in self.order.pass(&mut self.waiting, told) {
                events.write(event)?;
            }
        }
        Ok(())
    }

    fn take_early(&mut self, view: &mut WindowView<'_>) {
        if self.events.is_some() {
            view.engine.take_events(view.window, &mut self.waiting);
            self.waiting.clear();
        }
    }

    fn finish(&mut self, end: Nanos) -> Result<Vec<Finding>, RunError> {
        let mut finished = Vec::new();
        if let Some(mut events) = self.events.take() {
            for event in self.order.pass(&mut self.waiting, end + Nanos(1)) {
                events.write(event)?;
            }
            finished.push(events.finish()?);
        }
        if let Some(trace) = self.trace.take() {
            finished.push(trace.finish(end)?);
        }
        let mut found = Vec::new();
        if let Some(DisplayLog { watch, file, .. }) = self.displays.take() {
            found = watch.finish().1;
            finished.push(file.finish()?);
        }
        put_in_place(finished)?;
        let shifted = self.starts_at.map(|start| {
            let message = format!("a VCD has no negative times, so time 0 in it is {} s here", seconds_short(start));
            Finding::note("trace-shifted", "trace", message, "add that to a time read off the trace")
        });
        found.extend(shifted);
        Ok(found)
    }
}

fn shape(kind: &dyn PointKind) -> Shape {
    match kind.fields().first().map(|field| field.column) {
        Some(FieldColumn::Count(_)) => Shape::Count,
        Some(FieldColumn::Reading(_)) => Shape::Reading,
        _ => Shape::Bit,
    }
}
