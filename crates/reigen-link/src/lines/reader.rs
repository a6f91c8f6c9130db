//! Lines of text, read as they come.

use reigen_io::live_row;
use reigen_run::line_table::LineTable;
use reigen_run::live::event::LineValue;
use reigen_run::live::teller::{LinkTeller, RunOver};
use std::io::{self, BufRead, BufReader, Read};

/// So many values are told at once at most.
const MOST_AT_ONCE: usize = 4096;
/// The longest line; what is longer is malformed, and left out up to its end.
const LONGEST: u64 = 1 << 20;
/// So much is read at once.
const ROOM: usize = 1 << 16;

/// What reads lines of text, and tells what they say.
#[derive(Debug)]
pub struct LinesReader {
    /// The lines of the run.
    pub table: LineTable,
    /// Where it tells what it reads.
    pub teller: LinkTeller,
}

/// What has been read and not yet told.
#[derive(Default)]
struct Batch {
    values: Vec<LineValue>,
    malformed: u64,
    first: Option<String>,
}

/// What a stream begins with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Begins {
    WithALine,
    /// Perhaps in the middle of one: the device has printed for long.
    Anywhere,
}

impl LinesReader {
    /// Reads to the end, and tells that.
    pub fn read(&self, input: impl Read) {
        // An error says that the listener has ended: then there is nobody to tell.
        let _ = self.read_some(input, Begins::WithALine).and_then(|()| self.teller.ended());
    }

    /// Reads to the end; fails where nobody listens any more.
    pub(crate) fn read_some(&self, input: impl Read, begins: Begins) -> Result<(), RunOver> {
        let mut input = BufReader::with_capacity(ROOM, input);
        let mut batch = Batch::default();
        let mut text = Vec::new();
        let mut may_be_cut = begins == Begins::Anywhere;
        while let Ok(true) = next_line(&mut input, &mut text) {
            self.take(&text, &mut batch);
            if std::mem::take(&mut may_be_cut) {
                (batch.malformed, batch.first) = (0, None);
            }
            // Whatever has arrived is told before more is waited for.
            let waits = !input.buffer().contains(&b'\n');
            if waits || batch.values.len() >= MOST_AT_ONCE {
                self.tell(&mut batch)?;
            }
        }
        self.tell(&mut batch)
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
                batch.values.push(LineValue { line, value, arrived: self.teller.now(), own_time_ns });
            }
            Ok(None) => {}
            Err(why) => {
                batch.malformed += 1;
                batch.first.get_or_insert(why);
            }
        }
    }

    /// Tells what has been read.
    fn tell(&self, batch: &mut Batch) -> Result<(), RunOver> {
        let Batch { values, malformed, first } = std::mem::take(batch);
        first.map_or(Ok(()), |first| self.teller.malformed(malformed, first))?;
        self.teller.values(values)
    }
}

/// Reads the next line; false at the end. Of a line that is too long only its beginning is kept.
pub(super) fn next_line(input: &mut impl BufRead, text: &mut Vec<u8>) -> io::Result<bool> {
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

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_run::live::event::LiveEvent;
    use reigen_run::live::inbox::RunClock;
    use std::sync::mpsc::sync_channel;

    #[test]
    fn a_line_that_is_cut_by_the_start_is_no_fault_of_the_device() {
        for (begins, wanted) in [(Begins::Anywhere, 1), (Begins::WithALine, 2)] {
            let (events, told) = sync_channel(10);
            let reader =
                LinesReader { table: LineTable::new(&[]), teller: LinkTeller::new(0, events, RunClock::start()) };
            let text = b"B\",\"value\":1}\n{\"line\":\"PB\",\"value\":0}\nbroken\n".as_slice();
            reader.read_some(text, begins).unwrap();
            drop(reader);
            let count = |event| if let LiveEvent::Malformed { count, .. } = event { count } else { 0 };
            assert_eq!(told.into_iter().map(count).sum::<u64>(), wanted, "{begins:?}");
        }
    }
}
