//! `expander`: the block that makes points of the frames of a chain.

use super::frames::{ChainColumns, Follows, Frame, Frames, Margins};
use crate::block::{BitSource, Block, Inputs, Outputs, Shape, keeps_state};
use crate::cast;
use crate::column::{BitColumn, CountColumn};
use crate::event::{EventKind, Happening};
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// Bits of one chip.
pub const CHIP: usize = 8;
/// As many bad frames are kept.
const MOST_KEPT: usize = 1000;

/// What an expander is set to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Settings {
    /// For each chip, the nearest first, whether its points are on while high.
    pub on_while_high: Vec<bool>,
    /// Whether bits are read at rising clocks.
    pub rising: bool,
}

impl Settings {
    /// How many bits a frame has.
    pub fn bits(&self) -> usize {
        self.on_while_high.len() * CHIP
    }

    /// The columns: a bit for each D0 to D7 of each chip; frames and bad frames.
    pub fn shape(&self) -> Shape {
        Shape { bits: self.bits(), counts: 2, readings: 0 }
    }
}

/// The place in a frame of D`pin` of a chip: D7 of the nearest comes out first.
pub fn place(chip: usize, pin: usize) -> usize {
    chip * CHIP + (CHIP - 1 - pin)
}

/// What an expander reads.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sources {
    /// The load line, active low.
    pub load: BitSource,
    /// The clock.
    pub clock: BitSource,
    /// The data line.
    pub data: BitSource,
    /// What holds the clock off, active high.
    pub inhibit: Option<BitSource>,
}

/// A frame with too few or too many clocks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct BadFrame {
    /// When it ended.
    #[serde(rename = "at_ns")]
    pub at: Nanos,
    /// How many clocks it had.
    pub clocks: u64,
}

/// What an expander did.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct ExpanderSummary {
    /// All frames that ended.
    pub frames: u64,
    /// Those of them with too few or too many clocks.
    pub bad_frames: u64,
    /// How many clocks a frame should have.
    pub bits: usize,
    /// The first thousand bad frames.
    pub bad: Vec<BadFrame>,
    /// The shortest time from a change of data to the clock that reads it.
    #[serde(rename = "set_up_ns")]
    pub set_up: Option<Nanos>,
    /// The shortest time from a clock that reads to the next change of data.
    #[serde(rename = "hold_ns")]
    pub hold: Option<Nanos>,
    /// The shortest step of the clock.
    #[serde(rename = "clock_step_ns")]
    pub clock_step: Option<Nanos>,
    /// The shortest time that load was low.
    #[serde(rename = "shortest_load_ns")]
    pub shortest_load: Option<Nanos>,
    /// The mean time from frame to frame.
    #[serde(rename = "period_ns")]
    pub period: Option<Nanos>,
    /// For each chip how many of its bits ever changed.
    pub changed: Vec<u32>,
    /// For each chip the level of all its bits, where they are all the same and never changed.
    #[serde(skip)]
    pub stuck: Vec<Option<bool>>,
    /// Whether bits are read at rising clocks.
    #[serde(skip)]
    pub rising: bool,
    /// Which clock edges data follows.
    #[serde(skip)]
    pub follows: Follows,
    /// Whether the clock rests high.
    #[serde(skip)]
    pub rests_high: bool,
}

/// The running form of an expander.
#[derive(Debug)]
pub struct Expander {
    settings: Settings,
    sources: Sources,
    state: State,
    happenings: Vec<Happening>,
    remembers: bool,
}

/// What an expander must know of the past.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct State {
    frames: Option<Frames>,
    sums: Sums,
}

#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
struct Sums {
    frames: u64,
    bad_frames: u64,
    bad: Vec<BadFrame>,
    /// The levels of the last good frame.
    levels: Option<Vec<u64>>,
    /// The bits that have changed.
    changed: Vec<u64>,
    first: Option<Nanos>,
    last: Nanos,
}

impl Expander {
    /// An expander over its lines.
    pub fn new(settings: Settings, sources: Sources) -> Self {
        Self { settings, sources, state: State::default(), happenings: Vec::new(), remembers: false }
    }

    /// What it did.
    pub fn summary(&self) -> ExpanderSummary {
        let Self { settings, state: State { sums, frames }, .. } = self;
        let Margins { set_up, hold } = frames.as_ref().map(|frames| frames.margins).unwrap_or_default();
        let chip =
            |words: &[u64], chip: usize| words.get(chip / 8).map_or(0, |word| cast::low_byte(word >> (chip % 8 * 8)));
        let chips = 0..settings.on_while_high.len();
        let levels = sums.levels.as_deref().unwrap_or_default();
        let stuck = |number: usize| match (chip(&sums.changed, number), chip(levels, number)) {
            (0, 0) => Some(false),
            (0, 0xff) => Some(true),
            _ => None,
        };
        let between = sums.frames.saturating_sub(1);
        let length = sums.first.map_or(Nanos(0), |first| sums.last.saturating_sub(first));
        ExpanderSummary {
            frames: sums.frames,
            bad_frames: sums.bad_frames,
            bits: settings.bits(),
            bad: sums.bad.clone(),
            set_up,
            hold,
            clock_step: frames.as_ref().and_then(|frames| frames.clock_step),
            shortest_load: frames.as_ref().and_then(|frames| frames.shortest_load),
            period: (between > 0).then(|| Nanos(length.0 / between)),
            changed: chips.clone().map(|number| chip(&sums.changed, number).count_ones()).collect(),
            stuck: chips.map(|number| stuck(number).filter(|_| sums.levels.is_some())).collect(),
            rising: settings.rising,
            follows: frames.as_ref().map(|frames| frames.follows).unwrap_or_default(),
            rests_high: frames.as_ref().is_some_and(Frames::rests_high),
        }
    }
}

