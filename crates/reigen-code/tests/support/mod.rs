//! Random stations and recordings, worked by the engine at each scan.

#![allow(dead_code)] // Each test uses a part of it.

pub(crate) mod interpreter;
pub(crate) mod stations;

use proptest::prelude::*;
use reigen_code::c::{columns_read, lines_told};
use reigen_code::lower::{Source, lower};
use reigen_code::model::Code;
use reigen_code::prove::{ReadLine, Row, Scans};
use reigen_core::lines::{LineColumns, LineKind, RecordedLine, join};
use reigen_core::time::{Nanos, Window};
use reigen_station::station::plan::{Plan, compile};
use reigen_station::station::{Station, parse};

/// Lines of two levels, and of numbers.
pub(crate) const LINES: usize = 5;
pub(crate) const NUMBERS: usize = 4;
/// From this one on the samples of lines are whole: counts of a device, and of a converter.
pub(crate) const COUNTS: usize = 2;

/// What a recording has: the first level and the toggles of each line, and the samples of each line of numbers, in µs.
#[derive(Clone)]
pub(crate) struct Recording {
    pub(crate) lines: Vec<(bool, Vec<u64>)>,
    pub(crate) numbers: Vec<Vec<(u64, i32)>>,
    pub(crate) end_us: u64,
}

impl std::fmt::Debug for Recording {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // In few lines, however many changes there are.
        self.lines.iter().try_for_each(|line| writeln!(formatter, "{line:?}"))?;
        self.numbers.iter().try_for_each(|samples| writeln!(formatter, "{samples:?}"))?;
        write!(formatter, "up to {} us", self.end_us)
    }
}

pub(crate) fn recordings() -> impl Strategy<Value = Recording> {
    // Lines of different pace: some change with nearly each scan, some rarely.
    let line = (any::<bool>(), 1..40u64, prop::collection::vec(1..2_000u64, 0..60)).prop_map(|(level, pace, steps)| {
        let times = steps.iter().scan(0, |time, step| {
            *time += step * pace;
            Some(*time)
        });
        (level, times.collect())
    });
    let number = prop::collection::vec((1..30_000u64, -40..40i32), 0..30).prop_map(|samples| {
        let times = samples.iter().scan(0, |time, (step, value)| {
            *time += step;
            Some((*time, *value))
        });
        std::iter::once((0, 3)).chain(times).collect()
    });
    let lines = prop::collection::vec(line, LINES).prop_map(|lines: Vec<(bool, Vec<u64>)>| {
        // No change in the µs of a scan, or of another line: what comes first then is not for code to know.
        let apart = |(number, (level, times)): (usize, (bool, Vec<u64>))| {
            let mut times: Vec<u64> = times.into_iter().map(|time| time / 8 * 8 + number as u64 + 1).collect();
            times.dedup();
            (level, times)
        };
        lines.into_iter().enumerate().map(apart).collect()
    });
    (lines, prop::collection::vec(number, NUMBERS), 50_000..400_000u64).prop_map(|(lines, numbers, end_us)| Recording {
        lines,
        numbers,
        end_us,
    })
}

/// A station, its program and its code.
pub(crate) struct Made {
    pub(crate) station: Station,
    pub(crate) plan: Plan,
    pub(crate) code: Code,
}

pub(crate) fn made(text: &str, has_edges: bool) -> Made {
    let station = parse(text).unwrap_or_else(|errors| panic!("{errors:?}\n{text}"));
    let bit = |number| RecordedLine { name: format!("L{number}"), signal: number, kind: LineKind::Level, step: None };
    let number =
        |number| RecordedLine { name: format!("N{number}"), signal: LINES + number, kind: LineKind::Real, step: None };
    let recorded: Vec<RecordedLine> = (0..LINES).map(bit).chain((0..NUMBERS).map(number)).collect();
    let plan = compile(&station, &recorded, Nanos(1000)).unwrap();
    let scan = station.scan.unwrap();
    let code = lower(Source { station: &station, text, plan: &plan, scan, version: "test", has_edges });
    Made { station, plan, code }
}

impl Made {
    /// What the engine holds at each scan.
    pub(crate) fn rows(&self, recording: &Recording) -> Vec<Row> {
        let mut lines = LineColumns::new(self.plan.signals.len(), self.plan.numbers.len());
        for (number, signal) in self.plan.signals.iter().enumerate() {
            let (level, toggles) = &recording.lines[*signal];
            let times: Vec<Nanos> =
                std::iter::once(0).chain(toggles.iter().copied()).map(|us| Nanos(us * 1000)).collect();
            lines.append(number, join(None, &times, level ^ (toggles.len() % 2 == 1)));
        }
        for (number, signal) in self.plan.numbers.iter().enumerate() {
            for (at, value) in &recording.numbers[signal - LINES] {
                let value = if signal - LINES >= COUNTS { f64::from(*value) } else { f64::from(*value) / 8.0 };
                lines.append_reading(number, Nanos(at * 1000), value);
            }
        }
        let scan = self.station.scan.unwrap();
        let read = columns_read(&self.code).into_iter().map(|name| match self.plan.lines.get(name) {
            Some(number) => ReadLine::Bit(*number),
            None if name == "N2" => ReadLine::Samples(self.plan.number_lines[name]),
            None => ReadLine::Number(self.plan.number_lines[name]),
        });
        let points = self.code.parts.iter().map(|part| part.point).collect();
        let told = lines_told(&self.code).into_iter().map(|name| self.plan.lines[name]).collect();
        let mut scans = Scans::new(scan, read.collect(), points).telling(told);
        let (mut engine, mut rows) = (self.plan.program.start(), Vec::new());
        let until = Nanos(recording.end_us * 1000);
        lines.end_at(until);
        let window = lines.cut(until);
        assert_eq!(window, Window { from: Nanos(0), until });
        engine.work(window, lines.all());
        scans.take(window, lines.all(), &engine, &mut |row| rows.push(row));
        rows
    }
}

/// So many cases, or as many as are asked for.
pub(crate) fn cases() -> u32 {
    std::env::var("REIGEN_CODE_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(60)
}
