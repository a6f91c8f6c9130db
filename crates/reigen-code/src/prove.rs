//! What the engine holds at each scan, against which code is held.

use reigen_core::block::Lines;
use reigen_core::cast;
use reigen_core::column::{BitColumn, StepColumn};
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::engine::{Engine, PointColumns};
use reigen_core::expand::expander::{CHIP, place};
use reigen_core::number::bit::bit_of;
use reigen_core::time::{Nanos, Window};
use std::collections::VecDeque;

/// A level or a number at a scan.
#[derive(Debug, Clone, PartialEq)]
pub enum Sample {
    /// On or off, high or low.
    Bit(bool),
    /// A whole number.
    Whole(i64),
    /// A number with a fraction.
    Real(f64),
    /// The levels of a chain, as 0 and 1, in the order in which they come out.
    Levels(String),
}

/// A chain of registers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReadChain {
    /// The number of its point.
    pub point: usize,
    /// For each chip, whether its points are on while their bits are high.
    pub on_while_high: Vec<bool>,
}

/// A change of a line between scans.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Edge {
    /// When.
    pub at: Nanos,
    /// Which of the lines that are told.
    pub line: usize,
    /// The level that it went to.
    pub level: bool,
}

/// A line as code reads it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReadLine {
    /// A line of two levels, by its number.
    Bit(usize),
    /// A line of numbers, by its number.
    Number(usize),
    /// The samples of a line of numbers: only where one has come since the scan before.
    Samples(usize),
    /// A bit of a line of numbers; one that is no whole number leaves it as it was.
    BitOf(usize, u32),
    /// The bits of a chain, by the number of its point among the chains that are looked at.
    Chain(usize),
    /// Always on: whether a device answers, where nothing tells.
    On,
}

/// What stands at a scan.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// When.
    pub at: Nanos,
    /// What changed since the scan before, of the lines that are told.
    pub edges: Vec<Edge>,
    /// The lines, in the order in which the code reads them; `None` while one is not known.
    pub lines: Vec<Option<Sample>>,
    /// The points, in the order of the code; `None` while one has no value.
    pub points: Vec<Option<Sample>>,
}

/// Looks at lines and points at each scan.
#[derive(Debug, Clone)]
pub struct Scans {
    times: ReadingTimes,
    next: Nanos,
    lines: Vec<ReadLine>,
    points: Vec<usize>,
    /// The last levels of bits of numbers, by their places among the lines.
    held: Vec<Option<bool>>,
    chains: Vec<ReadChain>,
    /// The lines whose changes are told, by their numbers.
    told: Vec<usize>,
    edges: VecDeque<Edge>,
}

impl Scans {
    /// Looks at these lines and points.
    pub fn new(times: ReadingTimes, lines: Vec<ReadLine>, points: Vec<usize>) -> Self {
        let held = vec![None; lines.len()];
        let (chains, told, edges) = (Vec::new(), Vec::new(), VecDeque::new());
        Self { times, next: times.phase, lines, points, held, chains, told, edges }
    }

    /// Looks at these chains, too.
    pub fn with_chains(self, chains: Vec<ReadChain>) -> Self {
        Self { chains, ..self }
    }

    /// Tells changes of these lines, too.
    pub fn telling(self, told: Vec<usize>) -> Self {
        Self { told, ..self }
    }

    /// The changes of a window, in their order.
    fn take_edges(&mut self, lines: Lines<'_>) {
        let mut new: Vec<Edge> = Vec::new();
        for (line, number) in self.told.iter().enumerate() {
            let Some(column) = lines.bits.get(*number) else { continue };
            let mut level = column.level == Some(true);
            for &at in &column.toggles {
                level = !level;
                new.push(Edge { at, line, level });
            }
        }
        new.sort_by_key(|edge| edge.at);
        self.edges.extend(new);
    }