/// Where frames go.
struct FrameSink<'a> {
    settings: &'a Settings,
    sums: &'a mut Sums,
    bits: &'a mut [BitColumn],
    frames: &'a mut CountColumn,
    bad_frames: &'a mut CountColumn,
    happenings: Option<&'a mut Vec<Happening>>,
}

impl FrameSink<'_> {
    fn frame(&mut self, frame: Frame<'_>) {
        let at = frame.at;
        self.sums.frames += 1;
        self.sums.first.get_or_insert(at);
        self.sums.last = at;
        self.frames.set(at, self.frames.last().unwrap_or_default() + 1);
        if frame.clocks != self.settings.bits() as u64 {
            self.sums.bad_frames += 1;
            self.bad_frames.set(at, self.bad_frames.last().unwrap_or_default() + 1);
            if self.sums.bad.len() < MOST_KEPT {
                self.sums.bad.push(BadFrame { at, clocks: frame.clocks });
            }
            if let Some(happenings) = &mut self.happenings {
                happenings.push((at, EventKind::BadFrame(frame.clocks)));
            }
            return;
        }
        match self.sums.levels.take() {
            None => self.first(frame),
            Some(mut levels) => {
                let words = levels.iter_mut().zip(frame.levels).zip(&mut self.sums.changed);
                for (word, ((known, new), changed)) in words.enumerate() {
                    let mut differ = *known ^ new;
                    (*known, *changed) = (*new, *changed | differ);
                    while differ != 0 {
                        let place = word * 64 + differ.trailing_zeros() as usize;
                        differ &= differ - 1;
                        let (chip, pin) = (place / CHIP, CHIP - 1 - place % CHIP);
                        if let Some(bit) = self.bits.get_mut(chip * CHIP + pin) {
                            bit.toggles.push(at);
                        }
                    }
                }
                self.sums.levels = Some(levels);
            }
        }
    }

    /// The levels of the first good frame are no edges.
    fn first(&mut self, frame: Frame<'_>) {
        for (chip, &on_while_high) in self.settings.on_while_high.iter().enumerate() {
            for pin in 0..CHIP {
                let place = place(chip, pin);
                let high = frame.levels.get(place / 64).is_some_and(|word| word >> (place % 64) & 1 == 1);
                if let Some(bit) = self.bits.get_mut(chip * CHIP + pin) {
                    bit.start(frame.at, high == on_while_high);
                }
            }
        }
        self.sums.changed = vec![0; frame.levels.len()];
        self.sums.levels = Some(frame.levels.to_vec());
    }
}

impl Block for Expander {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let (bits, [count, bad_count]) = (outputs.bits, outputs.counts) else { return };
        let Sources { load, clock, data, inhibit } = self.sources;
        let [load, clock, data] = [load, clock, data].map(|source| inputs.bit(source));
        let lines = ChainColumns { load, clock, data, inhibit: inhibit.map(|source| inputs.bit(source)) };
        let mut after = None;
        if self.state.frames.is_none() {
            let Some((start, levels)) = lines.start() else { return };
            count.push(start, 0);
            bad_count.push(start, 0);
            self.state.frames = Some(Frames::new(levels));
            after = Some(start);
        }
        let Some(frames) = &mut self.state.frames else { return };
        let mut taking = FrameSink {
            settings: &self.settings,
            sums: &mut self.state.sums,
            bits,
            frames: count,
            bad_frames: bad_count,
            happenings: self.remembers.then_some(&mut self.happenings),
        };
        frames.work(self.settings.rising, lines.edges(after), &mut |frame| taking.frame(frame));
        // At the recording's end a frame with all its clocks has ended; one with fewer may have been cut off.
        let end = Nanos(window.until.0.saturating_sub(1));
        let open = frames.open(end).filter(|frame| inputs.lines.last && frame.clocks >= self.settings.bits() as u64);
        open.into_iter().for_each(|frame| taking.frame(frame));
    }

    fn start_counting(&mut self, _from: Nanos) {
        let sums = std::mem::take(&mut self.state.sums);
        let changed = vec![0; sums.changed.len()];
        self.state.sums = Sums { levels: sums.levels, changed, ..Sums::default() };
    }

    fn remember(&mut self) {
        self.remembers = true;
    }

    fn forget(&mut self) {
        self.remembers = false;
        self.happenings.clear();
    }

    fn happenings(&mut self, _counts: &[CountColumn], sink: &mut Vec<Happening>) {
        sink.append(&mut self.happenings);
    }
}

keeps_state!(Expander, State);
