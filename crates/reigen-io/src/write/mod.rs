//! Recordings out: the same changes in any of the formats that are read.

mod csv;
mod destination;
pub mod events;
mod json_lines;
mod names;
mod output_error;
pub mod output_file;
mod packed;
#[cfg(feature = "parquet")]
pub(crate) mod parquet;
#[cfg(feature = "parquet")]
pub mod partitions;
pub mod trace;
mod unfinished;
mod vcd;

pub use names::written_lines;

use crate::archive::Packing;
use flate2::Compression;
use flate2::write::GzEncoder;
use output_file::{FinishedFile, OutputError, OutputFile, Outputs, is_stream};
use reigen_core::change::Change;
use reigen_core::engine::Retained;
use reigen_core::time::{Nanos, Origin};
use std::io::{self, Write};
use std::path::Path;

/// A line of a recording in the making.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// Its name.
    pub name: String,
    /// Other names of the same signal, which only a VCD can hold.
    pub aliases: Vec<String>,
    /// Whether it is a number; else it has two levels.
    pub number: bool,
    /// How often it was read, where somebody asked for it again and again. VCD and JSON Lines can hold it.
    pub step: Option<Nanos>,
}

/// A format that recordings are written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// IEEE 1364.
    Vcd,
    /// RFC 4180: a row for each time at which something changes.
    Csv,
    /// An object for each change.
    JsonLines,
    /// A table of changes.
    Parquet,
    /// Packed samples, with a file beside them that says what they mean.
    Packed,
}

/// The endings of recordings, without those of packed files.
const ENDINGS: &str = ".vcd, .csv, .jsonl, .parquet, .bin; and .gz or .zst behind them";

impl Format {
    /// The format of a file by its ending, and how it is to be packed.
    ///
    /// # Errors
    /// Where the ending tells none, or one that this program cannot write.
    pub fn of(path: &Path) -> Result<(Self, Option<Packing>), OutputError> {
        let packing = Packing::of_ending(path);
        let inner = if packing.is_some() { path.with_extension("") } else { path.to_owned() };
        let refuse = || OutputError::Ending { path: path.to_owned(), known: ENDINGS };
        let ending = inner.extension().and_then(|ending| ending.to_str()).ok_or_else(refuse)?;
        let format = match ending {
            "vcd" => Self::Vcd,
            "csv" => Self::Csv,
            "jsonl" => Self::JsonLines,
            "bin" => Self::Packed,
            "parquet" if packing.is_some() => return Err(OutputError::PackedInside(path.to_owned())),
            "parquet" if cfg!(feature = "parquet") => Self::Parquet,
            "parquet" => return Err(OutputError::NoParquet(path.to_owned())),
            _ => return Err(refuse()),
        };
        Ok((format, packing))
    }
}

impl Format {
    /// The format of an output: by its ending, or `of_stream` where it is a device or pipe whose name tells none.
    ///
    /// # Errors
    /// As [`of`](Self::of).
    pub fn of_output(path: &Path, of_stream: Self) -> Result<(Self, Option<Packing>), OutputError> {
        match Self::of(path) {
            Err(OutputError::Ending { .. }) if is_stream(path) => Ok((of_stream, None)),
            format => format,
        }
    }
}

/// What is written, and at which times.
#[derive(Debug, Clone)]
pub struct Heading {
    /// The lines, in the order of their numbers.
    pub lines: Vec<Line>,
    /// What all lines belong to, where a format has scopes.
    pub scope: Option<&'static str>,
    /// The file's own first time.
    pub origin: Origin,
    /// The time between two packed samples.
    pub step: Nanos,
    /// What points kept at the first time, where a live run went on from that.
    pub resumed: Vec<(String, Retained)>,
}

/// Writes the changes of a recording, in the order of time.
pub trait Changes: Send {
    /// A line takes a value.
    ///
    /// # Errors
    /// Where no more can be written.
    fn take(&mut self, change: Change) -> io::Result<()>;

    /// The recording ends.
    ///
    /// # Errors
    /// As [`take`](Self::take).
    fn finish(self: Box<Self>, end: Nanos) -> io::Result<()>;
}

