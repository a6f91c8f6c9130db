//! One row, with its quotes undone.

use csv_core::{ReadRecordResult, Reader};
use std::cell::RefCell;

thread_local! {
    /// Making a record builds the parser's tables, which takes longer than reading a piece; so each thread keeps one.
    static KEPT: RefCell<Record> = RefCell::new(Record::default());
}

/// Room for one row and its cells.
pub(super) struct Record {
    reader: Reader,
    text: Vec<u8>,
    ends: Vec<usize>,
    cells: usize,
}

/// Where a row was found.
#[derive(Debug, Clone, Copy)]
pub(super) struct Found {
    /// The bytes up to its end, blank lines before it included.
    pub(super) consumed: usize,
    /// The lines that end before the row begins.
    pub(super) lines_before: u64,
    /// The lines that end in those bytes.
    pub(super) lines: u64,
}

impl Default for Record {
    fn default() -> Self {
        Self { reader: Reader::new(), text: vec![0; 1024], ends: vec![0; 64], cells: 0 }
    }
}

impl Record {
    /// Does something with the record that this thread keeps.
    pub(super) fn with<T>(work: impl FnOnce(&mut Record) -> T) -> T {
        KEPT.with_borrow_mut(work)
    }

    /// Reads one row from the start of `bytes`; `None` where it may go on beyond them, or there is none.
    pub(super) fn read(&mut self, bytes: &[u8], at_end: bool) -> Option<Found> {
        self.reader.reset();
        let (mut input, mut output, mut cells) = (0, 0, 0);
        loop {
            let rest = bytes.get(input..).unwrap_or_default();
            let text = self.text.get_mut(output..).unwrap_or_default();
            let ends = self.ends.get_mut(cells..).unwrap_or_default();
            let (result, read, written, ended) = self.reader.read_record(rest, text, ends);
            input += read;
            output += written;
            cells += ended;
            match result {
                ReadRecordResult::Record => break,
                ReadRecordResult::OutputFull => self.text.resize(self.text.len() * 2, 0),
                ReadRecordResult::OutputEndsFull => self.ends.resize(self.ends.len() * 2, 0),
                // Told that there is no more input, the reader ends the row.
                ReadRecordResult::InputEmpty if at_end => {}
                ReadRecordResult::InputEmpty | ReadRecordResult::End => return None,
            }
        }
        self.cells = cells;
        let taken = bytes.get(..input).unwrap_or_default();
        let blank = taken.iter().take_while(|byte| matches!(byte, b'\r' | b'\n')).count();
        let lines_before = newlines(taken.get(..blank).unwrap_or_default());
        Some(Found { consumed: input, lines_before, lines: newlines(taken) })
    }

    /// How many cells the row has.
    pub(super) fn len(&self) -> usize {
        self.cells
    }

    /// A cell without the spaces around it; empty where there is none.
    pub(super) fn cell(&self, number: usize) -> &[u8] {
        let end = |number: usize| self.ends.get(number).copied().unwrap_or_default();
        let start = number.checked_sub(1).map_or(0, end);
        self.text.get(start..end(number)).unwrap_or_default().trim_ascii()
    }

    /// All cells as text.
    pub(super) fn texts(&self) -> Vec<String> {
        (0..self.cells).map(|number| String::from_utf8_lossy(self.cell(number)).into_owned()).collect()
    }
}

fn newlines(bytes: &[u8]) -> u64 {
    memchr::memchr_iter(b'\n', bytes).count() as u64
}
