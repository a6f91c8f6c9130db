//! Reading, parsing and working a recording side by side.
//!
//! ```text
//! bytes of batch k+2   read     ┐
//! batch k+1            parsed   ├ at the same time
//! batch k              consumed ┘
//! ```
//!
//! A batch is some pieces, each parted at a place where a reader can begin without knowing what came before:
//! it is parsed on the supposition that nothing unusual is open there. Where that turns out wrong, the
//! piece is parsed once more, by the one who knows.

use crate::chunks::{Chunks, MOST_AT_ONCE, Room, next_stretch};
use crate::error::{Failure, Fault, FaultKind};
use crate::piece::Piece;
use crate::ranges::{Ranges, read_exact_at};
use rayon::prelude::*;
use reigen_core::engine::Retained;
use reigen_core::lines::RecordedLine;
use reigen_core::quantity::SampleRate;
use reigen_core::time::{Nanos, Origin};
use std::cell::RefCell;
use std::collections::VecDeque;
use std::fs::File;
use std::io;
use std::ops::Range;
use std::panic::resume_unwind;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::thread;

/// How many pieces make a batch.
const PIECES: usize = 64;
/// The same where numbers are wanted.
const NUMBER_PIECES: usize = 8;
/// From so many bytes on a batch is full, however few its pieces are.
const BATCH: usize = 4 * 1024 * 1024;
/// So many columns all pieces of a batch may have together: each takes memory, whether it is used or not.
const BATCH_COLUMNS: usize = 100_000;

/// Which form of a reader does the work.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Form {
    /// The fast form, which leaves what is unusual to the plain one.
    #[default]
    Fast,
    /// The plain form, for reference.
    Plain,
}

/// What a recording's head says, in any format.
#[derive(Debug, Default)]
pub(crate) struct Head {
    /// The lines by name.
    pub(crate) lines: Vec<RecordedLine>,
    /// How many two-level signals there are.
    pub(crate) bits: usize,
    /// How many number signals there are.
    pub(crate) numbers: usize,
    /// The rate, where pieces count samples in place of time.
    pub(crate) rate: Option<SampleRate>,
    /// The step of the times, where there is one.
    pub(crate) tick: Nanos,
    /// Whether times are finer than a nanosecond and so are rounded.
    pub(crate) rounds: bool,
    /// What the file was read as, in one line.
    pub(crate) taken_for: String,
    /// Which number signals are wanted.
    pub(crate) wanted: Vec<bool>,
    /// What points kept when it began, by their names.
    pub(crate) resumed: Vec<(String, Retained)>,
    /// How many columns a piece has, where that is not one for each two-level signal.
    pub(crate) columns: Option<usize>,
}

impl Head {
    /// Says which number signals are wanted.
    pub(crate) fn want_numbers(&mut self, numbers: &[usize]) {
        self.wanted = vec![false; self.numbers];
        for &number in numbers {
            if let Some(wanted) = self.wanted.get_mut(number) {
                *wanted = true;
            }
        }
    }

    /// How many columns a piece has.
    pub(crate) fn columns(&self) -> usize {
        self.columns.unwrap_or(self.bits)
    }

    /// Whether a number signal is wanted.
    pub(crate) fn wants(&self, number: usize) -> bool {
        self.wanted.get(number).copied().unwrap_or(false)
    }
}

/// How a format is parted and parsed, and what its head says.
pub(crate) trait Format: Send + Sync {
    /// Where a reader stands.
    type Place: Place;

    /// What the head says.
    fn head(&self) -> &Head;
    /// The same, to say what is wanted of it.
    fn head_mut(&mut self) -> &mut Head;

    /// Says which two-level signals are wanted, where there are so many that only those get columns, in this order;
    /// gives whether that is so.
    fn want_bits(&mut self, bits: &[usize]) -> bool {
        let _ = bits;
        false
    }

    /// The last place in `bytes` at which a piece may begin; `before` bytes come before them in this one.
    fn boundary(&self, bytes: &[u8], before: usize) -> Option<usize>;

