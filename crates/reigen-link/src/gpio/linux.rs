//! Pins by the GPIO character device of Linux.

use super::pins::{Edge, PinReader, PinWriter, Pins};
use gpiocdev::line::{Bias as ChipBias, EdgeDetection, EdgeKind, EventClock, Value, Values};
use gpiocdev::request::Request;
use reigen_station::links::gpio::{Bias, GpioLink, GpioPin};
use std::io;
use std::time::Duration;

/// What the kernel calls the user of a pin.
const CONSUMER: &str = "reigen";
/// So many edges the kernel keeps until they are read.
const KEPT: u32 = 1024;

/// The pins of a chip.
pub(super) struct LinuxPins {
    chip: String,
    read: Vec<GpioPin>,
    written: Vec<u32>,
}

impl LinuxPins {
    pub(super) fn new(link: &GpioLink) -> Self {
        Self {
            chip: link.chip.clone(),
            read: link.lines.iter().map(|(_, pin)| *pin).collect(),
            written: link.outputs.all.iter().map(|output| output.place).collect(),
        }
    }
}

fn io_error(error: gpiocdev::Error) -> io::Error {
    io::Error::other(error.to_string())
}

impl Pins for LinuxPins {
    fn reader(&self) -> io::Result<Box<dyn PinReader>> {
        let mut wanted = Request::builder();
        wanted.on_chip(&self.chip).with_consumer(CONSUMER).with_kernel_event_buffer_size(KEPT);
        for pin in &self.read {
            let bias = pin.bias.map(|bias| match bias {
                Bias::PullUp => ChipBias::PullUp,
                Bias::PullDown => ChipBias::PullDown,
                Bias::Off => ChipBias::Disabled,
            });
            wanted.with_line(pin.offset).as_input().with_bias(bias);
            wanted.with_edge_detection(EdgeDetection::BothEdges).with_event_clock(EventClock::Monotonic);
        }
        let request = wanted.request().map_err(io_error)?;
        Ok(Box::new(LinuxReader { request, offsets: self.read.iter().map(|pin| pin.offset).collect() }))
    }

    fn writer(&self) -> io::Result<Box<dyn PinWriter>> {
        let mut wanted = Request::builder();
        wanted.on_chip(&self.chip).with_consumer(CONSUMER);
        // As they are, until a point says otherwise.
        wanted.with_lines(&self.written).as_is();
        let request = wanted.request().map_err(io_error)?;
        Ok(Box::new(LinuxWriter { request }))
    }
}

struct LinuxReader {
    request: Request,
    offsets: Vec<u32>,
}

impl PinReader for LinuxReader {
    fn levels(&mut self) -> io::Result<Vec<(u32, bool)>> {
        let mut values = Values::from_offsets(&self.offsets);
        self.request.values(&mut values).map_err(io_error)?;
        Ok(values.iter().map(|line| (line.offset, line.value == Value::Active)).collect())
    }

    fn edges(&mut self, at_most: Duration) -> io::Result<Vec<Edge>> {
        let mut edges = Vec::new();
        let mut is_ready = self.request.wait_edge_event(at_most).map_err(io_error)?;
        while is_ready {
            let event = self.request.read_edge_event().map_err(io_error)?;
            let high = event.kind == EdgeKind::Rising;
            edges.push(Edge { offset: event.offset, high, time_ns: event.timestamp_ns, number: event.seqno });
            is_ready = self.request.has_edge_event().map_err(io_error)?;
        }
        Ok(edges)
    }
}

struct LinuxWriter {
    request: Request,
}

impl PinWriter for LinuxWriter {
    fn set(&mut self, offset: u32, high: bool) -> io::Result<()> {
        let value = if high { Value::Active } else { Value::Inactive };
        self.request.set_value(offset, value).map_err(io_error)
    }
}
