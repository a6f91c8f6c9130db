//! Lines of text as devices print them: in parts, broken, from a device that comes and goes.

#![allow(clippy::unwrap_used, clippy::panic)]

use proptest::prelude::*;
use reigen_core::change::Value;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::logic::expression::Value as PointValue;
use reigen_core::time::Nanos;
use reigen_link::lines::{DeviceLines, LinePrinter, LinesReader};
use reigen_link::write::DeviceWrite;
use reigen_run::line_table::LineTable;
use reigen_run::live::board::Board;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::teller::LinkTeller;
use reigen_station::links::LinesLink;
use reigen_station::links::connection::{Connection, Parity, SerialPort};
use reigen_station::links::output::{OnStop, Output, Outputs};
use std::io::{self, Read};
use std::sync::mpsc::{Receiver, channel, sync_channel};
use std::thread;

fn reader() -> (LinesReader, Receiver<LiveEvent>) {
    let line = |name: &str, signal, kind| RecordedLine { name: name.to_owned(), signal, kind, step: None };
    let lines = [line("PB", 0, LineKind::Level), line("LOAD", 0, LineKind::Real)];
    let (events, told) = sync_channel(10_000);
    let teller = LinkTeller::new(3, events, RunClock::start());
    (LinesReader { table: LineTable::new(&lines), teller }, told)
}

/// Text that comes in parts of these lengths, again and again.
struct Parts<'a> {
    text: &'a [u8],
    lengths: Vec<usize>,
    turn: usize,
}

impl Read for Parts<'_> {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let length = self.lengths[self.turn % self.lengths.len()].min(self.text.len()).min(room.len());
        self.turn += 1;
        let (part, rest) = self.text.split_at(length);
        room[..length].copy_from_slice(part);
        self.text = rest;
        Ok(length)
    }
}

/// A value with its line, and the device's own time.
type Told = (usize, Value, Option<i64>);

/// What a link tells of a text: the values, how much was malformed, and whether it told the end.
fn told(text: &[u8], lengths: Vec<usize>) -> (Vec<Told>, u64, bool) {
    let (reader, events) = reader();
    reader.read(Parts { text, lengths, turn: 0 });
    drop(reader);
    let (mut all, mut malformed, mut ended) = (Vec::new(), 0, false);
    for event in events {
        match event {
            LiveEvent::Values { link: 3, values } => {
                assert!(values.windows(2).all(|pair| pair[0].arrived <= pair[1].arrived));
                all.extend(values.into_iter().map(|value| (value.line, value.value, value.own_time_ns)));
            }
            LiveEvent::Malformed { link: 3, count, first } => {
                assert!(!first.is_empty());
                malformed += count;
            }
            LiveEvent::Ended { link: 3 } => ended = true,
            other => panic!("{other:?}"),
        }
    }
    (all, malformed, ended)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// However a stream is cut into parts, each line of it is read once, and what is broken breaks nothing else.
    #[test]
    fn a_stream_in_any_parts_gives_the_same(
        rows in prop::collection::vec((0..4u8, any::<bool>(), 0..1000i64), 0..60),
        lengths in prop::collection::vec(1..90usize, 1..6),
    ) {
        let (mut text, mut wanted, mut broken) = (String::new(), Vec::new(), 0);
        for (kind, high, number) in rows {
            match kind {
                0 => {
                    text += &format!("{{\"time_ms\":{number},\"line\":\"PB\",\"value\":{}}}\r\n", u8::from(high));
                    wanted.push((0, Value::Level(high), Some(number * 1_000_000)));
                }
                1 => {
                    text += &format!("{{\"line\":\"m1.LOAD\",\"value\":{number}.5}}\n");
                    wanted.push((1, Value::Number(f64::from(i32::try_from(number).unwrap()) + 0.5), None));
                }
                2 => {
                    text += "{\"line\":\"PB\",\"val\n";
                    broken += 1;
                }
                _ => text += "\n{\"line\":\"OTHER\",\"value\":1}\n",
            }
        }
        prop_assert_eq!(told(text.as_bytes(), lengths), (wanted, broken, true));
    }
}

