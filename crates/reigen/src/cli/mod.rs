//! The command line as it is typed.

pub(crate) mod size;

use clap::{Args, Parser, Subcommand, ValueEnum};
use reigen_core::condition::input::{Asserted, Contact};
use reigen_core::quantity::{QuantityError, SampleRate, parse_file_time, parse_sample_rate, parse_time};
use reigen_core::time::Nanos;
use reigen_core::units::Hertz;
use reigen_io::date_ns;
use reigen_io::options::TimeUnit;
use std::io::IsTerminal;
use std::path::PathBuf;

/// Tells what a controller should have seen on its discrete and pulse inputs.
#[derive(Debug, Parser)]
#[command(name = "reigen", version, about, max_term_width = 100)]
pub(crate) struct Cli {
    #[command(flatten, next_help_heading = "Manner")]
    pub(crate) manner: Manner,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// How the program tells what it does, with every command.
#[derive(Debug, Args)]
pub(crate) struct Manner {
    /// Tell what each recording was taken for, and how long the work took
    #[arg(short, long, global = true, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
    /// Tell nothing but results and errors: no bar
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,
    /// Colours: by itself on a terminal, unless NO_COLOR is set
    #[arg(long, global = true, value_enum, value_name = "WHEN", default_value = "auto", hide_possible_values = true)]
    pub(crate) color: ColorWord,
    /// Add a line to this file for what was done and what failed
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) log: Option<PathBuf>,
}

/// When colours are used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ColorWord {
    Auto,
    Always,
    Never,
}

impl ColorWord {
    /// Whether there is to be colour on `stream`.
    pub(crate) fn on(self, stream: &impl IsTerminal) -> bool {
        match self {
            Self::Always => true,
            Self::Never => false,
            Self::Auto => stream.is_terminal() && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty()),
        }
    }
}

/// What can be asked.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Check(CheckArguments),
    Size(size::SizeArguments),
    Survey(SurveyArguments),
    Debounce(DebounceArguments),
    Levels(LevelsArguments),
    Chain(ChainArguments),
    Polling(PollingArguments),
    Rate(RateArguments),
    Run(RunArguments),
    Verify(VerifyArguments),
    Why(WhyArguments),
    Draw(DrawArguments),
    Report(ReportArguments),
    Convert(ConvertArguments),
    Simulate(SimulateArguments),
    Demo(DemoArguments),
    Completions(CompletionsArguments),
    Man(ManArguments),
    Schema(SchemaArguments),
}

/// Check a station's wiring before power goes on, and list its terminals; exit code 1 where something is wrong.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen check ropewalk/station.toml
  reigen check ropewalk/station.toml --json")]
pub(crate) struct CheckArguments {
    /// The station file: sensors, cards, and which is wired to which
    pub(crate) station: PathBuf,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
}

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
    /// Write a first station file with the guesses
    #[arg(long, value_name = "FILE.toml")]
    pub(crate) station: Option<PathBuf>,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
}

/// Measure how a line bounces, and show what each debounce time would count.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes):
  reigen debounce ropewalk/recording.vcd --line PB_START --asserted low
  reigen debounce ropewalk/recording.vcd --line PB_STOP --asserted low --contact NC --true-count 3")]
pub(crate) struct DebounceArguments {
    /// The recording: VCD, CSV, JSON Lines, Parquet, packed samples; `-` is standard input
    pub(crate) recording: PathBuf,
    /// The line
    #[arg(long, value_name = "NAME")]
    pub(crate) line: String,
    /// The level at which its contact is closed; high where nothing is said
    #[arg(long, value_enum)]
    pub(crate) asserted: Option<LevelWord>,
    /// Normally open or closed
    #[arg(long, value_enum, default_value = "NO")]
    pub(crate) contact: ContactWord,
    /// How many actuations there really were: which times give that? Exit code 1 where none does
    #[arg(long, value_name = "N")]
    pub(crate) true_count: Option<u64>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    /// Draw the count over the debounce time
    #[arg(long, value_name = "FILE.svg|.png")]
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
    #[arg(long, value_name = "N")]
    pub(crate) pulses_per_rev: Option<f64>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
}

