//! Which recordings are read, and what they do not say themselves.

use crate::shell_word::quoted;
use clap::{Args, ValueEnum};
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::quantity::{QuantityError, SampleRate, parse_file_time, parse_sample_rate};
use reigen_io::date_ns;
use reigen_io::options::TimeUnit;
use std::path::PathBuf;

/// A level as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum LevelWord {
    High,
    Low,
}

impl From<LevelWord> for Asserted {
    fn from(word: LevelWord) -> Self {
        match word {
            LevelWord::High => Asserted::High,
            LevelWord::Low => Asserted::Low,
        }
    }
}

/// A contact as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum ContactWord {
    #[value(name = "NO")]
    No,
    #[value(name = "NC")]
    Nc,
}

impl From<ContactWord> for Contact {
    fn from(word: ContactWord) -> Self {
        match word {
            ContactWord::No => Contact::NormallyOpen,
            ContactWord::Nc => Contact::NormallyClosed,
        }
    }
}

/// Which recordings are read, and which part of them.
#[derive(Debug, Default, Args)]
pub(crate) struct RecordingArguments {
    /// One recording, or several of one run in the order of time; `-` is standard input
    #[arg(required = true, value_name = "RECORDING")]
    pub(crate) recordings: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) span: SpanArguments,
    /// Each recording has its own clock and begins where the previous one ended
    #[arg(long, hide_short_help = true, help_heading = "Recording")]
    pub(crate) own_clocks: bool,
    #[command(flatten)]
    pub(crate) reading: ReadingArguments,
}

/// Which part of a recording is read.
#[derive(Debug, Default, Clone, Copy, Args)]
pub(crate) struct SpanArguments {
    /// Start at this time of the recording, such as 1.5s
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true, help_heading = "Recording")]
    pub(crate) from: Option<i64>,
    /// Stop at this time of the recording
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true, help_heading = "Recording")]
    pub(crate) to: Option<i64>,
}

/// What the recording does not say itself.
#[derive(Debug, Default, Args)]
pub(crate) struct ReadingArguments {
    /// Sample rate of packed samples or of a CSV without a time column, such as 10kHz
    #[arg(long, value_name = "RATE", value_parser = parse_sample_rate, hide_short_help = true, help_heading = "Recording")]
    pub(crate) sample_rate: Option<SampleRate>,
    /// With --sample-rate: names of the bits of packed samples; `-` is an unused bit
    #[arg(
        long,
        value_name = "NAME,NAME,…",
        value_delimiter = ',',
        requires = "sample_rate",
        hide_short_help = true,
        help_heading = "Recording"
    )]
    pub(crate) bits: Option<Vec<String>>,
    /// Time column of a CSV, by its name in the header
    #[arg(long, value_name = "COLUMN", hide_short_help = true, help_heading = "Recording")]
    pub(crate) time: Option<String>,
    /// Unit of that column if the header does not name it: s, ms, us or ns
    #[arg(long, value_name = "UNIT", value_parser = time_unit, hide_short_help = true, help_heading = "Recording")]
    pub(crate) time_unit: Option<TimeUnit>,
    /// CSV separator: , or ; or tab or space [default: detected]
    #[arg(long, value_name = "MARK", value_parser = separator, hide_short_help = true, help_heading = "Recording")]
    pub(crate) separator: Option<u8>,
    /// Decimal mark of a CSV: . or , [default: detected]
    #[arg(long, value_name = "MARK", value_parser = decimal, hide_short_help = true, help_heading = "Recording")]
    pub(crate) decimal: Option<u8>,
    /// Word that means high in CSV columns of two words, such as closed; repeat it for more
    #[arg(long, value_name = "WORD", value_delimiter = ',', hide_short_help = true, help_heading = "Recording")]
    pub(crate) high: Vec<String>,
    /// Analog columns are high above this value (with --low-below)
    #[arg(long, value_name = "VALUE", value_parser = finite, requires = "low_below", allow_negative_numbers = true, hide_short_help = true, help_heading = "Recording")]
    pub(crate) high_above: Option<f64>,
    /// Analog columns are low below this value; in between the level holds
    #[arg(long, value_name = "VALUE", value_parser = finite, requires = "high_above", allow_negative_numbers = true, hide_short_help = true, help_heading = "Recording")]
    pub(crate) low_below: Option<f64>,
    /// Session of a history [default: the last]
    #[arg(long, value_name = "N", hide_short_help = true, help_heading = "Recording")]
    pub(crate) session: Option<i64>,
    /// Number of threads [default: one per core]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=256), hide_short_help = true, help_heading = "Recording")]
    pub(crate) threads: Option<u16>,
    /// Read with the plain reader alone, to hold the fast one against it
    #[arg(long, hide = true)]
    pub(crate) plain_reader: bool,
}

