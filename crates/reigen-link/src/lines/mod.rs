//! `lines`: JSON Lines as a microcontroller prints and takes them, over standard input, a socket or a serial port.

mod link;
mod printer;
mod reader;
mod stream;
mod text;

pub use link::DeviceLines;
pub use printer::LinePrinter;
pub use reader::LinesReader;
