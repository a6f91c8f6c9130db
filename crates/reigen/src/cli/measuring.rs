//! Commands that measure a recording without a station, and its pulses against a slower scan.

use super::reading::{ContactWord, LevelWord, RecordingArguments, finite};
use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use reigen_core::units::Hertz;
use std::path::PathBuf;

/// Show what is on each line of a recording, and write a first station
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen survey ropewalk/recording.vcd
  reigen survey ropewalk/recording.vcd --lines PB_START,PB_STOP --to 40s
  reigen survey ropewalk/recording.vcd -o first.toml")]
pub(crate) struct SurveyArguments {
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Only these lines
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) lines: Vec<String>,
    /// Write a first station file with a point for each line
    #[arg(short, long, value_name = "FILE.toml", alias = "station")]
    pub(crate) output: Option<PathBuf>,
    /// Replace the station file if it exists
    #[arg(long, requires = "output")]
    pub(crate) force: bool,
    /// Print all lines at this interval first, one row each; --lines chooses
    #[arg(long, value_name = "TIME", value_parser = parse_time)]
    pub(crate) every: Option<Nanos>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}

/// Find the debounce that each line needs
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen debounce ropewalk/recording.vcd
  reigen debounce ropewalk/recording.vcd --lines PB_START --asserted low
  reigen debounce ropewalk/recording.vcd --lines PB_STOP --asserted low --contact NC --true-count 3")]
pub(crate) struct DebounceArguments {
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Only these lines; a single one is shown in detail
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', alias = "line")]
    pub(crate) lines: Vec<String>,
    /// Level at which the contact is closed [default: the level at which it does not rest]
    #[arg(long, value_enum, ignore_case = true, requires = "lines")]
    pub(crate) asserted: Option<LevelWord>,
    /// Normally open or normally closed
    #[arg(long, value_enum, ignore_case = true, default_value = "NO", requires = "lines")]
    pub(crate) contact: ContactWord,
    /// Report the first edge of each actuation at once
    #[arg(long)]
    pub(crate) at_once: bool,
    /// Number of real actuations: find the debounce that counts exactly these
    #[arg(long, value_name = "N", requires = "lines", allow_negative_numbers = true)]
    pub(crate) true_count: Option<u64>,
    /// Draw the count over the debounce time
    #[arg(short, long, value_name = "FILE.svg|.png", requires = "lines", alias = "draw")]
    pub(crate) output: Option<PathBuf>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}

/// Analyse a shift-register chain: bits, clock edge, period, register order
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen chain ropewalk/recording.vcd
  reigen chain ropewalk/recording.vcd --pressed bobbin_3,bobbin_16")]
pub(crate) struct ChainArguments {
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Load line, active low [default: the three lines are detected]
    #[arg(long, value_name = "NAME", requires_all = ["clock", "data"])]
    pub(crate) load: Option<String>,
    /// Clock line
    #[arg(long, value_name = "NAME", requires = "load")]
    pub(crate) clock: Option<String>,
    /// Data line
    #[arg(long, value_name = "NAME", requires = "load")]
    pub(crate) data: Option<String>,
    /// Switches in the order in which they were pressed: prints the registers to paste
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) pressed: Vec<String>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}

/// Find the pulses that a slower scan or a chain would miss
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen polling ropewalk/station.toml ropewalk/recording.vcd --period 50ms
  reigen polling ropewalk/station.toml ropewalk/recording.vcd --sweep 1ms..1s")]
pub(crate) struct PollingArguments {
    /// Station file
    pub(crate) station: PathBuf,
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Scan period
    #[arg(long, value_name = "TIME", value_parser = parse_time, required_unless_present_any = ["chain_bits", "sweep"])]
    pub(crate) period: Option<Nanos>,
    /// Period of a chain with this many bits
    #[arg(long, value_name = "N", requires = "clock", conflicts_with = "period", value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) chain_bits: Option<u32>,
    /// Clock of that chain
    #[arg(long, value_name = "FREQUENCY", requires = "chain_bits")]
    pub(crate) clock: Option<Hertz>,
    /// Try periods from one to another
    #[arg(long, value_name = "FROM..TO")]
    pub(crate) sweep: Option<String>,
    /// Number of periods of a sweep [default: steps of 1, 2, 5]
    #[arg(long, value_name = "N", requires = "sweep", value_parser = clap::value_parser!(u32).range(2..=100_000))]
    pub(crate) steps: Option<u32>,
    /// Number of equal readings in a row that a pulse needs
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=1_000))]
    pub(crate) readings: u32,
    /// Only these inputs
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Draw the share of missed pulses over the period
    #[arg(short, long, value_name = "FILE.svg|.png", alias = "draw")]
    pub(crate) output: Option<PathBuf>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}

/// Convert captured timer counts to periods, frequencies and speeds
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen captures ropewalk/captures.csv --clock 48MHz --prescale 480 --bits 16
  reigen captures ropewalk/captures.csv --clock 48MHz --prescale 480 --reference 40Hz")]
pub(crate) struct CapturesArguments {
    /// Captured counts below a header, one CSV column; or two, the start and the end of each pulse
    #[arg(value_name = "FILE")]
    pub(crate) file: PathBuf,
    #[command(flatten)]
    pub(crate) options: CaptureOptions,
}

/// The same with the file behind `--captures`.
#[derive(Debug, Args)]
pub(crate) struct RateArguments {
    /// Captured counts below a header, one CSV column; or two, the start and the end of each pulse
    #[arg(long, value_name = "FILE.csv")]
    pub(crate) captures: PathBuf,
    #[command(flatten)]
    pub(crate) options: CaptureOptions,
}

/// What captured counts are counts of.
#[derive(Debug, Args)]
pub(crate) struct CaptureOptions {
    /// Clock of the timer, before its prescaler
    #[arg(long, value_name = "FREQUENCY")]
    pub(crate) clock: Hertz,
    /// Prescaler of the timer
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) prescale: u32,
    /// Prescaler as a register has it that holds N for a division by N + 1
    #[arg(long, value_name = "N", conflicts_with = "prescale", value_parser = clap::value_parser!(u32).range(..u32::MAX as i64))]
    pub(crate) divider_register: Option<u32>,
    /// Number of bits of the timer
    #[arg(long, value_name = "N", default_value_t = 16, value_parser = clap::value_parser!(u32).range(1..=63))]
    pub(crate) bits: u32,
    /// Value of the timer's reload register, its highest count, instead of --bits
    #[arg(long, value_name = "N", conflicts_with = "bits", value_parser = clap::value_parser!(u64).range(1..1 << 53))]
    pub(crate) reload: Option<u64>,
    /// True frequency to compare with
    #[arg(long, value_name = "FREQUENCY")]
    pub(crate) reference: Option<Hertz>,
    /// Pulses per revolution, to print rpm too
    #[arg(long, value_parser = finite, value_name = "N")]
    pub(crate) pulses_per_rev: Option<f64>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}

/// Measure the voltages at which an input switches, from slow ramps
#[derive(Debug, Args)]
#[command(after_help = "\
Example (of a recording with a ramp and the input that it drives):
  reigen levels ramp.csv --digital IN --analog VOLTS --reference 2.5")]
pub(crate) struct LevelsArguments {
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Line of the input
    #[arg(long, value_name = "NAME")]
    pub(crate) digital: String,
    /// Line with the voltage at the input
    #[arg(long, value_name = "NAME")]
    pub(crate) analog: String,
    /// Expected middle of the two thresholds
    #[arg(long, value_parser = finite, value_name = "VALUE")]
    pub(crate) reference: Option<f64>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}