#[test]
fn what_is_not_text_or_too_long_is_counted_and_passed() {
    let long = [b"{\"line\":\"PB\",\"value\":\"".as_slice(), &vec![b'x'; 5 << 20], b"\"}\n"].concat();
    let good = b"{\"line\":\"PB\",\"value\":1}\n".as_slice();
    for (broken, count) in
        [(b"\xff\xfe\x00\n".as_slice(), 1), (long.as_slice(), 1), (b"{\"line\":\"PB\",\"value\":2}\n", 1)]
    {
        let text = [broken, good].concat();
        let (values, malformed, ended) = told(&text, vec![1 << 16]);
        assert_eq!((values, malformed, ended), (vec![(0, Value::Level(true), None)], count, true));
    }
    // Without an end of its line, what came is read all the same.
    assert_eq!(told(good.strip_suffix(b"\n").unwrap(), vec![7]).0.len(), 1);
}

/// A device at an address that takes `run_lamp` as its line LAMP and `turns` as TURNS.
fn device(at: Connection) -> LinesLink {
    let output =
        |point: &str, place: &str, on_stop| Output { point: point.to_owned(), place: place.to_owned(), on_stop };
    let all = vec![output("run_lamp", "LAMP", OnStop::Off), output("turns", "TURNS", OnStop::Becomes(0.0))];
    LinesLink { at, outputs: Outputs { all, refresh: Nanos(1_000_000_000) } }
}

/// A device is found at its place, read, driven, and its outputs come to rest with the run.
fn is_read_and_driven(at: impl Fn(&LinePrinter) -> Connection, listens: Connection, first: [Option<i64>; 2]) {
    let (writes, written) = channel();
    let printer = LinePrinter::start(&device(listens), RunClock::start(), writes).unwrap();
    printer.print(Nanos(5), "PB", Value::Level(true));
    printer.print(Nanos(9), "LOAD", Value::Number(2.5));
    let station = "[input.run_lamp]\nline = 'PB'\n[counter.turns]\nup = 'run_lamp'\n";
    let station = reigen_station::station::parse(station).unwrap();
    let mut board = Board::new(&station);
    let (reader, events) = reader();
    let link = DeviceLines { settings: device(at(&printer)), reader, drives: true, board: board.clone() };
    let thread = thread::spawn(move || link.run());
    let reached = events.recv().unwrap();
    assert!(matches!(reached, LiveEvent::Reached { lost: None, .. }), "{reached:?}");
    let mut values = Vec::new();
    while values.len() < 3 {
        let LiveEvent::Values { values: more, .. } = events.recv().unwrap() else { panic!("no values") };
        if values.is_empty() {
            printer.print(Nanos(12), "PB", Value::Level(false));
        }
        values.extend(more.into_iter().map(|value| (value.value, value.own_time_ns)));
    }
    assert!(
        values.contains(&(Value::Number(2.5), first[1])) && values.contains(&(Value::Level(true), first[0])),
        "{values:?}"
    );
    assert_eq!(values.last(), Some(&(Value::Level(false), Some(12))));
    board.set(0, PointValue::Bit(true));
    board.set(1, PointValue::Integer(7));
    let next = || {
        let DeviceWrite { place, point, value, .. } = written.recv().unwrap();
        (place, point, value.as_f64().unwrap())
    };
    let two = || {
        let mut two = [next(), next()];
        two.sort_by(|one, other| one.0.cmp(&other.0));
        two
    };
    let named = |lamp: f64, turns: f64| {
        [("LAMP".to_owned(), "run_lamp".to_owned(), lamp), ("TURNS".to_owned(), "turns".to_owned(), turns)]
    };
    assert_eq!(two(), named(1.0, 7.0));
    // A quiet connection ends with the run.
    board.end();
    thread.join().unwrap();
    assert_eq!(two(), named(0.0, 0.0));
}

#[test]
fn a_device_over_tcp_is_read_and_driven() {
    let at = |printer: &LinePrinter| Connection::Tcp(printer.address().unwrap().to_string());
    // Who connects later is told what the lines are now.
    is_read_and_driven(at, Connection::Tcp("127.0.0.1:0".to_owned()), [None, None]);
}

#[test]
fn a_device_at_a_serial_port_is_read_and_driven() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("port").display().to_string();
    let port = Connection::Serial(SerialPort { path, baud: 115_200, parity: Parity::None, two_stop_bits: false });
    // What was printed before waits in the port, as it was printed.
    is_read_and_driven(|_| port.clone(), port.clone(), [Some(5), Some(9)]);
}
