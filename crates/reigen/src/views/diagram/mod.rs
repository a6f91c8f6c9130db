//! A timing diagram of points and lines.

use crate::failure::Failure;
use crate::print::Out;
use crate::reading::replay;
use rayon::prelude::*;
use reigen_core::account::Rule;
use reigen_core::engine::PointColumns;
use reigen_core::lines::LineColumns;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin};
use reigen_draw::diagram::{Content, Diagram, Row};
use reigen_draw::number::NumberRow;
use reigen_draw::steps::Steps;
use reigen_draw::trace::Trace;
use reigen_io::recording::Recording;
use reigen_run::observer::{Observer, WindowView};
use reigen_run::outcome::Outcome;
use reigen_run::place::Place;
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_station::station::{FieldColumn, Point, Station};
use std::collections::HashMap;
use std::path::Path;

mod chain;
mod turning;

/// From so many thrown-away edges on, they are not marked one by one.
const MOST_MARKS: usize = 20_000;
/// So many values of a number in a window draw its curve.
const ENOUGH: u64 = 4096;

/// What is drawn.
#[derive(Debug, Default)]
pub(crate) struct DiagramOptions {
    /// Numbers of points, in the order of the rows.
    pub(crate) points: Vec<usize>,
    /// Scales that are fixed.
    pub(crate) scales: Vec<(usize, (f64, f64))>,
    /// In the recording's own times.
    pub(crate) from: Option<i64>,
    pub(crate) to: Option<i64>,
}

/// Draws in letters.
pub(crate) fn print(diagram: &Diagram, width: u32, out: &mut Out) -> Result<(), Failure> {
    reigen_draw::terminal::draw(diagram, width as usize).iter().try_for_each(|line| out.line(line.trim_end()))
}

/// The row of a point in the making.
enum RowBuilder {
    Bit {
        raw: Option<(Place, Trace)>,
        /// What stands below the label.
        line: Option<String>,
        clean: Trace,
        rejected: Vec<(Nanos, Rule)>,
        ramp: Option<Box<(Nanos, Trace)>>,
    },
    Number {
        steps: Steps,
        /// Of a reading that tells it.
        resolution: Option<Steps>,
        valid: Option<[f64; 2]>,
        /// Thresholds that switch by it.
        thresholds: Vec<f64>,
        unit: String,
        /// Of an encoder.
        turning: Option<Box<turning::TurningBuilder>>,
        /// Of an expander.
        chain: Option<Box<chain::ChainBuilder>>,
    },
}

