//! The frames of a shift-register chain: what stands on its data line at each clock between two loads.

use crate::cast;
use crate::column::BitColumn;
use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// More clocks of a frame than these are counted, and their bits left.
pub const MOST_BITS: usize = 8192;

/// Times between edges of data and the clock edge at which it is read.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Margins {
    /// The shortest time from a change of data to the clock edge that reads it.
    pub set_up: Option<Nanos>,
    /// The shortest time from a clock edge that reads to the next change of data.
    pub hold: Option<Nanos>,
}

/// Which clock edges data follows: a register shifts at one of them, and the bits are read just before it does.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Follows {
    /// Changes of data after an edge that reads.
    pub reading: u64,
    /// Changes after the other edge.
    pub other: u64,
}

/// A frame that has ended.
#[derive(Debug, Clone, Copy)]
pub struct Frame<'a> {
    /// When load rose.
    pub from: Nanos,
    /// When it fell again.
    pub at: Nanos,
    /// How many clocks came.
    pub clocks: u64,
    /// The levels read, the first in bit 0 of the first word.
    pub levels: &'a [u64],
    /// The first and the last clock.
    pub span: Option<(Nanos, Nanos)>,
    /// Whether the clock was high when load rose.
    pub clock_rests_high: bool,
}

/// What is read of the four lines within a window: their changes.
#[derive(Debug, Clone, Copy)]
pub struct Edges<'a> {
    /// Of the load line.
    pub load: &'a [Nanos],
    /// Of the clock.
    pub clock: &'a [Nanos],
    /// Of the data line.
    pub data: &'a [Nanos],
    /// Of the inhibit line; none where there is none.
    pub inhibit: &'a [Nanos],
}

/// Levels of the four lines.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Levels {
    /// Of the load line.
    pub load: bool,
    /// Of the clock.
    pub clock: bool,
    /// Of the data line.
    pub data: bool,
    /// Of the inhibit line.
    pub inhibit: bool,
}

/// The columns of the four lines within a window.
#[derive(Debug, Clone, Copy)]
pub struct ChainColumns<'a> {
    /// Of the load line.
    pub load: &'a BitColumn,
    /// Of the clock.
    pub clock: &'a BitColumn,
    /// Of the data line.
    pub data: &'a BitColumn,
    /// Of the inhibit line, where there is one.
    pub inhibit: Option<&'a BitColumn>,
}

impl<'a> ChainColumns<'a> {
    /// The first time at which all lines have a level, and their levels then; `None` while one has none.
    pub fn start(&self) -> Option<(Nanos, Levels)> {
        let columns = [Some(self.load), Some(self.clock), Some(self.data), self.inhibit];
        let start = columns
            .into_iter()
            .flatten()
            .try_fold(Nanos(0), |start, column| column.level.map(|_| start.max(column.since)))?;
        let level = |column: &BitColumn| {
            let passed = column.toggles.partition_point(|&toggle| toggle <= start);
            column.level.unwrap_or_default() ^ (passed % 2 == 1)
        };
        let inhibit = self.inhibit.is_some_and(level);
        Some((start, Levels { load: level(self.load), clock: level(self.clock), data: level(self.data), inhibit }))
    }

    /// The changes of the lines after a time; all changes of the window where there is none.
    pub fn edges(&self, after: Option<Nanos>) -> Edges<'a> {
        let edges = |column: &'a BitColumn| {
            let toggles = column.toggles.as_slice();
            let passed = after.map_or(0, |after| toggles.partition_point(|&toggle| toggle <= after));
            toggles.get(passed..).unwrap_or_default()
        };
        let inhibit = self.inhibit.map_or(&[][..], edges);
        Edges { load: edges(self.load), clock: edges(self.clock), data: edges(self.data), inhibit }
    }
}

/// The running form: it follows the lines and hands over each frame as it ends.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Frames {
    now: Levels,
    /// When load rose, within a frame.
    open: Option<Nanos>,
    clocks: u64,
    levels: Vec<u64>,
    span: Option<(Nanos, Nanos)>,
    rests_high: bool,
    last_data: Option<Nanos>,
    /// Whether data has changed since the last clock that read.
    fresh: bool,
    /// The last clock that read, until data changes.
    last_read: Option<Nanos>,
    /// The shortest time between data and clock.
    pub margins: Margins,
    /// How often data changed with the clock edge that reads as the last one before it, and with the other.
    pub follows: Follows,
    /// The last edge of the frame that does not read.
    other: Option<Nanos>,
    /// The last one that reads.
    reading: Option<Nanos>,
    /// The shortest time between two edges of the clock in a frame.
    pub clock_step: Option<Nanos>,
    last_clock: Option<Nanos>,
    /// The shortest time that load was low.
    pub shortest_load: Option<Nanos>,
    load_fell: Option<Nanos>,
}

impl Frames {
    /// Frames from these levels on.
    pub fn new(now: Levels) -> Self {
        Self {
            now,
            open: None,
            clocks: 0,
            levels: Vec::new(),
            span: None,
            rests_high: false,
            last_data: None,
            fresh: false,
            last_read: None,
            margins: Margins::default(),
            follows: Follows::default(),
            other: None,
            reading: None,
            clock_step: None,
            last_clock: None,
            shortest_load: None,
            load_fell: None,
        }
    }

    /// The levels after what was worked last.
    pub fn levels(&self) -> Levels {
        self.now
    }

