//! Output files that appear whole, under their name, or not at all.

use super::destination::{Destination, folder_of};
pub use super::destination::{FileIdentity, is_stream};
pub use super::output_error::{OutputError, system_help};
use super::unfinished::Unfinished;
pub use super::unfinished::{NewFolders, Outputs};
pub use crate::error::system_words;
use std::fs::{File, Metadata};
use std::io::{self, BufWriter, Stdout, Write};
use std::path::{Path, PathBuf};
use tempfile::{NamedTempFile, TempPath};

/// A file in the making, beside the place where it is to stand.
///
/// It appears whole under its name, with the rights of the file that it replaces, once it and all other outputs of the
/// command are [finished](Self::finish) and [put in their places](put_in_place); or not at all. What is no plain file
/// (a device, a pipe, standard output) is written to as it is. A link is followed.
pub struct OutputFile {
    path: PathBuf,
    writer: BufWriter<Target>,
}

enum Target {
    /// A plain file, renamed once it is whole.
    Temporary {
        file: NamedTempFile,
        known: Unfinished,
        place: PathBuf,
    },
    /// A device or pipe, which can only be written to as it is.
    Direct(File),
    Standard(Stdout),
}

impl Write for Target {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Target::Temporary { file, .. } => file.write(bytes),
            Target::Direct(file) => file.write(bytes),
            Target::Standard(stdout) => stdout.write(bytes),
        }
    }
    fn flush(&mut self) -> io::Result<()> {
        match self {
            Target::Temporary { file, .. } => file.flush(),
            Target::Direct(file) => file.flush(),
            Target::Standard(stdout) => stdout.flush(),
        }
    }
}

impl Outputs {
    /// Begins a file that is to stand at `path`; `-` is standard output.
    ///
    /// # Errors
    /// Where the folder is missing or cannot be written to, or the file that stands there may only be read.
    pub fn create(&self, path: &Path) -> Result<OutputFile, OutputError> {
        let explain = |source| OutputError::Io { path: path.to_owned(), source };
        let target = match Destination::of(path)? {
            Destination::StandardOutput => Target::Standard(io::stdout()),
            Destination::Direct(path) => Target::Direct(File::options().append(true).open(path).map_err(explain)?),
            Destination::File { path: place, existing } => {
                if let Some(existing) = &existing {
                    if existing.permissions().readonly() {
                        return Err(OutputError::ReadOnly(path.to_owned()));
                    }
                    File::options().write(true).open(&place).map_err(explain)?;
                }
                let made = self.temporary(|| temporary(folder_of(&place), existing.as_ref()));
                let (known, file) = made.map_err(explain)?;
                Target::Temporary { file, known, place }
            }
        };
        Ok(OutputFile { path: path.to_owned(), writer: BufWriter::with_capacity(1 << 18, target) })
    }
}

impl OutputFile {
    /// The file's name, as it was given.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Turns an error of writing into one that names the file.
    pub fn explain(&self, source: io::Error) -> OutputError {
        OutputError::Io { path: self.path.clone(), source }
    }

    /// Writes what is still in memory; the file is whole then, on the disk, and not yet in its place.
    ///
    /// # Errors
    /// Where the last bytes cannot be written.
    pub fn finish(self) -> Result<FinishedFile, OutputError> {
        let Self { path, writer } = self;
        let explain = |source| OutputError::Io { path: path.clone(), source };
        let mut target = writer.into_inner().map_err(|error| explain(error.into_error()))?;
        target.flush().map_err(explain)?;
        if let Target::Temporary { file, .. } = &target {
            // A name must not stand for a file that a power cut can still empty.
            file.as_file().sync_data().map_err(explain)?;
        }
        let waiting = match target {
            Target::Temporary { file, known, place } => Some((WholeFile { file: file.into_temp_path(), place }, known)),
            Target::Direct(_) | Target::Standard(_) => None,
        };
        Ok(FinishedFile { path, waiting })
    }
}

/// A temporary file with the rights of any new file, or with those of the one that it is to replace.
fn temporary(folder: &Path, existing: Option<&Metadata>) -> io::Result<NamedTempFile> {
    let mut builder = tempfile::Builder::new();
    builder.prefix(TEMPORARY);
    #[cfg(unix)]
    {
        use std::os::unix::fs::{MetadataExt, PermissionsExt, fchown};
        // The process's mask takes away what new files are not to have.
        builder.permissions(std::fs::Permissions::from_mode(0o666));
        let file = builder.tempfile_in(folder)?;
        if let Some(existing) = existing {
            // Only the administrator may give a file to somebody else; anyone else's own files stay their own.
            let _ = fchown(file.as_file(), Some(existing.uid()), Some(existing.gid()));
            file.as_file().set_permissions(existing.permissions())?;
        }
        Ok(file)
    }
    #[cfg(not(unix))]
    {
        let _ = existing;
        builder.tempfile_in(folder)
    }
}

/// How the names of temporary files begin.
const TEMPORARY: &str = ".reigen-";

/// A file that is whole and waits to be put in its place; dropped, it is gone.
#[must_use]
#[derive(Debug)]
pub struct FinishedFile {
    path: PathBuf,
    waiting: Option<(WholeFile, Unfinished)>,
}

#[derive(Debug)]
struct WholeFile {
    file: TempPath,
    place: PathBuf,
}

