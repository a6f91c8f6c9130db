//! Random texts for every parser, seeded: `random_cases CASES [SEED]`.
//!
//! None may panic; for recordings the fast form and the plain one must tell the same, in pieces of any size.

#![allow(clippy::expect_used, clippy::print_stdout)]

use reigen_core::lines::LineKind;
use reigen_core::logic::expression;
use reigen_core::quantity::{parse_file_time, parse_sample_rate, parse_time};
use reigen_core::station;
use reigen_io::options::{ReadOptions, Thresholds};
use reigen_io::recording::Recording;
use std::io::Cursor;

const VCD: &str = "$timescale 1 us $end\n$var wire 1 ! A $end\n$var wire 1 %% B $end\n$var wire 3 v V [2:0] $end\n\
    $var real 64 r R $end\n$enddefinitions $end\n#1230\n$dumpvars\n0!\n1%%\n$end\n#1234\n1!\n#1235\n0!\n#1236\n1!\n#1239\n0%%\n\
    #1240\nx!\n#1250\nb101 v\n#1251\n1!\n#1260\nr1.5 r\n$comment hm $end\n#1270\n0!\n#1271\n1!\n#1300\n";
const CSV: &str =
    "time_us,A,B\n1.000,0,1\n1.001,0,1\n1.002,1,1\n1.003,1,1\n1.004,1,0\n1.005,1,0\n1.006,0,0\n1.007,0,0\n";
const VOLTS: &str = "time_ns,A,B\n-4,0.5,1\n-3,3.5,1\n0,0.1,0\n10,2e0,0\n11,\"3\",1\n";
const STATION: &str = include_str!("../../../demo/station.toml");

/// What a recording tells, or why it is refused.
fn told(bytes: &[u8], options: &ReadOptions) -> String {
    let mut recording = match Recording::from_bytes("rec".to_owned(), Box::new(Cursor::new(bytes.to_vec())), options) {
        Ok(recording) => recording,
        Err(error) => return error.to_string(),
    };
    let signals = |level: bool| {
        let lines = recording.lines().iter().filter(|line| level == (line.kind == LineKind::Level));
        (0..lines.map(|line| line.signal + 1).max().unwrap_or(0)).collect::<Vec<_>>()
    };
    let (bits, numbers) = (signals(true), signals(false));
    let mut lines = recording.select(&bits, &numbers);
    let mut told = String::new();
    let mut all: Vec<String> = vec![String::new(); bits.len() + numbers.len()];
    let done = recording.read(&mut lines, &mut |lines, until| {
        let window = lines.cut(until);
        for (text, column) in all.iter_mut().zip(lines.bits()) {
            if text.is_empty() && column.level.is_some() {
                *text += &format!("{:?} {:?}", column.level, column.since);
            }
            column.toggles.iter().for_each(|time| *text += &format!(" {}", time.0));
        }
        for (text, column) in all.iter_mut().skip(bits.len()).zip(lines.readings()) {
            column.times.iter().zip(&column.values).for_each(|(time, value)| *text += &format!(" {}={value}", time.0));
        }
        lines.advance(window);
        true
    });
    if let Err(error) = done {
        return error.to_string();
    }
    let names: Vec<String> = bits.iter().map(|bit| bit.to_string()).collect();
    told += &format!("{:?} {:?} {} {:?}", recording.origin(), recording.last_time(), recording.edges(), all);
    recording.findings(&names).iter().for_each(|finding| told += &finding.message);
    told
}

/// A text with some bytes taken away, put in, or said again.
fn damaged(text: &str, random: &mut fastrand::Rng) -> Vec<u8> {
    const LIKELY: &[u8] = b"\n\n#$\"',.01xzbr- \r&()=[]";
    let mut bytes = text.as_bytes().to_vec();
    for _ in 0..random.usize(0..4) {
        let start = random.usize(0..=bytes.len());
        let end = (start + random.usize(0..6)).min(bytes.len());
        let put: Vec<u8> = match random.u8(0..4) {
            0 => vec![random.u8(..)],
            1 => bytes[start..end].repeat(2),
            2 => Vec::new(),
            _ => vec![LIKELY[random.usize(..LIKELY.len())]],
        };
        bytes.splice(start..end, put);
    }
    bytes
}

fn case(random: &mut fastrand::Rng) {
    let rate = parse_sample_rate("48 kHz").ok();
    let plain = ReadOptions { plain: true, ..ReadOptions::default() };
    let (text, options) = match random.u8(0..8) {
        0..3 => (VCD, plain),
        3 | 4 => (CSV, plain),
        5 => (CSV, ReadOptions { sample_rate: rate, lines: Some(vec!["A".into(), "-".into(), "B".into()]), ..plain }),
        6 => (VOLTS, ReadOptions { thresholds: Some(Thresholds { high_above: 2.0, low_below: 1.0 }), ..plain }),
        _ => return of_station(random),
    };
    let bytes = damaged(text, random);
    let fast = ReadOptions { plain: false, piece_bytes: Some(random.usize(2..200)), ..options.clone() };
    let (plain, fast) = (told(&bytes, &options), told(&bytes, &fast));
    assert!(plain == fast, "of {:?}\nplain: {plain}\n fast: {fast}", String::from_utf8_lossy(&bytes));
}

fn of_station(random: &mut fastrand::Rng) {
    let bytes = damaged(STATION, random);
    let text = String::from_utf8_lossy(&bytes);
    for error in station::parse(&text).err().unwrap_or_default() {
        assert!(text.get(error.span.clone()).is_some(), "{error} at {:?} of\n{text}", error.span);
        let _ = (error.to_string(), error.kind.help());
    }
    let word = String::from_utf8_lossy(&damaged("8.5 ms", random)).into_owned();
    let _ = (parse_time(&word), parse_file_time(&word), parse_sample_rate(&word));
    let _ = expression::parse(&String::from_utf8_lossy(&damaged("a AND NOT (b.done OR TRUE) & c", random)));
}

fn main() {
    let mut arguments = std::env::args().skip(1).map(|word| word.parse::<u64>().expect("a number"));
    let cases = arguments.next().unwrap_or(10_000);
    let mut random = fastrand::Rng::with_seed(arguments.next().unwrap_or(1));
    (0..cases).for_each(|_| case(&mut random));
    println!("{cases} random cases: no panic, and fast and plain agree");
}
