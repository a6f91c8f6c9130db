//! Joins the pieces of a recording into the columns of the lines that are wanted.

use crate::piece::{Piece, Unknown};
use reigen_core::lines::{LineColumns, join};
use reigen_core::quantity::SampleRate;
use reigen_core::time::Nanos;

/// What is known of each two-level signal up to the last piece.
#[derive(Debug, Default)]
pub(crate) struct Stitcher {
    signals: Vec<Signal>,
    /// For each number signal the column it fills, if it is wanted.
    readings: Vec<Option<usize>>,
    /// The stretch in which edges are counted, both ends included.
    counted: (Nanos, Option<Nanos>),
    /// How the pieces' own times and signals belong to the recording's.
    placing: PiecePlacement,
    /// Room for times made of sample numbers.
    times: Vec<Nanos>,
    /// Edges of all two-level signals in that stretch.
    pub(crate) edges: u64,
    /// The last instant with an edge, and how many edges of all signals are at it.
    instant: Nanos,
    pub(crate) at_instant: u64,
    /// Edges of one signal that share their nanosecond with the edge before; `None` where they are not counted.
    pub(crate) met: Option<u64>,
}

/// How the pieces of one file belong to a recording.
#[derive(Debug, Clone, Default)]
pub(crate) struct PiecePlacement {
    /// The rate, where they count samples in place of time.
    pub(crate) rate: Option<SampleRate>,
    /// When the file begins.
    pub(crate) shift: Nanos,
    /// For each of its two-level signals that of the recording; none where they are the same.
    pub(crate) bits: Option<Vec<Option<usize>>>,
    /// The same of its number signals.
    pub(crate) numbers: Option<Vec<Option<usize>>>,
}

impl PiecePlacement {
    /// The time in the recording of a time in a piece, or of a sample; beyond all bounds the last one, which
    /// [ends](Self::BEYOND) the reading.
    fn time_of(&self, time: Nanos, sample_base: u64) -> Nanos {
        match self.rate {
            None => time + self.shift,
            Some(rate) => rate.time_of(sample_base.saturating_add(time.0)).unwrap_or(Self::BEYOND) + self.shift,
        }
    }

    /// A time that no recording reaches.
    pub(crate) const BEYOND: Nanos = Nanos(u64::MAX);

    /// Times as they are in the recording; `room` is for those that differ from the piece's.
    fn times<'a>(&self, times: &'a [Nanos], sample_base: u64, room: &'a mut Vec<Nanos>) -> &'a [Nanos] {
        if self.rate.is_none() && self.shift == Nanos(0) {
            return times;
        }
        room.clear();
        room.extend(times.iter().map(|&time| self.time_of(time, sample_base)));
        room
    }
}

/// The signal in the recording of one in a file.
fn mapped(signal: usize, map: Option<&Vec<Option<usize>>>) -> Option<usize> {
    map.map_or(Some(signal), |map| map.get(signal).copied().flatten())
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

    /// Says how the pieces to come belong to the recording.
    pub(crate) fn place(&mut self, placing: PiecePlacement) {
        self.placing = placing;
    }

    /// Joins one piece; gives the last time in it.
    pub(crate) fn take(&mut self, piece: &Piece, lines: &mut LineColumns) -> Option<Nanos> {
        let (placing, base) = (&self.placing, piece.sample_base);
        for (number, column) in piece.columns.iter().enumerate() {
            if column.changes.is_empty() && column.marks().is_empty() {
                continue;
            }
            let signal = mapped(number, placing.bits.as_ref()).and_then(|signal| self.signals.get_mut(signal));
            let Some(signal) = signal else { continue };
            let changes = placing.times(&column.changes, base, &mut self.times);
            if let (Some(line), true) = (signal.column, signal.open.is_some() || !column.marks().is_empty()) {
                let again = changes.first().filter(|_| signal.open.is_some());
                if let (Some(&time), Some(last)) = (again, column.level()) {
                    lines.append_unknown(line, time, Some(last ^ (changes.len() % 2 == 0)));
                }
                for &(time, level) in column.marks() {
                    lines.append_unknown(line, placing.time_of(time, base), level);
                }
            }
            signal.take_unknown(&column.unknown().later_by(placing.shift), changes.first().copied());
            let Some(last_level) = column.level() else { continue };
            let joined = join(signal.level, changes, last_level);
            signal.level = Some(last_level);
            if let Some((since, _)) = joined.start {
                signal.since = Some(since);
            }
            if let Some(&last) = joined.edges.last() {
                if last > self.instant {
                    (self.instant, self.at_instant) = (last, 0);
                }
                let before = joined.edges.partition_point(|edge| *edge < self.instant);
                self.at_instant += (joined.edges.len() - before) as u64;
            }
            self.edges += edges_within(joined.edges, self.counted);
            if let Some(met) = &mut self.met {
                *met += signal.count_met(joined.edges);
            }
            if let Some(line) = signal.column {
                lines.append(line, joined);
            }
        }
        for (number, column) in piece.numbers.iter().enumerate().filter(|(_, column)| !column.times.is_empty()) {
            let number = mapped(number, placing.numbers.as_ref());
            let Some(line) = number.and_then(|number| *self.readings.get(number)?) else { continue };
            let times = placing.times(&column.times, base, &mut self.times);
            lines.append_readings(line, times, &column.values);
        }
        piece.last_time.map(|time| placing.time_of(time, base))
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
        let was_known = self.level.is_some();
        self.unknown_values += unknown.values + if was_known { unknown.leading_values } else { 0 };
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