/// A level as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum LevelWord {
    High,
    Low,
}

impl From<LevelWord> for Asserted {
    fn from(word: LevelWord) -> Self {
        match word {
            LevelWord::High => Asserted::High,
            LevelWord::Low => Asserted::Low,
        }
    }
}

/// A contact as it is typed.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum ContactWord {
    #[value(name = "NO")]
    No,
    #[value(name = "NC")]
    Nc,
}

impl From<ContactWord> for Contact {
    fn from(word: ContactWord) -> Self {
        match word {
            ContactWord::No => Contact::NormallyOpen,
            ContactWord::Nc => Contact::NormallyClosed,
        }
    }
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
    #[arg(long, value_name = "VALUE")]
    pub(crate) reference: Option<f64>,
    /// Give the whole result as one JSON object
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten, next_help_heading = "Reading")]
    pub(crate) reading: ReadingArguments,
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
    #[arg(long, value_name = "FACTOR", default_value_t = 1.0, requires = "watch")]
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

/// What the recording does not say itself.
#[derive(Debug, Default, Args)]
pub(crate) struct ReadingArguments {
    /// The rate of packed samples, of a CSV without a time column, or within its rows, such as 10kHz
    #[arg(long, value_name = "RATE", value_parser = parse_sample_rate)]
    pub(crate) sample_rate: Option<SampleRate>,
    /// With --sample-rate: read packed samples whose bits have these names; `-` leaves a bit unused
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',', requires = "sample_rate")]
    pub(crate) lines: Option<Vec<String>>,
    /// The time column of a CSV, by the name in its header
    #[arg(long, value_name = "COLUMN")]
    pub(crate) time: Option<String>,
    /// The unit of its times, where the header does not tell it
    #[arg(long, value_name = "UNIT", value_parser = time_unit)]
    pub(crate) time_unit: Option<TimeUnit>,
    /// What parts the cells of a CSV: , or ; or tab or space; told by the content where nothing is said
    #[arg(long, value_name = "MARK", value_parser = separator)]
    pub(crate) separator: Option<u8>,
    /// The decimal mark of a CSV: . or , — told by the content where nothing is said
    #[arg(long, value_name = "MARK", value_parser = decimal)]
    pub(crate) decimal: Option<u8>,
    /// Analog columns are high above this value …
    #[arg(long, value_name = "VALUE", requires = "low_below", allow_negative_numbers = true)]
    pub(crate) high_above: Option<f64>,
    /// … and low below this one; between the two they stay as they were
    #[arg(long, value_name = "VALUE", requires = "high_above", allow_negative_numbers = true)]
    pub(crate) low_below: Option<f64>,
    /// Work on this many threads; as many as there are cores where nothing is said
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=256))]
    pub(crate) threads: Option<u16>,
    /// Read with the plain reader alone, to hold the fast one against it
    #[arg(long, hide = true)]
    pub(crate) plain_reader: bool,
}

/// A recording's own time: with a unit, or as a date.
fn file_time(text: &str) -> Result<i64, QuantityError> {
    date_ns(text).map_or_else(|| parse_file_time(text), Ok)
}

fn time_unit(text: &str) -> Result<TimeUnit, String> {
    TimeUnit::of(text).ok_or_else(|| "s, ms, us or ns".to_owned())
}

fn separator(text: &str) -> Result<u8, String> {
    match text {
        "," => Ok(b','),
        ";" => Ok(b';'),
        "tab" | "\t" => Ok(b'\t'),
        "space" | " " => Ok(b' '),
        _ => Err("`,`, `;`, `tab` or `space`".to_owned()),
    }
}

fn decimal(text: &str) -> Result<u8, String> {
    match text {
        "." => Ok(b'.'),
        "," => Ok(b','),
        _ => Err("`.` or `,`".to_owned()),
    }
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

/// Show the whole work on an example that ships with the program.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  reigen demo
  reigen demo --into ropewalk")]
pub(crate) struct DemoArguments {
    /// Write the example's station file and recording into this folder, to go on from there
    #[arg(long, value_name = "FOLDER")]
    pub(crate) into: Option<PathBuf>,
}
