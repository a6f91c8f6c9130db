//! Commands that work a station.

use super::reading::{ReadingArguments, file_time, finite};
use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use std::path::PathBuf;

/// Check a station's wiring before power goes on, and list its terminals; exit code 1 where something is wrong.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen check ropewalk/station.toml
  reigen check ropewalk/station.toml --list
  reigen check ropewalk/station.toml --csv wires.csv
  reigen check ropewalk/station.toml --draw wiring.png
  reigen check ropewalk/station.toml --json")]
pub(crate) struct CheckArguments {
    /// The station file: sensors, cards, and which is wired to which
    pub(crate) station: PathBuf,
    /// List every wire, sorted by cable: from which pin to which terminal, and what stands in it
    #[arg(long)]
    pub(crate) list: bool,
    /// Write that list as a table
    #[arg(long, value_name = "FILE.csv")]
    pub(crate) csv: Option<PathBuf>,
    /// Draw the circuit of each sensor, what is wrong in red
    #[arg(long, value_name = "FILE.svg|.png")]
    pub(crate) draw: Option<PathBuf>,
    /// With --draw: draw these points alone
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', requires = "draw")]
    pub(crate) points: Vec<String>,
    /// With --draw: on dark ground
    #[arg(long, requires = "draw")]
    pub(crate) dark: bool,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
}

/// Hold a station's expectations against recordings, each in turn; exit code 1 where one fails.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen verify ropewalk/station.toml ropewalk/recording.vcd
  reigen verify ropewalk/station.toml ropewalk/recording.vcd --junit result.xml")]
pub(crate) struct VerifyArguments {
    /// The station file, with its expectations
    pub(crate) station: PathBuf,
    /// Recordings, or folders of them
    #[arg(required = true)]
    pub(crate) recordings: Vec<PathBuf>,
    /// Write the result as JUnit XML, which test servers read
    #[arg(long, value_name = "FILE.xml")]
    pub(crate) junit: Option<PathBuf>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Give the reason: for each edge that was thrown away, for each count, for a state at a time.
#[derive(Debug, Default, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen why ropewalk/station.toml ropewalk/recording.vcd stop_button
  reigen why ropewalk/station.toml ropewalk/recording.vcd stop_button --edge 5
  reigen why ropewalk/station.toml ropewalk/recording.vcd run_lamp --at 30.05s")]
pub(crate) struct WhyArguments {
    /// The station file: what is wired, and how each line is conditioned
    pub(crate) station: PathBuf,
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input
    pub(crate) recording: PathBuf,
    /// The point
    pub(crate) point: String,
    /// Why is it as it is at this time, in the recording's own times?
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true, conflicts_with_all = ["edge", "from", "to"])]
    pub(crate) at: Option<i64>,
    /// What became of this raw edge? The first is 1
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) edge: Option<u64>,
    /// Tell only what happened from this time on
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) from: Option<i64>,
    /// Tell only what happened up to this time
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) to: Option<i64>,
    /// How many lines are told
    #[arg(long, value_name = "N", default_value_t = 40)]
    pub(crate) most: usize,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Draw a timing diagram: raw lines over clean points, thrown-away edges marked, counts and numbers as curves.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen draw ropewalk/station.toml ropewalk/recording.vcd
  reigen draw ropewalk/station.toml ropewalk/recording.vcd -o walk.png
  reigen draw ropewalk/station.toml ropewalk/recording.vcd --around stop_button:2 -o press.svg")]
