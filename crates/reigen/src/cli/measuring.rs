//! Commands that measure a recording without a station.

use super::reading::{ContactWord, LevelWord, ReadingArguments, finite};
use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use reigen_core::units::Hertz;
use std::path::PathBuf;

/// Tell what is on each line of a recording: idle level, bounce, what looks wrong, what it may be.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen survey ropewalk/recording.vcd
  reigen survey ropewalk/recording.vcd --station first.toml")]
pub(crate) struct SurveyArguments {
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input
    pub(crate) recording: PathBuf,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    /// Write a first station file: what was found becomes points
    #[arg(long, value_name = "FILE.toml")]
    pub(crate) station: Option<PathBuf>,
    /// Replace the station file if it exists
    #[arg(long, requires = "station")]
    pub(crate) force: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Tell which debounce each line needs, if any; of one line also what each debounce time would count.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen debounce ropewalk/recording.vcd
  reigen debounce ropewalk/recording.vcd --line PB_START --asserted low
  reigen debounce ropewalk/recording.vcd --line PB_STOP --asserted low --contact NC --true-count 3")]
pub(crate) struct DebounceArguments {
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input
    pub(crate) recording: PathBuf,
    /// One line, in detail; all lines without it
    #[arg(long, value_name = "NAME")]
    pub(crate) line: Option<String>,
    /// The level at which its contact is closed [default: off is the level at which the line rests]
    #[arg(long, value_enum, requires = "line")]
    pub(crate) asserted: Option<LevelWord>,
    /// Normally open or closed
    #[arg(long, value_enum, default_value = "NO", requires = "line")]
    pub(crate) contact: ContactWord,
    /// React to the first edge of each actuation
    #[arg(long)]
    pub(crate) at_once: bool,
    /// How many actuations there really were: the advice counts just these; exit code 1 where no method does
    #[arg(long, value_name = "N", requires = "line", allow_negative_numbers = true)]
    pub(crate) true_count: Option<u64>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    /// Draw the count over the debounce time
    #[arg(long, value_name = "FILE.svg|.png", requires = "line")]
    pub(crate) draw: Option<PathBuf>,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Tell what a shift-register chain sends: bits, clock edge, period, and which bit is which switch.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen chain ropewalk/recording.vcd
  reigen chain ropewalk/recording.vcd --pressed bobbin_3,bobbin_16")]
pub(crate) struct ChainArguments {
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input, and then the lines must be named
    pub(crate) recording: PathBuf,
    /// The load line, active low; found by itself where none of the three is named
    #[arg(long, value_name = "NAME", requires_all = ["clock", "data"])]
    pub(crate) load: Option<String>,
    /// The clock
    #[arg(long, value_name = "NAME", requires = "load")]
    pub(crate) clock: Option<String>,
    /// The data line
    #[arg(long, value_name = "NAME", requires = "load")]
    pub(crate) data: Option<String>,
    /// The switches in the order in which they were pressed: writes the registers to paste
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) pressed: Vec<String>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Tell which pulses a slower scan or a chain would miss, whatever its phase.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen polling ropewalk/station.toml ropewalk/recording.vcd --period 50ms
  reigen polling ropewalk/station.toml ropewalk/recording.vcd --sweep 1ms..1s")]
pub(crate) struct PollingArguments {
    /// The station file: what is wired, and how each line is conditioned
    pub(crate) station: PathBuf,
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input
    pub(crate) recording: PathBuf,
    /// Read so often
    #[arg(long, value_name = "TIME", value_parser = parse_time, required_unless_present_any = ["chain_bits", "sweep"])]
    pub(crate) period: Option<Nanos>,
    /// Read as often as a chain of so many bits can be
    #[arg(long, value_name = "N", requires = "clock", conflicts_with = "period", value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) chain_bits: Option<u32>,
    /// With --chain-bits: its clock
    #[arg(long, value_name = "FREQUENCY", requires = "chain_bits")]
    pub(crate) clock: Option<Hertz>,
    /// Try periods from one to another
    #[arg(long, value_name = "FROM..TO")]
    pub(crate) sweep: Option<String>,
    /// With --sweep: so many periods
    #[arg(long, value_name = "N", default_value_t = 50, value_parser = clap::value_parser!(u32).range(2..=100_000))]
    pub(crate) steps: u32,
    /// How many equal readings in a row a pulse takes to be seen
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=1_000))]
    pub(crate) readings: u32,
    /// Only these inputs
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Draw the share of pulses missed over the period
    #[arg(long, value_name = "FILE.svg|.png")]
    pub(crate) draw: Option<PathBuf>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Tell what captured timer counts mean: periods, frequencies, speeds, each with its resolution.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen rate --captures ropewalk/captures.csv --clock 48MHz --prescale 480 --bits 16
  reigen rate --captures ropewalk/captures.csv --clock 48MHz --prescale 480 --reference 40Hz")]
pub(crate) struct RateArguments {
    /// The counts, in the order in which they were captured: one column of CSV below a header
    #[arg(long, value_name = "FILE.csv")]
    pub(crate) captures: PathBuf,
    /// What clocks the timer, before its prescaler
    #[arg(long, value_name = "FREQUENCY")]
    pub(crate) clock: Hertz,
    /// By what the prescaler divides
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) prescale: u32,
    /// How many bits the timer has
    #[arg(long, value_name = "N", default_value_t = 16, value_parser = clap::value_parser!(u32).range(1..=63))]
    pub(crate) bits: u32,
    /// What the frequency really is, to be held against
    #[arg(long, value_name = "FREQUENCY")]
    pub(crate) reference: Option<Hertz>,
    /// Pulses in one revolution, to tell revolutions a minute too
    #[arg(long, value_parser = finite, value_name = "N")]
    pub(crate) pulses_per_rev: Option<f64>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
}

/// Tell at which volts an input switches, up and down, from slow ramps.
#[derive(Debug, Args)]
#[command(after_help = "\
Example (of a recording with a ramp and the input that it drives):
  reigen levels ramp.csv --digital IN --analog VOLTS --reference 2.5")]
pub(crate) struct LevelsArguments {
    /// The recording: VCD or CSV; `-` is standard input
    pub(crate) recording: PathBuf,
    /// The line of the input
    #[arg(long, value_name = "NAME")]
    pub(crate) digital: String,
    /// The line with the volts at it
    #[arg(long, value_name = "NAME")]
    pub(crate) analog: String,
    /// What the middle of both should be
    #[arg(long, value_parser = finite, value_name = "VALUE")]
    pub(crate) reference: Option<f64>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}
