//! The engine: a graph of blocks, worked a column at a time over a window.
//!
//! The graph falls into branches that share nothing but the recording's lines; large windows work
//! them side by side.

mod retained;
mod running;
mod state;

pub(crate) use retained::MOST_SUM;
pub use retained::Retained;
pub use running::{BlockState, RunningBlock};
pub use state::{EngineState, RestoreError};

use crate::account::Verdict;
use crate::block::{Inputs, Lines, MainColumn, Outputs, Shape};
use crate::column::{BitColumn, CountColumn, ReadingColumn};
use crate::event::{Event, EventKind, Real};
use crate::summary::PointSummary;
use crate::tally::Tally;
use crate::time::{Nanos, Window};
use rayon::prelude::*;

/// Below this many toggles in a window, working branches side by side costs more than it saves.
const TOGGLES_WORTH_A_THREAD: usize = 20_000;
/// At most so many changes come into a window beside those of the recording's lines.
const MOST_OWN_CHANGES: u64 = 100_000;

/// A block in its branch.
struct Node {
    /// The number of the point that the block stands for; `None` for an expression within one.
    point: Option<usize>,
    main: MainColumn,
    /// The number of the point that the block works for.
    owner: usize,
    block: RunningBlock,
    first: Shape,
    shape: Shape,
    tally: Tally,
    /// Whether no other block reads its numbers.
    unread: bool,
}

/// Blocks that depend on one another, in an order in which each comes after what it reads.
#[derive(Default)]
pub struct Branch {
    nodes: Vec<Node>,
    bits: Vec<BitColumn>,
    counts: Vec<CountColumn>,
    readings: Vec<ReadingColumn>,
}

/// Which point a block stands for and works for.
#[derive(Debug, Clone, Copy)]
pub struct NodeOwner {
    /// The number of the point that the block stands for; `None` for a part of one.
    pub point: Option<usize>,
    /// The number of the point that it works for.
    pub owner: usize,
    /// The type of that point's main column.
    pub main: MainColumn,
    /// Whether no other block reads its numbers.
    pub unread: bool,
}

impl Branch {
    /// Adds a block after all that it reads, and the columns that it fills.
    pub fn add(&mut self, owner: NodeOwner, block: RunningBlock, shape: Shape) {
        let first = Shape { bits: self.bits.len(), counts: self.counts.len(), readings: self.readings.len() };
        self.readings.resize_with(first.readings + shape.readings, ReadingColumn::default);
        self.bits.resize_with(first.bits + shape.bits, BitColumn::default);
        self.counts.resize_with(first.counts + shape.counts, CountColumn::default);
        let NodeOwner { point, owner, main, unread } = owner;
        self.nodes.push(Node { point, main, owner, block, first, shape, tally: Tally::default(), unread });
    }

    fn work(&mut self, window: Window, lines: Lines<'_>) {
        for node in &mut self.nodes {
            let (earlier, bits) = self.bits.split_at_mut(node.first.bits);
            let bits = bits.get_mut(..node.shape.bits).unwrap_or_default();
            let (earlier_counts, counts) = self.counts.split_at_mut(node.first.counts);
            let counts = counts.get_mut(..node.shape.counts).unwrap_or_default();
            let (earlier_readings, readings) = self.readings.split_at_mut(node.first.readings);
            let readings = readings.get_mut(..node.shape.readings).unwrap_or_default();
            bits.iter_mut().for_each(BitColumn::advance);
            counts.iter_mut().for_each(CountColumn::advance);
            readings.iter_mut().for_each(ReadingColumn::advance);
            let inputs = Inputs { lines, bits: earlier, counts: earlier_counts, readings: earlier_readings };
            node.block.work(window, inputs, Outputs { bits, counts, readings });
            if let (Some(first), Some(_)) = (self.bits.get(node.first.bits), node.point)
                && node.shape.bits > 0
            {
                node.tally.take(first, window.until);
            }
        }
    }
}

impl Node {
    /// The columns that it fills.
    fn columns<'a>(&self, branch: &'a Branch) -> (&'a [BitColumn], &'a [CountColumn], &'a [ReadingColumn]) {
        let Node { first, shape, .. } = self;
        let bits = branch.bits.get(first.bits..first.bits + shape.bits).unwrap_or_default();
        let counts = branch.counts.get(first.counts..first.counts + shape.counts).unwrap_or_default();
        let readings = branch.readings.get(first.readings..first.readings + shape.readings).unwrap_or_default();
        (bits, counts, readings)
    }
}

