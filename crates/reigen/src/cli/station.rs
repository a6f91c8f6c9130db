//! Commands that work a station.

use super::reading::{ReadingArguments, RecordingArguments, SpanArguments, file_time, finite};
use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use std::path::PathBuf;

/// Check the wiring of a station, and list its terminals
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen check ropewalk/station.toml
  reigen check ropewalk/station.toml --points start_button,drum_hall
  reigen check ropewalk/station.toml --list
  reigen check ropewalk/station.toml --csv wires.csv
  reigen check ropewalk/station.toml -o wiring.png
  reigen check ropewalk/station.toml --json")]
pub(crate) struct CheckArguments {
    /// Station file: sensors, cards, and what is wired to what
    pub(crate) station: PathBuf,
    /// Only these points
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// List every wire, sorted by cable: pin, terminal, and the parts in it
    #[arg(long)]
    pub(crate) list: bool,
    /// Write that list as a table
    #[arg(long, value_name = "FILE.csv")]
    pub(crate) csv: Option<PathBuf>,
    /// Draw the circuit of each sensor, with faults in red
    #[arg(short, long, value_name = "FILE.svg|.png", alias = "draw")]
    pub(crate) output: Option<PathBuf>,
    /// Draw on a dark background
    #[arg(long, requires = "output")]
    pub(crate) dark: bool,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}

/// Check recordings against the station's expectations
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen verify ropewalk/station.toml ropewalk/recording.vcd
  reigen verify ropewalk/station.toml ropewalk/recording.vcd --junit result.xml")]
pub(crate) struct VerifyArguments {
    /// Station file with expectations
    pub(crate) station: PathBuf,
    /// Recordings or folders of recordings, each checked by itself
    #[arg(required = true, value_name = "RECORDING")]
    pub(crate) recordings: Vec<PathBuf>,
    /// Only these expectations
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Write the result as JUnit XML for a test server
    #[arg(long, value_name = "FILE.xml")]
    pub(crate) junit: Option<PathBuf>,
    /// Have it done by the workers at this NATS server (`reigen work --verify FOLDER`)
    #[arg(long, value_name = "HOST:PORT", conflicts_with_all = ["SpanArguments", "ReadingArguments"], hide_short_help = true)]
    pub(crate) queue: Option<String>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    pub(crate) span: SpanArguments,
    #[command(flatten)]
    pub(crate) reading: ReadingArguments,
}

/// Compare two recordings under one station, or two stations over one
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen compare ropewalk/station.toml ropewalk/recording.vcd ropewalk/recording.vcd
  reigen compare ropewalk/station.toml ropewalk/recording.vcd --station-b ropewalk/station.toml --points stop_button")]
pub(crate) struct CompareArguments {
    /// Station file
    pub(crate) station: PathBuf,
    /// Two recordings, the old one first; one with --station-b
    #[arg(required = true, num_args = 1..=2, value_name = "RECORDING")]
    pub(crate) recordings: Vec<PathBuf>,
    /// Other station file, to compare both over one recording
    #[arg(long, value_name = "STATION")]
    pub(crate) station_b: Option<PathBuf>,
    /// Share of a number that it may differ by, such as 0.01
    #[arg(long, value_name = "SHARE", default_value_t = 0.0, value_parser = share)]
    pub(crate) tolerance: f64,
    /// Only these points
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Two numbers that measure the same quantity in one recording
    #[arg(long, value_name = "NAME,NAME", value_delimiter = ',', conflicts_with_all = ["station_b", "points"])]
    pub(crate) instruments: Vec<String>,
    /// With --instruments: compare means over this time, while both are steady
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "1s", requires = "instruments")]
    pub(crate) settle: Nanos,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    pub(crate) span: SpanArguments,
    #[command(flatten)]
    pub(crate) reading: ReadingArguments,
}

/// A share from 0 to 1.
fn share(text: &str) -> Result<f64, String> {
    let share = text.parse::<f64>().ok().filter(|share| (0.0..=1.0).contains(share));
    share.ok_or_else(|| "a share lies between 0 and 1, such as 0.01 for a hundredth".to_owned())
}

/// Explain an edge, a count or a state
#[derive(Debug, Default, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen why ropewalk/station.toml ropewalk/recording.vcd stop_button
  reigen why ropewalk/station.toml ropewalk/recording.vcd stop_button --edge 5
  reigen why ropewalk/station.toml ropewalk/recording.vcd run_lamp --at 30.05s")]
pub(crate) struct WhyArguments {
    /// Station file
    pub(crate) station: PathBuf,
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Point to explain
    pub(crate) point: String,
    /// Explain its state at this time of the recording
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true, conflicts_with_all = ["edge", "from", "to"])]
    pub(crate) at: Option<i64>,
    /// Explain this raw edge, counted from 1
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub(crate) edge: Option<u64>,
    /// Number of lines to print
    #[arg(long, value_name = "N", default_value_t = 40)]
    pub(crate) most: usize,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
}

