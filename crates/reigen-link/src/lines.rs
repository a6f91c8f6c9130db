//! `lines`: JSON Lines as a microcontroller prints them, from standard input, a socket or a serial port.

use crate::line_table::LineTable;
use reigen_io::live_row;
use reigen_run::live::event::{LineValue, LiveEvent};
use reigen_run::live::inbox::RunClock;
use std::io::{self, BufRead, BufReader, Read};
use std::sync::mpsc::SyncSender;

/// So many values are told at once at most.
const MOST_AT_ONCE: usize = 4096;
/// The longest line; what is longer is malformed, and left out up to its end.
const LONGEST: u64 = 1 << 20;
/// So much is read at once.
const ROOM: usize = 1 << 16;

/// A link that reads lines of text.
#[derive(Debug)]
pub struct LinesLink {
    /// Its number among the links of the run.
    pub link: usize,
    /// The lines of the run.
    pub table: LineTable,
    /// The clock of the run.
    pub clock: RunClock,
    /// Where it tells what it reads.
    pub events: SyncSender<LiveEvent>,
}

/// What has been read and not yet told.
#[derive(Default)]
struct Batch {
    values: Vec<LineValue>,
    malformed: u64,
    first: Option<String>,
}

impl LinesLink {
    /// Reads to the end, and tells that.
    pub fn read(&self, input: impl Read) {
        let mut input = BufReader::with_capacity(ROOM, input);
        let mut batch = Batch::default();
        let mut text = Vec::new();
        while let Ok(true) = next_line(&mut input, &mut text) {
            self.take(&text, &mut batch);
            // Whatever has arrived is told before more is waited for.
            let waits = !input.buffer().contains(&b'\n');
            if (waits || batch.values.len() >= MOST_AT_ONCE) && !self.tell(&mut batch) {
                return;
            }
        }
        if self.tell(&mut batch) {
            // Whoever listened may be gone, and then there is nobody to tell.
            let _ = self.events.send(LiveEvent::Ended { link: self.link });
        }
    }

    fn take(&self, text: &[u8], batch: &mut Batch) {
        if text.iter().all(u8::is_ascii_whitespace) {
            return;
        }
        let read = live_row(text).and_then(|row| {
            let Some((name, value)) = row.change else { return Ok(None) };
            Ok(self.table.value(&name, value)?.map(|(line, value)| (line, value, row.time_ns)))
        });
        match read {
            Ok(Some((line, value, own_time_ns))) => {
                batch.values.push(LineValue { line, value, arrived: self.clock.now(), own_time_ns });
            }
            Ok(None) => {}
            Err(why) => {
                batch.malformed += 1;
                batch.first.get_or_insert(why);
            }
        }
    }

    /// Tells what has been read; false where nobody listens any more.
    fn tell(&self, batch: &mut Batch) -> bool {
        let Batch { values, malformed, first } = std::mem::take(batch);
        let link = self.link;
        let values = (!values.is_empty()).then_some(LiveEvent::Values { link, values });
        let first = first.map(|first| LiveEvent::Malformed { link, count: malformed, first });
        [first, values].into_iter().flatten().all(|event| self.events.send(event).is_ok())
    }
}

/// Reads the next line; false at the end. Of a line that is too long only its beginning is kept.
fn next_line(input: &mut impl BufRead, text: &mut Vec<u8>) -> io::Result<bool> {
    text.clear();
    let length = input.by_ref().take(LONGEST).read_until(b'\n', text)?;
    if length as u64 == LONGEST && text.last() != Some(&b'\n') {
        pass_line(input)?;
    }
    Ok(length > 0)
}

/// Passes the rest of a line.
fn pass_line(input: &mut impl BufRead) -> io::Result<()> {
    loop {
        let bytes = input.fill_buf()?;
        let end = bytes.iter().position(|byte| *byte == b'\n');
        let length = end.map_or(bytes.len(), |end| end + 1);
        input.consume(length);
        if end.is_some() || length == 0 {
            return Ok(());
        }
    }
}
