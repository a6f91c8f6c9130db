//! The program of a station: what it does, as data.
//!
//! A program is compiled once from a station and the lines that it reads; [`Program::start`] makes the engine of it. Whatever
//! else walks what a station does, such as a writer of controller code, walks the same nodes.

use crate::analog::meter::{self, Analog, Scaled, Scaling};
use crate::analog::threshold::{Levels, Threshold};
use crate::block::{BitSource, MainColumn, NumberSource, Shape};
use crate::condition::debounce::ReadingTimes;
use crate::condition::input::{Input, InputSettings};
use crate::condition::scanned::Scanned;
use crate::count::counter::{self, Counter};
use crate::count::encoder::block::Encoder;
use crate::count::encoder::settings as encoder;
use crate::engine::{Branch, Engine, NodeOwner, RunningBlock};
use crate::expand::expander::{self, Expander};
use crate::expand::word::{self, Code, Word};
use crate::logic::apply::{self, Apply, Operand};
use crate::logic::blink::{Blink, Flashes};
use crate::logic::elapsed::{self, Elapsed};
use crate::logic::evaluate::Evaluate;
use crate::logic::expect::{Expect, When};
use crate::logic::expect_after::ExpectAfter;
use crate::logic::expression::{Expression, Reference};
use crate::logic::latch::{Latch, Toggle};
use crate::logic::oneshot::OneShot;
use crate::logic::output::Output;
use crate::logic::pair::{self, Pair};
use crate::logic::timer::{self, Timer, TimerKind};
use crate::number::analog_output::{self, AnalogOutput};
use crate::number::bit::NumberBit;
use crate::number::delay::{self, Delay};
use crate::number::hold::{self, Hold};
use crate::number::register::{self, Register};
use crate::number::sample_rate::{self, SampleRate};
use crate::number::scan::NumberScan;
use crate::number::source::ValidSource;
use crate::number::stats::{self, Stats};
use crate::rate::meter::Rate;
use crate::rate::settings as rate;
use crate::rate::width::{self, Stretches, Width};
use crate::time::Nanos;
use std::collections::HashSet;

/// What a station does, bound to the lines that it reads.
#[derive(Debug, Default, Clone, PartialEq)]
pub struct Program {
    /// Parts that share nothing but the lines.
    pub branches: Vec<ProgramBranch>,
}

/// Nodes that depend on one another, in an order in which each comes after what it reads.
#[derive(Debug, Default, Clone, PartialEq)]
pub struct ProgramBranch {
    /// The nodes.
    pub nodes: Vec<ProgramNode>,
    /// How many columns they fill together.
    pub columns: Shape,
}

/// One operation of a branch.
#[derive(Debug, Clone, PartialEq)]
pub struct ProgramNode {
    /// The number of the point that the node stands for; `None` for a part of one.
    pub point: Option<usize>,
    /// The number of the point that the node works for.
    pub owner: usize,
    /// The type of that point's main column.
    pub main: MainColumn,
    /// What it does, with its settings and sources.
    pub operation: Operation,
    /// Whether no other node reads its numbers.
    pub unread: bool,
}