/// Draw a timing diagram, in the terminal or as a picture
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen draw ropewalk/station.toml ropewalk/recording.vcd
  reigen draw ropewalk/station.toml ropewalk/recording.vcd -o walk.png
  reigen draw ropewalk/station.toml ropewalk/recording.vcd --around stop_button:2 -o press.svg")]
pub(crate) struct DrawArguments {
    /// Station file
    pub(crate) station: PathBuf,
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Picture to write [default: draw in the terminal]
    #[arg(short, long, value_name = "FILE.svg|.png")]
    pub(crate) output: Option<PathBuf>,
    /// Only these points, in this order
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
    /// Draw around the N-th time that a point went on, or a counter counted
    #[arg(long, value_name = "POINT:N", conflicts_with_all = ["from", "to"])]
    pub(crate) around: Option<String>,
    /// With --around: length of time to draw
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "60 ms")]
    pub(crate) span: Nanos,
    /// Scale of a number [default: its own range]
    #[arg(long, value_name = "POINT=LOW..HIGH")]
    pub(crate) scale: Vec<String>,
    /// Width in pixels, or in letters in the terminal
    #[arg(long, value_name = "N")]
    pub(crate) width: Option<u32>,
    /// Height in pixels [default: 800, or what the rows need]
    #[arg(long, value_name = "N")]
    pub(crate) height: Option<u32>,
    /// Draw on a dark background
    #[arg(long)]
    pub(crate) dark: bool,
}

/// Apply a station to a recording: counts, readings, findings
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen run ropewalk/station.toml ropewalk/recording.vcd
  reigen run ropewalk/station.toml ropewalk/recording.vcd --points stop_button
  reigen run ropewalk/station.toml ropewalk/recording.vcd --json
  reigen run ropewalk/station.toml ropewalk/recording.vcd --events edges.csv --trace points.vcd")]
pub(crate) struct RunArguments {
    /// Station file
    pub(crate) station: PathBuf,
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Only these points, in full
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', conflicts_with = "json")]
    pub(crate) points: Vec<String>,
    /// All points in full, and all findings with their calculations
    #[arg(long, conflicts_with = "json")]
    pub(crate) all: bool,
    /// Only the findings, with their calculations
    #[arg(long, conflicts_with_all = ["json", "all"])]
    pub(crate) findings: bool,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
    /// Write all points and their raw lines as VCD
    #[arg(long, value_name = "FILE.vcd")]
    pub(crate) trace: Option<PathBuf>,
    /// Write every event, rejected edges too
    #[arg(long, value_name = "FILE.csv|.jsonl|.parquet")]
    pub(crate) events: Option<PathBuf>,
    /// Compare with what really happened, as `simulate --truth` wrote it
    #[arg(long, value_name = "FILE.json", conflicts_with_all = ["from", "to"], hide_short_help = true)]
    pub(crate) truth: Option<PathBuf>,
    /// Show the displays as they are at the end
    #[arg(long, hide_short_help = true)]
    pub(crate) display: bool,
    /// Show the displays as they are at this time of the recording
    #[arg(long, value_name = "TIME", value_parser = file_time, allow_hyphen_values = true, conflicts_with = "display", hide_short_help = true)]
    pub(crate) display_at: Option<i64>,
    /// Write each text of the displays with its time
    #[arg(long, value_name = "FILE.jsonl", hide_short_help = true)]
    pub(crate) display_log: Option<PathBuf>,
    /// Print all points at this interval, one row each; --points chooses
    #[arg(long, value_name = "TIME", value_parser = parse_time)]
    pub(crate) every: Option<Nanos>,
    /// Show these points over time: numbers as bars, bits as lamps
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', conflicts_with_all = ["json", "every"], hide_short_help = true)]
    pub(crate) watch: Vec<String>,
    /// With --watch: how many times as fast as the recording
    #[arg(long, value_parser = finite, value_name = "FACTOR", default_value_t = 1.0, requires = "watch", hide_short_help = true)]
    pub(crate) speed: f64,
    /// With --watch: range of the bars, such as 0..140
    #[arg(long, value_name = "LOW..HIGH", requires = "watch", allow_hyphen_values = true, hide_short_help = true)]
    pub(crate) scale: Option<String>,
}

/// Write a report to hand over: one HTML page that also prints well
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen report ropewalk/station.toml ropewalk/recording.vcd -o walk.html
  reigen report ropewalk/station.toml ropewalk/recording.vcd -o stop.html --to 40s")]
pub(crate) struct ReportArguments {
    /// Station file
    pub(crate) station: PathBuf,
    #[command(flatten)]
    pub(crate) recording: RecordingArguments,
    /// Page to write; `-` is standard output
    #[arg(short, long, value_name = "FILE.html")]
    pub(crate) output: PathBuf,
    /// Draw only these points, in this order
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) points: Vec<String>,
}
