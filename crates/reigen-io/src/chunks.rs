//! Bytes of a recording in chunks: never the whole file.

use std::fs::File;
use std::io::{self, Read};
use std::sync::Arc;

/// How many bytes make a piece of their own, unless someone wants it otherwise.
pub(crate) const CHUNK: usize = 64 * 1024;
/// How many bytes of a recording are looked at to tell what it is.
pub(crate) const HEAD: usize = 256 * 1024;
/// The longest stretch that may have to be in memory at once: a line, a vector, a quoted cell.
pub(crate) const MOST_AT_ONCE: usize = 2 * 1024 * 1024;

/// Where the bytes of a recording come from.
pub(crate) enum Input {
    /// Somewhere that gives them one after another.
    Stream(Box<dyn Read + Send>),
    /// A plain file, which can be read at any place.
    File(Arc<File>),
}

impl Read for Input {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        match self {
            Input::Stream(stream) => stream.read(room),
            Input::File(file) => file.as_ref().read(room),
        }
    }
}

/// Bytes of a recording, from where they have not been dealt with.
pub(crate) struct Chunks {
    input: Input,
    /// Whether what gives the bytes may keep its reader waiting, as a pipe does.
    waits: bool,
    /// How many bytes make a piece.
    piece: usize,
    /// How many bytes have been read.
    offset: u64,
    buffer: Vec<u8>,
    start: usize,
    end: usize,
    finished: bool,
}

impl Chunks {
    /// Reads from `input`.
    pub(crate) fn new(input: Input, piece: usize) -> Self {
        // Small pieces are asked for where memory is short.
        let room = piece.saturating_mul(64).clamp(16 * 1024, HEAD);
        let waits = matches!(input, Input::Stream(_));
        Self { input, waits, piece: piece.max(2), offset: 0, buffer: vec![0; room], start: 0, end: 0, finished: false }
    }

    /// Reads what `unpacked` gives of the bytes that came before.
    pub(crate) fn unpacked(unpacked: Box<dyn Read + Send>, piece: usize, waits: bool) -> Self {
        Self { waits, ..Self::new(Input::Stream(unpacked), piece) }
    }

    /// Whether what gives the bytes may keep its reader waiting.
    pub(crate) fn waits(&self) -> bool {
        self.waits
    }

    /// How many bytes make a piece.
    pub(crate) fn piece(&self) -> usize {
        self.piece
    }

    /// The file and the place in it that comes next, where the bytes come from a plain file.
    pub(crate) fn place(&self) -> Option<(Arc<File>, u64)> {
        match &self.input {
            Input::File(file) => Some((file.clone(), self.offset - self.bytes().len() as u64)),
            Input::Stream(_) => None,
        }
    }

    /// The bytes at hand.
    pub(crate) fn bytes(&self) -> &[u8] {
        self.buffer.get(self.start..self.end).unwrap_or_default()
    }

    /// Whether no more bytes will come after those at hand.
    pub(crate) fn finished(&self) -> bool {
        self.finished
    }

    /// All bytes from here on, those at hand included, as a stream.
    pub(crate) fn into_stream(self) -> Box<dyn Read + Send> {
        let at_hand = io::Cursor::new(self.bytes().to_vec());
        Box::new(at_hand.chain(self.input))
    }

    /// Leaves the first `count` bytes behind.
    pub(crate) fn consume(&mut self, count: usize) {
        self.start = (self.start + count).min(self.end);
    }

    /// Reads on, so that more bytes are at hand unless none will come.
    ///
    /// Gives false where the stretch at hand is already as long as may be.
    pub(crate) fn fill(&mut self) -> io::Result<bool> {
        self.buffer.copy_within(self.start..self.end, 0);
        self.end -= self.start;
        self.start = 0;
        if self.end >= MOST_AT_ONCE {
            return Ok(false);
        }
        if self.end * 2 > self.buffer.len() {
            self.buffer.resize(self.buffer.len() * 2, 0);
        }
        let room = self.buffer.get_mut(self.end..).unwrap_or_default();
        let (count, finished) = read_full(&mut self.input, room)?;
        self.end += count;
        self.offset += count as u64;
        self.finished |= finished;
        Ok(true)
    }

