//! What can be wrong with a station, and where.

use super::synonyms::{belongs_to, meant};
use reigen_core::logic::expression::{ExpressionErrorKind, Span};
use reigen_core::names::{list, nearest, some_for};
use reigen_core::rate::unit::UnitError;
use std::fmt::Display;
use thiserror::Error;

/// Something wrong with a station file, and its place there.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("{kind}")]
pub struct StationError {
    /// What is wrong.
    pub kind: StationErrorKind,
    /// Where, in bytes of the file.
    pub span: Span,
}

/// What can be wrong with a station.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum StationErrorKind {
    /// The text is not TOML, or a value is not what its key wants.
    #[error("{0}")]
    File(String),
    /// A unit of a rate that cannot be worked.
    #[error(transparent)]
    Unit(UnitError),
    /// A key, table or word that is not known.
    #[error("unknown {what} `{found}`")]
    Unknown {
        /// Key, table or word.
        what: &'static str,
        /// What stood there.
        found: String,
        /// The nearest known one.
        near: Option<String>,
        /// What that is where people call it otherwise; without a near one, where the word belongs.
        meaning: Option<&'static str>,
        /// All known ones.
        known: Vec<String>,
    },
    /// Two bounds of which the lower is not the lower.
    #[error("the two values of {what} are in the wrong order: {low} is not below {high}")]
    WrongWayRound {
        /// What they bound.
        what: &'static str,
        /// What should be the lower.
        low: String,
        /// What should be the higher.
        high: String,
    },
    /// A terminal's name that several cards have.
    #[error("the terminal `{name}` is on more than one card: {}", list(&.fits.iter().map(String::as_str).collect::<Vec<_>>()))]
    AmbiguousTerminal {
        /// The name in the station.
        name: String,
        /// The full names that it fits.
        fits: Vec<String>,
    },
    /// A key that must be there is not.
    #[error("the key `{0}` is missing")]
    Missing(String),
    /// A station without any point.
    #[error("the station has no points")]
    NoPoints,
    /// A name that breaks the rule for names.
    #[error("`{0}` is not a valid point name")]
    BadName(String),
    /// A name used twice.
    #[error("the name `{name}` is used twice")]
    TwiceNamed {
        /// The name.
        name: String,
        /// Where it stood first.
        first: Span,
    },
    /// An expression with something wrong in it.
    #[error("{0}")]
    Expression(ExpressionErrorKind),
    /// Points that wait for one another.
    #[error("these points depend on each other: {}", .0.join(" → "))]
    Loop(Vec<String>),
    /// A debounce key that does not go with the method.
    #[error("the method `{method}` takes no `{key}`")]
    DebounceKey {
        /// The method.
        method: &'static str,
        /// The key.
        key: &'static str,
    },
    /// A debounce method without what it needs.
    #[error("the method `{method}` needs {needs}")]
    DebounceNeeds {
        /// The method.
        method: &'static str,
        /// Its keys.
        needs: &'static str,
    },
    /// Pulses caught between readings that there are not.
    #[error("`catch` holds pulses for a scan, and the station has no [scan]")]
    CatchWithoutScan,
    /// A debounce method without its time.
    #[error("the method `{0}` needs a time")]
    DebounceTime(&'static str),
    /// Both one time and a time for a state.
    #[error("use either `time` or `{0}`")]
    DebounceBoth(&'static str),
    /// A time for one state alone.
    #[error("`{0}` needs `{1}`")]
    DebounceHalf(&'static str, &'static str),
    /// Presets that do not ascend.
    #[error("presets must ascend: {1} comes after {0}")]
    PresetsFall(i64, i64),
    /// An expectation without a time, or with several.
    #[error("an expectation needs exactly one of `at`, `by`, `always`, `at_end`, and `after` with `within`")]
    ExpectWhen,
    /// A part of a display's text that is none.
    #[error("`{0}` is not valid in a display text")]
    DisplayPart(String),
    /// A counter that counts neither up nor down.
    #[error("it counts nothing: `up` and `down` are both missing")]
    NothingCounted,
    /// A value that the counter never has.
    #[error("{value} lies outside of {least} to {most}")]
    OutsideLimits {
        /// The value.
        value: i64,
        /// The least that can be.
        least: i64,
        /// The greatest that can be.
        most: i64,
    },
    /// A load without a value.
    #[error("`load` needs a value: there is neither `load_to` nor a preset")]
    LoadWithoutValue,
    /// Scans counted where there are none.
    #[error("`count = \"scans\"` counts scans, and the station has no [scan]")]
    ScansWithoutScan,
    /// Restart at a preset that there is not.
    #[error("`at_last = \"restart\"` needs presets")]
    RestartWithoutPresets,
    /// A last preset that counting up from the start never reaches.
    #[error("counting up from {start} never reaches the last preset, {last}")]
    PresetBehind {
        /// The start value.
        start: i64,
        /// The last preset.
        last: i64,
    },
    /// Something that a scenario cannot have.
    #[error("{0}")]
    Scenario(String),
    /// Two sources of a scenario on one line.
    #[error("two sources drive the line `{line}`")]
    TwiceDriven {
        /// The line.
        line: String,
        /// Where it stood first.
        first: Span,
    },
    /// A number has no such bit.
    #[error("`{number}` has no bit {bit}: its bits are 0 to {most}")]
    NoSuchBit {
        /// The number line.
        number: String,
        /// The bit that was asked for.
        bit: u32,
        /// The highest that there is.
        most: u32,
    },
    /// The recording has no such line.
    #[error("the recording has no line `{name}`")]
    UnknownLine {
        /// The name in the station.
        name: String,
        /// The nearest line.
        near: Option<String>,
        /// Some of the lines there are.
        some: Vec<String>,
    },
    /// A leaf name that fits several lines.
    #[error("`{name}` fits more than one line: {}", list(&.fits.iter().map(String::as_str).collect::<Vec<_>>()))]
    AmbiguousLine {
        /// The name in the station.
        name: String,
        /// The full names that it fits.
        fits: Vec<String>,
    },
    /// A line that has no numbers.
    #[error("the line `{name}` has levels, but numbers are needed here")]
    NotANumber {
        /// The name.
        name: String,
    },
    /// A line that is a vector or a number.
    #[error("the line `{name}` is {what}, but an input needs a line with two levels")]
    NotTwoLevels {
        /// The name in the station.
        name: String,
        /// What it is, with its article.
        what: String,
        /// What can be done.
        remedy: String,
    },
}

/// So many errors of a station are told; of those after them only how many there are.
pub const MOST_TOLD: usize = 10;

impl StationErrorKind {
    /// A name that is not among the known ones.
    pub fn unknown(what: &'static str, found: &str, known: Vec<String>) -> Self {
        let near = nearest(found, known.iter().map(String::as_str)).map(str::to_owned);
        Self::Unknown { what, found: found.to_owned(), near, meaning: None, known }
    }

    /// A key or a table that is not among the known ones, and may be one by another name.
    pub(crate) fn unknown_key(what: &'static str, found: &str, known: Vec<String>) -> Self {
        match meant(found, &known) {
            None => match Self::unknown(what, found, known) {
                Self::Unknown { what, found, near: None, known, .. } => {
                    let meaning = belongs_to(&found);
                    Self::Unknown { what, found, near: None, meaning, known }
                }
                misspelt => misspelt,
            },
            Some((name, meaning)) => {
                let (found, near) = (found.to_owned(), Some(name.to_owned()));
                Self::Unknown { what, found, near, meaning: Some(meaning), known }
            }
        }
    }

    /// Two bounds of which the lower is not the lower.
    pub fn wrong_way_round(what: &'static str, low: impl Display, high: impl Display) -> Self {
        Self::WrongWayRound { what, low: low.to_string(), high: high.to_string() }
    }

    /// What to do about it.
    pub fn help(&self) -> Option<String> {
        Some(match self {
            Self::Unknown { near: Some(near), meaning: Some(meaning), .. } => {
                format!("did you mean `{near}`? {meaning}")
            }
            Self::Unknown { near: Some(near), .. } => format!("did you mean `{near}`?"),
            Self::Unknown { meaning: Some(meaning), .. } => (*meaning).to_owned(),
            Self::Unknown { known, .. } if !known.is_empty() => {
                format!("known here: {}", list(&known.iter().map(String::as_str).collect::<Vec<_>>()))
            }
            Self::NoPoints => {
                "an input is enough to begin with: [input.start_button] and below it line = \"PB_START\"".into()
            }
            Self::BadName(_) => {
                "use small letters, digits and `_`, begin with a letter, and avoid words of expressions such as `and`"
                    .into()
            }
            Self::TwiceNamed { .. } => "rename one of them: all points share one set of names".into(),
            Self::TwiceDriven { .. } => "use a separate line for each".into(),
            Self::Expression(kind) => return kind.help(),
            Self::Unit(error) => error.help(),
            Self::Loop(_) => "remove one of these references".into(),
            Self::DebounceKey { .. } => "remove the key, or choose the method it belongs to".into(),
            Self::DebounceTime(_) => {
                "add time = \"8 ms\", or one for each state: on = \"8 ms\", off = \"15 ms\"".into()
            }
            Self::DebounceNeeds { method: "sampled", .. } => "such as every = \"1 ms\", count = 5".into(),
            Self::DebounceNeeds { .. } => "such as resistance = \"10k\", capacitance = \"100nF\", supply = \"5 V\", rise_at = \"3 V\", fall_at = \"1.5 V\"".into(),
            Self::CatchWithoutScan => "add [scan] with period = \"10 ms\", or remove `catch`".into(),
            Self::DebounceBoth(_) => "keep `time` for both states, or `on` and `off` for each".into(),
            Self::DebounceHalf(_, missing) => format!("add `{missing}`, or use `time` for both states"),
            Self::PresetsFall(..) => "put them in rising order, each once".into(),
            Self::RestartWithoutPresets => "add presets = [96]: the counter restarts at the last one".into(),
            Self::ExpectWhen => "such as at = \"3 s\", by = \"3 s\", always = true, at_end = true, or after = \"start_button\" with within = \"200 ms\"".into(),
            Self::DisplayPart(_) => "such as {spool_turns}, {spool_turns:>5}, {length:8.2} or {guard?CLOSED:OPEN}; {{ for the letter".into(),
            Self::NothingCounted => "add up = \"…\": the bit whose edges count".into(),
            Self::OutsideLimits { .. } => "widen the limits, or choose a value within them".into(),
            Self::LoadWithoutValue => "add load_to = 0, or presets".into(),
            Self::ScansWithoutScan => "add [scan] with period = \"10 ms\", or count edges".into(),
            Self::PresetBehind { .. } => "put the last preset above the start value".into(),
            Self::UnknownLine { near: Some(near), .. } => format!("did you mean `{near}`?"),
            Self::UnknownLine { name, some, .. } if !some.is_empty() => {
                format!("lines of the recording: {}", some_for(name, &some.iter().map(String::as_str).collect::<Vec<_>>()))
            }
            Self::WrongWayRound { .. } => "swap them".into(),
            Self::AmbiguousTerminal { .. } => "write the card's name before it, with a dot".into(),
            Self::AmbiguousLine { .. } => "write the whole name of the one you mean".into(),
            Self::NotTwoLevels { remedy, .. } => remedy.clone(),
            _ => return None,
        })
    }

    /// A second place to show, with what to say of it.
    pub fn other_place(&self) -> Option<(Span, &'static str)> {
        match self {
            Self::TwiceNamed { first, .. } | Self::TwiceDriven { first, .. } => {
                Some((first.clone(), "first used here"))
            }
            _ => None,
        }
    }
}
