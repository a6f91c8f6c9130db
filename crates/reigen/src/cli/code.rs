//! `reigen code`.

use super::reading::ReadingArguments;
use clap::{Args, ValueEnum};
use std::path::PathBuf;

/// Write controller code from a station, and prove it on a recording
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (on the files that `reigen demo --into ropewalk` writes, with a [scan] table in the station):
  reigen code ropewalk/station.toml --list
  reigen code ropewalk/station.toml --language c -o code --example
  reigen code ropewalk/station.toml --prove ropewalk/recording.vcd
  reigen code ropewalk/station.toml --language st -o code")]
pub(crate) struct CodeArguments {
    /// Station file, with the scan of its controller
    pub(crate) station: PathBuf,
    /// Language of the code
    #[arg(long, value_enum, default_value_t = LanguageWord::C)]
    pub(crate) language: LanguageWord,
    /// Write the code into this folder
    #[arg(short, long, value_name = "FOLDER")]
    pub(crate) output: Option<PathBuf>,
    /// For C: write also example.c, which reads and prints CSV
    #[arg(long, requires = "output")]
    pub(crate) example: bool,
    /// For st: wrap it as XML for exchange between tools (IEC 61131-10)
    #[arg(long, value_enum, value_name = "FORM", requires = "output")]
    pub(crate) form: Option<FormWord>,
    /// Only these points, and what they need
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) only: Vec<String>,
    /// List what each point is written as, its memory and its operations
    #[arg(long)]
    pub(crate) list: bool,
    /// Compile the C and hold it against the engine, at each scan of this recording
    #[arg(long, value_name = "RECORDING", conflicts_with_all = ["list", "example", "form"])]
    pub(crate) prove: Option<PathBuf>,
    /// Print the result as JSON
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    pub(crate) reading: ReadingArguments,
}

/// A language, as it is typed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum LanguageWord {
    /// C99, for microcontrollers.
    C,
    /// Structured text of IEC 61131-3, for controllers.
    St,
}

/// A form of structured text, as it is typed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum FormWord {
    /// XML for exchange between tools.
    Plcopen,
}