impl ReadingArguments {
    /// The options as they would be typed, each after a blank.
    pub(crate) fn typed(&self) -> String {
        let mark = |byte: u8| match byte {
            b'\t' => "tab".to_owned(),
            b' ' => "space".to_owned(),
            byte => char::from(byte).to_string(),
        };
        let options = [
            ("--sample-rate", self.sample_rate.map(|rate| rate.to_string())),
            ("--bits", self.bits.as_ref().map(|lines| lines.join(","))),
            ("--time", self.time.clone()),
            ("--time-unit", self.time_unit.map(|unit| unit.to_string())),
            ("--separator", self.separator.map(mark)),
            ("--decimal", self.decimal.map(mark)),
            ("--high", Some(self.high.join(",")).filter(|words| !words.is_empty())),
            ("--high-above", self.high_above.map(|value| value.to_string())),
            ("--low-below", self.low_below.map(|value| value.to_string())),
            ("--session", self.session.map(|session| session.to_string())),
        ];
        let typed = options.into_iter().filter_map(|(option, value)| Some(format!(" {option} {}", quoted(&value?))));
        typed.collect()
    }
}

/// A recording's own time: with a unit, or as a date.
pub(super) fn file_time(text: &str) -> Result<i64, QuantityError> {
    date_ns(text).map_or_else(|| parse_file_time(text), Ok)
}

/// A number above zero.
pub(super) fn above_zero(text: &str) -> Result<f64, String> {
    let number = finite(text)?;
    (number > 0.0).then_some(number).ok_or_else(|| format!("`{text}` is not above zero"))
}

/// A number that can be worked with.
pub(super) fn finite(text: &str) -> Result<f64, String> {
    let number = text.parse::<f64>().map_err(|_| format!("`{text}` is not a number"))?;
    number.is_finite().then_some(number).ok_or_else(|| format!("`{text}` is not a finite number"))
}

pub(super) fn time_unit(text: &str) -> Result<TimeUnit, String> {
    TimeUnit::of(&text.to_lowercase()).ok_or_else(|| "use s, ms, us or ns".to_owned())
}

pub(super) fn separator(text: &str) -> Result<u8, String> {
    match text.to_lowercase().as_str() {
        "," => Ok(b','),
        ";" => Ok(b';'),
        "tab" | "\t" => Ok(b'\t'),
        "space" | " " => Ok(b' '),
        _ => Err("use `,`, `;`, `tab` or `space`".to_owned()),
    }
}

pub(super) fn decimal(text: &str) -> Result<u8, String> {
    match text {
        "." => Ok(b'.'),
        "," => Ok(b','),
        _ => Err("use `.` or `,`".to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::Parser;

    #[derive(Parser)]
    struct Line {
        #[command(flatten)]
        arguments: RecordingArguments,
    }

    fn parsed(words: &[&str]) -> Result<RecordingArguments, clap::Error> {
        Line::try_parse_from([&["reigen"], words].concat()).map(|line| line.arguments)
    }

    #[test]
    fn reading_options_are_typed_again_as_they_were() {
        let words = [
            "r.csv",
            "--sample-rate",
            "2500Hz",
            "--bits",
            "a,-,b",
            "--time",
            "t [ms]",
            "--time-unit",
            "ms",
            "--separator",
            "tab",
            "--decimal",
            ",",
            "--high",
            "closed,an",
            "--high-above",
            "2.5",
            "--low-below",
            "-1",
        ];
        let first = parsed(&words).unwrap();
        let typed = first.reading.typed();
        assert_eq!(
            typed,
            " --sample-rate 2500Hz --bits a,-,b --time 't [ms]' --time-unit ms --separator tab --decimal , --high closed,an \
             --high-above 2.5 --low-below -1"
        );
        assert_eq!(ReadingArguments::default().typed(), "");
    }

    #[test]
    fn values_are_read_in_any_case_and_refused_with_what_may_stand_there() {
        assert_eq!(time_unit("MS").unwrap().to_string(), "ms");
        assert_eq!((separator("TAB"), decimal(",")), (Ok(b'\t'), Ok(b',')));
        for (words, told) in [
            (["r", "--time-unit", "min"], "use s, ms, us or ns"),
            (["r", "--separator", "|"], "use `,`, `;`, `tab` or `space`"),
            (["r", "--decimal", "'"], "use `.` or `,`"),
            (["r", "--from", "10"], "`10 s` or `10 ms`"),
            (["r", "--threads", "0"], "0 is not in 1..=256"),
        ] {
            let error = parsed(&words).err().unwrap().to_string();
            assert!(error.contains(told), "{words:?}: {error}");
        }
        assert!(parsed(&[]).is_err(), "a recording must be named");
        assert!(parsed(&["r", "--high-above", "2"]).is_err(), "one threshold alone tells nothing");
    }
}