/// What a node does: the settings of its block, and where it reads.
#[derive(Debug, Clone, PartialEq)]
pub enum Operation {
    /// Conditions a line, or a bit of a point.
    Input {
        /// The name of the line.
        line: String,
        /// Where it reads.
        source: BitSource,
        /// Polarity, scan and debounce.
        settings: InputSettings,
    },
    /// Counts.
    Counter {
        /// Its limits, presets and units.
        settings: counter::Settings,
        /// Where it reads.
        sources: counter::Sources,
    },
    /// Decodes quadrature.
    Encoder {
        /// How it decodes and homes.
        settings: encoder::Settings,
        /// Where it reads.
        sources: encoder::Sources,
        /// The step of the times at which edges can be.
        tick: Nanos,
    },
    /// Reads a chain of registers.
    Expander {
        /// Its registers.
        settings: expander::Settings,
        /// Where it reads.
        sources: expander::Sources,
    },
    /// Makes a number of bits.
    Word {
        /// How the bits make a number.
        code: Code,
        /// Where it reads, the lowest first.
        sources: Vec<BitSource>,
        /// The names of the bits.
        names: Vec<String>,
    },
    /// Measures a frequency or speed.
    Rate {
        /// Its method and units.
        settings: rate::Settings,
        /// Where it reads.
        of: BitSource,
        /// The step of the times at which edges can be.
        tick: Nanos,
    },
    /// Measures how long a level is held.
    Stretches {
        /// Where it reads.
        of: BitSource,
        /// Which level.
        high: bool,
    },
    /// Makes a reading of held times.
    Width {
        /// Its unit and range.
        settings: width::Settings,
        /// Where the times are.
        raw: NumberSource,
        /// Where the formula's result is.
        formula: Option<NumberSource>,
    },
    /// Scales a recorded number.
    Scaled {
        /// Where it reads.
        of: NumberSource,
        /// How.
        scaling: Scaling,
    },
    /// Makes a reading of a number.
    Analog {
        /// Its scaling, range and smoothing.
        settings: meter::Settings,
        /// Where it reads.
        of: NumberSource,
        /// Where the recorded number is, where it reads a formula's result.
        recorded: Option<NumberSource>,
    },
    /// Holds a number at the edges of a bit.
    Hold {
        /// At which edges, and the unit.
        settings: hold::Settings,
        /// Where the number is.
        of: ValidSource,
        /// Where the bit is.
        at: BitSource,
    },
    /// Measures a number while a bit is on.
    Stats {
        /// The unit of the number.
        unit: String,
        /// Where the number is.
        of: ValidSource,
        /// Where the bit is.
        while_on: BitSource,
    },
    /// Measures the time from one bit to another.
    Delay {
        /// Where the time begins.
        from: BitSource,
        /// Where it ends.
        to: BitSource,
    },
    /// Reads a number once in a scan.
    NumberScan {
        /// Where the number is.
        of: NumberSource,
        /// When it is read.
        times: ReadingTimes,
    },
    /// Counts past the scan, as a counter input does, and shows the count at scans.
    ScannedCounter {
        /// Its limits, presets and units.
        settings: counter::Settings,
        /// Where it reads.
        sources: counter::Sources,
        /// When it is shown.
        times: ReadingTimes,
    },
    /// Decodes quadrature past the scan.
    ScannedEncoder {
        /// How it decodes and homes.
        settings: encoder::Settings,
        /// Where it reads.
        sources: encoder::Sources,
        /// The step of the times at which edges can be.
        tick: Nanos,
        /// When it is shown.
        times: ReadingTimes,
    },
    /// Measures a frequency or speed past the scan.
    ScannedRate {
        /// Its method and units.
        settings: rate::Settings,
        /// Where it reads.
        of: BitSource,
        /// The step of the times at which edges can be.
        tick: Nanos,
        /// When it is shown.
        times: ReadingTimes,
    },
    /// Follows one bit of a recorded number.
    NumberBit {
        /// Where the number is.
        of: NumberSource,
        /// Which bit, from 0.
        bit: u32,
    },
    /// Counts by the samples of a running count.
    Register {
        /// Its bits and what it may do.
        settings: register::Settings,
        /// Where it reads.
        sources: register::Sources,
    },
    /// Measures the rate of such a count.
    SampleRate {
        /// How it is told.
        settings: sample_rate::Settings,
        /// Where the count is.
        count: NumberSource,
        /// Where its steps are.
        delta: NumberSource,
    },
    /// Gives a number out as a current or a voltage.
    AnalogOutput {
        /// Its span and limits.
        settings: analog_output::Settings,
        /// Where the number is.
        of: ValidSource,
    },
    /// Compares a number with two levels.
    Threshold {
        /// The levels.
        levels: Levels,
        /// Where it reads.
        of: Operand,
    },
    /// An expression over bits.
    Logic {
        /// The expression.
        expression: Expression,
        /// Where to read each of its names.
        sources: Vec<(Reference, BitSource)>,
    },
    /// One operation over numbers.
    Apply {
        /// Which.
        operation: apply::Operation,
        /// Its operands.
        operands: Vec<Operand>,
        /// What comes of it.
        result: ApplyResult,
    },
    /// A formula over numbers, worked as one.
    Formula {
        /// The formula.
        expression: Expression,
        /// Its names.
        names: Vec<Reference>,
        /// Where to read each.
        operands: Vec<Operand>,
    },
    /// A pulse at an edge.
    OneShot {
        /// Where it reads.
        of: BitSource,
        /// At rising edges; else at falling ones.
        rising: bool,
        /// How long the pulse is.
        width: Nanos,
    },
    /// A state that is set and reset.
    Latch {
        /// Sets it.
        set: BitSource,
        /// Resets it.
        reset: BitSource,
        /// Whether `set` wins where both are on.
        set_wins: bool,
    },
    /// A state that flips.
    Toggle {
        /// Flips it.
        by: BitSource,
        /// Resets it.
        reset: Option<BitSource>,
    },
    /// A timer (IEC 61131-3).
    Timer {
        /// TON, TOF or TP.
        kind: TimerKind,
        /// Its time.
        time: Nanos,
        /// What it tells as elapsed when that is up.
        told: Nanos,
        /// Where it reads.
        of: BitSource,
    },
    /// Compares a timer's time with a constant.
    Elapsed {
        /// Whether the time runs.
        running: BitSource,
        /// What the timer told last, in seconds.
        elapsed: NumberSource,
        /// The constant.
        bound: elapsed::Bound,
    },
    /// Both sides of a changeover contact.
    Pair {
        /// The normally open side.
        no: BitSource,
        /// The normally closed side.
        nc: BitSource,
        /// How long both may say the same.
        within: Nanos,
    },
    /// Blinks.
    Blink {
        /// What starts it.
        of: BitSource,
        /// How often and how long.
        flashes: Flashes,
    },
    /// An output, or a bit that is passed on.
    Output {
        /// Where it reads.
        when: BitSource,
        /// Whether it is inverted.
        invert: bool,
    },
    /// An expectation.
    Expect {
        /// Where it reads.
        that: BitSource,
        /// When it should hold.
        when: When,
    },
    /// An expectation after edges of another bit.
    ExpectAfter {
        /// Where it reads.
        that: BitSource,
        /// Whose rising edges ask.
        after: BitSource,
        /// How long it may take.
        within: Nanos,
    },
}

