//! A plain file parted into stretches that are read only where they are parsed.
//!
//! The core that parses a stretch also reads it, so that the bytes are in its own cache.

use crate::chunks::{MOST_AT_ONCE, TakenBytes};
use reigen_core::cast;
use std::fs::File;
use std::io;
use std::ops::Range;
use std::sync::Arc;

/// How many bytes are looked at to find a boundary, at first.
const LOOK: usize = 4096;

/// The rest of a file, to be parted.
pub(crate) struct Ranges {
    file: Arc<File>,
    at: u64,
    /// How many bytes make a piece.
    piece: usize,
    /// The file's length when it was opened: what is written to it later does not count.
    end: u64,
    look: Vec<u8>,
}

impl Ranges {
    /// The file from `at` on; `None` where this system cannot read at any place.
    pub(crate) fn new(file: Arc<File>, at: u64, piece: usize) -> Option<Self> {
        let end = file.metadata().ok()?.len();
        read_at(&file, &mut [], at).ok()?;
        (end > at).then(|| Self { file, at, piece, end, look: Vec::new() })
    }

    /// The next stretch, which ends at a boundary if there is one.
    pub(crate) fn take(
        &mut self,
        boundary: impl Fn(&[u8], usize) -> Option<usize>,
    ) -> io::Result<(Range<u64>, TakenBytes)> {
        let start = self.at;
        let mut length = self.piece;
        let mut look = LOOK;
        loop {
            let nominal = start + length as u64;
            if nominal >= self.end {
                self.at = self.end;
                return Ok((
                    start..self.end,
                    TakenBytes { length: cast::usize_from_u64(self.end - start), at_boundary: true },
                ));
            }
            // A boundary in the last bytes before the nominal end; if there is none, look further back, then on.
            let looked = look.min(length);
            self.look.resize(looked, 0);
            let from = nominal - looked as u64;
            read_exact_at(&self.file, &mut self.look, from)?;
            if let Some(at) = boundary(&self.look, length - looked).filter(|&at| from + at as u64 > start) {
                self.at = from + at as u64;
                return Ok((
                    start..self.at,
                    TakenBytes { length: cast::usize_from_u64(self.at - start), at_boundary: true },
                ));
            }
            if looked < length {
                look *= 16;
            } else if length < MOST_AT_ONCE {
                length *= 2;
                look = LOOK;
            } else {
                self.at = nominal;
                return Ok((start..nominal, TakenBytes { length, at_boundary: false }));
            }
        }
    }

    /// Whether every byte has been handed out.
    pub(crate) fn exhausted(&self) -> bool {
        self.at >= self.end
    }

    /// The file.
    pub(crate) fn file(&self) -> Arc<File> {
        self.file.clone()
    }
}

/// Reads a file from a place on, whatever others do with it.
pub(crate) struct FileReader {
    file: Arc<File>,
    at: u64,
}

impl FileReader {
    /// The file from `at` on.
    pub(crate) fn new(file: Arc<File>, at: u64) -> Self {
        Self { file, at }
    }
}

impl io::Read for FileReader {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let count = read_at(&self.file, room, self.at)?;
        self.at += count as u64;
        Ok(count)
    }
}

/// Fills `room` from the place `at` of a file.
pub(crate) fn read_exact_at(file: &File, room: &mut [u8], at: u64) -> io::Result<()> {
    let mut done = 0;
    while let Some(rest) = room.get_mut(done..).filter(|rest| !rest.is_empty()) {
        match read_at(file, rest, at + done as u64) {
            Ok(0) => return Err(io::Error::new(io::ErrorKind::UnexpectedEof, "the file was cut while it was read")),
            Ok(count) => done += count,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    Ok(())
}

#[cfg(unix)]
fn read_at(file: &File, room: &mut [u8], at: u64) -> io::Result<usize> {
    std::os::unix::fs::FileExt::read_at(file, room, at)
}

#[cfg(not(unix))]
fn read_at(_file: &File, _room: &mut [u8], _at: u64) -> io::Result<usize> {
    Err(io::ErrorKind::Unsupported.into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chunks::{Chunks, Input, Room, next_stretch};
    use proptest::prelude::*;
    use std::io::{Cursor, Write};

    /// After the last line end, wherever the bytes begin.
    fn line_end(bytes: &[u8], _before: usize) -> Option<usize> {
        bytes.iter().rposition(|byte| *byte == b'\n').map(|at| at + 1)
    }

    proptest! {
        #[test]
        fn a_file_and_a_stream_are_parted_without_a_gap_and_at_lines(
            lines in prop::collection::vec("[a-z]{0,30}\n", 0..40),
            unended in "[a-z]{0,5}",
            piece in 2..80usize,
        ) {
            let text = lines.concat() + &unended;
            let mut file = tempfile::tempfile().unwrap();
            file.write_all(text.as_bytes()).unwrap();
            let file = Arc::new(file);
            let (mut from_file, mut from_stream) = (Vec::<u8>::new(), Vec::<u8>::new());
            if let Some(mut ranges) = Ranges::new(file.clone(), 0, piece) {
                while !ranges.exhausted() {
                    let (range, taken) = ranges.take(line_end).unwrap();
                    let mut bytes = vec![0; taken.length];
                    read_exact_at(&file, &mut bytes, range.start).unwrap();
                    prop_assert!(taken.at_boundary && (bytes.ends_with(b"\n") || ranges.exhausted()));
                    from_file.extend(bytes);
                }
            }
            let mut chunks = Chunks::new(Input::Stream(Box::new(Cursor::new(text.clone()))), piece);
            let mut room = Room::default();
            while !chunks.exhausted() {
                room.clear();
                chunks.fill_room(&mut room, piece).unwrap();
                let taken = loop {
                    match next_stretch(room.bytes(), piece, chunks.exhausted(), line_end) {
                        Some(taken) => break taken,
                        None => {
                            let more = 2 * room.bytes().len();
                            chunks.fill_room(&mut room, more).unwrap();
                        }
                    }
                };
                let bytes = &room.bytes()[..taken.length];
                prop_assert!(bytes.ends_with(b"\n") || (chunks.exhausted() && taken.length == room.bytes().len()));
                from_stream.extend(bytes);
                chunks.take_back(&room, taken.length);
            }
            prop_assert_eq!(&from_file, text.as_bytes());
            prop_assert_eq!(&from_stream, text.as_bytes());
        }
    }

    #[test]
    fn a_file_cut_while_it_is_read_is_an_error() {
        let mut file = tempfile::tempfile().unwrap();
        file.write_all(b"abc").unwrap();
        let error = read_exact_at(&file, &mut [0; 4], 0).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::UnexpectedEof);
    }
}
