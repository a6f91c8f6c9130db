//! A pseudo-terminal that stands in for a serial port: what is at its other end is found by a path.

use rustix::event::{PollFd, PollFlags, poll};
use rustix::fs::{OFlags, unlink};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{OptionalActions, QueueSelector, tcflush, tcgetattr, tcsetattr};
use std::fs::File;
use std::io;
use std::os::fd::OwnedFd;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};

/// A pseudo-terminal with a path, which is taken away with it.
#[derive(Debug)]
pub(crate) struct Pty {
    /// The device's end.
    pub(crate) device: File,
    /// Kept open, so that the device's end lives while nobody is connected.
    _other: OwnedFd,
    _path: Name,
}

/// A path that leads to a pseudo-terminal, and is taken away in the end.
#[derive(Debug)]
pub(crate) struct Name(PathBuf);

impl Name {
    /// Makes the path, in place of one that leads nowhere any more.
    ///
    /// # Errors
    /// Where something is there already, or nothing can be.
    pub(crate) fn new(terminal: &str, path: &Path) -> io::Result<Self> {
        if path.is_symlink() && !path.exists() {
            unlink(path)?;
        }
        symlink(terminal, path)?;
        Ok(Self(path.to_owned()))
    }
}

impl Pty {
    /// One whose other end is at `path`, where there is nothing yet.
    ///
    /// # Errors
    /// Where none can be made, or not there.
    pub(crate) fn at(path: &Path) -> io::Result<Self> {
        let device = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY)?;
        grantpt(&device)?;
        unlockpt(&device)?;
        let name = ptsname(&device, Vec::new())?;
        let other = rustix::fs::open(&name, OFlags::RDWR | OFlags::NOCTTY, rustix::fs::Mode::empty())?;
        // Bytes pass as they are, and none comes back.
        let mut settings = tcgetattr(&other)?;
        settings.make_raw();
        tcsetattr(&other, OptionalActions::Now, &settings)?;
        // What nobody reads must not hold the device up.
        rustix::fs::fcntl_setfl(&device, OFlags::NONBLOCK)?;
        let path = Name::new(&name.to_string_lossy(), path)?;
        Ok(Self { device: File::from(device), _other: other, _path: path })
    }
}

/// The device's end for a thread that writes: what nobody takes is lost, as on a wire.
#[derive(Debug)]
pub(crate) struct Wire(pub(crate) File);

impl io::Write for Wire {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self.0.write(bytes) {
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
                tcflush(&self.0, QueueSelector::OFlush)?;
                Ok(bytes.len())
            }
            written => written,
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl io::Read for Wire {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let mut ready = [PollFd::new(&self.0, PollFlags::IN)];
        poll(&mut ready, None)?;
        self.0.read(room)
    }
}

impl Drop for Name {
    fn drop(&mut self) {
        // Where it is gone already, nothing is left to take away.
        let _ = unlink(&self.0);
    }
}
