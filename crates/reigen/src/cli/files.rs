//! Commands that write files for others, and the demo.

use super::reading::{ReadingArguments, file_time};
use clap::{Args, ValueEnum};
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use std::path::PathBuf;

/// Write a recording in another format: all of it or a stretch, all lines or some; several of one run become one.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen convert ropewalk/recording.vcd walk.csv
  reigen convert ropewalk/recording.vcd press.jsonl.gz --from 1.4s --to 1.6s --only PB_START
  reigen convert ropewalk/recording.vcd logic.bin --only PB_START,PB_STOP --step 10us")]
pub(crate) struct ConvertArguments {
    /// The recording, or several of one run in the order of time; `-` is standard input
    #[arg(required = true, value_name = "RECORDING")]
    pub(crate) recordings: Vec<PathBuf>,
    /// Where it goes: .vcd, .csv, .jsonl, .parquet or .bin, the first three also with .gz or .zst behind; `-` is standard output
    #[arg(required = true)]
    pub(crate) output: PathBuf,
    /// Only from this time on, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) from: Option<i64>,
    /// Only up to this time, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) to: Option<i64>,
    /// Only these lines
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) only: Vec<String>,
    /// Round all times to this step; packed samples come at it
    #[arg(long, value_name = "TIME", value_parser = parse_time)]
    pub(crate) step: Option<Nanos>,
    /// The format of standard output, where `-` is the output
    #[arg(long, value_enum, value_name = "FORMAT", default_value = "vcd")]
    pub(crate) format: FormatWord,
    /// Replace the file that says what packed samples mean, NAME.bin.toml, if it exists
    #[arg(long)]
    pub(crate) force: bool,
    /// Each recording has a clock of its own, and begins where the one before ended
    #[arg(long)]
    pub(crate) own_clocks: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// A format as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum FormatWord {
    Vcd,
    Csv,
    Jsonl,
}

/// Make a recording with known truth, where there is no hardware.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen simulate ropewalk/scenario.toml -o walk.vcd --truth truth.json
  reigen simulate ropewalk/scenario.toml -o walk.csv --seed 7 --for 10s")]
pub(crate) struct SimulateArguments {
    /// The scenario file: which sources there are, and what is wrong with their wires
    pub(crate) scenario: PathBuf,
    /// Where the recording goes: .vcd, .csv, .jsonl; `-` is standard output, as VCD
    #[arg(short, long, value_name = "RECORDING")]
    pub(crate) output: PathBuf,
    /// Another seed makes another recording; the same one the same, on every machine
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub(crate) seed: u64,
    /// How long the recording is, in place of the scenario's duration
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time)]
    pub(crate) length: Option<Nanos>,
    /// Write what really happened
    #[arg(long, value_name = "FILE.json")]
    pub(crate) truth: Option<PathBuf>,
}

/// Write what a shell needs to complete commands and options, to standard output.
#[derive(Debug, Args)]
#[command(after_help = "\
Example:
  reigen completions bash")]
pub(crate) struct CompletionsArguments {
    /// The shell
    #[arg(value_enum)]
    pub(crate) shell: clap_complete::Shell,
}

/// Write the manual pages, one for each command.
#[derive(Debug, Args)]
#[command(after_help = "\
Example:
  reigen man pages")]
pub(crate) struct ManArguments {
    /// The folder that they go to
    pub(crate) folder: PathBuf,
    /// Replace the files of these names in it
    #[arg(long)]
    pub(crate) force: bool,
}

/// Write a JSON Schema, by which an editor completes and checks a file while it is typed.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  reigen schema station
  reigen schema run")]
pub(crate) struct SchemaArguments {
    /// Of the station file, the scenario file, or what `reigen run --json` gives
    #[arg(value_enum)]
    pub(crate) of: SchemaWord,
}

/// What a schema describes, as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum SchemaWord {
    Station,
    Scenario,
    Run,
}

/// Show the work on a built-in example.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  reigen demo
  reigen demo --all
  reigen demo --into ropewalk")]
pub(crate) struct DemoArguments {
    /// Show the whole work, from the wiring to the report
    #[arg(long, conflicts_with = "into")]
    pub(crate) all: bool,
    /// Write the example's files into this folder
    #[arg(long, value_name = "FOLDER")]
    pub(crate) into: Option<PathBuf>,
    /// Replace the files of these names in it
    #[arg(long, requires = "into")]
    pub(crate) force: bool,
}
