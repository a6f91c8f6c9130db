//! A system without pseudo-terminals: a serial port that is not there cannot be stood in for.

use std::fs::File;
use std::io;
use std::path::Path;

/// Never there.
#[derive(Debug)]
pub(crate) struct Pty {
    pub(crate) device: File,
}

/// Never there.
#[derive(Debug)]
pub(crate) struct Name;

/// Never there.
pub(crate) type Wire = File;

impl Pty {
    pub(crate) fn at(_path: &Path) -> io::Result<Self> {
        Err(io::ErrorKind::Unsupported.into())
    }
}

impl Name {
    pub(crate) fn new(_terminal: &str, _path: &Path) -> io::Result<Self> {
        Err(io::ErrorKind::Unsupported.into())
    }
}
