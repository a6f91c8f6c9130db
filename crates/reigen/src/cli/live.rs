//! Commands that work on live lines.

use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use std::path::PathBuf;

/// Work a station on live lines
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen convert ropewalk/recording.vcd changes.jsonl
  reigen live ropewalk/station.toml - --for 2s < changes.jsonl")]
pub(crate) struct LiveArguments {
    /// Station file
    pub(crate) station: PathBuf,
    /// `-`: changes of lines from standard input, an object on each line
    #[arg(value_name = "-", value_parser = ["-"])]
    pub(crate) input: Option<String>,
    /// End after this time
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time)]
    pub(crate) length: Option<Nanos>,
    /// Only these points
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Write what the lines did as a recording
    #[arg(long, value_name = "FILE.vcd|.csv|.jsonl")]
    pub(crate) record: Option<PathBuf>,
    /// How late a value with a time of its own may be
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "100ms", hide_short_help = true)]
    pub(crate) lateness: Nanos,
    /// Print changes as JSON Lines, and the result at the end
    #[arg(long)]
    pub(crate) json: bool,
}
