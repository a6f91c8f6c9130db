//! Pins of a chip, tried on a stand-in: their edges with the kernel's times, edges that were lost, a chip that goes.

#![allow(clippy::unwrap_used)]

use reigen_core::change::Value;
use reigen_core::logic::expression::Value as PointValue;
use reigen_core::time::Nanos;
use reigen_link::gpio::{Edge, GpioPins, PinReader, PinWriter, Pins};
use reigen_run::live::board::Board;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::teller::LinkTeller;
use reigen_station::links::gpio::{GpioLink, GpioPin};
use reigen_station::links::output::{OnStop, Output, Outputs};
use std::io;
use std::sync::mpsc::{Receiver, Sender, channel, sync_channel};
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::Duration;

/// What a chip does next.
type Next = io::Result<Vec<Edge>>;

/// A chip whose pins do what is said.
struct Chip {
    next: Arc<Mutex<Receiver<Next>>>,
    written: Sender<(u32, bool)>,
}

impl Pins for Chip {
    fn reader(&self) -> io::Result<Box<dyn PinReader>> {
        Ok(Box::new(Reader(self.next.clone())))
    }

    fn writer(&self) -> io::Result<Box<dyn PinWriter>> {
        Ok(Box::new(Writer(self.written.clone())))
    }
}

struct Reader(Arc<Mutex<Receiver<Next>>>);

impl PinReader for Reader {
    fn levels(&mut self) -> io::Result<Vec<(u32, bool)>> {
        Ok(vec![(17, true), (27, false)])
    }

    fn edges(&mut self, at_most: Duration) -> Next {
        self.0.lock().unwrap().recv_timeout(at_most).unwrap_or(Ok(Vec::new()))
    }
}

struct Writer(Sender<(u32, bool)>);

impl PinWriter for Writer {
    fn set(&mut self, offset: u32, high: bool) -> io::Result<()> {
        self.0.send((offset, high)).map_err(io::Error::other)
    }
}

#[test]
fn edges_come_with_their_times_what_is_lost_is_told_and_outputs_come_to_rest() {
    let (edges, next) = channel();
    let (written, seen) = channel();
    let (events, told) = sync_channel(1000);
    let station = reigen_station::station::parse("[input.lamp]\nline = 'PB'\n").unwrap();
    let mut board = Board::new(&station);
    let pin = |offset| GpioPin { offset, bias: None };
    let lamp = Output { point: "lamp".to_owned(), place: 5, on_stop: OnStop::Off };
    let settings = GpioLink {
        chip: "/dev/gpiochip0".to_owned(),
        lines: vec![("PB".to_owned(), pin(17)), ("OTHER".to_owned(), pin(27))],
        outputs: Outputs { all: vec![lamp], refresh: Nanos(1_000_000_000) },
    };
    let link = GpioPins {
        settings,
        pins: Box::new(Chip { next: Arc::new(Mutex::new(next)), written }),
        lines: vec![Some(0), None],
        drives: true,
        teller: LinkTeller::new(0, events, RunClock::start()),
        board: board.clone(),
    };
    let thread = thread::spawn(move || link.run());
    let values = || {
        told.iter().find_map(|event| match event {
            LiveEvent::Values { values, .. } => {
                Some(values.iter().map(|value| (value.line, value.value, value.own_time_ns)).collect::<Vec<_>>())
            }
            _ => None,
        })
    };
    // The pin that the station does not name is read with the other, and left out.
    assert_eq!(values().unwrap(), [(0, Value::Level(true), None)]);
    let edge = |number, offset, high, time_ns| Edge { offset, high, time_ns, number };
    edges.send(Ok(vec![edge(1, 17, false, 5_000), edge(2, 27, true, 5_500), edge(3, 17, true, 6_000)])).unwrap();
    assert_eq!(values().unwrap(), [(0, Value::Level(false), Some(5_000)), (0, Value::Level(true), Some(6_000))]);
    edges.send(Ok(vec![edge(9, 17, false, 9_000)])).unwrap();
    assert!(told.iter().any(|event| event == LiveEvent::Missed { link: 0, count: 5 }));
    assert_eq!(values().unwrap(), [(0, Value::Level(false), Some(9_000))]);
    board.set(0, PointValue::Bit(true));
    assert_eq!(seen.recv().unwrap(), (5, true));
    // The chip goes, and is claimed again; what was written is due anew.
    edges.send(Err(io::Error::other("no such device"))).unwrap();
    let why = told.iter().find_map(|event| match event {
        LiveEvent::Reached { lost, .. } => lost,
        _ => None,
    });
    assert_eq!(why.as_deref(), Some("/dev/gpiochip0: no such device"));
    assert_eq!(values().unwrap(), [(0, Value::Level(true), None)]);
    assert_eq!(seen.recv().unwrap(), (5, true));
    board.end();
    thread.join().unwrap();
    assert_eq!(seen.recv().unwrap(), (5, false));
}
