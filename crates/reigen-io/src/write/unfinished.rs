//! What is in the making, so that whoever ends the program in the middle of its work can take it away.

use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError, TryLockError};
use tempfile::NamedTempFile;

/// Temporary files and new folders, in the order in which they were made.
static UNFINISHED: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

fn unfinished() -> MutexGuard<'static, Vec<PathBuf>> {
    UNFINISHED.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Takes away all that is in the making, and ends the program.
///
/// Nothing is put in its place meanwhile: it is either all there before, or gone.
pub fn remove_unfinished_and_exit(code: i32) -> ! {
    let mut list = unfinished();
    remove(&mut list);
    std::process::exit(code)
}

/// The same out of a panic, whose thread may be the one that is just making something.
pub fn remove_unfinished_and_exit_from_panic(code: i32) -> ! {
    let guard = match UNFINISHED.try_lock() {
        Ok(list) => Some(list),
        Err(TryLockError::Poisoned(list)) => Some(list.into_inner()),
        Err(TryLockError::WouldBlock) => None,
    };
    if let Some(mut list) = guard {
        remove(&mut list);
    }
    std::process::exit(code)
}

fn remove(list: &mut Vec<PathBuf>) {
    while let Some(path) = list.pop() {
        // What cannot be taken away, such as a folder that holds something else by now, stays.
        let _ = if path.is_dir() { std::fs::remove_dir(path) } else { std::fs::remove_file(path) };
    }
}

/// Something that is known to be in the making, as long as this is kept.
#[derive(Debug)]
pub(super) struct Unfinished(PathBuf);

impl Unfinished {
    /// Makes a temporary file that is known from the first moment.
    pub(super) fn file(make: impl FnOnce() -> io::Result<NamedTempFile>) -> io::Result<(Self, NamedTempFile)> {
        let mut list = unfinished();
        let file = make()?;
        list.push(file.path().to_owned());
        Ok((Self(file.path().to_owned()), file))
    }

    fn folder(path: &Path) -> io::Result<Self> {
        let mut list = unfinished();
        std::fs::create_dir(path)?;
        list.push(path.to_owned());
        Ok(Self(path.to_owned()))
    }

    /// Does what ends the making of all these, before anyone can end the program.
    pub(super) fn end<T>(all: Vec<Self>, work: impl FnOnce() -> T) -> T {
        let mut list = unfinished();
        let done = work();
        list.retain(|path| all.iter().all(|ended| ended.0 != *path));
        drop(list);
        done
    }
}

impl Drop for Unfinished {
    fn drop(&mut self) {
        unfinished().retain(|path| *path != self.0);
    }
}

/// Folders that were made for outputs: unless they are kept, those that are empty in the end are taken away.
#[derive(Debug, Default)]
pub struct NewFolders(Vec<Unfinished>);

impl NewFolders {
    /// Makes `path` and what is missing above it.
    ///
    /// # Errors
    /// Where one cannot be made.
    pub fn create(path: &Path) -> io::Result<Self> {
        let missing: Vec<&Path> =
            path.ancestors().take_while(|folder| *folder != Path::new("") && !folder.is_dir()).collect();
        let mut made = Self::default();
        for folder in missing.into_iter().rev() {
            made.0.push(Unfinished::folder(folder)?);
        }
        Ok(made)
    }

    /// Leaves them there.
    pub fn keep(mut self) {
        self.0.clear();
    }
}

impl Drop for NewFolders {
    fn drop(&mut self) {
        for folder in self.0.iter().rev() {
            // It may hold something of somebody else by now.
            let _ = std::fs::remove_dir(&folder.0);
        }
    }
}
