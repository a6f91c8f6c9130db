//! A folder with the demo in it, and the program run there.

use std::fmt::Write as _;
use std::path::PathBuf;
use std::process::{Command, Output, Stdio};
use tempfile::TempDir;

/// A temporary folder to run the program in.
pub(crate) struct Place {
    folder: TempDir,
}

/// What a run said and did.
#[must_use]
pub(crate) struct Said {
    pub(crate) code: i32,
    pub(crate) stdout: String,
    pub(crate) stderr: String,
}

impl Place {
    /// An empty folder.
    pub(crate) fn new() -> Self {
        Self { folder: tempfile::tempdir().unwrap() }
    }

    /// A folder with a `station.toml` and a `recording.vcd` of twelve seconds.
    pub(crate) fn with_demo() -> Self {
        let place = Self::new();
        place.write("station.toml", include_str!("../data/station.toml"));
        place.write("recording.vcd", include_str!("../data/recording.vcd"));
        place
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub(crate) fn write(&self, name: &str, text: impl AsRef<[u8]>) {
        std::fs::write(self.path(name), text).unwrap();
    }

    /// Copies a folder's files into one of this name.
    pub(crate) fn copy_folder(&self, from: &std::path::Path, name: &str) {
        std::fs::create_dir(self.path(name)).unwrap();
        for entry in std::fs::read_dir(from).unwrap() {
            let entry = entry.unwrap();
            std::fs::copy(entry.path(), self.path(name).join(entry.file_name())).unwrap();
        }
    }

    pub(crate) fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap()
    }

    /// The names of all files, sorted.
    pub(crate) fn files(&self) -> Vec<String> {
        let entries = std::fs::read_dir(self.folder.path()).unwrap();
        let mut names: Vec<String> = entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    /// The program, to be run in the folder with these arguments, parted by spaces.
    pub(crate) fn command(&self, arguments: &str) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_reigen"));
        command.args(arguments.split_whitespace()).current_dir(self.folder.path()).env_clear().stdin(Stdio::null());
        command
    }

    /// Runs the program.
    pub(crate) fn reigen(&self, arguments: &str) -> Said {
        self.command(arguments).output().unwrap().into()
    }
}

impl From<Output> for Said {
    fn from(output: Output) -> Self {
        Self {
            code: output.status.code().expect("ended by a signal"),
            stdout: String::from_utf8(output.stdout).unwrap(),
            stderr: String::from_utf8(output.stderr).unwrap(),
        }
    }
}

impl Said {
    /// All of it as one text for a snapshot.
    pub(crate) fn whole(&self) -> String {
        let mut text = self.stdout.clone();
        if !self.stderr.is_empty() {
            write!(text, "--- on standard error\n{}", self.stderr).unwrap();
        }
        if self.code != 0 {
            writeln!(text, "--- exit code {}", self.code).unwrap();
        }
        text
    }

    /// The JSON on standard output, of work that was done, as expected or not.
    pub(crate) fn json(&self) -> serde_json::Value {
        assert!(self.code < 2, "{}", self.stderr);
        serde_json::from_str(&self.stdout).unwrap()
    }
}