    /// Works through the changes of a window; bits are read at rising clocks, or at falling ones.
    pub fn work(&mut self, rising: bool, edges: Edges<'_>, ended: &mut dyn FnMut(Frame<'_>)) {
        let Edges { load, mut clock, mut data, mut inhibit } = edges;
        for instant in load.chunk_by(|one, other| one == other) {
            let Some(&at) = instant.first() else { continue };
            if instant.len() % 2 == 0 {
                continue;
            }
            let before = clock.partition_point(|&time| time < at);
            let (first, rest) = clock.split_at_checked(before).unwrap_or((clock, &[]));
            self.clocks(rising, first, &mut data, &mut inhibit);
            self.pass_data(&mut data, at);
            // Edges in the instant itself belong to no frame.
            let within = rest.partition_point(|&time| time == at);
            self.now.clock ^= within % 2 == 1;
            clock = rest.get(within..).unwrap_or_default();
            self.now.load = !self.now.load;
            match self.now.load {
                true => self.begin(at),
                false => self.end(at, ended),
            }
        }
        self.clocks(rising, clock, &mut data, &mut inhibit);
        // What changes after the last clock stands for the next window.
        self.pass_data(&mut data, Nanos(u64::MAX));
        self.now.inhibit ^= inhibit.len() % 2 == 1;
    }

    fn begin(&mut self, at: Nanos) {
        if let Some(fell) = self.load_fell.take() {
            let low = at.saturating_sub(fell);
            self.shortest_load = Some(self.shortest_load.map_or(low, |known| known.min(low)));
        }
        self.open = Some(at);
        self.rests_high = self.now.clock;
        self.clocks = 0;
        self.levels.clear();
        (self.span, self.last_clock) = (None, None);
        (self.other, self.reading) = (None, None);
    }

    fn end(&mut self, at: Nanos, ended: &mut dyn FnMut(Frame<'_>)) {
        self.load_fell = Some(at);
        (self.other, self.reading) = (None, None);
        if let Some(from) = self.open.take() {
            ended(self.frame(from, at));
        }
    }

    /// Whether the clock was high when load last rose.
    pub fn rests_high(&self) -> bool {
        self.rests_high
    }

    /// The frame that is open, as if it ended at `at`.
    pub fn open(&self, at: Nanos) -> Option<Frame<'_>> {
        let from = self.open?;
        Some(self.frame(from, at))
    }

    fn frame(&self, from: Nanos, at: Nanos) -> Frame<'_> {
        Frame {
            from,
            at,
            clocks: self.clocks,
            levels: &self.levels,
            span: self.span,
            clock_rests_high: self.rests_high,
        }
    }

    /// Passes changes of data before a time.
    #[inline]
    fn pass_data(&mut self, data: &mut &[Nanos], until: Nanos) {
        while let [first, rest @ ..] = *data
            && *first < until
        {
            if let Some(read) = self.last_read.take() {
                let hold = first.saturating_sub(read);
                self.margins.hold = Some(self.margins.hold.map_or(hold, |known| known.min(hold)));
            }
            // Whether the clock edge just before it was one that reads.
            match (self.reading, self.other.filter(|other| other <= first)) {
                (_, Some(_)) => self.follows.other += 1,
                (Some(_), None) => self.follows.reading += 1,
                (None, None) => {}
            }
            self.now.data = !self.now.data;
            (self.last_data, self.fresh) = (Some(*first), true);
            *data = rest;
        }
    }

    fn clocks(&mut self, rising: bool, clock: &[Nanos], data: &mut &[Nanos], inhibit: &mut &[Nanos]) {
        if self.open.is_none() {
            self.now.clock ^= clock.len() % 2 == 1;
            return;
        }
        self.step(clock);
        let first = usize::from(self.now.clock == rising);
        self.now.clock ^= clock.len() % 2 == 1;
        for number in (first..clock.len()).step_by(2) {
            let Some(&at) = clock.get(number) else { break };
            // Data mostly stands; only where it changes does it matter which clock edge came before.
            if data.first().is_some_and(|change| *change < at) {
                self.other = number.checked_sub(1).and_then(|before| clock.get(before)).copied().or(self.other);
                self.pass_data(data, at);
            }
            while let [change, rest @ ..] = *inhibit
                && *change < at
            {
                self.now.inhibit = !self.now.inhibit;
                *inhibit = rest;
            }
            (self.other, self.reading) = (None, Some(at));
            if !self.now.inhibit {
                self.read(at);
            }
        }
        if clock.len() > first && (clock.len() - first).is_multiple_of(2) || clock.len() == first {
            self.other = clock.last().copied().or(self.other);
        }
    }

    /// The shortest step of the clock.
    fn step(&mut self, clock: &[Nanos]) {
        let (Some(&first), Some(&last)) = (clock.first(), clock.last()) else { return };
        let before = self.last_clock.replace(last).map(|before| first.saturating_sub(before));
        let steps = clock.iter().zip(clock.iter().skip(1)).map(|(one, other)| other.saturating_sub(*one));
        let shortest = steps.chain(before).fold(self.clock_step.unwrap_or(Nanos(u64::MAX)), Nanos::min);
        self.clock_step = Some(shortest).filter(|step| step.0 < u64::MAX);
    }

    /// A clock edge that reads the level just before it.
    #[inline]
    fn read(&mut self, at: Nanos) {
        if std::mem::take(&mut self.fresh)
            && let Some(changed) = self.last_data
        {
            let set_up = at.saturating_sub(changed);
            self.margins.set_up = Some(self.margins.set_up.map_or(set_up, |known| known.min(set_up)));
        }
        self.last_read = Some(at);
        self.span = Some((self.span.map_or(at, |(first, _)| first), at));
        let number = cast::usize_from_u64(self.clocks);
        self.clocks += 1;
        if number < MOST_BITS {
            if number.is_multiple_of(64) {
                self.levels.push(0);
            }
            if let Some(word) = self.levels.last_mut() {
                *word |= u64::from(self.now.data) << (number % 64);
            }
        }
    }
}
