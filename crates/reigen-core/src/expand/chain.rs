//! What a recording of a chain's wires tells before anything is known of it: how many bits, which edge, which bit is which.

use super::expander::CHIP;
use super::frames::{Edges, Frame, Frames, Levels, Margins};
use crate::cast;
use crate::spread::Spread;
use crate::time::Nanos;
use serde::Serialize;
use std::collections::BTreeMap;

/// Frames of so many different lengths are told apart.
const MOST_LENGTHS: usize = 64;

/// So many times as often data must follow one edge as the other.
const SURE: u64 = 4;

/// A bit that has changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ChangedBit {
    /// Its place in the frame, from 0: the order in which bits come out.
    pub place: usize,
    /// The chip, from 1: the nearest to the controller.
    pub chip: usize,
    /// The input of that chip: D0 to D7.
    pub pin: usize,
    /// The level before its first change.
    pub at_rest_high: bool,
    /// When it first changed.
    #[serde(rename = "first_change_ns")]
    pub first_change: Nanos,
    /// How often it changed.
    pub changes: u64,
}

/// How well one clock edge suits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct EdgeMargins {
    /// The shortest time from a change of data to that edge.
    #[serde(rename = "set_up_ns")]
    pub set_up: Option<Nanos>,
    /// The shortest time from that edge to the next change of data.
    #[serde(rename = "hold_ns")]
    pub hold: Option<Nanos>,
}

impl From<Margins> for EdgeMargins {
    fn from(margins: Margins) -> Self {
        Self { set_up: margins.set_up, hold: margins.hold }
    }
}

/// What was found of a chain.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Chain {
    /// Bits of a frame: the number of clocks that most frames have.
    pub bits: u64,
    /// All frames that ended.
    pub frames: u64,
    /// Those of them with another number of clocks.
    pub odd_frames: u64,
    /// For each number of clocks how many frames had it.
    pub lengths: BTreeMap<u64, u64>,
    /// The edge at which data is read: `rising` or `falling`.
    pub sample: &'static str,
    /// Whether the data leaves no doubt of that edge: it changes, and mostly right after that one.
    pub sure: bool,
    /// The SPI mode with that edge and that rest of the clock.
    pub spi_mode: u8,
    /// Whether the clock rests high between frames.
    pub clock_rests_high: bool,
    /// The margins at rising clocks.
    pub rising: EdgeMargins,
    /// The margins at falling clocks.
    pub falling: EdgeMargins,
    /// The mean time from frame to frame, and the shortest and longest.
    pub period_ns: Option<[f64; 3]>,
    /// From the first clock to the last, of the longest frame.
    #[serde(rename = "frame_ns")]
    pub frame: Nanos,
    /// The shortest time between two edges of the clock.
    #[serde(rename = "clock_step_ns")]
    pub clock_step: Option<Nanos>,
    /// The shortest time that load was low.
    #[serde(rename = "shortest_load_ns")]
    pub shortest_load: Option<Nanos>,
    /// The bits that ever changed, in the order in which they first did.
    pub changed: Vec<ChangedBit>,
}

/// Frames of one length.
#[derive(Debug, Clone, Default)]
struct Track {
    frames: u64,
    levels: Vec<u64>,
    /// For each bit its first change, the level before it, and how often it changed.
    changes: BTreeMap<usize, (Nanos, bool, u64)>,
}

impl Track {
    fn take(&mut self, frame: Frame<'_>) {
        self.frames += 1;
        if self.frames == 1 {
            self.levels = frame.levels.to_vec();
            return;
        }
        for (word, (known, new)) in self.levels.iter_mut().zip(frame.levels).enumerate() {
            let mut differ = *known ^ new;
            while differ != 0 {
                let bit = differ.trailing_zeros() as usize;
                differ &= differ - 1;
                let before = *known >> bit & 1 == 1;
                self.changes.entry(word * 64 + bit).or_insert((frame.at, before, 0)).2 += 1;
            }
            *known = *new;
        }
    }
}

/// The running form: it reads at both edges of the clock.
#[derive(Debug, Clone)]
pub struct ChainReader {
    /// At rising and at falling clocks.
    readers: [Frames; 2],
    found: ChainEvidence,
}

/// What the frames so far come to.
#[derive(Debug, Clone, Default)]
struct ChainEvidence {
    /// By the number of clocks, read at rising and at falling ones.
    tracks: [BTreeMap<u64, Track>; 2],
    periods: Spread,
    last: Option<Nanos>,
    frame: Nanos,
    frames: u64,
    rests_high: u64,
}

/// The number of clocks that most frames have.
fn usual(tracks: &BTreeMap<u64, Track>) -> Option<u64> {
    tracks.iter().max_by_key(|(_, track)| track.frames).map(|(clocks, _)| *clocks)
}

impl ChainEvidence {
    /// A frame by the first or the second reader.
    fn take(&mut self, reader: usize, frame: Frame<'_>) {
        if let Some(tracks) = self.tracks.get_mut(reader)
            && (tracks.len() < MOST_LENGTHS || tracks.contains_key(&frame.clocks))
        {
            tracks.entry(frame.clocks).or_default().take(frame);
        }
        if reader > 0 {
            return;
        }
        self.frames += 1;
        self.rests_high += u64::from(frame.clock_rests_high);
        if let Some(before) = self.last.replace(frame.at) {
            self.periods.take(frame.at.saturating_sub(before).0 as f64, 1);
        }
        let span = frame.span.map_or(Nanos(0), |(first, last)| last.saturating_sub(first));
        self.frame = span.max(self.frame);
    }
}

