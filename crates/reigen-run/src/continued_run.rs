//! A station worked on lines that come in parts, which another computer can go on with between any two of them.
//!
//! The parts are JSON Lines, each change with its time. Put together they are a recording: however it was parted, and however often
//! somebody else went on, the totals are those of that recording.

use crate::error::RunError;
use crate::line_table::LineTable;
use crate::live::source::station_lines;
use crate::observer::Observer;
use crate::session::{Binding, Session};
use crate::station_file::StationFile;
use crate::stretch::Stretch;
use reigen_core::change::Value;
use reigen_core::engine::{EngineState, RestoreError};
use reigen_core::lines::{JoinedPiece, LineColumns, LineKind, RecordedLine};
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin, Window};
use reigen_io::live_row;
use serde::{Deserialize, Serialize};

/// A station bound to the lines that it names.
#[derive(Debug)]
pub struct BoundStation {
    /// What the station does.
    pub binding: Binding,
    lines: Vec<RecordedLine>,
    table: LineTable,
    /// For each signal of two levels, and for each of numbers, the column that it fills.
    columns: [Vec<Option<usize>>; 2],
}

impl BoundStation {
    /// Binds a station.
    ///
    /// # Errors
    /// Where it uses its lines in a way that they cannot be.
    pub fn new(file: &StationFile) -> Result<Self, RunError> {
        let lines = station_lines(&file.station);
        let binding = Binding::to_lines(file, &lines, Nanos(1), &[])?;
        let columns_of = |signals: &[usize], is_level: bool| {
            let count = lines.iter().filter(|line| (line.kind == LineKind::Level) == is_level).count();
            (0..count).map(|signal| signals.iter().position(|wanted| *wanted == signal)).collect()
        };
        let columns = [columns_of(&binding.signals, true), columns_of(&binding.numbers, false)];
        Ok(Self { table: LineTable::new(&lines), lines, columns, binding })
    }

    /// How many lines of two levels the station reads.
    pub fn line_count(&self) -> usize {
        self.binding.signals.len()
    }
}

/// What a run must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RunState {
    clock: Clock,
    /// The changes at the newest time: more of that instant may come.
    waiting: Vec<(usize, Value)>,
    /// For each line of two levels that is read its last level, and since when it has one.
    levels: Vec<Option<(Nanos, bool)>>,
    /// For each number line that is read its last value.
    values: Vec<Option<f64>>,
    engine: EngineState,
}

/// The times of a run.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
struct Clock {
    /// The lines' own time at which time 0 is: that of the first change.
    origin: Option<Origin>,
    newest: Nanos,
    worked_until: Nanos,
}

/// What a part said.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PartAccount {
    /// Changes of lines that the station names.
    pub changes: u64,
    /// Changes that were older than one before them; they count at its time.
    pub late: u64,
    /// Rows that mean nothing.
    pub malformed: u64,
    /// The first of those, and why.
    pub first_malformed: Option<String>,
}

/// A station at work on parts.
pub struct ContinuedRun<'a> {
    station: &'a BoundStation,
    session: Session<'a>,
    columns: LineColumns,
    clock: Clock,
    waiting: Vec<(usize, Value)>,
}

impl<'a> ContinuedRun<'a> {
    /// A run that has seen nothing yet.
    pub fn new(station: &'a BoundStation) -> Self {
        let Binding { signals, numbers, .. } = &station.binding;
        Self {
            session: Session::new(&station.binding, Stretch::default()),
            columns: LineColumns::new(signals.len(), numbers.len()),
            clock: Clock::default(),
            waiting: Vec::new(),
            station,
        }
    }

    /// Goes on where another run of the same station was.
    ///
    /// # Errors
    /// Where the state is that of another station.
    pub fn resume(station: &'a BoundStation, state: RunState) -> Result<Self, RestoreError> {
        let mut run = Self::new(station);
        let RunState { clock, waiting, levels, values, engine } = state;
        if [levels.len(), values.len()] != [run.columns.bits().len(), run.columns.readings().len()] {
            return Err(RestoreError::OtherProgram);
        }
        for (column, start) in levels.into_iter().enumerate() {
            run.columns.append(column, JoinedPiece { start, edges: &[] });
        }
        for (column, value) in values.into_iter().enumerate() {
            value.into_iter().for_each(|value| run.columns.append_reading(column, Nanos(0), value));
        }
        run.columns.advance(Window { from: Nanos(0), until: clock.worked_until });
        run.session.go_on(engine, clock.worked_until)?;
        (run.clock, run.waiting) = (clock, waiting);
        Ok(run)
    }