/// Begins a recording in a format, on anything that can be written to.
///
/// # Errors
/// Where the head cannot be written.
pub fn begin<'a>(
    (format, packing): (Format, Option<Packing>),
    heading: &Heading,
    out: impl Write + Send + 'a,
) -> io::Result<Box<dyn Changes + 'a>> {
    let out = Out::new(packing, out)?;
    Ok(match format {
        Format::Vcd => Box::new(vcd::Vcd::begin(heading, out)?),
        Format::Csv => Box::new(csv::Csv::begin(heading, out)?),
        Format::JsonLines => Box::new(json_lines::JsonLines::begin(heading, out)?),
        Format::Packed => Box::new(packed::Packed::begin(heading, out)),
        #[cfg(feature = "parquet")]
        Format::Parquet => Box::new(parquet::Table::begin(heading, out)?),
        #[cfg(not(feature = "parquet"))]
        Format::Parquet => return Err(io::ErrorKind::Unsupported.into()),
    })
}

/// Begins a recording in a file that is to appear whole.
///
/// # Errors
/// Where the format cannot hold what is to be written, or the file cannot be written.
pub fn begin_file<'a>(
    file: &'a mut OutputFile,
    format: (Format, Option<Packing>),
    heading: &Heading,
) -> Result<Box<dyn Changes + 'a>, OutputError> {
    let path = file.path().to_owned();
    if format.0 == Format::Packed {
        packed::check(heading).map_err(|why| OutputError::NotPacked { path: path.clone(), why })?;
    }
    begin(format, heading, file).map_err(|source| OutputError::Io { path, source })
}

/// Where bytes go, packed or as they are.
enum Out<W: Write> {
    Plain(W),
    Gzip(GzEncoder<W>),
    Zstandard(zstd::stream::write::Encoder<'static, W>),
}

impl<W: Write> Out<W> {
    fn new(packing: Option<Packing>, out: W) -> io::Result<Self> {
        Ok(match packing {
            None => Self::Plain(out),
            Some(Packing::Gzip) => Self::Gzip(GzEncoder::new(out, Compression::default())),
            Some(Packing::Zstandard) => {
                Self::Zstandard(zstd::stream::write::Encoder::new(out, zstd::DEFAULT_COMPRESSION_LEVEL)?)
            }
        })
    }

    /// Writes what is still to come; a packed file is whole only then.
    fn finish(self) -> io::Result<()> {
        match self {
            Self::Plain(mut out) => out.flush(),
            Self::Gzip(out) => out.finish()?.flush(),
            Self::Zstandard(out) => out.finish()?.flush(),
        }
    }
}

impl<W: Write> Write for Out<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Self::Plain(out) => out.write(bytes),
            Self::Gzip(out) => out.write(bytes),
            Self::Zstandard(out) => out.write(bytes),
        }
    }
    fn flush(&mut self) -> io::Result<()> {
        match self {
            Self::Plain(out) => out.flush(),
            Self::Gzip(out) => out.flush(),
            Self::Zstandard(out) => out.flush(),
        }
    }
}

/// Text on its way out, some of it in memory.
struct Text<W: Write> {
    text: Vec<u8>,
    out: Out<W>,
}

impl<W: Write> Text<W> {
    /// So many bytes are written at once.
    const ROOM: usize = 1 << 16;

    fn new(out: Out<W>) -> Self {
        Self { text: Vec::with_capacity(2 * Self::ROOM), out }
    }

    /// Writes what there is, where it has become enough.
    #[inline]
    fn pass(&mut self) -> io::Result<()> {
        if self.text.len() < Self::ROOM {
            return Ok(());
        }
        self.out.write_all(&self.text)?;
        self.text.clear();
        Ok(())
    }

    /// Adds a whole number.
    #[inline]
    fn number(&mut self, number: impl itoa::Integer) {
        self.text.extend_from_slice(itoa::Buffer::new().format(number).as_bytes());
    }

    fn finish(mut self) -> io::Result<()> {
        self.out.write_all(&self.text)?;
        self.out.finish()
    }
}

/// Writes what the packed samples at `path` mean into a file beside them.
///
/// # Errors
/// Where it cannot be written.
pub fn write_sidecar(outputs: &Outputs, path: &Path, heading: &Heading) -> Result<FinishedFile, OutputError> {
    packed::write_sidecar(outputs, path, heading)
}