impl ChainReader {
    /// A reader of lines that have these levels.
    pub fn new(levels: Levels) -> Self {
        Self { readers: [Frames::new(levels), Frames::new(levels)], found: ChainEvidence::default() }
    }

    /// Takes the changes of a window.
    pub fn work(&mut self, edges: Edges<'_>) {
        let Self { readers, found, .. } = self;
        for (number, reader) in readers.iter_mut().enumerate() {
            reader.work(number == 0, edges, &mut |frame| found.take(number, frame));
        }
    }

    /// The recording ends: the frame that is open counts where it has all its clocks or more, as a station takes it.
    ///
    /// How many those are the frames before it say; a single one has whole bytes.
    fn end(&mut self, end: Nanos) {
        let Self { readers, found, .. } = self;
        let usual = found.tracks.first().and_then(usual);
        for (number, reader) in readers.iter().enumerate() {
            let all = |frame: &Frame<'_>| match usual {
                Some(bits) => frame.clocks >= bits,
                None => frame.clocks > 0 && frame.clocks.is_multiple_of(CHIP as u64),
            };
            if let Some(frame) = reader.open(end).filter(all) {
                found.take(number, frame);
            }
        }
    }

    /// What was found up to the recording's last time; `None` where no frame has ended.
    pub fn finish(mut self, end: Nanos) -> Option<Chain> {
        self.end(end);
        let Self { readers, found } = self;
        let [rising, falling] =
            [0, 1].map(|edge: usize| readers.get(edge).map(|reader| reader.margins).unwrap_or_default());
        // The registers shift at the edge that data follows, and a bit is read just before that.
        let follows = readers.first().map(|reader| reader.follows).unwrap_or_default();
        let is_rising = follows.reading >= follows.other;
        let (more, less) = (follows.reading.max(follows.other), follows.reading.min(follows.other));
        let [by_rising, by_falling] = found.tracks;
        let tracks = if is_rising { by_rising } else { by_falling };
        let (&bits, track) = tracks.iter().max_by_key(|(_, track)| track.frames)?;
        let rests_high = found.rests_high * 2 > found.frames;
        let spi_mode = match (rests_high, is_rising) {
            (false, true) => 0,
            (false, false) => 1,
            (true, false) => 2,
            (true, true) => 3,
        };
        let mut changed: Vec<ChangedBit> = track
            .changes
            .iter()
            .map(|(&place, &(first_change, at_rest_high, changes))| ChangedBit {
                place,
                chip: place / CHIP + 1,
                pin: CHIP - 1 - place % CHIP,
                at_rest_high,
                first_change,
                changes,
            })
            .collect();
        changed.sort_by_key(|bit| (bit.first_change, bit.place));
        let reader = readers.first();
        let periods = found.periods;
        Some(Chain {
            bits,
            frames: found.frames,
            odd_frames: found.frames - track.frames,
            lengths: tracks.iter().map(|(clocks, track)| (*clocks, track.frames)).collect(),
            sample: if is_rising { "rising" } else { "falling" },
            sure: !changed.is_empty() && more > SURE * less,
            spi_mode,
            clock_rests_high: rests_high,
            rising: rising.into(),
            falling: falling.into(),
            period_ns: periods.mean().zip(periods.min()).zip(periods.max()).map(|((mean, min), max)| [mean, min, max]),
            frame: found.frame,
            clock_step: reader.and_then(|reader| reader.clock_step),
            shortest_load: reader.and_then(|reader| reader.shortest_load),
            changed,
        })
    }
}

/// Why names do not fit what changed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PressedError {
    /// Another number of bits changed than names were given.
    #[error("{names} names for {changed} bits that changed")]
    Count {
        /// The names.
        names: usize,
        /// The bits.
        changed: usize,
    },
    /// Two bits first changed in the same frame, so their order is not to be told.
    #[error("the bits at places {0} and {1} first changed in the same frame, so their order is unknown")]
    Together(usize, usize),
    /// A frame is no whole number of chips.
    #[error("a frame of {0} bits is not a multiple of eight")]
    NoChips(u64),
}

impl Chain {
    /// The registers with the names of switches that were pressed one after another, `-` elsewhere.
    ///
    /// # Errors
    /// Where the names do not fit the bits that changed.
    pub fn registers(&self, pressed: &[String]) -> Result<Vec<Vec<String>>, PressedError> {
        if self.bits == 0 || !self.bits.is_multiple_of(CHIP as u64) {
            return Err(PressedError::NoChips(self.bits));
        }
        if pressed.len() != self.changed.len() {
            return Err(PressedError::Count { names: pressed.len(), changed: self.changed.len() });
        }
        for (one, other) in self.changed.iter().zip(self.changed.iter().skip(1)) {
            if one.first_change == other.first_change {
                return Err(PressedError::Together(one.place, other.place));
            }
        }
        let mut registers = vec![vec!["-".to_owned(); CHIP]; cast::usize_from_u64(self.bits) / CHIP];
        for (bit, name) in self.changed.iter().zip(pressed) {
            if let Some(slot) = registers.get_mut(bit.chip - 1).and_then(|chip| chip.get_mut(bit.pin)) {
                slot.clone_from(name);
            }
        }
        Ok(registers)
    }
}