    /// Where a reader stands that begins at a boundary, once `origin` is known.
    fn begin(&self, origin: Origin) -> Self::Place;

    /// Parses all whole words or rows of `bytes` into `piece`; `at_end` says that no bytes come after them.
    fn parse(
        &self,
        form: Form,
        place: &mut Self::Place,
        bytes: &[u8],
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<ParseProgress, Fault>;
}

/// Where a reader stands between two pieces.
pub(crate) trait Place: Clone + Send + Sync {
    /// The file's own first time, once it is known.
    fn origin(&self) -> Option<Origin>;
    /// Learns the file's own first time.
    fn know_origin(&mut self, origin: Origin);
    /// The line it has come to.
    fn line(&self) -> u64;
    /// Whether a piece had the right to begin here knowing nothing, given where its parser came to.
    fn leads_to(&self, over: &Self) -> bool;
    /// Goes on over such a piece.
    fn go_on(&mut self, over: &Self, piece: &mut Piece);
}

/// How far a parser came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct ParseProgress {
    /// The bytes that it has dealt with.
    pub(crate) consumed: usize,
    /// Whether the file ends in the middle of something.
    pub(crate) cut_off: bool,
}

impl ParseProgress {
    const NOTHING: ParseProgress = ParseProgress { consumed: 0, cut_off: false };
}

/// One piece on its way.
struct Slot<P> {
    stretch: Stretch,
    /// What the parser left over at its end.
    rest: Vec<u8>,
    at_end: bool,
    /// Whether it begins at a boundary.
    begins_well: bool,
    piece: Piece,
    /// Where the parser stood after it.
    place: P,
    done: Result<ParseProgress, Failure>,
}

/// The bytes of a piece.
enum Stretch {
    /// In its batch's room.
    Room(Range<usize>),
    /// In a file: the core that parses it also reads it, into memory it already has in its cache.
    File { file: Arc<File>, at: u64, length: usize },
}

impl Stretch {
    fn length(&self) -> u64 {
        match self {
            Stretch::Room(range) => range.len() as u64,
            Stretch::File { length, .. } => *length as u64,
        }
    }

    /// Does something with the bytes; `room` is that of its batch.
    fn with<T>(&self, room: &Room, work: impl FnOnce(&[u8]) -> T) -> io::Result<T> {
        thread_local! {
            static OWN: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
        }
        let (file, at, length) = match self {
            Stretch::Room(range) => return Ok(work(room.bytes().get(range.clone()).unwrap_or_default())),
            Stretch::File { file, at, length } => (file, *at, *length),
        };
        // The thread's own room is taken, not borrowed: whatever else it does meanwhile gets another one.
        let mut own = OWN.take();
        own.resize(own.len().max(length), 0);
        let bytes = own.get_mut(..length).unwrap_or_default();
        let done = read_exact_at(file, bytes, at).map(|()| work(bytes));
        OWN.set(own);
        done
    }
}

/// Some pieces on their way.
struct Batch<P> {
    slots: Vec<Slot<P>>,
    used: usize,
    /// The bytes of its pieces, where they do not come from a plain file.
    room: Room,
}

/// Reads, parses and hands over a recording.
pub(crate) struct Pipeline<F: Format> {
    pub(crate) format: F,
    pub(crate) place: F::Place,
    pub(crate) cut_off: bool,
    form: Form,
    source: Source,
    /// Batches read ahead while the origin was looked for.
    ready: VecDeque<Batch<F::Place>>,
    rest: Rest,
    /// How many bytes have been consumed.
    done: Arc<AtomicU64>,
}

/// What gives the bytes.
struct Source {
    bytes: Bytes,
    begins_well: bool,
}

enum Bytes {
    Stream(Chunks),
    File(Ranges),
}

/// Bytes that a parser could not finish, to be put before the next ones.
#[derive(Default)]
struct Rest {
    bytes: Vec<u8>,
}

