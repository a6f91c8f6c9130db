//! What a command reads and writes: nothing of the user's is written over unasked.

use crate::failure::Failure;
use reigen_io::output_file::FileIdentity;
use reigen_io::write::Format;
use std::path::{Path, PathBuf};

/// The files of a command.
#[derive(Debug, Default)]
pub(crate) struct Files {
    /// What it reads; of a folder all that is in it.
    pub(crate) read: Vec<PathBuf>,
    /// What it writes; `-` is standard output.
    pub(crate) written: Vec<(PathBuf, Replace)>,
}

/// What may be done to a file that is there already.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Replace {
    /// A person named it as an output: it may be replaced.
    Named,
    /// It may be replaced where that was asked for.
    Asked(bool),
    /// It is written on.
    Append,
    /// It is the printed result itself, as one JSON object.
    Printed,
}

impl Files {
    /// Refuses an output that is read too, that is another output too, or that stands there and may not be replaced.
    pub(crate) fn check(&self) -> Result<(), Failure> {
        let mut taken: Vec<(Option<FileIdentity>, &Path)> =
            self.read.iter().map(|path| (FileIdentity::of_input(path), path.as_path())).collect();
        for (path, replace) in &self.written {
            if path.as_os_str().is_empty() {
                return Err(usage("an output needs a name".to_owned(), "name a file; `-` is standard output"));
            }
            if *replace == Replace::Append && path.as_os_str() == "-" {
                let message = "a log cannot go to standard output".to_owned();
                return Err(usage(message, "name a file for it"));
            }
            let identity = FileIdentity::of_output(path);
            let same = |(other, name): &&(Option<FileIdentity>, &Path)| {
                identity.is_some() && identity == *other || within(path, name)
            };
            if let Some((_, other)) = taken.iter().find(same) {
                return Err(clash(&identity, path, other));
            }
            if *replace == Replace::Asked(false) && path.is_file() {
                let message = format!("{} is there already", path.display());
                return Err(usage(message, "name another, or give --force to replace it"));
            }
            taken.push((identity, path));
        }
        Ok(())
    }

    /// Whether a file that was named goes to standard output, which then holds nothing else.
    pub(crate) fn take_standard_output(&self) -> bool {
        let is_standard = |path: &PathBuf| FileIdentity::of_output(path) == Some(FileIdentity::StandardOutput);
        let is_file = |replace: &Replace| !matches!(replace, Replace::Append | Replace::Printed);
        self.written.iter().any(|(path, replace)| is_file(replace) && is_standard(path))
    }
}

/// Whether an existing recording lies in a folder of recordings that is read.
fn within(path: &Path, folder: &Path) -> bool {
    folder.is_dir()
        && path.is_file()
        && Format::of(path).is_ok()
        && path
            .canonicalize()
            .ok()
            .zip(folder.canonicalize().ok())
            .is_some_and(|(path, folder)| path.parent() == Some(folder.as_path()))
}

fn clash(identity: &Option<FileIdentity>, path: &Path, other: &Path) -> Failure {
    if *identity == Some(FileIdentity::StandardOutput) {
        return usage("two results would go to standard output".to_owned(), "write one of them to a file");
    }
    let message = format!("{} would overwrite {}", path.display(), other.display());
    usage(message, "give the output another name")
}

fn usage(message: String, help: &str) -> Failure {
    Failure::Usage { message, help: help.to_owned() }
}