    /// What another run needs to go on from here.
    pub fn save(&self) -> RunState {
        let level = |column: &reigen_core::column::BitColumn| Some((column.since, column.last_level()?));
        RunState {
            clock: Clock { worked_until: self.session.worked_until(), ..self.clock },
            waiting: self.waiting.clone(),
            levels: self.columns.bits().iter().map(level).collect(),
            values: self.columns.readings().iter().map(|column| column.last()).collect(),
            engine: self.session.engine.save(),
        }
    }

    /// The lines' own time at time 0, and the time of the newest change; `None` before the first.
    pub fn stretch(&self) -> Option<(Origin, Nanos)> {
        Some((self.clock.origin?, self.clock.newest))
    }

    /// The lines' own time of the newest change; `None` before the first.
    pub fn newest(&self) -> Option<i64> {
        self.clock.origin.map(|origin| origin.file_time_ns(self.clock.newest))
    }

    /// Works the next part, up to its newest time.
    ///
    /// # Errors
    /// Where an observer cannot go on.
    pub fn take(&mut self, part: &[u8], observers: &mut [&mut dyn Observer]) -> Result<PartAccount, RunError> {
        let mut account = PartAccount::default();
        for text in part.split(|byte| *byte == b'\n').filter(|text| !text.trim_ascii().is_empty()) {
            if let Err(why) = self.row(text, &mut account) {
                account.malformed += 1;
                account.first_malformed.get_or_insert(why);
            }
        }
        self.session.step(&mut self.columns, self.clock.newest, observers)?;
        Ok(account)
    }

    fn row(&mut self, text: &[u8], account: &mut PartAccount) -> Result<(), String> {
        let row = live_row(text)?;
        let own = row.time_ns.ok_or("it has no time: add \"time_ns\"")?;
        let change = match &row.change {
            Some((name, value)) => self.station.table.value(name, *value)?,
            None => None,
        };
        let origin = *self.clock.origin.get_or_insert(Origin(own));
        let time = origin.since_start(own).filter(|time| *time >= self.clock.newest);
        account.late += u64::from(time.is_none());
        account.changes += u64::from(change.is_some());
        let time = time.unwrap_or(self.clock.newest);
        if time > self.clock.newest {
            self.pass_waiting();
            self.clock.newest = time;
        }
        self.waiting.extend(change);
        Ok(())
    }

    /// Puts into the columns what was at the newest time: nothing more of that instant comes.
    fn pass_waiting(&mut self) {
        let Self { station, columns, clock: Clock { newest: time, .. }, waiting, .. } = self;
        let time = *time;
        for (line, value) in waiting.drain(..) {
            let Some(line) = station.lines.get(line) else { continue };
            let [of_levels, of_numbers] = &station.columns;
            let column = |columns: &[Option<usize>]| columns.get(line.signal).copied().flatten();
            match value {
                Value::Level(high) if line.kind == LineKind::Level => {
                    let Some(number) = column(of_levels) else { continue };
                    let before = columns.bits().get(number).and_then(|column| column.last_level());
                    match before {
                        // All levels at the first time make up the starting level.
                        before if before.is_none() || time == Nanos(0) => {
                            columns.append(number, JoinedPiece { start: Some((time, high)), edges: &[] });
                        }
                        before if before != Some(high) => {
                            columns.append(number, JoinedPiece { start: None, edges: &[time] });
                        }
                        _ => {}
                    }
                }
                Value::Number(value) if line.kind != LineKind::Level => {
                    column(of_numbers).into_iter().for_each(|number| columns.append_reading(number, time, value));
                }
                // A line that is not known holds its last value.
                _ => {}
            }
        }
    }

    /// What each point has done up to the newest change, that included.
    ///
    /// # Errors
    /// Where an observer cannot go on.
    pub fn finish(mut self) -> Result<Vec<PointSummary>, RunError> {
        self.pass_waiting();
        let end = self.clock.newest + Nanos(1);
        self.columns.end_at(end);
        self.session.step(&mut self.columns, end, &mut [])?;
        Ok(self.session.engine.summaries(self.clock.newest))
    }

    /// What each point has done so far, as if the lines ended here; the run goes on.
    ///
    /// # Errors
    /// As [`finish`](Self::finish).
    pub fn totals(&self) -> Result<Vec<PointSummary>, RunError> {
        let run = Self::resume(self.station, self.save()).map_err(|error| RunError::Request {
            message: format!("the run cannot go on from its own state: {error}"),
            help: "this is a fault of the program: please report it".to_owned(),
        })?;
        run.finish()
    }
}
