//! The command line as it is typed.

pub(crate) mod code;
mod files;
mod help;
pub(crate) mod live;
mod measuring;
mod paths;
mod reading;
pub(crate) mod size;
mod station;
pub(crate) mod work;

pub(crate) use files::{
    CompletionsArguments, ConvertArguments, DemoArguments, FormatWord, ManArguments, SchemaArguments, SchemaWord,
    SimulateArguments,
};
pub(crate) use help::command;
pub(crate) use measuring::{
    CaptureOptions, CapturesArguments, ChainArguments, DebounceArguments, LevelsArguments, PollingArguments,
    RateArguments, SurveyArguments,
};
pub(crate) use reading::{ReadingArguments, RecordingArguments, SpanArguments};
pub(crate) use station::{
    CheckArguments, CompareArguments, DrawArguments, ReportArguments, RunArguments, VerifyArguments, WhyArguments,
};

use clap::{ArgAction, Args, Parser, Subcommand, ValueEnum};
use std::io::IsTerminal;
use std::path::PathBuf;

/// Conditions discrete and pulse inputs: counts, readings, reasons and wiring, from recordings.
#[derive(Debug, Parser)]
#[command(name = "reigen", version, about, max_term_width = 100, disable_version_flag = true)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) manner: Manner,
    #[command(subcommand)]
    pub(crate) command: Command,
    /// Print version
    #[arg(short = 'V', long, action = ArgAction::Version, hide_short_help = true)]
    version: Option<bool>,
}

/// Global options.
#[derive(Debug, Args)]
pub(crate) struct Manner {
    /// Also print how each recording was read and how long it took
    #[arg(short, long, global = true, conflicts_with = "quiet", help_heading = "Global options")]
    pub(crate) verbose: bool,
    /// Hide the progress bar and notes
    #[arg(short, long, global = true, hide_short_help = true, help_heading = "Global options")]
    pub(crate) quiet: bool,
    /// Colour: auto, always or never
    #[arg(
        long,
        global = true,
        value_enum,
        value_name = "WHEN",
        default_value = "auto",
        hide_possible_values = true,
        ignore_case = true,
        hide_short_help = true,
        help_heading = "Global options"
    )]
    pub(crate) color: ColorWord,
    /// Append a line to this file for each result and each failure
    #[arg(long, global = true, value_name = "FILE", hide_short_help = true, help_heading = "Global options")]
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
    Captures(CapturesArguments),
    /// Convert captured timer counts: now `captures`
    #[command(hide = true)]
    Rate(RateArguments),
    Run(RunArguments),
    Live(live::LiveArguments),
    Work(work::WorkArguments),
    Signoff(live::SignoffArguments),
    Play(live::PlayArguments),
    Verify(VerifyArguments),
    Compare(CompareArguments),
    Why(WhyArguments),
    Draw(DrawArguments),
    Report(ReportArguments),
    Code(code::CodeArguments),
    Convert(ConvertArguments),
    Simulate(SimulateArguments),
    Demo(DemoArguments),
    Completions(CompletionsArguments),
    Man(ManArguments),
    Schema(SchemaArguments),
}
