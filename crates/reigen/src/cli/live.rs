//! Commands that work on live lines.

use super::reading::above_zero;
use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use std::path::PathBuf;

/// Stand in for the devices of a station, from a recording or a scenario
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
    /// How many times as fast as the recording
    #[arg(long, value_parser = above_zero, value_name = "FACTOR", default_value_t = 1.0)]
    pub(crate) speed: f64,
    /// Begin again at the end
    #[arg(long)]
    pub(crate) repeat: bool,
    /// End after this time of the recording
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time)]
    pub(crate) length: Option<Nanos>,
    /// Also write what was written to the devices into a file
    #[arg(long, value_name = "FILE.jsonl")]
    pub(crate) writes: Option<PathBuf>,
}

/// Work a station on live lines
#[derive(Debug, Default, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen convert ropewalk/recording.vcd changes.jsonl
  reigen live ropewalk/station.toml - --for 2s < changes.jsonl")]
pub(crate) struct LiveArguments {
    /// Station file
    pub(crate) station: PathBuf,
    /// `-`: also changes of lines from standard input, an object on each line
    #[arg(value_name = "-", value_parser = ["-"])]
    pub(crate) input: Option<String>,
    /// End after this time
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time)]
    pub(crate) length: Option<Nanos>,
    /// Only these points
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Write outputs to the devices; without it they are only worked out
    #[arg(long)]
    pub(crate) drive: bool,
    /// Write what the lines did as a recording
    #[arg(long, value_name = "FILE.vcd|.csv|.jsonl")]
    pub(crate) record: Option<PathBuf>,
    /// How late a value with a time of its own may be
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "100ms", hide_short_help = true)]
    pub(crate) lateness: Nanos,
    /// On a terminal too: a line for each change, in place of the panel
    #[arg(long, conflicts_with = "json")]
    pub(crate) lines: bool,
    /// Print changes as JSON Lines, and the result at the end
    #[arg(long)]
    pub(crate) json: bool,
}
