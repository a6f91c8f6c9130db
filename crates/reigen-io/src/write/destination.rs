//! Where the path of an output leads: to a file, a device, a pipe, or standard output.

use super::output_error::OutputError;
use std::fs::{File, Metadata};
use std::io;
use std::path::{Path, PathBuf};

/// The name of standard output.
const STANDARD_OUTPUT: &str = "-";
/// So many links in a row are followed, as many as Linux follows.
const MOST_LINKS: usize = 40;

/// Where an output goes.
#[derive(Debug)]
pub(super) enum Destination {
    /// Standard output, by the name `-` or by a path that leads there.
    StandardOutput,
    /// A device, a pipe or a file that is open already: written to as it is.
    Direct(PathBuf),
    /// A file of this path, which is no link.
    File {
        path: PathBuf,
        /// What stands there now.
        existing: Option<Metadata>,
    },
}

impl Destination {
    /// Follows `path` to where it leads.
    ///
    /// # Errors
    /// Where nothing can be written there.
    pub(super) fn of(path: &Path) -> Result<Self, OutputError> {
        let explain = |source| OutputError::Io { path: path.to_owned(), source };
        if path == Path::new(STANDARD_OUTPUT) {
            return Ok(Self::StandardOutput);
        }
        let existing = match path.metadata() {
            Ok(data) if data.is_dir() => return Err(OutputError::IsFolder(path.to_owned())),
            Ok(data) if is_standard_output(&data) => return Ok(Self::StandardOutput),
            Ok(data) if !data.is_file() => return Ok(Self::Direct(path.to_owned())),
            Ok(data) => Some(data),
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            Err(error) => return Err(explain(error)),
        };
        let Some(end) = follow(path).map_err(explain)? else {
            return Ok(Self::Direct(path.to_owned()));
        };
        let folder = folder_of(&end);
        if end.file_name().is_none() || !folder.is_dir() {
            return Err(OutputError::NoFolder { path: path.to_owned(), folder: folder.to_owned() });
        }
        Ok(Self::File { path: end, existing })
    }
}

/// Whether an output goes to standard output, a device or a pipe, whose name tells no format.
pub fn is_stream(path: &Path) -> bool {
    matches!(Destination::of(path), Ok(Destination::StandardOutput | Destination::Direct(_)))
}

/// The folder that a file stands in.
pub(super) fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(folder) if folder != Path::new("") => folder,
        _ => Path::new("."),
    }
}

/// Follows links to what is none; `None` where one leads to a file that is open already, as `/dev/stderr` does.
fn follow(path: &Path) -> io::Result<Option<PathBuf>> {
    let mut path = path.to_owned();
    for _ in 0..MOST_LINKS {
        match path.symlink_metadata() {
            Ok(data) if data.is_symlink() => {}
            _ => return Ok(Some(path)),
        }
        let folder = folder_of(&path);
        // The kernel's own links to open files lead to something that a path cannot replace.
        if folder.canonicalize()?.starts_with("/proc") {
            return Ok(None);
        }
        path = folder.join(path.read_link()?);
    }
    Ok(Some(path))
}

/// What makes a file itself, by whichever path it is named.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FileIdentity {
    /// Standard output.
    StandardOutput,
    /// What exists: the device that holds it, and its number there.
    Existing(u64, u64),
    /// Where a file is to stand that does not exist yet.
    Absent(PathBuf),
}

impl FileIdentity {
    /// Of a file that is read; `None` of standard input and of a device, which nothing is lost of.
    pub fn of_input(path: &Path) -> Option<Self> {
        if path == Path::new(STANDARD_OUTPUT) { None } else { Self::existing(&path.metadata().ok()?) }
    }

    /// Of a file that is to be written; `None` of a device, which more than one may write to.
    pub fn of_output(path: &Path) -> Option<Self> {
        match Destination::of(path).ok()? {
            Destination::StandardOutput => Some(Self::StandardOutput),
            Destination::Direct(path) => Self::existing(&path.metadata().ok()?),
            Destination::File { existing: Some(data), .. } => Self::existing(&data),
            Destination::File { path, existing: None } => {
                Some(Self::Absent(folder_of(&path).canonicalize().ok()?.join(path.file_name()?)))
            }
        }
    }

    fn existing(data: &Metadata) -> Option<Self> {
        let (device, number) = number_of(data)?;
        let is_device = !(data.is_file() || data.is_dir() || is_pipe(data));
        (!is_device).then_some(Self::Existing(device, number))
    }
}

#[cfg(unix)]
fn number_of(data: &Metadata) -> Option<(u64, u64)> {
    use std::os::unix::fs::MetadataExt;
    Some((data.dev(), data.ino()))
}

#[cfg(not(unix))]
fn number_of(_: &Metadata) -> Option<(u64, u64)> {
    None
}

#[cfg(unix)]
fn is_pipe(data: &Metadata) -> bool {
    use std::os::unix::fs::FileTypeExt;
    data.file_type().is_fifo()
}

#[cfg(not(unix))]
fn is_pipe(_: &Metadata) -> bool {
    false
}

/// Whether standard output goes to this file; a null device never counts as it.
#[cfg(unix)]
fn is_standard_output(data: &Metadata) -> bool {
    use std::io::IsTerminal;
    use std::os::fd::AsFd;
    use std::os::unix::fs::FileTypeExt;
    let open = io::stdout().as_fd().try_clone_to_owned().and_then(|file| File::from(file).metadata());
    let same = open.is_ok_and(|open| number_of(&open) == number_of(data));
    same && (!data.file_type().is_char_device() || io::stdout().is_terminal())
}

#[cfg(not(unix))]
fn is_standard_output(_: &Metadata) -> bool {
    false
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_itself_by_whichever_path_it_is_named() {
        let folder = tempfile::tempdir().unwrap();
        let path = |name: &str| folder.path().join(name);
        std::fs::write(path("there"), "").unwrap();
        std::fs::hard_link(path("there"), path("twin")).unwrap();
        std::os::unix::fs::symlink("there", path("link")).unwrap();
        std::os::unix::fs::symlink("absent", path("dangling")).unwrap();
        std::os::unix::fs::symlink("round", path("round")).unwrap();
        let of = |name: &str| FileIdentity::of_output(&path(name));
        assert_eq!(of("there"), FileIdentity::of_input(&path("twin")));
        assert_eq!(of("there"), of("link"));
        assert_eq!(of("absent"), of("dangling"));
        assert_ne!(of("there"), of("absent"));
        assert_eq!((of("round"), of("no/such")), (None, None));
        assert_eq!(FileIdentity::of_output(Path::new("/dev/null")), None);
        assert_eq!(FileIdentity::of_output(Path::new("-")), Some(FileIdentity::StandardOutput));
    }
}
