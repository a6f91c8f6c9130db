//! Output files that appear whole, under their name, or not at all.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use tempfile::NamedTempFile;
use thiserror::Error;

/// Why an output file could not be written.
#[derive(Debug, Error)]
pub enum OutputError {
    /// Its folder does not exist.
    #[error("cannot write {}: there is no folder {}", path.display(), folder.display())]
    NoFolder {
        /// The file.
        path: PathBuf,
        /// The folder that is not there.
        folder: PathBuf,
    },
    /// A folder has its name.
    #[error("cannot write {}: it is a folder", .0.display())]
    IsFolder(PathBuf),
    /// Its ending tells no format.
    #[error("cannot tell the format of {} by its ending", path.display())]
    Ending {
        /// The file.
        path: PathBuf,
        /// The endings that are known.
        known: &'static str,
    },
    /// A table that packs its own columns was to be packed once more.
    #[error("cannot write {}: Parquet packs its columns itself", .0.display())]
    PackedInside(PathBuf),
    /// This program was built without Parquet.
    #[error("cannot write {}: this program was built without Parquet", .0.display())]
    NoParquet(PathBuf),
    /// Packed samples cannot hold what is to be written.
    #[error("cannot write {}: {why}", path.display())]
    NotPacked {
        /// The file.
        path: PathBuf,
        /// What is in the way.
        why: String,
    },
    /// The system says no.
    #[error("cannot write {}: {source}", path.display())]
    Io {
        /// The file.
        path: PathBuf,
        /// What the system says.
        source: io::Error,
    },
}

impl OutputError {
    /// What to do about it.
    pub fn help(&self) -> Option<String> {
        match self {
            Self::NoFolder { .. } => Some("make the folder first, or name another".to_owned()),
            Self::IsFolder(_) => Some("name a file".to_owned()),
            Self::Ending { known, .. } => Some(format!("known endings: {known}")),
            Self::PackedInside(_) => Some("name it .parquet".to_owned()),
            Self::NoParquet(_) => Some("build it with --features parquet, or write .csv or .jsonl".to_owned()),
            Self::NotPacked { .. } | Self::Io { .. } => None,
        }
    }
}

/// The files in the making, for whoever has to end the program in the middle of its work.
static IN_THE_MAKING: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// Takes all files in the making away; the program is to end then.
pub fn remove_unfinished() {
    for path in in_the_making().drain(..) {
        // One that is in its place by now is there no longer under this name.
        let _ = std::fs::remove_file(path);
    }
}

fn in_the_making() -> MutexGuard<'static, Vec<PathBuf>> {
    IN_THE_MAKING.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A file that is known to be in the making, as long as this is kept.
struct InTheMaking(PathBuf);

impl InTheMaking {
    fn new(path: PathBuf) -> Self {
        in_the_making().push(path.clone());
        Self(path)
    }
}

impl Drop for InTheMaking {
    fn drop(&mut self) {
        in_the_making().retain(|path| *path != self.0);
    }
}

/// A file in the making, beside the place where it is to stand.
pub struct OutputFile {
    path: PathBuf,
    known: Option<InTheMaking>,
    writer: BufWriter<Target>,
}

enum Target {
    /// A plain file, renamed once it is whole.
    Temporary(NamedTempFile),
    /// A device or pipe, which can only be written to as it is.
    Direct(File),
}

impl Write for Target {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Target::Temporary(file) => file.write(bytes),
            Target::Direct(file) => file.write(bytes),
        }
    }
    fn flush(&mut self) -> io::Result<()> {
        match self {
            Target::Temporary(file) => file.flush(),
            Target::Direct(file) => file.flush(),
        }
    }
}

impl OutputFile {
    /// Begins a file that is to stand at `path`.
    ///
    /// # Errors
    /// Where the folder is missing or cannot be written to.
    pub fn create(path: &Path) -> Result<Self, OutputError> {
        let folder = match path.parent() {
            Some(folder) if folder != Path::new("") => folder,
            _ => Path::new("."),
        };
        if path.is_dir() {
            return Err(OutputError::IsFolder(path.to_owned()));
        }
        if !folder.is_dir() {
            return Err(OutputError::NoFolder { path: path.to_owned(), folder: folder.to_owned() });
        }
        let special = path.metadata().is_ok_and(|data| !data.is_file());
        let target = match special {
            true => File::options().write(true).open(path).map(Target::Direct),
            false => tempfile::Builder::new().prefix(".reigen-").tempfile_in(folder).map(Target::Temporary),
        };
        let target = target.map_err(|source| OutputError::Io { path: path.to_owned(), source })?;
        let known = match &target {
            Target::Temporary(file) => Some(InTheMaking::new(file.path().to_owned())),
            Target::Direct(_) => None,
        };
        Ok(Self { path: path.to_owned(), known, writer: BufWriter::with_capacity(1 << 18, target) })
    }

    /// Where the file is to stand.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Turns an error of writing into one that names the file.
    pub fn explain(&self, source: io::Error) -> OutputError {
        OutputError::Io { path: self.path.clone(), source }
    }

    /// Puts the whole file in its place.
    ///
    /// # Errors
    /// Where the last bytes cannot be written, or the file not put in its place.
    pub fn finish(self) -> Result<(), OutputError> {
        let Self { path, writer, known } = self;
        let explain = |source| OutputError::Io { path: path.clone(), source };
        let target = writer.into_inner().map_err(|error| explain(error.into_error()))?;
        match target {
            Target::Direct(mut file) => file.flush().map_err(explain),
            Target::Temporary(file) => {
                readable_by_all(&file).map_err(explain)?;
                let placed = file.persist(&path).map(drop).map_err(|error| explain(error.error));
                drop(known);
                placed
            }
        }
    }
}

/// A temporary file is private at first; the finished one has the rights of any new file.
fn readable_by_all(file: &NamedTempFile) -> io::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        file.as_file().set_permissions(std::fs::Permissions::from_mode(0o644))?;
    }
    #[cfg(not(unix))]
    let _ = file;
    Ok(())
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
        let mut left = OutputFile::create(&path).unwrap();
        left.write_all(b"half").unwrap();
        left.flush().unwrap();
        drop(left);
        assert_eq!((std::fs::read_to_string(&path).unwrap().as_str(), names()), ("old", 1));
        let mut whole = OutputFile::create(&path).unwrap();
        whole.write_all(b"new").unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "old");
        whole.finish().unwrap();
        assert_eq!((std::fs::read_to_string(&path).unwrap().as_str(), names()), ("new", 1));
    }

    #[test]
    fn a_place_that_cannot_be_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        assert!(matches!(OutputFile::create(folder.path()), Err(OutputError::IsFolder(_))));
        let nowhere = folder.path().join("no/such/file");
        assert!(matches!(OutputFile::create(&nowhere), Err(OutputError::NoFolder { .. })));
    }
}