/// A number as text that no reader detects as a level: always with a point or an exponent.
fn number_text(value: f64) -> String {
    format!("{value:?}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::change::Value;

    fn heading(origin: i64) -> Heading {
        let line = |name: &str, number| Line { name: name.to_owned(), aliases: Vec::new(), number, step: None };
        let lines = vec![line("top.A", false), line("a \"b\", c", false), line("V", true)];
        Heading { lines, scope: None, origin: Origin(origin), step: Nanos(10), resumed: Vec::new() }
    }

    /// Two levels and a number; one line has no level at first, and two changes share a time.
    fn written(format: Format, heading: &Heading) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut out = begin((format, None), heading, &mut bytes).unwrap();
        let change = |time, line, value| Change { time: Nanos(time), line, value };
        for change in [
            change(0, 0, Value::Level(true)),
            change(0, 2, Value::Number(1.0)),
            change(20, 0, Value::Level(false)),
            change(20, 0, Value::Level(true)),
            change(20, 1, Value::Level(true)),
            change(1_500_000_000, 2, Value::Number(-2.5e-7)),
        ] {
            out.take(change).unwrap();
        }
        out.finish(Nanos(1_500_000_010)).unwrap();
        bytes
    }

    #[test]
    fn each_format_is_written_as_it_is_meant() {
        let heading = heading(-20);
        let text = |format| String::from_utf8(written(format, &heading)).unwrap();
        assert_eq!(
            text(Format::Csv),
            "time_s,top.A,\"a \"\"b\"\", c\",V\n-0.000000020,1,,1.0\n0.000000000,0,,\n0.000000000,1,1,\n\
             1.499999980,1,1,-2.5e-7\n1.499999990,1,1,\n"
        );
        let vcd = "$comment time 0 here is -0.00000002 s in the recording $end\n$timescale 1 ns $end\n\
             $scope module top $end\n$var wire 1 ! A $end\n$upscope $end\n$var wire 1 \" a_\"b\",_c $end\n\
             $var real 64 # V $end\n$enddefinitions $end\n#0\n1!\nr1.0 #\n#20\n0!\n1!\n1\"\n#1500000000\nr-2.5e-7 #\n\
             #1500000010\n";
        assert_eq!(text(Format::Vcd), vcd);
        let lines = text(Format::JsonLines);
        assert!(lines.starts_with("{\"time_ns\":-20,\"line\":\"top.A\",\"value\":null}\n"), "{lines}");
        assert!(lines.ends_with(
            "{\"time_ns\":0,\"line\":\"a \\\"b\\\", c\",\"value\":1}\n\
             {\"time_ns\":1499999980,\"line\":\"V\",\"value\":-2.5e-7}\n{\"time_ns\":1499999990}\n"
        ));
    }

    #[test]
    fn samples_show_what_lasts_until_their_time() {
        let mut heading = heading(0);
        heading.lines.truncate(2);
        let mut bytes = Vec::new();
        let mut out = begin((Format::Packed, None), &heading, &mut bytes).unwrap();
        for (time, line, level) in [(0, 0, true), (10, 1, true), (11, 0, false), (20, 0, true), (31, 1, false)] {
            out.take(Change { time: Nanos(time), line, value: Value::Level(level) }).unwrap();
        }
        out.finish(Nanos(45)).unwrap();
        assert_eq!(bytes, [1, 3, 3, 3, 1, 1]);
    }

    #[test]
    fn a_file_says_by_its_ending_what_it_is_to_be() {
        let of = |name: &str| Format::of(Path::new(name));
        assert_eq!(of("a.vcd").unwrap(), (Format::Vcd, None));
        assert_eq!(of("b/a.csv.gz").unwrap(), (Format::Csv, Some(Packing::Gzip)));
        assert_eq!(of("a.jsonl.zst").unwrap(), (Format::JsonLines, Some(Packing::Zstandard)));
        for (name, why) in [
            ("a", "cannot tell the format"),
            ("a.gz", "cannot tell the format"),
            ("a.CSV", "cannot tell the format"),
            ("a.parquet.zst", "Parquet packs its columns itself"),
        ] {
            let error = of(name).unwrap_err();
            assert!(error.to_string().contains(why) && error.help().is_some(), "{error}");
        }
    }

    #[test]
    fn samples_hold_no_more_than_they_can() {
        let mut heading = heading(0);
        assert!(packed::check(&heading).unwrap_err().contains("`V` is a number"));
        heading.lines.truncate(2);
        assert_eq!(packed::check(&heading), Ok(()));
        for (step, why) in [(0, "need a step"), (3, "not a whole rate in millihertz")] {
            heading.step = Nanos(step);
            assert!(packed::check(&heading).unwrap_err().contains(why));
        }
    }
}
