//! What works past the scan, as a hardware counter does, and is seen at scans.

use super::debounce::ReadingTimes;
use crate::account::Verdict;
use crate::block::{Block, Inputs, Outputs, Shape, Stateful};
use crate::column::{BitColumn, CountColumn, ReadingColumn, StepColumn};
use crate::event::Happening;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// A block with columns of its own, of which scans show the last values.
pub struct Scanned<B> {
    inner: B,
    times: ReadingTimes,
    bits: Vec<BitColumn>,
    counts: Vec<CountColumn>,
    readings: Vec<ReadingColumn>,
    waiting: Waiting,
}

/// Values that the next scan shows, a place for each column.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
struct Waiting {
    bits: Vec<Option<(Nanos, bool)>>,
    counts: Vec<Option<(Nanos, i64)>>,
    readings: Vec<Option<(Nanos, f64)>>,
}

/// What it must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State<S> {
    inner: S,
    waiting: Waiting,
    /// The last values of its own columns.
    bits: Vec<Option<(Nanos, bool)>>,
    counts: Vec<Option<i64>>,
    readings: Vec<Option<f64>>,
}

impl<B> Scanned<B> {
    /// A block that fills so many columns, shown at these times.
    pub fn new(inner: B, shape: Shape, times: ReadingTimes) -> Self {
        Self {
            inner,
            times,
            bits: vec![BitColumn::default(); shape.bits],
            counts: vec![CountColumn::default(); shape.counts],
            readings: vec![ReadingColumn::default(); shape.readings],
            waiting: Waiting {
                bits: vec![None; shape.bits],
                counts: vec![None; shape.counts],
                readings: vec![None; shape.readings],
            },
        }
    }

    /// The block.
    pub fn inner(&self) -> &B {
        &self.inner
    }

    /// The block, to set it before it begins.
    pub fn inner_mut(&mut self) -> &mut B {
        &mut self.inner
    }
}

/// Takes a value for the scan after it; what an earlier scan shows is handed out.
fn take<V: Copy>(waiting: &mut Option<(Nanos, V)>, scan: Nanos, value: V) -> Option<(Nanos, V)> {
    let earlier = waiting.replace((scan, value));
    earlier.filter(|(earlier, _)| *earlier < scan)
}

fn scan_bit(
    own: &BitColumn,
    times: ReadingTimes,
    window: Window,
    waiting: &mut Option<(Nanos, bool)>,
    shown: &mut BitColumn,
) {
    let Some(mut level) = own.level else { return };
    let first = (own.since >= window.from).then_some(own.since);
    if let Some((scan, level)) = first.and_then(|since| take(waiting, times.at_or_after(since), level)) {
        shown.set(scan, level);
    }
    for &toggle in &own.toggles {
        level = !level;
        if let Some((scan, level)) = take(waiting, times.at_or_after(toggle), level) {
            shown.set(scan, level);
        }
    }
    if let Some((scan, level)) = waiting.take_if(|(scan, _)| *scan < window.until) {
        shown.set(scan, level);
    }
}

fn scan_steps<V: Copy + PartialEq>(
    own: &StepColumn<V>,
    times: ReadingTimes,
    window: Window,
    waiting: &mut Option<(Nanos, V)>,
    shown: &mut StepColumn<V>,
) {
    for (&at, &value) in own.times.iter().zip(&own.values) {
        if let Some((scan, value)) = take(waiting, times.at_or_after(at), value) {
            shown.change(scan, value);
        }
    }
    if let Some((scan, value)) = waiting.take_if(|(scan, _)| *scan < window.until) {
        shown.change(scan, value);
    }
}

impl<B: Block> Block for Scanned<B> {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        self.bits.iter_mut().for_each(BitColumn::advance);
        self.counts.iter_mut().for_each(CountColumn::advance);
        self.readings.iter_mut().for_each(ReadingColumn::advance);
        let own = Outputs { bits: &mut self.bits, counts: &mut self.counts, readings: &mut self.readings };
        self.inner.work(window, inputs, own);
        let times = self.times;
        for ((own, waiting), shown) in self.bits.iter().zip(&mut self.waiting.bits).zip(outputs.bits) {
            scan_bit(own, times, window, waiting, shown);
        }
        for ((own, waiting), shown) in self.counts.iter().zip(&mut self.waiting.counts).zip(outputs.counts) {
            scan_steps(own, times, window, waiting, shown);
        }
        for ((own, waiting), shown) in self.readings.iter().zip(&mut self.waiting.readings).zip(outputs.readings) {
            scan_steps(own, times, window, waiting, shown);
        }
    }

    fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        self.inner.own_changes(length, quiet)
    }

    fn start_counting(&mut self, from: Nanos) {
        self.inner.start_counting(from);
    }

    fn remember(&mut self) {
        self.inner.remember();
    }

    fn forget(&mut self) {
        self.inner.forget();
    }

    fn verdicts(&mut self, sink: &mut Vec<Verdict>) {
        self.inner.verdicts(sink);
    }

    fn happenings(&mut self, counts: &[CountColumn], sink: &mut Vec<Happening>) {
        self.inner.happenings(counts, sink);
    }

    fn undecided_since(&self) -> Option<Nanos> {
        self.inner.undecided_since()
    }

    fn faults(&self) -> Option<(u64, Nanos)> {
        self.inner.faults()
    }

    fn ignored(&self) -> u64 {
        self.inner.ignored()
    }

    fn next_due(&self) -> Option<Nanos> {
        let Waiting { bits, counts, readings } = &self.waiting;
        let bits = bits.iter().flatten().map(|(scan, _)| *scan);
        let counts = counts.iter().flatten().map(|(scan, _)| *scan);
        let readings = readings.iter().flatten().map(|(scan, _)| *scan);
        bits.chain(counts).chain(readings).chain(self.inner.next_due()).min()
    }
}

impl<B: Stateful> Stateful for Scanned<B> {
    type State = State<B::State>;

    fn save(&self) -> Self::State {
        State {
            inner: self.inner.save(),
            waiting: self.waiting.clone(),
            bits: self.bits.iter().map(|column| Some((column.since, column.last_level()?))).collect(),
            counts: self.counts.iter().map(CountColumn::last).collect(),
            readings: self.readings.iter().map(ReadingColumn::last).collect(),
        }
    }

    fn restore(&mut self, state: Self::State) {
        self.inner.restore(state.inner);
        self.waiting = state.waiting;
        for (column, level) in self.bits.iter_mut().zip(state.bits) {
            *column = BitColumn::default();
            if let Some((since, level)) = level {
                column.start(since, level);
            }
        }
        for (column, before) in self.counts.iter_mut().zip(state.counts) {
            *column = CountColumn { before, ..CountColumn::default() };
        }
        for (column, before) in self.readings.iter_mut().zip(state.readings) {
            *column = ReadingColumn { before, ..ReadingColumn::default() };
        }
    }
}