impl<F: Format> Pipeline<F> {
    /// A pipeline at the start of a format's pieces, where `place` stands.
    ///
    /// Reads up to the file's first time. Fails where that cannot be reached.
    pub(crate) fn open(format: F, place: F::Place, chunks: Chunks, form: Form) -> Result<Self, Failure> {
        let mut pipeline = Self {
            format,
            place,
            cut_off: false,
            form,
            source: Source::new(chunks),
            ready: VecDeque::new(),
            rest: Rest::default(),
            done: Arc::default(),
        };
        pipeline.find_origin()?;
        Ok(pipeline)
    }

    fn find_origin(&mut self) -> Result<(), Failure> {
        let mut place = self.place.clone();
        let (mut rest, mut piece) = (Rest::default(), Piece::default());
        while place.origin().is_none() {
            let mut batch = Batch::new();
            // Whatever will be wanted of them, these pieces are to have room.
            let columns = self.format.head().bits;
            self.source.fill(&mut batch, &self.format, &place, columns)?;
            for slot in batch.used() {
                if place.origin().is_none() {
                    let done = rest.parse(&self.format, Form::Plain, &mut place, (slot, &batch.room), &mut piece);
                    // What is wrong after the first time is told when its turn comes.
                    if place.origin().is_none() {
                        done?;
                    }
                }
            }
            let ended = batch.used == 0;
            self.ready.push_back(batch);
            if ended {
                return Err(Fault { line: place.line(), kind: FaultKind::NoTimes }.into());
            }
        }
        // Everything is parsed again once it is known what is wanted; only the origin stays.
        self.place.know_origin(place.origin().unwrap_or_default());
        Ok(())
    }

    /// The bytes consumed so far, to be looked at meanwhile.
    pub(crate) fn done(&self) -> Arc<AtomicU64> {
        self.done.clone()
    }

    /// Hands over all pieces in order, a batch at a time; `consume` is also told whether it is the last.
    ///
    /// Stops where `consume` gives false.
    pub(crate) fn run(&mut self, consume: &mut (dyn FnMut(&[&Piece], bool) -> bool + Send)) -> Result<(), Failure> {
        let Self { format, place, cut_off, form, source, ready, rest, done } = self;
        let (form, format) = (*form, &*format);
        let bits = format.head().columns();
        let begin = format.begin(place.origin().unwrap_or_default());
        let waits = matches!(&source.bytes, Bytes::Stream(chunks) if chunks.waits());
        let mut next = |batch: &mut Batch<F::Place>| -> Result<(), Failure> {
            match ready.pop_front() {
                Some(filled) => *batch = filled,
                None => source.fill(batch, format, &begin, bits)?,
            }
            Ok(())
        };
        let (mut consumed, mut parsed, mut read) = (Batch::new(), Batch::new(), Batch::new());
        next(&mut parsed)?;
        let mut first = true;
        loop {
            let last = parsed.used == 0;
            let settle = || -> Result<bool, Failure> {
                if first {
                    return Ok(true);
                }
                let result = consumed.settle(format, form, place, rest, cut_off);
                let pieces: Vec<&Piece> = consumed.used().iter().map(|slot| &slot.piece).collect();
                result?;
                done.fetch_add(consumed.used().iter().map(|slot| slot.stretch.length()).sum(), Ordering::Relaxed);
                Ok(consume(&pieces, last))
            };
            let parse = || parsed.parse(format, form, &begin, bits);
            // A pipe may keep its reader waiting, so it has a thread of its own beside those that compute.
            let (go_on, filled) = match waits {
                true => thread::scope(|scope| {
                    let reader = thread::Builder::new().spawn_scoped(scope, || next(&mut read));
                    let (go_on, ()) = rayon::join(settle, parse);
                    let filled = match reader {
                        Ok(reader) => reader.join().unwrap_or_else(|panic| resume_unwind(panic)),
                        Err(error) => Err(error.into()),
                    };
                    (go_on, filled)
                }),
                false => {
                    let (go_on, (filled, ())) = rayon::join(settle, || rayon::join(|| next(&mut read), parse));
                    (go_on, filled)
                }
            };
            if !go_on? || (last && !first) {
                return Ok(());
            }
            filled?;
            first = false;
            std::mem::swap(&mut consumed, &mut parsed);
            std::mem::swap(&mut parsed, &mut read);
        }
    }
}

