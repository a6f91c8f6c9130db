//! A Modbus device that answers wrongly, late, in part or not at all, and one that comes back.

#![allow(clippy::unwrap_used)]

use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_link::modbus::{ModbusClient, Route};
use reigen_run::live::board::Board;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_run::live::teller::LinkTeller;
use reigen_station::links::connection::Connection;
use reigen_station::links::modbus::{BitAddress, ModbusAddress, ModbusLink, NumberAddress, NumberForm, Table};
use reigen_station::links::output::Outputs;
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::mpsc::{Receiver, sync_channel};
use std::thread;

/// What a device does with a request.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Does {
    /// It answers as it should: a discrete input that is on, a register of 7.
    Answers,
    /// The answer is that of another request.
    OtherTransaction,
    /// It says that it is of another protocol.
    OtherProtocol,
    /// Fewer registers than were asked for.
    TooShort,
    /// The answer breaks off, and so does the connection.
    CutOff,
    /// It says nothing.
    Nothing,
    /// It closes the connection.
    Closes,
    /// It refuses, by this exception.
    Refuses(u8),
}

/// The answer to a request: the header with its length, and what follows.
fn answer(request: &[u8], does: Does) -> Option<Vec<u8>> {
    let (unit, function) = (request[6], request[7]);
    let mut body = match (does, function) {
        (Does::Refuses(code), _) => vec![function | 0x80, code],
        (Does::TooShort, 4) => vec![4, 2, 0, 7],
        (_, 2) => vec![2, 1, 1],
        (_, 4) => {
            let count = u16::from_be_bytes([request[10], request[11]]);
            let words = (0..count).flat_map(|_| [0, 7]);
            [4, u8::try_from(count * 2).unwrap()].into_iter().chain(words).collect()
        }
        // A write comes back as it was.
        _ => request[7..12].to_vec(),
    };
    let mut whole = request[..4].to_vec();
    match does {
        Does::Nothing | Does::Closes => return None,
        Does::OtherTransaction => whole[1] ^= 0x55,
        Does::OtherProtocol => whole[3] = 9,
        Does::CutOff => drop(body.pop()),
        _ => {}
    }
    let length = u16::try_from(body.len() + 1).unwrap() + u16::from(does == Does::CutOff);
    whole.extend(length.to_be_bytes());
    whole.push(unit);
    whole.extend(body);
    Some(whole)
}

/// A device whose requests, over all connections, are dealt with in turn; the last is for all that come after.
fn device(does: &'static [Does]) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap().to_string();
    thread::spawn(move || {
        let mut asked = 0;
        for stream in listener.incoming().flatten() {
            serve(stream, does, &mut asked);
        }
    });
    address
}

fn serve(mut stream: TcpStream, does: &[Does], asked: &mut usize) {
    let mut request = [0_u8; 12];
    while stream.read_exact(&mut request).is_ok() {
        let now = does[(*asked).min(does.len() - 1)];
        *asked += 1;
        if let Some(answer) = answer(&request, now)
            && stream.write_all(&answer).is_err()
        {
            return;
        }
        if matches!(now, Does::Closes | Does::CutOff) {
            return;
        }
    }
}

/// A client on a device with a discrete input and two registers in one request each, and what it tells.
fn client(address: String, drives: bool) -> (Board, Receiver<LiveEvent>, thread::JoinHandle<()>) {
    let station = reigen_station::station::parse("[input.lamp]\nline = 'L'\n").unwrap();
    let board = Board::new(&station);
    let (events, told) = sync_channel(10_000);
    let number = |at| {
        let (table, form) = (Table::Input, NumberForm::U16);
        ModbusAddress::Number(NumberAddress { table, at, form, low_first: false, scale: 1.0, offset: 0.0 })
    };
    let bit = |table, at| BitAddress { table, at, bit: None };
    let settings = ModbusLink {
        at: Connection::Tcp(address.clone()),
        unit: 1,
        every: Nanos(2_000_000),
        timeout: Nanos(40_000_000),
        lines: vec![
            ("L".to_owned(), ModbusAddress::Bit(bit(Table::Discrete, 0))),
            ("A".to_owned(), number(4)),
            ("B".to_owned(), number(5)),
        ],
        outputs: Outputs { all: Vec::new(), refresh: Nanos(1_000_000_000) },
        heartbeat: drives.then_some(bit(Table::Coil, 3)),
    };
    let (route, lines) = (Route::Tcp(address), vec![Some(0), Some(1), Some(2)]);
    let teller = LinkTeller::new(0, events, RunClock::start());
    let client = ModbusClient { settings, route, lines, drives, teller, board: board.clone() };
    (board, told, thread::spawn(move || client.run()))
}

/// What a client tells up to the first event that is wanted, and that it ends when the run is over.
fn told_until(does: &'static [Does], wanted: impl Fn(&LiveEvent) -> bool) -> Vec<LiveEvent> {
    let (board, told, thread) = client(device(does), false);
    let mut events = Vec::new();
    for event in &told {
        events.push(event);
        if wanted(&events[events.len() - 1]) {
            break;
        }
    }
    board.end();
    thread.join().unwrap();
    events
}