    /// The scans of a window that the engine has worked.
    pub fn take(&mut self, window: Window, lines: Lines<'_>, engine: &Engine, sink: &mut dyn FnMut(Row)) {
        let columns: Vec<PointColumns<'_>> = engine.points().collect();
        let of = |number: &usize| columns.iter().find(|columns| columns.point == *number);
        let points: Vec<Option<&PointColumns<'_>>> = self.points.iter().map(of).collect();
        self.take_edges(lines);
        let (chains, times) = (&self.chains, self.times);
        while self.next < window.until {
            let at = self.next;
            let number = |number: usize| lines.readings.get(number).and_then(|column| column.at(at));
            let line = |(line, held): (&ReadLine, &mut Option<bool>)| match *line {
                ReadLine::Bit(number) => lines.bits.get(number).and_then(|column| level(column, at)),
                ReadLine::Number(line) => number(line).map(Sample::Real),
                ReadLine::Samples(line) => {
                    let column = lines.readings.get(line)?;
                    let came = column.times.partition_point(|time| *time <= at);
                    let last = column.times.get(came.checked_sub(1)?)?;
                    let is_new = at == times.phase || *last + times.period > at;
                    is_new.then(|| number(line).map(|value| Sample::Whole(cast::i64_from_f64(value)))).flatten()
                }
                ReadLine::BitOf(line, bit) => {
                    *held = number(line).and_then(|number| bit_of(number, bit)).or(*held);
                    held.map(Sample::Bit)
                }
                ReadLine::Chain(number) => {
                    let chain = chains.get(number)?;
                    levels(columns.iter().find(|columns| columns.point == chain.point)?, chain, at)
                }
                ReadLine::On => Some(Sample::Bit(true)),
            };
            let point = |columns: &Option<&PointColumns<'_>>| columns.and_then(|columns| value(columns, at));
            let lines = self.lines.iter().zip(&mut self.held).map(line).collect();
            let mut edges = Vec::new();
            while let Some(edge) = self.edges.pop_front_if(|edge| edge.at <= at) {
                // Before the first scan nothing is told.
                edges.extend(Some(edge).filter(|edge| edge.at > self.times.phase));
            }
            sink(Row { at, edges, lines, points: points.iter().map(point).collect() });
            self.next = at + self.times.period;
        }
    }
}

/// The levels of a chain, once it has had a frame.
fn levels(columns: &PointColumns<'_>, chain: &ReadChain, at: Nanos) -> Option<Sample> {
    let bits = chain.on_while_high.len() * CHIP;
    let mut text = vec!['0'; bits];
    for (chip, on_while_high) in chain.on_while_high.iter().enumerate() {
        for pin in 0..CHIP {
            let Some(Sample::Bit(on)) = columns.bits.get(chip * CHIP + pin).and_then(|column| level(column, at)) else {
                return None;
            };
            if let Some(letter) = text.get_mut(place(chip, pin)) {
                *letter = if on == *on_while_high { '1' } else { '0' };
            }
        }
    }
    Some(Sample::Levels(text.into_iter().collect()))
}

/// A level that is known by then.
fn level(column: &BitColumn, at: Nanos) -> Option<Sample> {
    column.level_at(at).filter(|_| column.since <= at).map(Sample::Bit)
}

fn value(columns: &PointColumns<'_>, at: Nanos) -> Option<Sample> {
    let bit = columns.bit().and_then(|column| level(column, at));
    let whole = || columns.count().and_then(|column: &StepColumn<i64>| column.at(at)).map(Sample::Whole);
    let real = || columns.reading().and_then(|column| column.at(at)).map(Sample::Real);
    bit.or_else(whole).or_else(real)
}

/// Doubles of different libraries of mathematics are the same where they differ by no more than this share.
const SAME: f64 = 1e-9;

impl Sample {
    /// As a field of CSV.
    pub fn text(&self) -> String {
        match self {
            Self::Bit(bit) => u8::from(*bit).to_string(),
            Self::Whole(whole) => whole.to_string(),
            Self::Real(real) => format!("{real:?}"),
            Self::Levels(levels) => levels.clone(),
        }
    }

    /// Whether a field of CSV is this.
    pub fn is(&self, text: &str) -> bool {
        match self {
            Self::Bit(bit) => text == if *bit { "1" } else { "0" },
            Self::Levels(levels) => text == levels,
            Self::Whole(whole) => text.parse() == Ok(*whole),
            Self::Real(real) => text
                .parse()
                .is_ok_and(|told: f64| told == *real || (told - real).abs() <= SAME * real.abs().max(told.abs())),
        }
    }
}

impl Row {
    /// Appends the row that code reads: the time in µs since the first scan and an offset, and the lines.
    ///
    /// Changes between scans stand before it, each in a row of its own; `told` are the names of those lines.
    pub fn write(&self, first: Nanos, offset_us: u64, told: &[&str], text: &mut String) {
        let us = |at: Nanos| at.saturating_sub(first).0 / 1000 + offset_us;
        for edge in &self.edges {
            let name = told.get(edge.line).copied().unwrap_or_default();
            text.push_str(&format!("edge,{},{name},{}\n", us(edge.at), u8::from(edge.level)));
        }
        text.push_str(&us(self.at).to_string());
        for line in &self.lines {
            text.push(',');
            match line {
                // Most lines have two levels.
                Some(Sample::Bit(bit)) => text.push(if *bit { '1' } else { '0' }),
                Some(other) => text.push_str(&other.text()),
                None => {}
            }
        }
        text.push('\n');
    }

    /// The first point, by its number here, that the row which code printed tells otherwise; and what it tells.
    pub fn difference<'a>(&self, printed: &'a str) -> Option<(usize, &'a str)> {
        let mut fields = printed.trim_end().split(',').skip(1);
        self.points.iter().enumerate().find_map(|(number, point)| {
            let told = fields.next().unwrap_or("nothing");
            let same = point.as_ref().map_or(told.is_empty(), |point| point.is(told));
            (!same).then_some((number, told))
        })
    }
}
