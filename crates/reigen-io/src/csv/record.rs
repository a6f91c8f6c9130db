//! One row, with its quotes undone.

use csv_core::{ReadRecordResult, Reader, ReaderBuilder};
use std::cell::RefCell;

thread_local! {
    /// Making a record builds the parser's tables, which takes longer than reading a piece; so each thread keeps
    /// one for each separator.
    static KEPT: RefCell<Vec<Record>> = const { RefCell::new(Vec::new()) };
}

/// Room for one row and its cells.
pub(super) struct Record {
    reader: Reader,
    separator: u8,
    text: Vec<u8>,
    ends: Vec<usize>,
    cells: usize,
}

/// Where a row was found.
#[derive(Debug, Clone, Copy)]
pub(super) struct CellSearch {
    /// The bytes up to its end, blank lines before it included.
    pub(super) consumed: usize,
    /// The lines that end before the row begins.
    pub(super) lines_before: u64,
    /// The lines that end in those bytes.
    pub(super) lines: u64,
}

impl Record {
    fn new(separator: u8) -> Self {
        let reader = ReaderBuilder::new().delimiter(separator).build();
        Self { reader, separator, text: vec![0; 1024], ends: vec![0; 64], cells: 0 }
    }

    /// Does something with the record that this thread keeps for this separator; spaces part however many there are.
    pub(super) fn with<T>(separator: u8, work: impl FnOnce(&mut Record) -> T) -> T {
        let kept = KEPT.with_borrow_mut(|kept| {
            let place = kept.iter().position(|record| record.separator == separator)?;
            Some(kept.swap_remove(place))
        });
        let mut record = kept.unwrap_or_else(|| Record::new(separator));
        let done = work(&mut record);
        KEPT.with_borrow_mut(|kept| kept.push(record));
        done
    }

    /// Reads one row from the start of `bytes`; `None` where it may go on beyond them, or there is none.
    pub(super) fn read(&mut self, bytes: &[u8], at_end: bool) -> Option<CellSearch> {
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
        if self.separator == b' ' {
            self.drop_empty();
        }
        let taken = bytes.get(..input).unwrap_or_default();
        let lines_before = line_ends(bytes, blank(taken));
        Some(CellSearch { consumed: input, lines_before, lines: line_ends(bytes, input) })
    }

    /// Takes cells without a letter away: between spaces there are none.
    fn drop_empty(&mut self) {
        let (mut kept, mut last) = (0, 0);
        for number in 0..self.cells {
            let end = self.ends.get(number).copied().unwrap_or_default();
            if let (true, Some(place)) = (end > last, self.ends.get_mut(kept)) {
                (*place, last) = (end, end);
                kept += 1;
            }
        }
        self.cells = kept;
    }

    /// Reads row after row of `bytes`, of which the first is in this line.
    pub(super) fn each_row(&mut self, bytes: &[u8], at_end: bool, mut line: u64, mut see: impl FnMut(&Self, u64)) {
        let mut rest = bytes;
        while let Some(found) = self.read(rest, at_end).filter(|found| found.consumed > 0) {
            rest = rest.get(found.consumed..).unwrap_or_default();
            see(self, line + found.lines_before);
            line += found.lines;
        }
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

    /// All cells.
    pub(super) fn cells(&self) -> impl Iterator<Item = &[u8]> {
        (0..self.cells).map(|number| self.cell(number))
    }

    /// All cells as text; what is no UTF-8 is read as Latin-1 (ISO 8859-1), in which many instruments write.
    pub(super) fn texts(&self) -> Vec<String> {
        let latin = |cell: &[u8]| cell.iter().map(|byte| char::from(*byte)).collect();
        self.cells().map(|cell| str::from_utf8(cell).map_or_else(|_| latin(cell), str::to_owned)).collect()
    }
}

/// How many bytes of blank lines come first.
pub(super) fn blank(bytes: &[u8]) -> usize {
    bytes.iter().take_while(|byte| matches!(byte, b'\r' | b'\n')).count()
}

/// How many lines end in the first `count` bytes: by `\n`, by `\r\n`, or by `\r` alone.
pub(super) fn line_ends(bytes: &[u8], count: usize) -> u64 {
    let first = bytes.get(..count).unwrap_or_default();
    let newlines = memchr::memchr_iter(b'\n', first).count();
    let alone = |at: &usize| bytes.get(at + 1) != Some(&b'\n');
    (newlines + memchr::memchr_iter(b'\r', first).filter(alone).count()) as u64
}
