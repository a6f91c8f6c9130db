//! Which files a command reads, and which it writes: told before either is done.

use super::{Cli, Command};
use crate::commands::{completions, demo};
use crate::overwriting::{Files, Replace};
use reigen_io::sidecar_path;
use reigen_io::write::Format;
use std::path::{Path, PathBuf};

impl Cli {
    /// All files of the command that was typed.
    pub(crate) fn files(&self) -> Files {
        let mut files = self.command.files();
        if let Some(log) = &self.manner.log {
            files.written.push((log.clone(), Replace::Append));
        }
        files
    }
}

impl Command {
    fn files(&self) -> Files {
        let mut files = Files::default();
        match self {
            Self::Check(arguments) => {
                files.reads(&arguments.station);
                files.writes(arguments.csv.as_deref(), Replace::Named);
                files.writes(arguments.output.as_deref(), Replace::Named);
                files.prints(arguments.json);
            }
            Self::Survey(arguments) => {
                files.reads_recordings(&arguments.recording.recordings);
                files.writes(arguments.output.as_deref(), Replace::Asked(arguments.force));
                files.prints(arguments.json);
            }
            Self::Debounce(arguments) => {
                files.reads_recordings(&arguments.recording.recordings);
                files.writes(arguments.output.as_deref(), Replace::Named);
                files.prints(arguments.json);
            }
            Self::Levels(arguments) => files.reads_recordings(&arguments.recording.recordings),
            Self::Chain(arguments) => files.reads_recordings(&arguments.recording.recordings),
            Self::Polling(arguments) => {
                files.reads(&arguments.station);
                files.reads_recordings(&arguments.recording.recordings);
                files.writes(arguments.output.as_deref(), Replace::Named);
                files.prints(arguments.json);
            }
            Self::Captures(arguments) => files.reads(&arguments.file),
            Self::Rate(arguments) => files.reads(&arguments.captures),
            Self::Run(arguments) => {
                files.reads(&arguments.station);
                arguments.truth.iter().for_each(|truth| files.reads(truth));
                files.reads_recordings(&arguments.recording.recordings);
                files.writes(arguments.trace.as_deref(), Replace::Named);
                files.writes(arguments.events.as_deref(), Replace::Named);
                files.writes(arguments.display_log.as_deref(), Replace::Named);
                files.prints(arguments.json);
            }
            Self::Live(arguments) => {
                files.reads(&arguments.station);
                files.writes(arguments.record.as_deref(), Replace::Named);
                arguments.history.iter().for_each(|path| files.reads(path));
                arguments.token_file.iter().for_each(|path| files.reads(path));
                files.prints(arguments.json);
            }
            Self::Signoff(arguments) => {
                files.reads(&arguments.station);
                files.reads(&arguments.history);
                arguments.answers.iter().for_each(|path| files.reads(path));
                files.writes(arguments.output.as_deref(), Replace::Named);
                files.prints(arguments.json);
            }
            Self::Play(arguments) => {
                files.reads(&arguments.station);
                files.reads_recording(&arguments.recording);
                files.writes(arguments.writes.as_deref(), Replace::Named);
            }
            Self::Verify(arguments) => {
                files.reads(&arguments.station);
                files.reads_recordings(&arguments.recordings);
                files.writes(arguments.junit.as_deref(), Replace::Named);
                files.prints(arguments.json);
            }
            Self::Compare(arguments) => {
                files.reads(&arguments.station);
                arguments.station_b.iter().for_each(|station| files.reads(station));
                files.reads_recordings(&arguments.recordings);
                files.prints(arguments.json);
            }
            Self::Why(arguments) => {
                files.reads(&arguments.station);
                files.reads_recordings(&arguments.recording.recordings);
            }
            Self::Draw(arguments) => {
                files.reads(&arguments.station);
                files.reads_recordings(&arguments.recording.recordings);
                files.writes(arguments.output.as_deref(), Replace::Named);
            }
            Self::Report(arguments) => {
                files.reads(&arguments.station);
                files.reads_recordings(&arguments.recording.recordings);
                files.writes(Some(&arguments.output), Replace::Named);
            }
            Self::Code(arguments) => {
                files.reads(&arguments.station);
                arguments.prove.iter().for_each(|recording| files.reads_recording(recording));
                files.prints(arguments.json);
            }
            Self::Work(arguments) => files.prints(arguments.json),
            Self::Convert(arguments) => {
                files.reads_recordings(arguments.inputs());
                if arguments.archive.is_some() {
                    return files;
                }
                files.writes(Some(arguments.output()), Replace::Named);
                if matches!(Format::of(arguments.output()), Ok((Format::Packed, _))) {
                    files.writes(Some(&sidecar_path(arguments.output())), Replace::Asked(arguments.force));
                }
            }
            Self::Simulate(arguments) => {
                files.reads(&arguments.scenario);
                files.writes(Some(&arguments.output), Replace::Named);
                files.writes(arguments.truth.as_deref(), Replace::Named);
            }
            Self::Demo(arguments) => {
                let folder = arguments.into.iter();
                let within = folder.flat_map(|folder| demo::FILES.map(|name| folder.join(name)));
                files.written.extend(within.map(|path| (path, Replace::Asked(arguments.force))));
            }
            Self::Man(arguments) => {
                let within = completions::pages().into_iter().map(|(name, _)| arguments.folder.join(name));
                files.written.extend(within.map(|path| (path, Replace::Asked(arguments.force))));
            }
            Self::Size(_) | Self::Completions(_) | Self::Schema(_) => {}
        }
        files
    }
}

impl Files {
    fn reads(&mut self, path: &Path) {
        self.read.push(path.to_owned());
    }

    /// A recording, and the file beside it that says what it means.
    fn reads_recording(&mut self, path: &Path) {
        self.reads(path);
        let beside: PathBuf = sidecar_path(path);
        if beside.exists() {
            self.reads(&beside);
        }
    }

    fn reads_recordings(&mut self, paths: &[PathBuf]) {
        paths.iter().for_each(|path| self.reads_recording(path));
    }

    fn writes(&mut self, path: Option<&Path>, replace: Replace) {
        self.written.extend(path.map(|path| (path.to_owned(), replace)));
    }

    /// A result as JSON has standard output for itself.
    fn prints(&mut self, json: bool) {
        self.writes(json.then_some(Path::new("-")), Replace::Printed);
    }
}