fn why_lost(event: &LiveEvent) -> Option<&str> {
    match event {
        LiveEvent::Reached { lost: Some(why), .. } => Some(why),
        _ => None,
    }
}

fn is_reached(event: &LiveEvent) -> bool {
    matches!(event, LiveEvent::Reached { lost: None, .. })
}

#[test]
fn what_is_no_answer_loses_the_link_and_it_is_reached_again() {
    for (does, told) in [
        (&[Does::Answers, Does::Answers, Does::OtherTransaction, Does::Answers] as &'static [Does], ""),
        (&[Does::Answers, Does::OtherProtocol, Does::Answers], ""),
        (&[Does::Answers, Does::TooShort, Does::Answers], ""),
        (&[Does::CutOff, Does::Answers], ""),
        (&[Does::Closes, Does::Answers], ""),
        (&[Does::Answers, Does::Answers, Does::Closes, Does::Closes, Does::Answers], ""),
        (&[Does::Nothing, Does::Nothing, Does::Nothing, Does::Answers], "three times in a row"),
    ] {
        let events = told_until(does, |event| matches!(event, LiveEvent::Passed { passes, .. } if passes.passes > 3));
        let lost: Vec<&str> = events.iter().filter_map(why_lost).collect();
        assert!(!lost.is_empty() && lost[0].contains(told), "{does:?}: {lost:?}");
        assert!(events.iter().any(is_reached), "{does:?}");
        // Whatever it said wrongly, no line took a value that the device does not have.
        for event in &events {
            let LiveEvent::Values { values, .. } = event else { continue };
            for value in values {
                let wanted = if value.line == 0 { Value::Level(true) } else { Value::Number(7.0) };
                assert_eq!(value.value, wanted, "{does:?}");
            }
        }
    }
}

#[test]
fn a_refusal_is_told_by_its_name_and_the_other_lines_go_on() {
    let names = [
        (1, "illegal function"),
        (2, "illegal data address"),
        (3, "illegal data value"),
        (4, "server device failure"),
        (6, "server device busy"),
        (11, "gateway target device failed to respond"),
        (99, "an exception of its own (exception 99)"),
    ];
    for (code, name) in names {
        let does: &'static [Does] = vec![Does::Refuses(code), Does::Answers, Does::Refuses(code), Does::Answers].leak();
        let events = told_until(does, |event| matches!(event, LiveEvent::Passed { .. }));
        let refused = events.iter().find_map(|event| match event {
            LiveEvent::Refused { what, .. } => Some(what.as_str()),
            _ => None,
        });
        assert!(refused.is_some_and(|what| what.contains(name) && what.contains("discrete 0")), "{code}: {refused:?}");
        assert!(events.iter().all(|event| why_lost(event).is_none()), "{code}");
        let mut lines = events.iter().filter_map(|event| match event {
            LiveEvent::Values { values, .. } => Some(values.iter().map(|value| value.line).collect::<Vec<_>>()),
            _ => None,
        });
        assert_eq!(lines.next_back().unwrap(), [1, 2], "{code}: the registers are read all the same");
    }
}

#[test]
fn one_answer_that_does_not_come_in_time_loses_nothing() {
    let does: &'static [Does] = &[Does::Answers, Does::Answers, Does::Nothing, Does::Answers];
    let events = told_until(does, |event| matches!(event, LiveEvent::Passed { passes, .. } if passes.passes > 5));
    assert!(events.iter().all(|event| why_lost(event).is_none()), "{events:?}");
}

#[test]
fn what_was_written_goes_off_though_the_link_was_lost_before_the_end() {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let (board, told, thread) = client(listener.local_addr().unwrap().to_string(), true);
    // Answers reads up to the next write, and gives the address and the value of that.
    let next_write = |stream: &mut TcpStream| {
        let mut request = [0_u8; 12];
        loop {
            stream.read_exact(&mut request).unwrap();
            if request[7] == 5 {
                return (u16::from_be_bytes([request[8], request[9]]), request[10] != 0, request);
            }
            stream.write_all(&answer(&request, Does::Answers).unwrap()).unwrap();
        }
    };
    let (mut stream, _) = listener.accept().unwrap();
    let (coil, on, _) = next_write(&mut stream);
    assert_eq!((coil, on), (3, true), "the heartbeat");
    drop(stream);
    assert!(told.iter().any(|event| why_lost(&event).is_some()));
    board.end();
    let (mut stream, _) = listener.accept().unwrap();
    let (coil, on, request) = next_write(&mut stream);
    assert_eq!((coil, on), (3, false));
    stream.write_all(&answer(&request, Does::Answers).unwrap()).unwrap();
    thread.join().unwrap();
}

#[test]
fn nobody_at_the_address_is_told_and_tried_again() {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap().to_string();
    drop(listener);
    let (board, told, thread) = client(address.clone(), true);
    let lost: Vec<String> = told.iter().take(2).filter_map(|event| why_lost(&event).map(str::to_owned)).collect();
    assert!(lost.len() == 2 && lost[0].contains(&address), "{lost:?}");
    board.end();
    thread.join().unwrap();
}
