//! Commands that work on live lines.

use super::reading::above_zero;
use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use std::net::SocketAddr;
use std::path::PathBuf;

/// Simulate the devices of a station, from a recording or a scenario
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (in a folder with the files of the example `11-live`):
  reigen play station.toml scenario.toml --for 1s
  reigen play station.toml scenario.toml --speed 10 --writes written.jsonl")]
pub(crate) struct PlayArguments {
    /// Station file with the links
    pub(crate) station: PathBuf,
    /// Recording, or scenario file
    #[arg(value_name = "RECORDING|SCENARIO.toml")]
    pub(crate) recording: PathBuf,
    /// Speed factor
    #[arg(long, value_parser = above_zero, value_name = "FACTOR", default_value_t = 1.0)]
    pub(crate) speed: f64,
    /// Repeat at the end
    #[arg(long)]
    pub(crate) repeat: bool,
    /// End after this time of the recording
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time)]
    pub(crate) length: Option<Nanos>,
    /// Only the devices of these links
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) links: Vec<String>,
    /// Log each write to the devices in a file
    #[arg(long, value_name = "FILE.jsonl")]
    pub(crate) writes: Option<PathBuf>,
}

/// Run a station on live lines
#[derive(Debug, Default, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen convert ropewalk/recording.vcd changes.jsonl
  reigen live ropewalk/station.toml - --for 2s < changes.jsonl")]
pub(crate) struct LiveArguments {
    /// Station file
    pub(crate) station: PathBuf,
    /// `-`: also read changes from standard input, as JSON Lines
    #[arg(value_name = "-", value_parser = ["-"])]
    pub(crate) input: Option<String>,
    /// End after this time
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time)]
    pub(crate) length: Option<Nanos>,
    /// Only these points
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Write outputs to the devices; without it they are only calculated
    #[arg(long)]
    pub(crate) drive: bool,
    /// Record the lines
    #[arg(long, value_name = "FILE.vcd|.csv|.jsonl")]
    pub(crate) record: Option<PathBuf>,
    /// Keep the lines and the points in a history, session after session
    #[arg(long, value_name = "FILE.sqlite")]
    pub(crate) history: Option<PathBuf>,
    /// Show the run in the network: a page, JSON, events and metrics
    #[arg(long, value_name = "ADDRESS:PORT")]
    pub(crate) serve: Option<SocketAddr>,
    /// Ask for the token in this file; needed for an address other than this computer's own
    #[arg(long, value_name = "FILE", requires = "serve", hide_short_help = true)]
    pub(crate) token_file: Option<PathBuf>,
    /// Let people set outputs on the page
    #[arg(long, requires_all = ["serve", "drive"], hide_short_help = true)]
    pub(crate) allow_set: bool,
    /// Maximum delay of values that have their own time
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "100ms", hide_short_help = true)]
    pub(crate) lateness: Nanos,
    /// Print a line for each change instead of the panel
    #[arg(long, conflicts_with = "json")]
    pub(crate) lines: bool,
    /// Print changes as JSON Lines, and the result at the end
    #[arg(long)]
    pub(crate) json: bool,
}

/// Try every wired point at the machine, and sign for it
#[derive(Debug, Args)]
#[command(after_help = "\
While a point is tried: `s REASON` skips it, `r` begins it again, `b` goes back, `q` ends for today.
Examples (in a folder with the files of the example `11-live`):
  reigen signoff station.toml --history plant.sqlite --by 'A. Fitter' -o sheet.html
  reigen signoff station.toml --history plant.sqlite --sheet -o sheet.html")]
pub(crate) struct SignoffArguments {
    /// Station file
    pub(crate) station: PathBuf,
    /// History that keeps what came of each point; the next time goes on from there
    #[arg(long, value_name = "FILE.sqlite")]
    pub(crate) history: PathBuf,
    /// Who does it
    #[arg(long, value_name = "NAME")]
    pub(crate) by: Option<String>,
    /// Only these points
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Also try those again that have passed or been skipped
    #[arg(long)]
    pub(crate) again: bool,
    /// Also try outputs: they are switched on and off
    #[arg(long)]
    pub(crate) drive: bool,
    /// Answers, for a run without a person
    #[arg(long, value_name = "FILE.toml")]
    pub(crate) answers: Option<PathBuf>,
    /// Try nothing: write what there is so far
    #[arg(long, conflicts_with_all = ["answers", "drive", "again"])]
    pub(crate) sheet: bool,
    /// Write a page to sign
    #[arg(short, long, value_name = "FILE.html")]
    pub(crate) output: Option<PathBuf>,
    /// Print what came of each point as JSON
    #[arg(long)]
    pub(crate) json: bool,
}
