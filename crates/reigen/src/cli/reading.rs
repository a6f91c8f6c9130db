//! What the recording does not say itself, and values as they are typed.

use crate::shell_word::quoted;
use clap::{Args, ValueEnum};
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::quantity::{QuantityError, SampleRate, parse_file_time, parse_sample_rate};
use reigen_io::date_ns;
use reigen_io::options::TimeUnit;

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

/// What the recording does not say itself.
#[derive(Debug, Default, Args)]
pub(crate) struct ReadingArguments {
    /// The rate of packed samples, of a CSV without a time column, or within its rows, such as 10kHz
    #[arg(long, value_name = "RATE", value_parser = parse_sample_rate)]
    pub(crate) sample_rate: Option<SampleRate>,
    /// With --sample-rate: read packed samples whose bits have these names; `-` leaves a bit unused
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', requires = "sample_rate")]
    pub(crate) lines: Option<Vec<String>>,
    /// The time column of a CSV, by the name in its header
    #[arg(long, value_name = "COLUMN")]
    pub(crate) time: Option<String>,
    /// The unit of its times, where the header does not tell it
    #[arg(long, value_name = "UNIT", value_parser = time_unit)]
    pub(crate) time_unit: Option<TimeUnit>,
    /// What parts the cells of a CSV: , or ; or tab or space; told by the content where nothing is said
    #[arg(long, value_name = "MARK", value_parser = separator)]
    pub(crate) separator: Option<u8>,
    /// The decimal mark of a CSV: . or , — told by the content where nothing is said
    #[arg(long, value_name = "MARK", value_parser = decimal)]
    pub(crate) decimal: Option<u8>,
    /// In columns of two words of a CSV this one is high, such as closed; repeat it for more columns
    #[arg(long, value_name = "WORD", value_delimiter = ',')]
    pub(crate) high: Vec<String>,
    /// Analog columns are high above this value …
    #[arg(long, value_name = "VALUE", value_parser = finite, requires = "low_below", allow_negative_numbers = true)]
    pub(crate) high_above: Option<f64>,
    /// … and low below this one; between the two they stay as they were
    #[arg(long, value_name = "VALUE", value_parser = finite, requires = "high_above", allow_negative_numbers = true)]
    pub(crate) low_below: Option<f64>,
    /// Work on this many threads; as many as there are cores where nothing is said
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=256))]
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
            ("--lines", self.lines.as_ref().map(|lines| lines.join(","))),
            ("--time", self.time.clone()),
            ("--time-unit", self.time_unit.map(|unit| unit.to_string())),
            ("--separator", self.separator.map(mark)),
            ("--decimal", self.decimal.map(mark)),
            ("--high", Some(self.high.join(",")).filter(|words| !words.is_empty())),
            ("--high-above", self.high_above.map(|value| value.to_string())),
            ("--low-below", self.low_below.map(|value| value.to_string())),
        ];
        let typed = options.into_iter().filter_map(|(option, value)| Some(format!(" {option} {}", quoted(&value?))));
        typed.collect()
    }
}

/// A recording's own time: with a unit, or as a date.
pub(super) fn file_time(text: &str) -> Result<i64, QuantityError> {
    date_ns(text).map_or_else(|| parse_file_time(text), Ok)
}

/// A number that can be worked with.
pub(super) fn finite(text: &str) -> Result<f64, String> {
    let number = text.parse::<f64>().map_err(|_| format!("`{text}` is no number"))?;
    number.is_finite().then_some(number).ok_or_else(|| format!("`{text}` is no number that can be worked with"))
}

pub(super) fn time_unit(text: &str) -> Result<TimeUnit, String> {
    TimeUnit::of(text).ok_or_else(|| "s, ms, us or ns".to_owned())
}

pub(super) fn separator(text: &str) -> Result<u8, String> {
    match text {
        "," => Ok(b','),
        ";" => Ok(b';'),
        "tab" | "\t" => Ok(b'\t'),
        "space" | " " => Ok(b' '),
        _ => Err("`,`, `;`, `tab` or `space`".to_owned()),
    }
}

pub(super) fn decimal(text: &str) -> Result<u8, String> {
    match text {
        "." => Ok(b'.'),
        "," => Ok(b','),
        _ => Err("`.` or `,`".to_owned()),
    }
}
