//! An archive of recordings: a table of changes for each station and day, in folders that query engines take as columns.
//!
//! `FOLDER/station=NAME/date=2026-11-29/083000.000000000.parquet`: the date is that in UTC, the file's name the time of day at
//! which it begins. Each file begins with what its lines are at that time, and ends with a row without a line, at its end.

use super::output_file::{FinishedFile, OutputFile, Outputs};
use super::parquet::Table;
use super::{Changes, Heading, Out};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use reigen_core::change::{Change, Value};
use reigen_core::time::{Nanos, Origin};
use std::io;
use std::path::{Path, PathBuf};

/// The length of a day.
const DAY_NS: i64 = 86_400_000_000_000;
/// Recordings whose time is before this have none since 1970: nothing was recorded so in 1980.
const FIRST_DATE_NS: i64 = 315_532_800_000_000_000;

/// Writes a recording of one station into an archive.
pub struct Partitions<'a> {
    outputs: &'a Outputs,
    /// The folder of the station.
    folder: PathBuf,
    heading: Heading,
    /// What each line is now; `None` before it is told.
    values: Vec<Option<Value>>,
    /// The day in the making.
    day: Option<(i64, Table<OutputFile>)>,
    finished: Vec<FinishedFile>,
}

/// Whether a recording's own time is a date.
pub fn is_dated(Origin(origin_ns): Origin) -> bool {
    origin_ns >= FIRST_DATE_NS
}

impl<'a> Partitions<'a> {
    /// Of a station, in the folder of the archive.
    pub fn new(outputs: &'a Outputs, folder: &Path, station: &str, heading: Heading) -> Self {
        let folder = folder.join(format!("station={station}"));
        let values = vec![None; heading.lines.len()];
        Self { outputs, folder, values, heading, day: None, finished: Vec::new() }
    }

    /// The files, for them to be put in place together.
    pub fn into_files(self) -> Vec<FinishedFile> {
        self.finished
    }

    /// A time of the archive as one since the recording's start.
    fn since_start(&self, file_time: i64) -> Nanos {
        self.heading.origin.since_start(file_time).unwrap_or_default()
    }

    /// The table of a day, which begins at a time.
    fn open(&mut self, day: i64, file_time: i64) -> io::Result<&mut Table<OutputFile>> {
        if self.day.as_ref().is_none_or(|(open, _)| *open != day) {
            self.close(day * DAY_NS)?;
            let begins = file_time.max(day * DAY_NS);
            let path = self.path(day, begins)?;
            if let Some(folder) = path.parent() {
                std::fs::create_dir_all(folder)?;
            }
            let file = self.outputs.create(&path).map_err(io::Error::other)?;
            let mut table = Table::begin(&self.heading, Out::Plain(file))?;
            let time = self.since_start(begins);
            for (line, value) in self.values.iter().enumerate() {
                value.map_or(Ok(()), |value| table.take(Change { time, line, value }))?;
            }
            self.day = Some((day, table));
        }
        self.day.as_mut().map(|(_, table)| table).ok_or_else(|| io::Error::other("no day is open"))
    }

    /// Ends the day in the making, no later than at a time.
    fn close(&mut self, at_latest: i64) -> io::Result<()> {
        let Some((day, table)) = self.day.take() else { return Ok(()) };
        let end = self.since_start(at_latest.min((day + 1) * DAY_NS));
        self.finished.push(table.end(end)?.finish().map_err(io::Error::other)?);
        Ok(())
    }

    fn path(&self, day: i64, begins: i64) -> io::Result<PathBuf> {
        let moment = Timestamp::from_nanosecond(i128::from(begins)).map_err(io::Error::other)?;
        let clock = TimeZone::UTC.to_datetime(moment);
        debug_assert_eq!(begins.div_euclid(DAY_NS), day);
        let time = clock.time();
        let name = format!(
            "{:02}{:02}{:02}.{:09}.parquet",
            time.hour(),
            time.minute(),
            time.second(),
            time.subsec_nanosecond()
        );
        Ok(self.folder.join(format!("date={}", clock.date())).join(name))
    }
}

impl Changes for &mut Partitions<'_> {
    fn take(&mut self, change: Change) -> io::Result<()> {
        let file_time = self.heading.origin.file_time_ns(change.time);
        let day = file_time.div_euclid(DAY_NS);
        let begins = if self.finished.is_empty() { self.heading.origin.0 } else { day * DAY_NS };
        self.open(day, begins)?.take(change)?;
        if let Some(value) = self.values.get_mut(change.line) {
            *value = Some(change.value);
        }
        Ok(())
    }

    fn finish(self: Box<Self>, end: Nanos) -> io::Result<()> {
        let last = self.heading.origin.file_time_ns(end);
        self.close(last)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::options::ReadOptions;
    use crate::recording::Recording;
    use crate::write::Line;
    use crate::write::output_file::put_in_place;

    #[test]
    fn each_day_stands_alone_and_begins_with_what_lines_are() {
        let folder = tempfile::tempdir().unwrap();
        let outputs = Outputs::default();
        let line = |name: &str| Line { name: name.to_owned(), aliases: Vec::new(), number: false, step: None };
        // 2026-11-28, an hour before midnight.
        let origin = Origin(20_785 * DAY_NS + 23 * DAY_NS / 24);
        let lines = vec![line("PB"), line("HALL")];
        let heading = Heading { lines, scope: None, origin, step: Nanos(1), resumed: Vec::new() };
        let mut archive = Partitions::new(&outputs, folder.path(), "press", heading);
        let hour = |hours: u64| Nanos(hours * 3_600_000_000_000);
        {
            let mut changes: Box<dyn Changes + '_> = Box::new(&mut archive);
            for (time, line, high) in [(0, 0, false), (0, 1, true), (2, 0, true), (51, 0, false)] {
                changes.take(Change { time: hour(time), line, value: Value::Level(high) }).unwrap();
            }
            changes.finish(hour(52)).unwrap();
        }
        put_in_place(archive.into_files()).unwrap();
        for (file, edges, last) in [
            ("date=2026-11-28/230000.000000000.parquet", 0, hour(1)),
            ("date=2026-11-29/000000.000000000.parquet", 1, hour(24)),
            ("date=2026-12-01/000000.000000000.parquet", 1, hour(3)),
        ] {
            let path = folder.path().join("station=press").join(file);
            let recording = Recording::open(&path, &ReadOptions::default());
            let mut recording = recording.unwrap();
            let mut lines = recording.select(&[0, 1], &[]);
            let mut found = 0;
            recording
                .read(&mut lines, &mut |lines, until| {
                    let window = lines.cut(until);
                    found += lines.bits().iter().map(|column| column.toggles.len()).sum::<usize>();
                    lines.advance(window);
                    true
                })
                .unwrap();
            assert_eq!((found, recording.last_time()), (edges, last), "{file}");
        }
        assert!(is_dated(origin) && !is_dated(Origin(7)));
    }
}
