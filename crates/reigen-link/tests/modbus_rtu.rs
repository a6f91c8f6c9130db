//! Devices on a serial bus: spoken to in turn, driven, and an answer that comes late is not taken for the next one.

#![allow(clippy::unwrap_used, clippy::panic)]

use reigen_core::change::Value;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::logic::expression::Value as PointValue;
use reigen_core::time::Nanos;
use reigen_link::stand_in::StandIns;
use reigen_link::start::{RunningLinks, Shared, ready};
use reigen_link::write::DeviceWrite;
use reigen_run::live::board::Board;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_station::station::{Station, parse};
use std::io::{Read, Write};
use std::path::Path;
use std::sync::mpsc::{Receiver, channel, sync_channel};
use std::thread;

/// Two devices on one bus, each with a register, one of them driven.
fn station(port: &Path) -> Station {
    let link = |name: &str, unit: u8, line: &str, more: &str| {
        format!(
            "[link.{name}]\nprotocol = 'modbus-rtu'\nserial = '{}'\nbaud = 115200\nunit = {unit}\nevery = '10 ms'\n\
             timeout = '80 ms'\n{more}[link.{name}.lines]\n{line} = 'input 4'\n",
            port.display()
        )
    };
    let text = link("one", 1, "A", "outputs = { on = 'coil 2' }\n")
        + &link("two", 7, "B", "")
        + "[input.on]\nline = 'ON'\n[analog.a]\nline = 'A'\nunit = 'V'\n[analog.b]\nline = 'B'\nunit = 'V'\n";
    parse(&text).unwrap()
}

/// The links of a station at work, and what they tell.
fn links(station: &Station) -> (Board, Receiver<LiveEvent>, RunningLinks) {
    let line = |name: &str, signal| RecordedLine { name: name.to_owned(), signal, kind: LineKind::Real, step: None };
    let (events, told) = sync_channel(10_000);
    let board = Board::new(station);
    let lines = [line("A", 0), line("B", 1)];
    let shared = Shared { lines: &lines, clock: RunClock::start(), events, board: board.clone(), drives: true };
    let running = RunningLinks::start(ready(&station.links, &shared).unwrap().links);
    (board, told, running)
}

/// Waits for a value of a line.
fn wait_for(told: &Receiver<LiveEvent>, line: usize, wanted: f64) {
    let has_it = |event: LiveEvent| match event {
        LiveEvent::Values { values, .. } => {
            values.iter().any(|value| value.line == line && value.value == Value::Number(wanted))
        }
        LiveEvent::Reached { lost: Some(why), .. } => panic!("{why}"),
        _ => false,
    };
    assert!(told.iter().any(has_it));
}

#[test]
fn devices_on_one_bus_are_spoken_to_in_turn_and_driven() {
    let folder = tempfile::tempdir().unwrap();
    let port = folder.path().join("bus");
    let station = station(&port);
    let (writes, written) = channel();
    let mut devices = StandIns::default();
    station.links.iter().for_each(|link| devices.add(link, RunClock::start(), &writes).unwrap());
    devices.set(Nanos(0), "A", Value::Number(11.0));
    devices.set(Nanos(0), "B", Value::Number(22.0));
    devices.begin();
    while !port.exists() {
        thread::yield_now();
    }
    let (mut board, told, running) = links(&station);
    wait_for(&told, 0, 11.0);
    wait_for(&told, 1, 22.0);
    devices.set(Nanos(1), "B", Value::Number(23.0));
    wait_for(&told, 1, 23.0);
    board.set(0, PointValue::Bit(true));
    let next = || {
        let DeviceWrite { place, point, value, .. } = written.recv().unwrap();
        (place, point, value.as_i64())
    };
    assert_eq!(next(), ("coil 2".to_owned(), "on".to_owned(), Some(1)));
    board.end();
    running.end();
    assert_eq!(next(), ("coil 2".to_owned(), "on".to_owned(), Some(0)), "off at the end");
    drop(devices);
    assert!(!port.is_symlink(), "nothing is left behind");
}

#[test]
fn a_unit_that_is_not_there_does_not_hold_up_the_others_on_its_bus() {
    let folder = tempfile::tempdir().unwrap();
    let port = folder.path().join("bus");
    let mut station = station(&port);
    let mut devices = StandIns::default();
    let (writes, _written) = channel();
    // The second device is unplugged.
    devices.add(&station.links[0], RunClock::start(), &writes).unwrap();
    devices.set(Nanos(0), "A", Value::Number(1.0));
    devices.begin();
    while !port.exists() {
        thread::yield_now();
    }
    station.links.rotate_left(1);
    let (board, told, running) = links(&station);
    let (mut lost, mut values) = (0, 0);
    while values < 20 {
        match told.recv().unwrap() {
            LiveEvent::Reached { link: 0, lost: Some(why), .. } => {
                assert!(why.contains("no answer within 80 ms"), "{why}");
                lost += 1;
            }
            LiveEvent::Values { link: 1, .. } => values += 1,
            LiveEvent::Reached { link: 1, lost: Some(why), .. } => panic!("{why}"),
            _ => {}
        }
    }
    board.end();
    running.end();
    assert!(lost <= 3, "it is asked less and less often: {lost} times beside twenty passes");
}

/// The check of a frame (Modbus over serial line V1.02, 6.2.2).
fn crc(frame: &[u8]) -> [u8; 2] {
    let mut crc = 0xffff_u16;
    for byte in frame {
        crc ^= u16::from(*byte);
        for _ in 0..8 {
            crc = if crc & 1 == 1 { crc >> 1 ^ 0xa001 } else { crc >> 1 };
        }
    }
    crc.to_le_bytes()
}

#[test]
fn a_late_or_broken_answer_is_not_taken_for_the_next_one() {
    use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
    let folder = tempfile::tempdir().unwrap();
    let port = folder.path().join("bus");
    let device = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).unwrap();
    grantpt(&device).unwrap();
    unlockpt(&device).unwrap();
    std::os::unix::fs::symlink(ptsname(&device, Vec::new()).unwrap().to_str().unwrap(), &port).unwrap();
    let mut station = station(&port);
    station.links.truncate(1);
    let mut device = std::fs::File::from(device);
    let (board, told, running) = links(&station);
    // Each request is answered with its number; the second comes after its time is over, the fifth is broken.
    let answering = thread::spawn(move || {
        let mut request = [0; 8];
        for number in 0..12_u16 {
            if device.read_exact(&mut request).is_err() {
                return;
            }
            let mut answer = vec![1, 4, 2];
            answer.extend((100 + number).to_be_bytes());
            answer.extend(crc(&answer));
            match number {
                1 => thread::sleep(std::time::Duration::from_millis(100)),
                4 => answer[3] ^= 0x55,
                _ => {}
            }
            if device.write_all(&answer).is_err() {
                return;
            }
        }
    });
    let mut values: Vec<f64> = Vec::new();
    while values.len() < 6 {
        match told.recv().unwrap() {
            LiveEvent::Values { values: read, .. } => {
                values.extend(read.iter().filter_map(|value| match value.value {
                    Value::Number(number) => Some(number),
                    _ => None,
                }));
            }
            LiveEvent::Reached { lost: Some(why), .. } => panic!("{why}"),
            _ => {}
        }
    }
    board.end();
    running.end();
    drop(answering);
    assert_eq!(values, [100.0, 102.0, 103.0, 105.0, 106.0, 107.0]);
}
