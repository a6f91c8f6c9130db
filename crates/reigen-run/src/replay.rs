//! A station worked over all lines of a source, from the first time to the last.

use crate::error::RunError;
use crate::files::OutputFiles;
use crate::observer::{Observer, WindowView};
pub use crate::options::RunOptions;
use crate::outcome::{self, Outcome};
use crate::retain::dropped;
use crate::session::{Binding, Session};
use crate::source::LineSource;
use crate::station_file::StationFile;
use crate::stretch::Stretch;
use crate::truth::TruthWatch;
use indexmap::IndexMap;
use reigen_station::findings::{self, inputs::InputWatch};
use std::ops::ControlFlow;

/// Works a station over the lines of a source, and shows each window to observers.
///
/// # Errors
/// Where the station does not fit the lines, they cannot be read, or an observer cannot go on.
pub fn replay(
    file: &StationFile,
    mut source: impl LineSource,
    options: &RunOptions<'_>,
    observers: &mut [&mut dyn Observer],
) -> Result<Outcome, RunError> {
    let station = &file.station;
    let binding = Binding::new(file, &source)?;
    let stretch = Stretch::new(source.origin(), options.from, options.to)?;
    let mut session = Session::new(&binding, stretch);
    let mut lines = source.select(&binding.signals, &binding.numbers);
    source.count_within(stretch.from, stretch.to);
    let mut files = OutputFiles::create(station, source.origin(), &binding.line_names, options)?;
    prepare(&mut session, options, files.wants_events());
    let mut truth = options.truth.map(|truth| TruthWatch::new(station, truth));
    let mut inputs = InputWatch::new(station, &binding.line_numbers, &binding.line_names);
    let mut watch_inputs = |view: &mut WindowView<'_>| {
        inputs.take(view.window, view.lines.bits(), |number| {
            view.engine.points().find(|columns| columns.point == number).and_then(|columns| columns.bit())
        });
    };
    let mut watch_truth = |view: &mut WindowView<'_>| truth.iter_mut().for_each(|truth| truth.take(view.engine));
    let mut all: Vec<&mut dyn Observer> = vec![&mut files, &mut watch_inputs, &mut watch_truth];
    all.extend(observers.iter_mut().map(|observer| &mut **observer as &mut dyn Observer));
    drive(&mut session, &mut source, &mut lines, &mut all)?;
    let end = stretch.end(source.origin(), source.last_time())?;
    let points = session.engine.summaries(end);
    let judgements = truth.map_or_else(IndexMap::new, |truth| truth.judge(station, &points, source.origin()));
    let named = station.points.iter().map(|point| point.name.as_str()).zip(&points);
    let mut found = source.findings(&binding.line_names);
    found.extend(findings::of_points(named, end.saturating_sub(stretch.from)));
    found.extend(inputs.findings(station, &points, source.tick(), end));
    found.extend(findings::done_unseen(station, &points));
    found.extend(session.refused.iter().filter_map(|(point, state)| {
        Some(dropped(&station.points.get(*point)?.name, state, "its limits leave no room for that"))
    }));
    found.extend(outcome::ignored(station, &session.engine));
    found.extend(station.findings());
    found.extend(outcome::faults(station, &session.engine, source.origin()));
    found.extend(files.finish(end)?);
    for observer in observers {
        found.extend(observer.finish(end)?);
    }
    Ok(Outcome {
        recording: source.name().to_owned(),
        origin: source.origin(),
        from: stretch.from,
        to: end,
        lines: source.two_level_lines(),
        edges: source.edges(),
        points,
        findings: found,
        displays: IndexMap::new(),
        gauge: None,
        judgements,
    })
}

/// Says to the engine what will be looked at.
fn prepare(session: &mut Session<'_>, options: &RunOptions<'_>, wants_events: bool) {
    match &options.remembered {
        _ if wants_events => session.engine.remember(),
        Some(points) => session.engine.remember_points(points),
        None => {}
    }
    let all_of = options.remembered.as_deref().unwrap_or_default();
    let skims = options.values_enough.is_some_and(|enough| session.engine.skim(enough, all_of));
    // Where values are left out, those at the times of readings are the last of a window.
    if let Some(step) = options.readings_every.filter(|_| skims) {
        session.end_windows_after_each(step);
    }
    if options.counted_before {
        session.count_before_stretch();
    }
}

/// Works all that a source gives.
fn drive(
    session: &mut Session<'_>,
    source: &mut dyn LineSource,
    lines: &mut reigen_core::lines::LineColumns,
    observers: &mut [&mut dyn Observer],
) -> Result<(), RunError> {
    let mut failure = None;
    source.drive(lines, &mut |lines, advance| match session.step(lines, advance.known_until, observers) {
        Ok(true) => ControlFlow::Continue(()),
        Ok(false) => ControlFlow::Break(()),
        Err(error) => {
            failure = Some(error);
            ControlFlow::Break(())
        }
    })?;
    failure.map_or(Ok(()), Err)
}
