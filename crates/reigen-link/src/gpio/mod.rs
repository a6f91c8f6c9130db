//! Pins of the computer itself. Behind a trait, so that the link is tried without a board.

mod link;
#[cfg(target_os = "linux")]
mod linux;
mod pins;

pub use link::GpioPins;
pub use pins::{Edge, PinReader, PinWriter, Pins};

use reigen_station::links::gpio::GpioLink;

/// The pins of a chip of this computer.
#[cfg(target_os = "linux")]
pub fn pins(link: &GpioLink) -> Box<dyn Pins> {
    Box::new(linux::LinuxPins::new(link))
}

/// There are none that are known.
#[cfg(not(target_os = "linux"))]
pub fn pins(_link: &GpioLink) -> Box<dyn Pins> {
    Box::new(pins::NoPins)
}
