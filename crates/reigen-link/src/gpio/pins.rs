//! What a link asks of the pins of a chip.

use std::io;
use std::time::Duration;

/// A chip with pins.
pub trait Pins: Send + Sync {
    /// Claims the pins that are read.
    ///
    /// # Errors
    /// Where there is no such chip or pin, or somebody else has it.
    fn reader(&self) -> io::Result<Box<dyn PinReader>>;

    /// Claims the pins that are written.
    ///
    /// # Errors
    /// As above.
    fn writer(&self) -> io::Result<Box<dyn PinWriter>>;
}

/// Pins that are read.
pub trait PinReader: Send {
    /// The levels of all pins, by their numbers.
    ///
    /// # Errors
    /// Where the chip is gone.
    fn levels(&mut self) -> io::Result<Vec<(u32, bool)>>;

    /// The edges that have come, waiting for the first for so long at most.
    ///
    /// # Errors
    /// Where the chip is gone.
    fn edges(&mut self, at_most: Duration) -> io::Result<Vec<Edge>>;
}

/// Pins that are written.
pub trait PinWriter: Send {
    /// A pin goes high, or low.
    ///
    /// # Errors
    /// Where the chip is gone.
    fn set(&mut self, offset: u32, high: bool) -> io::Result<()>;
}

/// An edge at a pin.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Edge {
    /// The pin.
    pub offset: u32,
    /// Where it went.
    pub high: bool,
    /// When, by the monotonic clock of the kernel.
    pub time_ns: u64,
    /// Its number among all edges of the chip's pins, counted from 1; what is missing between two was lost.
    pub number: u32,
}

/// A system whose pins are not known.
#[cfg(not(target_os = "linux"))]
pub(super) struct NoPins;

#[cfg(not(target_os = "linux"))]
impl Pins for NoPins {
    fn reader(&self) -> io::Result<Box<dyn PinReader>> {
        Err(io::Error::new(io::ErrorKind::Unsupported, "pins are read on Linux only"))
    }

    fn writer(&self) -> io::Result<Box<dyn PinWriter>> {
        Err(io::Error::new(io::ErrorKind::Unsupported, "pins are written on Linux only"))
    }
}