/// What comes of an operation over numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ApplyResult {
    /// A bit.
    Bit,
    /// A whole number.
    Count,
    /// A real number.
    Reading,
}

impl Operation {
    /// How many columns of each type it fills.
    pub fn shape(&self) -> Shape {
        match self {
            Self::Counter { settings, .. } | Self::ScannedCounter { settings, .. } => counter::shape(settings),
            Self::Encoder { .. } | Self::ScannedEncoder { .. } => encoder::SHAPE,
            Self::Expander { settings, .. } => settings.shape(),
            Self::Word { .. } => word::SHAPE,
            Self::Rate { settings, .. } | Self::ScannedRate { settings, .. } => settings.shape(),
            Self::Analog { .. } => meter::SHAPE,
            Self::Stats { .. } => stats::SHAPE,
            Self::Delay { .. } => delay::SHAPE,
            Self::Register { settings, .. } => register::shape(settings),
            Self::SampleRate { .. } => sample_rate::SHAPE,
            Self::AnalogOutput { .. } => analog_output::SHAPE,
            Self::Timer { .. } => timer::SHAPE,
            Self::Pair { .. } => pair::SHAPE,
            Self::Apply { result: ApplyResult::Count, .. } => Shape::COUNT,
            Self::Apply { result: ApplyResult::Reading, .. }
            | Self::Formula { .. }
            | Self::Hold { .. }
            | Self::Stretches { .. }
            | Self::Width { .. }
            | Self::NumberScan { .. }
            | Self::Scaled { .. } => Shape::READING,
            Self::Apply { result: ApplyResult::Bit, .. }
            | Self::Input { .. }
            | Self::Elapsed { .. }
            | Self::NumberBit { .. }
            | Self::Threshold { .. }
            | Self::Logic { .. }
            | Self::OneShot { .. }
            | Self::Latch { .. }
            | Self::Toggle { .. }
            | Self::Blink { .. }
            | Self::Output { .. }
            | Self::Expect { .. }
            | Self::ExpectAfter { .. } => Shape::BIT,
        }
    }

