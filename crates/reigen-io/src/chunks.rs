//! Bytes of a recording in chunks: never the whole file.

use std::io::{self, Read};

/// How many bytes are read at once.
pub(crate) const CHUNK: usize = 256 * 1024;
/// The longest stretch that may have to be in memory at once: a line, a vector, a quoted cell.
pub(crate) const MOST_AT_ONCE: usize = 16 * 1024 * 1024;

/// A window over the bytes of a recording that moves forward.
pub(crate) struct Chunks {
    input: Box<dyn Read + Send>,
    buffer: Vec<u8>,
    start: usize,
    end: usize,
    finished: bool,
}

impl Chunks {
    /// Reads from `input`.
    pub(crate) fn new(input: Box<dyn Read + Send>) -> Self {
        Self { input, buffer: vec![0; CHUNK], start: 0, end: 0, finished: false }
    }

    /// The bytes at hand.
    pub(crate) fn bytes(&self) -> &[u8] {
        self.buffer.get(self.start..self.end).unwrap_or_default()
    }

    /// Whether no more bytes will come after those at hand.
    pub(crate) fn finished(&self) -> bool {
        self.finished
    }

    /// Leaves the first `count` bytes behind.
    pub(crate) fn consume(&mut self, count: usize) {
        self.start = (self.start + count).min(self.end);
    }

    /// Reads until there is at least one more byte at hand, or none will come.
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
        while !self.finished {
            let room = self.buffer.get_mut(self.end..).unwrap_or_default();
            match self.input.read(room) {
                Ok(0) => self.finished = true,
                Ok(count) => {
                    self.end += count;
                    // A pipe gives little at a time; a full buffer saves rounds.
                    if self.end * 2 > self.buffer.len() {
                        break;
                    }
                }
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
            }
        }
        Ok(true)
    }
}
