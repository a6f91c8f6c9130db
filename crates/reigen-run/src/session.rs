//! A station at work on the lines of a source: the one loop that cuts, works and goes on.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use crate::retain::numbered;
use crate::source::LineSource;
use crate::station_file::StationFile;
use crate::stretch::Stretch;
use reigen_core::engine::{Engine, EngineState, RestoreError, Retained};
use reigen_core::lines::{LineColumns, RecordedLine};
use reigen_core::program::Program;
use reigen_core::time::Nanos;
use reigen_station::station::plan::{Plan, compile};
use std::collections::HashMap;

/// A station bound to the lines of a source.
#[derive(Debug)]
pub struct Binding {
    /// What the station does.
    pub program: Program,
    /// The signals of two levels that it reads, by their numbers in the source.
    pub signals: Vec<usize>,
    /// The signals of numbers that it reads.
    pub numbers: Vec<usize>,
    /// What the station calls each line of two levels that it reads.
    pub line_names: Vec<String>,
    /// For each name that the station gives a line, its number among those.
    pub line_numbers: HashMap<String, usize>,
    /// What points begin from, by their numbers.
    pub resumed: Vec<(usize, Retained)>,
}

impl Binding {
    /// Binds a station to the lines of a source.
    ///
    /// # Errors
    /// Where the station names lines that the source does not have, or not as they are wanted.
    pub fn new(file: &StationFile, source: &dyn LineSource) -> Result<Self, RunError> {
        Self::to_lines(file, source.lines(), source.tick(), source.resumed())
    }

    /// Binds a station to lines whose times have this step; its points begin from what they kept.
    ///
    /// # Errors
    /// As [`new`](Self::new).
    pub fn to_lines(
        file: &StationFile,
        lines: &[RecordedLine],
        tick: Nanos,
        resumed: &[(String, Retained)],
    ) -> Result<Self, RunError> {
        let plan = compile(&file.station, lines, tick);
        let Plan { program, signals, names, lines, numbers, .. } = plan.map_err(|errors| RunError::Station {
            file: file.name.clone(),
            source_text: file.source.clone(),
            errors,
        })?;
        Ok(Self {
            program,
            signals,
            numbers,
            line_names: names,
            line_numbers: lines,
            resumed: numbered(&file.station, resumed),
        })
    }
}

/// A station at work.
pub struct Session<'a> {
    /// The engine, after the last window.
    pub engine: Engine,
    /// What points could not begin from.
    pub refused: Vec<(usize, Retained)>,
    binding: &'a Binding,
    stretch: Stretch,
    /// What is counted before the stretch counts too.
    counted_before: bool,
    /// Windows end at multiples of this.
    every: Option<Nanos>,
    worked_until: Nanos,
}

impl<'a> Session<'a> {
    /// A session at the start of the lines, of which a stretch counts.
    pub fn new(binding: &'a Binding, stretch: Stretch) -> Self {
        let mut engine = binding.program.start();
        let refused = binding.resumed.iter().filter(|(point, state)| !engine.resume(*point, state)).cloned().collect();
        Self { engine, refused, binding, stretch, counted_before: false, every: None, worked_until: Nanos(0) }
    }

    /// Goes on from the state of another session of the same binding, which had worked up to a time.
    ///
    /// # Errors
    /// Where the state is that of another program; then the session is of no more use.
    pub fn go_on(&mut self, state: EngineState, worked_until: Nanos) -> Result<(), RestoreError> {
        self.worked_until = worked_until;
        self.engine.restore(state)
    }

    /// What is counted before the stretch counts too, as in the whole of the lines.
    pub fn count_before_stretch(&mut self) {
        self.counted_before = true;
    }

    /// A window ends right after each multiple of a step, so that the last value of a window is the one at that time.
    pub fn end_windows_after_each(&mut self, step: Nanos) {
        self.every = Some(Nanos(step.0.max(1)));
    }

    /// Up to when it has worked.
    pub fn worked_until(&self) -> Nanos {
        self.worked_until
    }

    /// Works up to a time before which all lines are known, window by window; gives whether the stretch goes on.
    ///
    /// # Errors
    /// Where an observer cannot go on.
    pub fn step(
        &mut self,
        lines: &mut LineColumns,
        known_until: Nanos,
        observers: &mut [&mut dyn Observer],
    ) -> Result<bool, RunError> {
        let Stretch { from, to } = self.stretch;
        // A window ends where the counts begin, and where the stretch ends.
        let known_until = to.map_or(known_until, |to| known_until.min(to + Nanos(1)));
        while self.worked_until < known_until {
            let until = if self.worked_until < from { known_until.min(from) } else { known_until };
            let until = self.every.map_or(until, |step| until.min(next_multiple(self.worked_until, step) + Nanos(1)));
            let until = self.engine.window_end(self.worked_until, until, lines.all());
            let window = lines.cut(until);
            self.engine.work(window, lines.all());
            let line_numbers = &self.binding.line_numbers;
            let mut view = WindowView { window, engine: &mut self.engine, lines, line_numbers };
            for observer in observers.iter_mut() {
                match window.from >= from {
                    true => observer.take(&mut view)?,
                    false => observer.take_early(&mut view),
                }
            }
            lines.advance(window);
            self.worked_until = until;
            if until == from && until > Nanos(0) && !self.counted_before {
                self.engine.start_counting(until);
            }
        }
        Ok(to.is_none_or(|to| self.worked_until <= to))
    }
}

/// The first multiple of a step at a time or after it.
fn next_multiple(time: Nanos, step: Nanos) -> Nanos {
    Nanos(time.0.div_ceil(step.0).saturating_mul(step.0))
}
