//! Commands that write files for others, and the demo.

use super::reading::RecordingArguments;
use clap::{Args, ValueEnum};
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use reigen_io::date_ns;
use std::path::{Path, PathBuf};

/// Write a recording in another format, whole or in part
#[derive(Debug, Args)]
#[command(
    override_usage = "reigen convert [OPTIONS] <RECORDING>... <OUTPUT>",
    after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen convert ropewalk/recording.vcd walk.csv
  reigen convert ropewalk/recording.vcd press.jsonl.gz --from 1.4s --to 1.6s --lines PB_START
  reigen convert ropewalk/recording.vcd -o logic.bin --lines PB_START,PB_STOP --step 10us

The last file is the output if there is no -o: .vcd, .csv, .jsonl, .parquet or .bin, the first three also
with .gz or .zst behind; `-` is standard output."
)]
pub(crate) struct ConvertArguments {
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Output file [default: the last file named]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Only these lines
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', alias = "only")]
    pub(crate) lines: Vec<String>,
    /// Round all times to this step; packed samples need one
    #[arg(long, value_name = "TIME", value_parser = parse_time)]
    pub(crate) step: Option<Nanos>,
    /// Format of standard output
    #[arg(long, value_enum, ignore_case = true, value_name = "FORMAT", default_value = "vcd")]
    pub(crate) format: FormatWord,
    /// Replace the file NAME.bin.toml that describes packed samples, if it exists
    #[arg(long)]
    pub(crate) force: bool,
    /// Write Parquet into an archive instead: FOLDER/station=NAME/date=…/
    #[arg(long, value_name = "FOLDER", requires = "station", conflicts_with_all = ["output", "format"])]
    pub(crate) archive: Option<PathBuf>,
    /// With --archive: station whose recording it is
    #[arg(long, value_name = "NAME", requires = "archive")]
    pub(crate) station: Option<String>,
    /// With --archive: date and time of time 0, if the recording has none
    #[arg(long, value_name = "DATE", requires = "archive", value_parser = date)]
    pub(crate) at: Option<i64>,
}

/// A date and time as nanoseconds since 1970 began.
fn date(text: &str) -> Result<i64, String> {
    date_ns(text).ok_or_else(|| format!("`{text}` is no date and time, such as 2026-11-29T08:30:00Z"))
}

impl ConvertArguments {
    /// The recordings that are read.
    pub(crate) fn inputs(&self) -> &[PathBuf] {
        let files = self.recording.recordings.as_slice();
        match self.output.is_some() || self.archive.is_some() {
            true => files,
            false => files.split_last().map_or(files, |(_, inputs)| inputs),
        }
    }

    /// Where it goes.
    pub(crate) fn output(&self) -> &Path {
        let last = self.recording.recordings.last().map_or(Path::new("-"), PathBuf::as_path);
        self.output.as_deref().unwrap_or(last)
    }
}

/// A format as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum FormatWord {
    Vcd,
    Csv,
    Jsonl,
}

/// Make a recording with known truth from a scenario
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen simulate ropewalk/scenario.toml -o walk.vcd --truth truth.json
  reigen simulate ropewalk/scenario.toml -o walk.csv --seed 7 --for 10s")]
pub(crate) struct SimulateArguments {
    /// Scenario file: the sources, and the faults of their wires
    pub(crate) scenario: PathBuf,
    /// Recording to write: .vcd, .csv or .jsonl; `-` is standard output, as VCD
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// Seed of the random numbers: the same seed gives the same recording on every machine
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub(crate) seed: u64,
    /// Length of the recording [default: `duration` of the scenario]
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time)]
    pub(crate) length: Option<Nanos>,
    /// Write what really happened
    #[arg(long, value_name = "FILE.json")]
    pub(crate) truth: Option<PathBuf>,
}

/// Print the completions of commands and options for a shell
#[derive(Debug, Args)]
#[command(after_help = "\
Example:
  reigen completions bash")]
pub(crate) struct CompletionsArguments {
    /// Shell
    #[arg(value_enum, ignore_case = true)]
    pub(crate) shell: clap_complete::Shell,
}

/// Write a manual page for each command
#[derive(Debug, Args)]
#[command(after_help = "\
Example:
  reigen man pages")]
pub(crate) struct ManArguments {
    /// Folder for the pages
    pub(crate) folder: PathBuf,
    /// Replace the files of these names in it
    #[arg(long)]
    pub(crate) force: bool,
}

/// Print the JSON Schema of a file or of a result
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  reigen schema station
  reigen schema run")]
pub(crate) struct SchemaArguments {
    /// A file (station, scenario), or the command whose --json output is described
    #[arg(value_enum, ignore_case = true)]
    pub(crate) of: SchemaWord,
}

/// What a schema describes, as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum SchemaWord {
    Station,
    Scenario,
    Check,
    Size,
    Survey,
    Debounce,
    Chain,
    Levels,
    Captures,
    Polling,
    Run,
    Verify,
    Compare,
    Why,
    Signoff,
    Code,
}

/// Show the work on a built-in example
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  reigen demo
  reigen demo --all
  reigen demo --live --for 2s
  reigen demo --into ropewalk")]
pub(crate) struct DemoArguments {
    /// Show the whole work, from the wiring to the report
    #[arg(long, conflicts_with = "into")]
    pub(crate) all: bool,
    /// Run the demo live, with a simulated device on this computer
    #[arg(long, conflicts_with_all = ["all", "into"])]
    pub(crate) live: bool,
    /// With --live: end after this time [default: 120 s]
    #[arg(long = "for", value_name = "TIME", value_parser = parse_time, requires = "live")]
    pub(crate) length: Option<Nanos>,
    /// Write the example's files into this folder
    #[arg(long, value_name = "FOLDER")]
    pub(crate) into: Option<PathBuf>,
    /// Replace the files of these names in it
    #[arg(long, requires = "into")]
    pub(crate) force: bool,
}