    /// The running block, at the start of a recording.
    pub fn start(&self) -> RunningBlock {
        match self.clone() {
            Self::Input { line, source, settings } => Input::new(line, source, settings).into(),
            Self::Counter { settings, sources } => Counter::new(settings, sources).into(),
            Self::Encoder { settings, sources, tick } => Encoder::new(settings, sources, tick).into(),
            Self::Expander { settings, sources } => Expander::new(settings, sources).into(),
            Self::Word { code, sources, names } => Word::new(code, sources, names).into(),
            Self::Rate { settings, of, tick } => Rate::new(settings, of, tick).into(),
            Self::Stretches { of, high } => Stretches::new(of, high).into(),
            Self::Width { settings, raw, formula } => Width::new(settings, raw, formula).into(),
            Self::Scaled { of, scaling } => Scaled::new(of, scaling).into(),
            Self::Analog { settings, of, recorded } => Analog::new(settings, of, recorded).into(),
            Self::Hold { settings, of, at } => Hold::new(settings, of, at).into(),
            Self::Stats { unit, of, while_on } => Stats::new(unit, of, while_on).into(),
            Self::Delay { from, to } => Delay::new(from, to).into(),
            Self::NumberBit { of, bit } => NumberBit::new(of, bit).into(),
            Self::Register { settings, sources } => Register::new(settings, sources).into(),
            Self::SampleRate { settings, count, delta } => SampleRate::new(settings, count, delta).into(),
            Self::AnalogOutput { settings, of } => AnalogOutput::new(settings, of).into(),
            Self::Threshold { levels, of } => Threshold::new(levels, of).into(),
            Self::Logic { expression, sources } => Evaluate::new(expression, &sources).into(),
            Self::Apply { operation, operands, .. } => Apply::new(operation, operands).into(),
            Self::Formula { expression, names, operands } => Apply::formula(expression, names, operands).into(),
            Self::OneShot { of, rising, width } => OneShot::new(of, rising, width).into(),
            Self::Latch { set, reset, set_wins } => Latch::new(set, reset, set_wins).into(),
            Self::Toggle { by, reset } => Toggle::new(by, reset).into(),
            Self::Timer { kind, time, told, of } => Timer::new(kind, time, of).telling(told).into(),
            Self::NumberScan { of, times } => NumberScan::new(of, times).into(),
            Self::ScannedCounter { settings, sources, times } => {
                let shape = counter::shape(&settings);
                Scanned::new(Counter::new(settings, sources), shape, times).into()
            }
            Self::ScannedEncoder { settings, sources, tick, times } => {
                Scanned::new(Encoder::new(settings, sources, tick), encoder::SHAPE, times).into()
            }
            Self::ScannedRate { settings, of, tick, times } => {
                let shape = settings.shape();
                Scanned::new(Rate::new(settings, of, tick), shape, times).into()
            }
            Self::Elapsed { running, elapsed, bound } => Elapsed::new(running, elapsed, bound).into(),
            Self::Pair { no, nc, within } => Pair::new(no, nc, within).into(),
            Self::Blink { of, flashes } => Blink::new(of, flashes).into(),
            Self::Output { when, invert } => Output::new(when, invert).into(),
            Self::Expect { that, when } => Expect::new(that, when).into(),
            Self::ExpectAfter { that, after, within } => ExpectAfter::new(that, after, within).into(),
        }
    }
}

impl Program {
    /// The engine, at the start of a recording.
    pub fn start(&self) -> Engine {
        Engine::new(self.branches.iter().map(ProgramBranch::start).collect())
    }
}

impl ProgramBranch {
    /// Adds a node after all that it reads; gives the numbers of its first columns.
    pub fn add(&mut self, point: Option<usize>, owner: usize, main: MainColumn, operation: Operation) -> Shape {
        let (first, shape) = (self.columns, operation.shape());
        self.columns = Shape {
            bits: first.bits + shape.bits,
            counts: first.counts + shape.counts,
            readings: first.readings + shape.readings,
        };
        self.nodes.push(ProgramNode { point, owner, main, operation, unread: false });
        first
    }

    /// Says which numbers other nodes read.
    pub fn mark_unread(&mut self, read: &HashSet<NumberSource>) {
        let (mut counts, mut readings) = (0, 0);
        for node in &mut self.nodes {
            let shape = node.operation.shape();
            let mut own = (counts..counts + shape.counts)
                .map(NumberSource::Count)
                .chain((readings..readings + shape.readings).map(NumberSource::Reading));
            node.unread = !own.any(|source| read.contains(&source));
            counts += shape.counts;
            readings += shape.readings;
        }
    }

    fn start(&self) -> Branch {
        let mut branch = Branch::default();
        for node in &self.nodes {
            let ProgramNode { point, owner, main, unread, .. } = *node;
            let owner = NodeOwner { point, owner, main, unread };
            branch.add(owner, node.operation.start(), node.operation.shape());
        }
        branch
    }
}
