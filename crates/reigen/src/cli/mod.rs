//! The command line as it is typed.

mod files;
mod measuring;
mod paths;
mod reading;
pub(crate) mod size;
mod station;

pub(crate) use files::{
    CompletionsArguments, ConvertArguments, DemoArguments, FormatWord, ManArguments, SchemaArguments, SchemaWord,
    SimulateArguments,
};
pub(crate) use measuring::{
    ChainArguments, DebounceArguments, LevelsArguments, PollingArguments, RateArguments, SurveyArguments,
};
pub(crate) use reading::ReadingArguments;
pub(crate) use station::{CheckArguments, DrawArguments, ReportArguments, RunArguments, VerifyArguments, WhyArguments};

use clap::{Args, Parser, Subcommand, ValueEnum};
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