impl Source {
    fn new(chunks: Chunks) -> Self {
        let ranges = chunks.place().and_then(|(file, at)| Ranges::new(file, at, chunks.piece()));
        Self { bytes: ranges.map_or(Bytes::Stream(chunks), Bytes::File), begins_well: true }
    }

    /// Fills a batch with the bytes that come next, or with where they are.
    fn fill<F: Format>(
        &mut self,
        batch: &mut Batch<F::Place>,
        format: &F,
        place: &F::Place,
        columns: usize,
    ) -> Result<(), Failure> {
        batch.used = 0;
        batch.room.clear();
        // Numbers take several times the room of edges; at first it is not known whether any are wanted.
        let Head { wanted, numbers, .. } = format.head();
        let has_numbers = wanted.contains(&true) || wanted.is_empty() && *numbers > 0;
        let most = if has_numbers { NUMBER_PIECES } else { PIECES };
        let pieces = most.min(BATCH_COLUMNS / columns.max(1)).max(1);
        let boundary = |bytes: &[u8], before: usize| format.boundary(bytes, before);
        let Self { bytes, begins_well } = self;
        match bytes {
            Bytes::Stream(chunks) => fill_from_stream(chunks, batch, pieces, place, begins_well, boundary)?,
            Bytes::File(ranges) => fill_from_file(ranges, batch, pieces, place, begins_well, boundary)?,
        }
        Ok(())
    }
}

/// Reads up to so many pieces into a batch's room.
fn fill_from_stream<P: Place>(
    chunks: &mut Chunks,
    batch: &mut Batch<P>,
    pieces: usize,
    place: &P,
    begins_well: &mut bool,
    boundary: impl Fn(&[u8], usize) -> Option<usize>,
) -> io::Result<()> {
    if chunks.exhausted() {
        return Ok(());
    }
    chunks.fill_room(&mut batch.room, chunks.piece().saturating_mul(pieces).min(BATCH))?;
    let (mut at, mut at_end) = (0, false);
    while batch.used < pieces && !at_end {
        let bytes = batch.room.bytes().get(at..).unwrap_or_default();
        let ended = chunks.exhausted();
        match next_stretch(bytes, chunks.piece(), ended, &boundary) {
            Some(taken) => {
                at_end = ended && taken.length == bytes.len();
                let stretch = Stretch::Room(at..at + taken.length);
                batch.add(place, stretch, at_end, std::mem::replace(begins_well, taken.at_boundary));
                at += taken.length;
            }
            None if batch.used > 0 => break,
            // The first stretch is longer than all of these.
            None => {
                let more = 2 * bytes.len();
                chunks.fill_room(&mut batch.room, more)?;
            }
        }
    }
    chunks.take_back(&batch.room, at);
    Ok(())
}

/// Says where up to so many pieces are in a file.
fn fill_from_file<P: Place>(
    ranges: &mut Ranges,
    batch: &mut Batch<P>,
    pieces: usize,
    place: &P,
    begins_well: &mut bool,
    boundary: impl Fn(&[u8], usize) -> Option<usize>,
) -> io::Result<()> {
    let mut length = 0;
    while batch.used < pieces && length < BATCH && !ranges.exhausted() {
        let (range, taken) = ranges.take(&boundary)?;
        length += taken.length;
        let stretch = Stretch::File { file: ranges.file(), at: range.start, length: taken.length };
        batch.add(place, stretch, ranges.exhausted(), std::mem::replace(begins_well, taken.at_boundary));
    }
    Ok(())
}

impl<P: Place> Batch<P> {
    fn new() -> Self {
        Self { slots: Vec::new(), used: 0, room: Room::default() }
    }

