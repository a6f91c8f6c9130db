//! Joins the pieces of a recording into the columns of the lines that are wanted.

use crate::piece::{Piece, Unknown};
use reigen_core::lines::{LineColumns, join};
use reigen_core::quantity::SampleRate;
use reigen_core::time::{MOST_FILE_TIME_NS, Nanos};

/// What is known of each two-level signal up to the last piece.
#[derive(Debug, Default)]
pub(crate) struct Stitcher {
    signals: Vec<Signal>,
    /// For each number signal the column it fills, if it is wanted.
    readings: Vec<Option<usize>>,
    /// The stretch in which edges are counted, both ends included.
    counted: (Nanos, Option<Nanos>),
    /// The rate, where pieces count samples in place of time.
    pub(crate) rate: Option<SampleRate>,
    /// Room for times made of sample numbers.
    times: Vec<Nanos>,
    /// Edges of all two-level signals in that stretch.
    pub(crate) edges: u64,
    /// Edges of one signal that share their nanosecond with the edge before; `None` where they are not counted.
    pub(crate) met: Option<u64>,
}

/// What is known of one two-level signal.
#[derive(Debug, Clone, Default)]
pub(crate) struct Signal {
    /// The column it fills, if it is wanted.
    column: Option<usize>,
    level: Option<bool>,
    last_edge: Option<Nanos>,
    /// When its first level came.
    pub(crate) since: Option<Nanos>,
    /// How many unknown values it took.
    pub(crate) unknown_values: u64,
    /// How long it was unknown after it had been known.
    pub(crate) unknown_time: Nanos,
    /// Unknown since.
    open: Option<Nanos>,
}

impl Stitcher {
    /// For `bits` two-level signals and `numbers` number signals; `wanted` fill columns in their order.
    pub(crate) fn new(bits: usize, numbers: usize, wanted_bits: &[usize], wanted_numbers: &[usize]) -> Self {
        let mut signals = vec![Signal::default(); bits];
        for (column, &signal) in wanted_bits.iter().enumerate() {
            if let Some(signal) = signals.get_mut(signal) {
                signal.column = Some(column);
            }
        }
        let mut readings = vec![None; numbers];
        for (column, &signal) in wanted_numbers.iter().enumerate() {
            if let Some(reading) = readings.get_mut(signal) {
                *reading = Some(column);
            }
        }
        Self { signals, readings, ..Self::default() }
    }

    /// Counts edges only from `from` to `to`, both included.
    pub(crate) fn count_within(&mut self, from: Nanos, to: Option<Nanos>) {
        self.counted = (from, to);
    }

    /// The signals that are wanted, in the order of their columns.
    pub(crate) fn wanted(&self) -> impl Iterator<Item = (usize, &Signal)> {
        self.signals.iter().filter_map(|signal| Some((signal.column?, signal)))
    }

    /// Joins one piece; gives the last time in it.
    pub(crate) fn take(&mut self, piece: &Piece, lines: &mut LineColumns) -> Option<Nanos> {
        let rate = self.rate;
        let time_of = |time: Nanos| match rate {
            None => time,
            // Beyond all times, which takes a century, the last one stands in.
            Some(rate) => rate.time_of(piece.sample_base + time.0).unwrap_or(Nanos(MOST_FILE_TIME_NS as u64)),
        };
        for (signal, column) in self.signals.iter_mut().zip(&piece.columns) {
            if column.changes.is_empty() && column.unknown.values == 0 {
                continue;
            }
            signal.take_unknown(&column.unknown, column.changes.first().copied());
            let Some(last_level) = column.level() else { continue };
            let changes = if rate.is_none() {
                &column.changes
            } else {
                self.times.clear();
                self.times.extend(column.changes.iter().map(|&sample| time_of(sample)));
                &self.times
            };
            let joined = join(signal.level, changes, last_level);
            signal.level = Some(last_level);
            if let Some((since, _)) = joined.start {
                signal.since = Some(since);
            }
            self.edges += edges_within(joined.edges, self.counted);
            if let Some(met) = &mut self.met {
                *met += signal.count_met(joined.edges);
            }
            if let Some(line) = signal.column {
                lines.append(line, joined);
            }
        }
        for (number, column) in piece.numbers.iter().zip(&self.readings).filter(|(number, _)| !number.times.is_empty())
        {
            let Some(line) = *column else { continue };
            let times = if rate.is_none() {
                &number.times
            } else {
                self.times.clear();
                self.times.extend(number.times.iter().map(|&sample| time_of(sample)));
                &self.times
            };
            lines.append_readings(line, times, &number.values);
        }
        piece.last_time.map(time_of)
    }

    /// Ends the recording at `end`: what is unknown then was so up to it.
    pub(crate) fn finish(&mut self, end: Nanos) {
        for signal in &mut self.signals {
            if let (Some(since), Some(_)) = (signal.open.take(), signal.level) {
                signal.unknown_time += end.saturating_sub(since);
            }
        }
    }
}

impl Signal {
    fn take_unknown(&mut self, unknown: &Unknown, first_known: Option<Nanos>) {
        self.unknown_values += unknown.values;
        let was_known = self.level.is_some();
        let leading = self.open.or(unknown.leading);
        match (first_known, leading) {
            (Some(known), Some(since)) if was_known => self.unknown_time += known.saturating_sub(since),
            _ => {}
        }
        self.unknown_time += unknown.time;
        self.open = if first_known.is_some() { unknown.open } else { leading };
    }

    /// Edges that share their nanosecond with the edge before.
    fn count_met(&mut self, edges: &[Nanos]) -> u64 {
        let Some(first) = edges.first() else { return 0 };
        let across = u64::from(self.last_edge == Some(*first));
        self.last_edge = edges.last().copied();
        across + edges.windows(2).filter(|pair| pair.first() == pair.last()).count() as u64
    }
}

fn edges_within(edges: &[Nanos], (from, to): (Nanos, Option<Nanos>)) -> u64 {
    let before = if from == Nanos(0) { 0 } else { edges.partition_point(|&edge| edge < from) };
    let through = to.map_or(edges.len(), |to| edges.partition_point(|&edge| edge <= to));
    (through.saturating_sub(before)) as u64
}