pub(crate) struct DrawArguments {
    /// The station file: what is wired, and how each line is conditioned
    pub(crate) station: PathBuf,
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input
    pub(crate) recording: PathBuf,
    /// Where the picture goes; without it, it is drawn in the terminal
    #[arg(short, long, value_name = "FILE.svg|.png")]
    pub(crate) output: Option<PathBuf>,
    /// Draw these points, in this order; all where nothing is said
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Draw from this time on, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) from: Option<i64>,
    /// Draw up to this time, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) to: Option<i64>,
    /// Draw around the N-th time that a point went on, or a counter counted
    #[arg(long, value_name = "POINT:N", conflicts_with_all = ["from", "to"])]
    pub(crate) around: Option<String>,
    /// With --around: how much time is drawn
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "60 ms")]
    pub(crate) span: Nanos,
    /// A number's scale, where its own range is not wanted
    #[arg(long, value_name = "POINT=LOW..HIGH")]
    pub(crate) scale: Vec<String>,
    /// The width of the picture, in pixels or letters
    #[arg(long, value_name = "N")]
    pub(crate) width: Option<u32>,
    /// The height of the picture in pixels; 800, or as much as its rows need
    #[arg(long, value_name = "N")]
    pub(crate) height: Option<u32>,
    /// On dark ground
    #[arg(long)]
    pub(crate) dark: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Apply a station file to a recording: clean inputs, counts, and what became of every edge.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen run ropewalk/station.toml ropewalk/recording.vcd
  reigen run ropewalk/station.toml ropewalk/recording.vcd --json
  reigen run ropewalk/station.toml ropewalk/recording.vcd --events edges.csv --trace points.vcd")]
pub(crate) struct RunArguments {
    /// The station file: what is wired, and how each line is conditioned
    pub(crate) station: PathBuf,
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input; several follow one another
    #[arg(required = true, value_name = "RECORDING")]
    pub(crate) recordings: Vec<PathBuf>,
    /// Each recording has a clock of its own, and begins where the one before ended
    #[arg(long)]
    pub(crate) own_clocks: bool,
    /// Show these points alone, in full
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', conflicts_with = "json")]
    pub(crate) points: Vec<String>,
    /// Show every point in full, and every finding with its calculation
    #[arg(long, conflicts_with = "json")]
    pub(crate) all: bool,
    /// Show the findings alone, each with its calculation
    #[arg(long, conflicts_with_all = ["json", "all"])]
    pub(crate) findings: bool,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    /// Write all points and their raw lines as a VCD
    #[arg(long, value_name = "FILE.vcd")]
    pub(crate) trace: Option<PathBuf>,
    /// Write every event, rejected edges with their rule too, as CSV, JSON Lines or Parquet
    #[arg(long, value_name = "FILE.csv|.jsonl|.parquet")]
    pub(crate) events: Option<PathBuf>,
    /// Hold the counts against what really happened, as `simulate` told it; exit code 1 where they differ
    #[arg(long, value_name = "FILE.json", conflicts_with_all = ["from", "to"])]
    pub(crate) truth: Option<PathBuf>,
    /// Show the station's displays as they are at the end
    #[arg(long)]
    pub(crate) display: bool,
    /// Show them as they are at this time, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true, conflicts_with = "display")]
    pub(crate) display_at: Option<i64>,
    /// Print all readings and counts at this step, a row each, before the sums
    #[arg(long, value_name = "TIME", value_parser = parse_time)]
    pub(crate) every: Option<Nanos>,
    /// Follow one reading as a bar, at the recording's own pace on a terminal
    #[arg(long, value_name = "POINT", conflicts_with_all = ["json", "every"])]
    pub(crate) watch: Option<String>,
    /// With --watch: so many times as fast
    #[arg(long, value_parser = finite, value_name = "FACTOR", default_value_t = 1.0, requires = "watch")]
    pub(crate) speed: f64,
    /// With --watch: the ends of the bar, such as 0..140
    #[arg(long, value_name = "LOW..HIGH", requires = "watch", allow_hyphen_values = true)]
    pub(crate) scale: Option<String>,
    /// Count from this time on, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) from: Option<i64>,
    /// Stop at this time, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) to: Option<i64>,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Write a report: one page of HTML to hand over, with findings, tables and pictures, which also prints well.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen report ropewalk/station.toml ropewalk/recording.vcd -o walk.html
  reigen report ropewalk/station.toml ropewalk/recording.vcd -o stop.html --to 40s")]
pub(crate) struct ReportArguments {
    /// The station file: what is wired, and how each line is conditioned
    pub(crate) station: PathBuf,
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input
    pub(crate) recording: PathBuf,
    /// Where it goes; `-` is standard output
    #[arg(short, long, value_name = "FILE.html")]
    pub(crate) output: PathBuf,
    /// Draw these points, in this order; all where nothing is said
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Only from this time on, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) from: Option<i64>,
    /// Only up to this time, in the recording's own times
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true)]
    pub(crate) to: Option<i64>,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}