/// Works the station and gathers what is drawn.
pub(crate) fn diagram(
    station: &StationFile,
    recording: Recording,
    chosen: &DiagramOptions,
) -> Result<Diagram, Failure> {
    Ok(worked(station, recording, chosen, &mut |_: &mut WindowView<'_>| {})?.0)
}

/// The same, with what came of the run, and each window shown to an observer.
pub(crate) fn worked(
    station: &StationFile,
    recording: Recording,
    chosen: &DiagramOptions,
    observer: &mut dyn Observer,
) -> Result<(Diagram, Outcome), Failure> {
    let origin = recording.origin();
    let from = chosen.from.and_then(|from| origin.since_start(from)).unwrap_or_default();
    let points: Vec<(usize, &Point)> =
        chosen.points.iter().filter_map(|&number| Some((number, station.station.points.get(number)?))).collect();
    let mut making: Vec<RowBuilder> =
        points.iter().map(|(_, point)| RowBuilder::new(point, &station.station, from)).collect();
    let (mut marks, mut marked) = (0, true);
    let mut verdicts = Vec::new();
    let is_input = |(_, point): &&(usize, &Point)| point.kind.input().is_some();
    let inputs = points.iter().filter(is_input).map(|(number, _)| *number).collect();
    let wanted = RunOptions {
        from: chosen.from,
        to: chosen.to,
        remembered: Some(inputs),
        counted_before: true,
        values_enough: Some(ENOUGH),
        ..RunOptions::default()
    };
    let outcome = replay(
        station,
        recording,
        &wanted,
        &mut [observer, &mut |seen: &mut WindowView<'_>| {
            for ((number, _), making) in points.iter().zip(&mut making).filter(|_| marked) {
                seen.engine.take_verdicts(*number, &mut verdicts);
                making.mark(verdicts.drain(..).filter_map(|verdict| Some((verdict.edge, verdict.rule?))));
            }
            let columns: Vec<PointColumns<'_>> = seen.engine.points().collect();
            let column = |number: usize| columns.iter().find(|columns| columns.point == number);
            points.par_iter().zip(&mut making).for_each(|((number, _), making)| {
                column(*number).into_iter().for_each(|own| making.take(own, &columns, seen.lines, seen.line_numbers));
            });
            marks = making.iter().map(RowBuilder::marks).sum();
            if marked && marks > MOST_MARKS {
                seen.engine.forget();
                marked = false;
            }
        }],
    )?;
    let rows = points
        .iter()
        .zip(making)
        .flat_map(|((number, point), making)| {
            let scale = chosen.scales.iter().find(|(scaled, _)| scaled == number).map(|(_, scale)| *scale);
            making.finish(point, outcome.to, marked, scale, outcome.points.get(*number))
        })
        .collect();
    let title = title(station, &outcome.recording, origin, outcome.from, outcome.to);
    let title = if marked { title } else { format!("{title} (too many rejected edges to mark each)") };
    let until = outcome.to.max(outcome.from + Nanos(1));
    Ok((Diagram { title, from: outcome.from, until, origin, rows }, outcome))
}

fn title(station: &StationFile, recording: &str, origin: Origin, from: Nanos, to: Nanos) -> String {
    let name = station.station.title.as_deref().unwrap_or(&station.name);
    let file = Path::new(recording).file_name().and_then(|name| name.to_str()).unwrap_or(recording);
    let start = reigen_core::time::seconds_short(origin.file_time_ns(from));
    format!("{name}: {file}, {} from {start} s on", to.saturating_sub(from))
}

/// The levels of the thresholds that switch by a point.
fn thresholds_on(point: &Point, station: &Station) -> Vec<f64> {
    let thresholds = station.points.iter().filter_map(|other| other.kind.threshold());
    let on_it = thresholds.filter(|(of, _)| {
        of.expression.as_name().is_some_and(|name| name.point == point.name && name.field.is_empty())
    });
    on_it.flat_map(|(_, levels)| [levels.above, levels.below]).collect()
}

impl RowBuilder {
    fn new(point: &Point, station: &Station, from: Nanos) -> Self {
        match point.kind.fields().first().map(|field| field.column) {
            Some(FieldColumn::Count(_) | FieldColumn::Reading(_)) => {
                let resolution = point.kind.fields().iter().any(|field| field.name == "resolution");
                RowBuilder::Number {
                    steps: Steps::new(from),
                    resolution: resolution.then(|| Steps::new(from)),
                    valid: point.kind.valid(),
                    thresholds: thresholds_on(point, station),
                    unit: point.kind.unit().unwrap_or_default().to_owned(),
                    turning: turning::TurningBuilder::of(point, station, from).map(Box::new),
                    chain: chain::ChainBuilder::of(point, station, from).map(Box::new),
                }
            }
            _ => {
                let place = Place::of_input(point, station);
                let line = point.kind.line().map(|line| line.name.clone());
                RowBuilder::Bit {
                    line: line.or_else(|| point.kind.expressions().first().map(|_| String::new())),
                    raw: place.map(|place| (place, Trace::new(from))),
                    clean: Trace::new(from),
                    rejected: Vec::new(),
                    ramp: point.kind.timer().map(|time| Box::new((time, Trace::new(from)))),
                }
            }
        }
    }

    /// Takes edges that were thrown away.
    fn mark(&mut self, thrown_away: impl Iterator<Item = (Nanos, Rule)>) {
        if let RowBuilder::Bit { rejected, .. } = self {
            rejected.extend(thrown_away);
        }
    }

    /// Takes what the point, and its line, did in a window.
    fn take(
        &mut self,
        columns: &PointColumns<'_>,
        all: &[PointColumns<'_>],
        lines: &LineColumns,
        numbers: &HashMap<String, usize>,
    ) {
        match self {
            RowBuilder::Bit { raw, clean, ramp, .. } => {
                if let Some(bit) = columns.bit() {
                    clean.take(bit.since, bit.level, &bit.toggles);
                }
                if let (Some(ramp), Some(bit)) = (ramp, columns.bits.get(1)) {
                    ramp.1.take(bit.since, bit.level, &bit.toggles);
                }
                if let Some((place, raw)) = raw
                    && let Some(bit) = place.column(all, lines, numbers)
                {
                    raw.take(bit.since, bit.level, &bit.toggles);
                }
            }
            RowBuilder::Number { steps, resolution, turning, chain, .. } => {
                if let Some(chain) = chain {
                    chain.take(all, lines, numbers);
                }
                if let Some(turning) = turning {
                    turning.take(columns, all, lines, numbers);
                }
                if let Some(count) = columns.count() {
                    let values = count.times.iter().copied().zip(count.values.iter().map(|&value| value as f64));
                    steps.take(count.before.map(|value| value as f64), values);
                }
                let column = |number: usize| columns.readings.get(number).filter(|_| columns.reading().is_some());
                for (steps, reading) in [(Some(steps), column(0)), (resolution.as_mut(), column(1))] {
                    if let (Some(steps), Some(reading)) = (steps, reading) {
                        steps.take(reading.before, reading.times.iter().copied().zip(reading.values.iter().copied()));
                    }
                }
            }
        }
    }

    fn marks(&self) -> usize {
        match self {
            RowBuilder::Bit { rejected, .. } => rejected.len(),
            RowBuilder::Number { .. } => 0,
        }
    }

    fn finish(
        self,
        point: &Point,
        end: Nanos,
        marked: bool,
        scale: Option<(f64, f64)>,
        summary: Option<&PointSummary>,
    ) -> Vec<Row> {
        let label = point.name.clone();
        match self {
            RowBuilder::Bit { mut raw, line, mut clean, mut rejected, mut ramp } => {
                ramp.iter_mut().for_each(|ramp| ramp.1.finish(end));
                let mut raw = raw.take().map(|(_, raw)| raw);
                raw.iter_mut().for_each(|raw| raw.finish(end));
                clean.finish(end);
                rejected.sort_unstable();
                let rejected = if marked { rejected } else { Vec::new() };
                let content = Content::Bit { raw, clean, rejected, ramp: ramp.map(|ramp| *ramp) };
                vec![Row { label, under: line.unwrap_or_default(), content }]
            }
            RowBuilder::Number { steps, resolution, valid, thresholds, unit, turning, chain } => {
                let mut levels: Vec<f64> = match summary {
                    Some(PointSummary::Counter(counter)) => {
                        let limits = counter.limits.iter().flatten();
                        counter.presets.iter().chain(limits).map(|&level| level as f64).collect()
                    }
                    _ => Vec::new(),
                };
                levels.extend(thresholds);
                let (turning, speed) = turning.map(|turning| turning.finish(end, summary)).unzip();
                let speed = speed.map(|speed| Row {
                    label: format!("{label}.speed"),
                    under: format!("{unit}/s"),
                    content: Content::Number(NumberRow::new(speed)),
                });
                let turning = turning.map(Box::new);
                let number = NumberRow { steps, fixed: scale, levels, valid, resolution, turning };
                let row = Row { label, under: unit, content: Content::Number(number) };
                let wires = chain.map_or_else(Vec::new, |chain| chain.finish(end, point));
                std::iter::once(row).chain(speed).chain(wires).collect()
            }
        }
    }
}
