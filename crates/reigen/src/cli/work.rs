//! `reigen work`.

use clap::Args;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use std::path::PathBuf;

/// Work the stations of a fleet, together with other workers
#[derive(Debug, Args)]
#[command(after_help = "\
Examples (with a server that `nats-server -js` starts, and a folder with a station file for each machine):
  reigen work --nats localhost:4222 --stations fleet
  reigen work --nats localhost:4222 --stations fleet --list
  reigen work --nats localhost:4222 --stations fleet --show press
  reigen work --nats localhost:4222 --verify archive")]
pub(crate) struct WorkArguments {
    /// NATS server with JetStream
    #[arg(long, value_name = "HOST:PORT")]
    pub(crate) nats: String,
    /// Folder with the station files; each file's name is that of its station
    #[arg(long, value_name = "FOLDER", required_unless_present = "verify")]
    pub(crate) stations: Option<PathBuf>,
    /// Instead, check recordings in this folder for `reigen verify --queue`; the path is the same on all computers
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["stations", "anew", "list", "show"])]
    pub(crate) verify: Option<PathBuf>,
    /// Name of this worker; under the name of a former it goes on with what that had [default: host and process]
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// End when no message has come for this time
    #[arg(long, value_name = "TIME", value_parser = parse_time)]
    pub(crate) until_idle: Option<Nanos>,
    /// Begin these anew if their counts cannot go on: the file has changed, or what was kept is unusable
    #[arg(long, value_name = "NAME,NAME,…", value_delimiter = ',')]
    pub(crate) anew: Vec<String>,
    /// Work nothing: list who works each station, and how far
    #[arg(long, conflicts_with_all = ["name", "until_idle", "anew"])]
    pub(crate) list: bool,
    /// Work nothing: show the counts of a station
    #[arg(long, value_name = "NAME", conflicts_with_all = ["name", "until_idle", "anew", "list"])]
    pub(crate) show: Option<String>,
    /// User of the server
    #[arg(long, value_name = "NAME", requires = "password_env", hide_short_help = true)]
    pub(crate) user: Option<String>,
    /// Environment variable with the password
    #[arg(long, value_name = "VARIABLE", requires = "user", hide_short_help = true)]
    pub(crate) password_env: Option<String>,
    /// How often to keep the counts
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "1s", hide_short_help = true)]
    pub(crate) keep_every: Nanos,
    /// Another worker takes over after this silence; the first worker of a fleet decides
    #[arg(long, value_name = "TIME", value_parser = parse_time, default_value = "6s", hide_short_help = true)]
    pub(crate) lease: Nanos,
    /// Print as JSON: of a worker a line for each event
    #[arg(long)]
    pub(crate) json: bool,
}
