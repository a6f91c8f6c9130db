//! Standard output, or a stand-in for it.

use crate::cli::ColorWord;
use crate::failure::Failure;
use crate::table_view::Table;
use reigen_core::outside_words::{in_json, on_lines};
use reigen_io::output_file::Outputs;
use std::borrow::Cow;
use std::io::{self, BufWriter, Write};
use textwrap::core::Word;

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

/// How far the lines of a sentence after its first are indented.
const INDENT: &str = "     ";
/// In fewer letters nothing is broken between words.
const LEAST_WIDTH: u32 = 40;

/// A text in lines of a width, broken between words.
fn within(text: &str, width: Option<u32>) -> String {
    let Some(width) = width.filter(|width| *width >= LEAST_WIDTH) else { return text.to_owned() };
    let options = textwrap::Options::new(width as usize)
        .subsequent_indent(INDENT)
        .break_words(false)
        .word_separator(textwrap::WordSeparator::Custom(|text| Box::new(parts(text).into_iter().map(Word::from))))
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    textwrap::fill(text, options)
}

/// The parts of a text that stay whole: its words, each with the blanks after it, and a number with its unit.
fn parts(text: &str) -> Vec<&str> {
    let mut parts = Vec::new();
    let mut rest = text;
    while !rest.is_empty() {
        let words: Vec<&str> = rest.split_inclusive(' ').take(2).collect();
        let (first, unit) = (words.first().map_or("", |word| word.trim()), words.get(1).map_or("", |word| word.trim()));
        let joined =
            first.starts_with(|letter: char| letter.is_ascii_digit()) && (1..=3).contains(&unit.chars().count());
        let taken: usize = words.iter().take(if joined { 2 } else { 1 }).map(|word| word.len()).sum();
        let Some((part, after)) = rest.split_at_checked(taken.max(1)) else { break };
        parts.push(part);
        rest = after;
    }
    parts
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_sentence_keeps_its_words_and_fits(text in "(warning: )?([a-z_=-]{1,20} ){1,40}[a-z]{1,9}", width in 40..200u32) {
            let told = within(&text, Some(width));
            prop_assert_eq!(told.split_whitespace().collect::<Vec<_>>(), text.split_whitespace().collect::<Vec<_>>());
            prop_assert!(told.lines().all(|line| line.chars().count() <= width as usize), "{}", told);
            prop_assert!(told.lines().skip(1).all(|line| line.starts_with(INDENT)));
            prop_assert_eq!(within(&text, None), text);
        }
    }

    #[test]
    fn a_number_stays_with_its_unit() {
        assert_eq!(parts("for 1.15 % of 3 inputs"), ["for ", "1.15 % ", "of ", "3 ", "inputs"]);
        assert_eq!(parts("  = 30 ms"), [" ", " ", "= ", "30 ms"]);
        assert_eq!(
            within("it was held for one time of 20 ms in all", Some(40)),
            "it was held for one time of 20 ms in all"
        );
        assert_eq!(
            within("it was held, at most, for a time of 20 ms", Some(40)),
            "it was held, at most, for a time of\n     20 ms"
        );
    }
}