/// What one point did in the last window.
#[derive(Debug, Clone, Copy)]
pub struct PointColumns<'a> {
    /// The point's number in the station.
    pub point: usize,
    /// The type of its main column.
    pub main: MainColumn,
    /// Its bits.
    pub bits: &'a [BitColumn],
    /// Its counts.
    pub counts: &'a [CountColumn],
    /// Its readings.
    pub readings: &'a [ReadingColumn],
}

impl<'a> PointColumns<'a> {
    /// Its main column, where that is a bit.
    pub fn bit(&self) -> Option<&'a BitColumn> {
        self.bits.first().filter(|_| self.main == MainColumn::Bit)
    }

    /// Its main column, where that is a count.
    pub fn count(&self) -> Option<&'a CountColumn> {
        self.counts.first().filter(|_| self.main == MainColumn::Count)
    }

    /// Its main column, where that is a reading.
    pub fn reading(&self) -> Option<&'a ReadingColumn> {
        self.readings.first().filter(|_| self.main == MainColumn::Reading)
    }
}

/// All branches of a station, in work.
pub struct Engine {
    branches: Vec<Branch>,
}

impl Engine {
    /// An engine over branches that a plan compiled.
    pub fn new(branches: Vec<Branch>) -> Self {
        Self { branches }
    }

    /// From now on keeps what [`take_events`](Self::take_events) tells; costs time and memory for each edge.
    pub fn remember(&mut self) {
        self.nodes_mut().for_each(|node| node.block.remember());
    }

    /// The same of some points only.
    pub fn remember_points(&mut self, points: &[usize]) {
        let wanted = |node: &&mut Node| node.point.is_some_and(|point| points.contains(&point));
        self.nodes_mut().filter(wanted).for_each(|node| node.block.remember());
    }

    /// Nobody outside looks at each value of a number: about so many in a window are enough, the last one among them.
    /// Those of some points are all wanted. Gives whether any are left out then.
    pub fn skim(&mut self, enough: u64, all_of: &[usize]) -> bool {
        let spared = |node: &Node| node.point.is_some_and(|point| all_of.contains(&point));
        let nodes = self.nodes_mut().filter(|node| node.unread && !spared(node));
        nodes.fold(false, |skims, node| node.block.skim(enough) | skims)
    }

    /// The end of the next window, which begins at `from` and ends at `until` at the latest.
    ///
    /// It is cut where its columns would hold more than a bounded number of changes beside those of the lines; so a gap
    /// of years in a recording takes no more memory than a busy second.
    pub fn window_end(&self, from: Nanos, until: Nanos, lines: Lines<'_>) -> Nanos {
        let fits = |end: Nanos, quiet| self.own_changes(end.saturating_sub(from), quiet) <= MOST_OWN_CHANGES;
        if fits(until, false) {
            return until;
        }
        let next = lines.next_change(from).map_or(until, |time| time.min(until));
        let (mut end, quiet) = if next > from { (next, true) } else { (until, false) };
        while end > from + Nanos(1) && !fits(end, quiet) {
            end = Nanos(from.0 + (end.0 - from.0) / 2);
        }
        end
    }

    fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        let nodes = self.branches.iter().flat_map(|branch| &branch.nodes);
        nodes.map(|node| node.block.own_changes(length, quiet)).fold(0, u64::saturating_add)
    }

    /// Keeps nothing any more.
    pub fn forget(&mut self) {
        self.nodes_mut().for_each(|node| node.block.forget());
    }

    /// Appends the fate of each raw edge of a point that was settled in the last window.
    ///
    /// Needs [`remember`](Self::remember).
    pub fn take_verdicts(&mut self, point: usize, verdicts: &mut Vec<Verdict>) {
        for node in self.nodes_mut().filter(|node| node.point == Some(point)) {
            node.block.verdicts(verdicts);
        }
    }

    /// Works through one window; windows follow one another without a gap.
    pub fn work(&mut self, window: Window, lines: Lines<'_>) {
        let toggles: usize = lines.bits.iter().map(|line| line.toggles.len()).sum();
        let values: usize = lines.readings.iter().map(|line| line.times.len()).sum();
        if self.branches.len() > 1 && toggles + values > TOGGLES_WORTH_A_THREAD {
            self.branches.par_iter_mut().for_each(|branch| branch.work(window, lines));
        } else {
            self.branches.iter_mut().for_each(|branch| branch.work(window, lines));
        }
    }

    /// Starts all counts anew at `from`, the start of the next window.
    pub fn start_counting(&mut self, from: Nanos) {
        for node in self.nodes_mut() {
            node.tally.start_counting(from);
            node.block.start_counting(from);
        }
    }

    /// What each point did in the last window, in no particular order.
    pub fn points(&self) -> impl Iterator<Item = PointColumns<'_>> {
        self.branches.iter().flat_map(|branch| {
            branch.nodes.iter().filter_map(|node| {
                let (bits, counts, readings) = node.columns(branch);
                Some(PointColumns { point: node.point?, main: node.main, bits, counts, readings })
            })
        })
    }

    /// Appends what happened in the last window to `events`, in no particular order.
    ///
    /// Gives the time before which nothing more will be told. Needs [`remember`](Self::remember).
    pub fn take_events(&mut self, window: Window, events: &mut Vec<Event>) -> Nanos {
        let mut told = window.until;
        let mut happenings = Vec::new();
        for branch in &mut self.branches {
            for node in &mut branch.nodes {
                let Some(point) = node.point else { continue };
                let from = node.first.counts;
                let counts = branch.counts.get(from..from + node.shape.counts).unwrap_or_default();
                node.block.happenings(counts, &mut happenings);
                events.extend(happenings.drain(..).map(|(time, what)| Event { time, point, what }));
                match node.main {
                    MainColumn::Bit => {
                        branch.bits.get(node.first.bits).into_iter().for_each(|bit| push_changes(point, bit, events))
                    }
                    MainColumn::Reading => {
                        let column = branch.readings.get(node.first.readings);
                        column.into_iter().for_each(|column| push_readings(point, column, events));
                    }
                    // A counter tells its own values.
                    MainColumn::Count => {}
                }
                told = node.block.undecided_since().map_or(told, |since| told.min(since));
            }
        }
        told
    }

    /// How often expressions of a point had no result, and when that was first; with the points' numbers.
    pub fn faults(&self) -> Vec<(usize, u64, Nanos)> {
        let nodes = self.branches.iter().flat_map(|branch| &branch.nodes);
        nodes.filter_map(|node| node.block.faults().map(|(count, first)| (node.owner, count, first))).collect()
    }

    /// How often a point was asked for something while it was still at it; with the points' numbers.
    pub fn ignored(&self) -> Vec<(usize, u64)> {
        let nodes = self.branches.iter().flat_map(|branch| &branch.nodes);
        nodes.map(|node| (node.owner, node.block.ignored())).filter(|(_, count)| *count > 0).collect()
    }

    /// What each point did over all windows, with its number, in the order of the numbers.
    ///
    /// `end` is the recording's last time, up to and including which the engine has worked.
    pub fn summaries(&self, end: Nanos) -> Vec<PointSummary> {
        let mut numbered: Vec<(usize, PointSummary)> = self
            .branches
            .iter()
            .flat_map(|branch| &branch.nodes)
            .filter_map(|node| Some((node.point?, node.block.summary(node.tally.ended(end)))))
            .collect();
        numbered.sort_by_key(|(point, _)| *point);
        numbered.into_iter().map(|(_, summary)| summary).collect()
    }

    fn nodes_mut(&mut self) -> impl Iterator<Item = &mut Node> {
        self.branches.iter_mut().flat_map(|branch| &mut branch.nodes)
    }
}

fn push_readings(point: usize, column: &ReadingColumn, events: &mut Vec<Event>) {
    let readings = column.times.iter().zip(&column.values);
    events.extend(readings.map(|(&time, &value)| Event { time, point, what: EventKind::Reading(Real(value)) }));
}

fn push_changes(point: usize, column: &BitColumn, events: &mut Vec<Event>) {
    let Some(mut on) = column.level else { return };
    for &time in &column.toggles {
        on = !on;
        events.push(Event { time, point, what: if on { EventKind::On } else { EventKind::Off } });
    }
}