    /// Reads on until a room has so many bytes, unless they end before; those at hand come first.
    pub(crate) fn fill_room(&mut self, room: &mut Room, wanted: usize) -> io::Result<()> {
        room.bytes.resize(room.bytes.len().max(wanted), 0);
        let free = room.bytes.get_mut(room.filled..).unwrap_or_default();
        let at_hand = self.buffer.get(self.start..self.end).unwrap_or_default();
        let count = at_hand.len().min(free.len());
        let (front, free) = free.split_at_mut(count);
        front.copy_from_slice(at_hand.get(..count).unwrap_or_default());
        self.start += count;
        room.filled += count;
        if !self.finished && !free.is_empty() {
            let (count, finished) = read_full(&mut self.input, free)?;
            room.filled += count;
            self.offset += count as u64;
            self.finished = finished;
        }
        Ok(())
    }

    /// Takes back the bytes of a room that were not handed out: those from `from` on.
    pub(crate) fn take_back(&mut self, room: &Room, from: usize) {
        let at_hand = self.buffer.get(self.start..self.end).unwrap_or_default();
        self.buffer = [room.bytes().get(from..).unwrap_or_default(), at_hand].concat();
        (self.start, self.end) = (0, self.buffer.len());
    }

    /// Whether every byte has been handed out.
    pub(crate) fn exhausted(&self) -> bool {
        self.finished && self.start == self.end
    }
}

/// Bytes that were read together, and are handed out in stretches.
#[derive(Default)]
pub(crate) struct Room {
    bytes: Vec<u8>,
    filled: usize,
}

impl Room {
    /// What it holds.
    pub(crate) fn bytes(&self) -> &[u8] {
        self.bytes.get(..self.filled).unwrap_or_default()
    }

    /// Forgets what it holds, but keeps the memory.
    pub(crate) fn clear(&mut self) {
        self.filled = 0;
    }
}

/// The next stretch of `bytes`, up to the last boundary in a piece of them; `None` where that needs bytes that are not there
/// yet. `ended` says that none will come.
///
/// `boundary` finds the last place at which bytes may be parted. Where a stretch as long as may be has none, it is handed
/// out as it is.
pub(crate) fn next_stretch(
    bytes: &[u8],
    piece: usize,
    ended: bool,
    boundary: impl Fn(&[u8], usize) -> Option<usize>,
) -> Option<TakenBytes> {
    let mut wanted = piece;
    loop {
        if ended && bytes.len() <= wanted {
            return Some(TakenBytes { length: bytes.len(), at_boundary: true });
        }
        let whole = bytes.get(..wanted)?;
        if let Some(length) = boundary(whole, 0).filter(|&at| at > 0) {
            return Some(TakenBytes { length, at_boundary: true });
        }
        if wanted >= MOST_AT_ONCE {
            return Some(TakenBytes { length: wanted, at_boundary: false });
        }
        wanted *= 2;
    }
}

/// A stretch that is handed out.
#[derive(Debug, Clone, Copy)]
pub(crate) struct TakenBytes {
    /// Its length.
    pub(crate) length: usize,
    /// Whether it ends at a boundary, or at the end of all.
    pub(crate) at_boundary: bool,
}

/// Fills `room` as far as the input goes; says whether it has ended.
fn read_full(input: &mut impl Read, room: &mut [u8]) -> io::Result<(usize, bool)> {
    let mut length = 0;
    while let Some(rest) = room.get_mut(length..).filter(|rest| !rest.is_empty()) {
        match input.read(rest) {
            Ok(0) => return Ok((length, true)),
            Ok(count) => length += count,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    Ok((length, false))
}
