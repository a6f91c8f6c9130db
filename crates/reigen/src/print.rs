//! Standard output, or a stand-in for it.

use crate::cli::ColorWord;
use crate::failure::Failure;
use crate::table_view::Table;
use crate::wrap::within;
use reigen_core::outside_words::{in_json, on_lines};
use reigen_io::output_file::Outputs;
use std::borrow::Cow;
use std::io::{self, BufWriter, Write};

/// Where results go.
pub(crate) struct Out {
    writer: Box<dyn Write + Send>,
    colour: bool,
    silent: bool,
    /// Whoever reads wants no more; the work goes on, since its exit code still tells.
    closed: bool,
    outputs: Outputs,
}

/// How many letters fit into a line of the terminal, or of what stands in for one and says so in `COLUMNS`; `None`
/// where there is none.
pub(crate) fn terminal_width() -> Option<u32> {
    let told = || std::env::var("COLUMNS").ok()?.parse().ok().filter(|width| *width > 0);
    terminal_size::terminal_size_of(io::stdout()).map(|(width, _)| u32::from(width.0)).or_else(told)
}

impl Out {
    /// Standard output, with colour where it is wanted.
    pub(crate) fn standard(color: ColorWord, outputs: Outputs) -> Self {
        let stdout = io::stdout();
        let colour = color.on(&stdout);
        Self { writer: Box::new(BufWriter::new(stdout)), colour, silent: false, closed: false, outputs }
    }

    /// Nowhere: what goes to standard output is the output that a person named so.
    pub(crate) fn silent(outputs: Outputs) -> Self {
        Self { writer: Box::new(io::sink()), colour: false, silent: true, closed: false, outputs }
    }

    /// What knows the files that are in the making.
    pub(crate) fn outputs(&self) -> &Outputs {
        &self.outputs
    }

    /// Whether nothing that is told here is seen.
    pub(crate) fn is_silent(&self) -> bool {
        self.silent
    }

    /// Whether whoever reads wants no more.
    pub(crate) fn is_closed(&self) -> bool {
        self.closed
    }

    /// Writes a line.
    pub(crate) fn line(&mut self, text: impl AsRef<str>) -> Result<(), Failure> {
        if self.closed {
            return Ok(());
        }
        let written = writeln!(self.writer, "{}", on_lines(text.as_ref()));
        self.unless_closed(written)
    }

    /// Writes a sentence, or a list, that is broken between words where the terminal ends.
    pub(crate) fn words(&mut self, text: &str) -> Result<(), Failure> {
        self.line(within(text, terminal_width()))
    }

    /// Writes a sentence that begins with a word in a colour, where colour may be used.
    pub(crate) fn coloured(&mut self, colour: &str, word: &str, rest: &str) -> Result<(), Failure> {
        let whole = within(&format!("{word}{rest}"), terminal_width());
        match whole.strip_prefix(word).filter(|_| self.colour && !self.closed) {
            Some(rest) => {
                let written = write!(self.writer, "{colour}{word}\x1b[0m");
                self.unless_closed(written)?;
                self.line(rest)
            }
            None => self.line(whole),
        }
    }

    /// Writes a table; one that is wider than the terminal has its cells broken.
    pub(crate) fn table(&mut self, table: &Table) -> Result<(), Failure> {
        self.line(table.in_letters(terminal_width().and_then(|width| u16::try_from(width).ok())))
    }

    /// Writes a value as JSON.
    pub(crate) fn json(&mut self, value: &impl serde::Serialize) -> Result<(), Failure> {
        if self.closed {
            return Ok(());
        }
        let written = serde_json::to_writer_pretty(SafeJson(&mut self.writer), value).map_err(io::Error::from);
        let written = written.and_then(|()| self.writer.write_all(b"\n"));
        self.unless_closed(written)
    }

    /// Writes a value as JSON on a line of its own.
    pub(crate) fn json_line(&mut self, value: &impl serde::Serialize) -> Result<(), Failure> {
        if self.closed {
            return Ok(());
        }
        let written = serde_json::to_writer(SafeJson(&mut self.writer), value).map_err(io::Error::from);
        let written = written.and_then(|()| self.writer.write_all(b"\n"));
        self.unless_closed(written)
    }

    /// Passes on at once what is still in memory.
    pub(crate) fn pass_on(&mut self) -> Result<(), Failure> {
        let written = self.writer.flush();
        self.unless_closed(written)
    }

    /// Where to write anything else.
    pub(crate) fn writer(&mut self) -> &mut Box<dyn Write + Send> {
        &mut self.writer
    }

    /// Writes what is still in memory.
    pub(crate) fn finish(mut self) -> Result<(), Failure> {
        if self.closed {
            return Ok(());
        }
        let written = self.writer.flush();
        self.unless_closed(written)
    }

    fn unless_closed(&mut self, written: io::Result<()>) -> Result<(), Failure> {
        match written {
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => {
                self.closed = true;
                // What is left in memory is for nobody.
                self.writer = Box::new(io::sink());
                Ok(())
            }
            written => Ok(written?),
        }
    }
}

/// Writes JSON without letters that act on a terminal. serde_json hands over whole letters.
struct SafeJson<W>(W);

impl<W: Write> Write for SafeJson<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match str::from_utf8(bytes).map(in_json) {
            Ok(Cow::Owned(safe)) => self.0.write_all(safe.as_bytes())?,
            _ => self.0.write_all(bytes)?,
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}
