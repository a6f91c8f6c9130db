//! What is in the making, so that a signal handler or a panic can take it away.

use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, TryLockError};
use tempfile::NamedTempFile;

/// The outputs of a program's work, of which it knows at any time what is in the making. Clones know the same.
#[derive(Debug, Clone, Default)]
pub struct Outputs(Arc<Mutex<Vec<PathBuf>>>);

impl Outputs {
    /// Makes a folder and what is missing above it.
    ///
    /// # Errors
    /// Where one cannot be made.
    pub fn create_folders(&self, path: &Path) -> io::Result<NewFolders> {
        let missing: Vec<&Path> =
            path.ancestors().take_while(|folder| *folder != Path::new("") && !folder.is_dir()).collect();
        let mut made = NewFolders(Vec::new());
        for folder in missing.into_iter().rev() {
            made.0.push(self.folder(folder)?);
        }
        Ok(made)
    }

    /// Takes away all that is in the making, and ends the program.
    ///
    /// Nothing is put in its place meanwhile: it is either all there before, or gone.
    pub fn remove_and_exit(&self, code: i32) -> ! {
        let mut list = self.list();
        remove(&mut list);
        std::process::exit(code)
    }

    /// The same out of a panic, whose thread may be the one that is just making something.
    pub fn remove_and_exit_from_panic(&self, code: i32) -> ! {
        let guard = match self.0.try_lock() {
            Ok(list) => Some(list),
            Err(TryLockError::Poisoned(list)) => Some(list.into_inner()),
            Err(TryLockError::WouldBlock) => None,
        };
        if let Some(mut list) = guard {
            remove(&mut list);
        }
        std::process::exit(code)
    }

    /// Temporary files and new folders, in the order in which they were made.
    fn list(&self) -> MutexGuard<'_, Vec<PathBuf>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes a temporary file that is known from the first moment.
    pub(super) fn temporary(
        &self,
        make: impl FnOnce() -> io::Result<NamedTempFile>,
    ) -> io::Result<(Unfinished, NamedTempFile)> {
        let mut list = self.list();
        let file = make()?;
        list.push(file.path().to_owned());
        Ok((Unfinished { path: file.path().to_owned(), outputs: self.clone() }, file))
    }

    fn folder(&self, path: &Path) -> io::Result<Unfinished> {
        let mut list = self.list();
        std::fs::create_dir(path)?;
        list.push(path.to_owned());
        Ok(Unfinished { path: path.to_owned(), outputs: self.clone() })
    }
}

fn remove(list: &mut Vec<PathBuf>) {
    while let Some(path) = list.pop() {
        // What cannot be taken away, such as a folder that holds something else by now, stays.
        let _ = if path.is_dir() { std::fs::remove_dir(path) } else { std::fs::remove_file(path) };
    }
}

/// Something that is known to be in the making, as long as this is kept.
#[derive(Debug)]
pub(super) struct Unfinished {
    path: PathBuf,
    outputs: Outputs,
}

impl Unfinished {
    /// Does what ends the making of all these, before anyone can end the program. All are of the same outputs.
    pub(super) fn end<T>(all: Vec<Self>, work: impl FnOnce() -> T) -> T {
        let Some(outputs) = all.first().map(|first| first.outputs.clone()) else { return work() };
        let mut list = outputs.list();
        let done = work();
        list.retain(|path| all.iter().all(|ended| ended.path != *path));
        drop(list);
        done
    }
}

impl Drop for Unfinished {
    fn drop(&mut self) {
        self.outputs.list().retain(|path| *path != self.path);
    }
}

/// Folders that were made for outputs: unless they are kept, those that are empty in the end are taken away.
#[derive(Debug)]
pub struct NewFolders(Vec<Unfinished>);

impl NewFolders {
    /// Leaves them there.
    pub fn keep(mut self) {
        self.0.clear();
    }
}

impl Drop for NewFolders {
    fn drop(&mut self) {
        for folder in self.0.iter().rev() {
            // It may hold something of somebody else by now.
            let _ = std::fs::remove_dir(&folder.path);
        }
    }
}
