//! `lines`: JSON Lines as a microcontroller prints and takes them, over standard input, a socket or a serial port.

mod link;
mod printer;
mod reader;
mod stream;
mod text;

pub use link::DeviceLines;
pub use printer::LinePrinter;
#[cfg(feature = "nats")]
pub(crate) use reader::Begins;
pub use reader::LinesReader;
#[cfg(feature = "nats")]
pub(crate) use text::change_text;