    fn used(&self) -> &[Slot<P>] {
        self.slots.get(..self.used).unwrap_or_default()
    }

    /// Adds a piece.
    fn add(&mut self, place: &P, stretch: Stretch, at_end: bool, begins_well: bool) {
        if self.slots.len() <= self.used {
            self.slots.push(Slot::new(place.clone()));
        }
        if let Some(slot) = self.slots.get_mut(self.used) {
            (slot.stretch, slot.at_end, slot.begins_well) = (stretch, at_end, begins_well);
            self.used += 1;
        }
    }

    /// Parses all pieces side by side, each as if nothing was open where it begins.
    fn parse<F: Format<Place = P>>(&mut self, format: &F, form: Form, begin: &P, bits: usize) {
        let Self { slots, used, room } = self;
        slots.get_mut(..*used).unwrap_or_default().par_iter_mut().with_max_len(1).for_each(|slot| {
            slot.piece.reset(bits);
            slot.place = begin.clone();
            let (place, piece, rest, at_end) = (&mut slot.place, &mut slot.piece, &mut slot.rest, slot.at_end);
            let parsed = slot.stretch.with(room, |bytes| {
                let done = format.parse(form, place, bytes, at_end, piece)?;
                rest.clear();
                rest.extend_from_slice(bytes.get(done.consumed..).unwrap_or_default());
                Ok(done)
            });
            slot.done = parsed.map_err(Failure::from).and_then(|done: Result<ParseProgress, Fault>| Ok(done?));
        });
    }

    /// Brings all pieces into line with what came before; parses those again that supposed wrongly.
    fn settle<F: Format<Place = P>>(
        &mut self,
        format: &F,
        form: Form,
        place: &mut P,
        rest: &mut Rest,
        cut_off: &mut bool,
    ) -> Result<(), Failure> {
        let Self { slots, used, room } = self;
        for slot in slots.get_mut(..*used).unwrap_or_default() {
            let done = match std::mem::replace(&mut slot.done, Ok(ParseProgress::NOTHING)) {
                // What a supposition says of a fault may be wrong: it is told by who knows.
                Err(Failure::Fault(_)) => None,
                Err(other) => return Err(other),
                Ok(done) => Some(done),
            };
            let supposed_rightly = slot.begins_well && rest.bytes.is_empty() && place.leads_to(&slot.place);
            let Some(done) = done.filter(|_| supposed_rightly) else {
                let mut piece = std::mem::take(&mut slot.piece);
                piece.reset(piece.columns.len());
                let done = rest.parse(format, form, place, (slot, room), &mut piece);
                slot.piece = piece;
                *cut_off |= done?.cut_off;
                continue;
            };
            place.go_on(&slot.place, &mut slot.piece);
            *cut_off |= done.cut_off;
            rest.bytes.append(&mut slot.rest);
        }
        Ok(())
    }
}

impl<P: Place> Slot<P> {
    fn new(place: P) -> Self {
        Self {
            stretch: Stretch::Room(0..0),
            rest: Vec::new(),
            at_end: false,
            begins_well: true,
            piece: Piece::default(),
            place,
            done: Ok(ParseProgress::NOTHING),
        }
    }
}

impl Rest {
    /// Parses what was left over and then a piece, with the true place.
    fn parse<F: Format>(
        &mut self,
        format: &F,
        form: Form,
        place: &mut F::Place,
        (slot, room): (&Slot<F::Place>, &Room),
        piece: &mut Piece,
    ) -> Result<ParseProgress, Failure> {
        slot.stretch.with(room, |bytes| self.bytes.extend_from_slice(bytes))?;
        let done = format.parse(form, place, &self.bytes, slot.at_end, piece)?;
        if done.consumed == 0 && self.bytes.len() >= MOST_AT_ONCE {
            return Err(Fault { line: place.line(), kind: FaultKind::TooLong(MOST_AT_ONCE) }.into());
        }
        self.bytes.drain(..done.consumed);
        Ok(done)
    }
}