/// Puts all outputs of a command in their places: all of them, or none.
///
/// # Errors
/// Where one cannot be put there; the others are as they were before.
pub fn put_in_place(files: impl IntoIterator<Item = FinishedFile>) -> Result<(), OutputError> {
    let (mut known, mut waiting) = (Vec::new(), Vec::new());
    for file in files {
        if let Some((at, unfinished)) = file.waiting {
            known.push(unfinished);
            waiting.push((file.path, at));
        }
    }
    Unfinished::end(known, || {
        let several = waiting.len() > 1;
        let mut placed: Vec<(PathBuf, Option<TempPath>)> = Vec::new();
        for (path, WholeFile { file, place }) in waiting {
            let before = if several { second_name(&place) } else { None };
            match file.persist(&place) {
                Ok(()) => placed.push((place, before)),
                Err(error) => {
                    placed.into_iter().rev().for_each(put_back);
                    return Err(OutputError::Io { path, source: error.error });
                }
            }
        }
        Ok(())
    })
}

/// A second name of the file that stands at `place`, to be found again by it; `None` where there is none.
fn second_name(place: &Path) -> Option<TempPath> {
    let link = |name: &Path| std::fs::hard_link(place, name);
    let made = tempfile::Builder::new().prefix(TEMPORARY).make_in(folder_of(place), link);
    made.ok().map(NamedTempFile::into_temp_path)
}

/// Puts back what stood there before.
fn put_back((place, before): (PathBuf, Option<TempPath>)) {
    // Nothing better can be done where this fails: the error that led here is told.
    let _ = match before {
        Some(before) => before.persist(&place).map_err(|error| error.error),
        None => std::fs::remove_file(&place),
    };
}

impl Write for OutputFile {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.writer.write(bytes)
    }
    fn flush(&mut self) -> io::Result<()> {
        self.writer.flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_appears_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("edges.csv");
        let names = || std::fs::read_dir(folder.path()).unwrap().count();
        std::fs::write(&path, "old").unwrap();
        let mut left = Outputs::default().create(&path).unwrap();
        left.write_all(b"half").unwrap();
        left.flush().unwrap();
        drop(left);
        assert_eq!((std::fs::read_to_string(&path).unwrap().as_str(), names()), ("old", 1));
        let mut whole = Outputs::default().create(&path).unwrap();
        whole.write_all(b"new").unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "old");
        put_in_place([whole.finish().unwrap()]).unwrap();
        assert_eq!((std::fs::read_to_string(&path).unwrap().as_str(), names()), ("new", 1));
    }

    #[test]
    fn a_place_that_cannot_be_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        assert!(matches!(Outputs::default().create(folder.path()), Err(OutputError::IsFolder(_))));
        let nowhere = folder.path().join("no/such/file");
        assert!(matches!(Outputs::default().create(&nowhere), Err(OutputError::NoFolder { .. })));
    }

    #[test]
    fn of_several_files_all_appear_or_none() {
        let folder = tempfile::tempdir().unwrap();
        let path = |name: &str| folder.path().join(name);
        std::fs::write(path("old"), "old").unwrap();
        let write = |name: &str| {
            let mut file = Outputs::default().create(&path(name)).unwrap();
            file.write_all(b"new").unwrap();
            file.finish().unwrap()
        };
        let files = [write("old"), write("fresh"), write("blocked")];
        std::fs::create_dir(path("blocked")).unwrap();
        std::fs::write(path("blocked/inside"), "").unwrap();
        assert!(put_in_place(files).is_err());
        assert_eq!(std::fs::read_to_string(path("old")).unwrap(), "old");
        assert!(!path("fresh").exists());
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2);
        put_in_place([write("old"), write("fresh")]).unwrap();
        assert_eq!(std::fs::read_to_string(path("old")).unwrap(), "new");
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 3);
    }

    #[cfg(unix)]
    #[test]
    fn rights_stay_and_links_are_followed() {
        use std::os::unix::fs::PermissionsExt;
        let folder = tempfile::tempdir().unwrap();
        let path = |name: &str| folder.path().join(name);
        let mode = |name: &str| path(name).metadata().unwrap().permissions().mode() & 0o777;
        std::fs::write(path("private"), "old").unwrap();
        std::fs::set_permissions(path("private"), std::fs::Permissions::from_mode(0o600)).unwrap();
        std::os::unix::fs::symlink("private", path("link")).unwrap();
        std::os::unix::fs::symlink("fresh", path("dangling")).unwrap();
        for name in ["link", "dangling"] {
            let mut file = Outputs::default().create(&path(name)).unwrap();
            file.write_all(b"new").unwrap();
            put_in_place([file.finish().unwrap()]).unwrap();
            assert!(path(name).is_symlink());
        }
        assert_eq!(std::fs::read_to_string(path("private")).unwrap(), "new");
        assert_eq!((mode("private"), std::fs::read_to_string(path("fresh")).unwrap().as_str()), (0o600, "new"));
        std::fs::set_permissions(path("private"), std::fs::Permissions::from_mode(0o400)).unwrap();
        assert!(matches!(Outputs::default().create(&path("link")), Err(OutputError::ReadOnly(_))));
    }

    #[test]
    fn new_folders_go_unless_they_are_kept() {
        let folder = tempfile::tempdir().unwrap();
        let deep = folder.path().join("a/b/c");
        drop(Outputs::default().create_folders(&deep).unwrap());
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
        Outputs::default().create_folders(&deep).unwrap().keep();
        assert!(deep.is_dir());
        drop(Outputs::default().create_folders(&deep).unwrap());
        assert!(deep.is_dir());
    }
}
